// A builder sets a field once, at the head of its column, and it holds in the list and in the form.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

test('colours, words and a default by formula are set at the column and hold everywhere', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'defects' }).click();
  const heads = page.getByRole('group', { name: 'Rows and fields' });

  await test.step('an option gets a word and a colour, seen at once', async () => {
    await heads.getByRole('columnheader', { name: /^State/ }).getByRole('link').click();
    await page.getByLabel('Label of open').fill('to do');
    await page.getByLabel('Colour of open').selectOption('blue');
    await expect(page.locator('.options .option-1')).toHaveText('open');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByText('State is saved.')).toBeVisible();
    await expect(heads.getByText('to do').first()).toBeVisible();
  });

  await test.step('what begins with = is a formula, with completion and its present value', async () => {
    await heads.getByRole('columnheader', { name: /^Due due/ }).getByRole('link').click();
    await page.getByLabel('Default', { exact: true }).click();
    await page.keyboard.type('=');
    const editor = page.locator('.formula-line .cm-content');
    await expect(editor).toBeFocused();
    await page.keyboard.type('TODA', { delay: 30 });
    await expect(page.getByRole('listbox').getByRole('option', { name: /^TODAY/ })).toBeVisible();
    await page.waitForTimeout(200); // offers that have just come are not taken by a key that was on its way
    await page.keyboard.press('Enter');
    await page.keyboard.press('End');
    await page.keyboard.type(' + 3');
    await expect(page.getByText(/^At this moment: \d\d \w{3} \d{4}$/)).toBeVisible();
    await page.keyboard.press('Enter');
    await expect(page.getByText('Due is saved.')).toBeVisible();
    await expect(page.locator('.formula-line .cm-content')).toHaveText('=TODAY() + 3');
  });

  await test.step('the list and the form have it', async () => {
    await page.goto('/try/maintenance/defects?defects.is.state=open');
    await expect(page.getByText('state is to do')).toBeVisible();
    await expect(rows(page).first()).toContainText('to do');
    await page.keyboard.press('n');
    await expect(sheet(page).getByLabel('Due')).toHaveValue(/^\d\d \w{3} \d{4}$/);
    await expect(sheet(page).getByLabel('Reported by')).toHaveValue('Bea Holm');
    await expect(sheet(page).getByLabel('State').getByRole('option', { name: 'to do' })).toHaveCount(1);
  });
});
