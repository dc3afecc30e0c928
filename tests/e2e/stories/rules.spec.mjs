// A builder makes a rule by picking conditions, sees it as a formula, and a colleague meets it while typing.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

test('a rule is picked from lists, tried on the records, and speaks while a colleague types', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'defects' }).click();
  await page.getByRole('navigation', { name: 'Parts of Defects' }).getByRole('link', { name: 'Rules' }).click();
  await page.getByRole('link', { name: 'Add a rule' }).click();
  const must = page.getByRole('group', { name: 'Condition' });
  const answer = page.locator('#rule-answer');

  await test.step('conditions are picked; how many records keep them stands beside', async () => {
    await page.getByLabel('Show message at').selectOption('Actual cost');
    await must.getByLabel('Field', { exact: true }).selectOption('actual cost');
    await must.getByLabel('Question').selectOption('is at most');
    await must.getByLabel('Value').fill('1000');
    await expect(answer).toContainText(/[\d,]+ defects break it, and could not be saved/);
    await expect(answer).toContainText('Default message: “Actual cost must be at most 1,000.”');
  });

  await test.step('the other view is the same thing, and nothing is lost on the way', async () => {
    await must.getByRole('button', { name: 'Add a condition below' }).click();
    await must.getByLabel('Field', { exact: true }).nth(1).selectOption('state');
    await must.getByLabel('Question').nth(1).selectOption('is');
    await must.getByLabel('Value').nth(1).selectOption('closed');
    await must.getByLabel('All or any of the conditions').selectOption('one of these');
    await must.getByRole('button', { name: 'Show as formula' }).click();
    const formula = page.locator('.cm-content');
    await expect(formula).toHaveText('OR(actual_cost <= 1000, state = "closed")');
    await formula.press('End');
    await formula.pressSequentially('x');
    await expect(page.locator('.formula-problem').first()).toBeVisible();
    await formula.press('Backspace');
    await expect(page.locator('.formula-problem')).toHaveCount(0);
    await page.getByRole('button', { name: 'Use lists' }).click();
    await expect(must.getByLabel('Field', { exact: true })).toHaveCount(2);
    await expect(must.getByLabel('Value').first()).toHaveValue('1000');
  });

  await test.step('it is saved, and stands among the rules in words', async () => {
    await page.getByLabel('Message', { exact: true }).fill('More than 1,000 only once it is closed.');
    await page.getByRole('button', { name: 'Save rule' }).click();
    await expect(page.getByRole('row', { name: /^More than 1,000/ })).toContainText('Actual cost is at most 1,000 or state is “closed”.');
  });

  await test.step('a colleague who tries the draft is told while typing, and not before', async () => {
    await page.goto('/try/maintenance/defects?defects.is.state=open');
    await page.getByRole('button', { name: 'Allow changes' }).click();
    await rows(page).first().click();
    const cost = sheet(page).getByLabel('Actual cost');
    await cost.fill('2000');
    await expect(sheet(page).getByText('More than 1,000 only once it is closed.').first()).toBeVisible();
    await expect(cost).toHaveAttribute('aria-invalid', 'true');
    await expect(cost).toBeFocused();
    await cost.fill('900');
    await expect(sheet(page).getByText('More than 1,000 only once it is closed.')).toHaveCount(0);
    await expect(cost).not.toHaveAttribute('aria-invalid', 'true');
    await cost.fill('2000');
    await expect(sheet(page).getByRole('button', { name: 'Save', exact: true })).toHaveAttribute('aria-disabled', 'true');
    await page.keyboard.press('Control+s');
    await expect(cost).toBeFocused();
    await expect(sheet(page).getByText('More than 1,000 only once it is closed.').first()).toBeVisible();
    await expect(cost).toHaveValue('2000');
    await sheet(page).getByLabel('State').selectOption('closed');
    await expect(sheet(page).getByText('More than 1,000 only once it is closed.')).toHaveCount(0);
    await sheet(page).getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('saved.');
  });
});
