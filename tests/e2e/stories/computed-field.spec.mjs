// A builder adds a computed field, with slips on the way, and it is in the next app like any column.
import { expect, rows, signIn, test } from '../tools/fixtures.mjs';

test('a computed field is typed, corrected, tried on records, saved, sorted by, changed and removed', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'vessels' }).click();
  await page.getByRole('link', { name: 'Add a computed field' }).click();
  const formula = page.locator('.cm-content');
  const write = async text => {
    await formula.press('Control+a');
    await page.keyboard.press('Delete');
    await page.keyboard.insertText(text);
  };
  const answer = page.locator('#formula-answer');

  await test.step('a slip is underlined, said in words, and corrected with one click', async () => {
    await page.getByLabel('Label').fill('Cost a place');
    await write('SUM(defects.estimated_cots) / passenger_capacity');
    await expect(page.locator('.formula-problem')).toHaveText('estimated_cots');
    await expect(answer).toContainText('Unknown name “estimated_cots”. Did you mean “estimated_cost”?');
    await answer.getByRole('button', { name: 'Use estimated_cost' }).click();
    await expect(formula).toHaveText('SUM(defects.estimated_cost) / passenger_capacity');
  });

  await test.step('names and functions are completed while they are typed, with types and present values', async () => {
    await write('');
    await formula.pressSequentially('SUM(defects.estim');
    const offers = page.getByRole('listbox');
    await expect(offers.getByRole('option', { name: /^defects\.estimated_cost/ })).toContainText('list of number');
    await page.waitForTimeout(200); // offers that have just come are not taken by a key that was on its way
    await formula.press('Enter');
    await formula.press('End');
    await formula.pressSequentially(' / passenger_cap');
    await expect(page.locator('.cm-completionInfo')).toContainText(/^[\d,]+ in “/);
    await page.waitForTimeout(200);
    await formula.press('Enter');
    await expect(formula).toHaveText('SUM(defects.estimated_cost) / passenger_capacity');
  });

  await test.step('its values of some records stand below', async () => {
    await expect(answer).toContainText('Gives a number, computed by the database.');
    await expect(answer.getByRole('row')).toHaveCount(7);
    await expect(answer.getByRole('row', { name: /^Kittiwake/ })).toHaveText(/Kittiwake\s*[\d,]+\.\d\d$/);
  });

  await test.step('functions and names are found in the list and inserted', async () => {
    await formula.press('Control+a');
    await page.getByLabel('Find a name or a function').fill('sqrt');
    await page.getByRole('button', { name: /^SQRT/ }).click();
    await expect(formula).toHaveText('SQRT(SUM(defects.estimated_cost) / passenger_capacity)');
    await expect(answer).toContainText('computed in memory: PostgreSQL has no SQRT that gives the same');
    await write('SUM(defects.estimated_cost) / passenger_capacity');
    await expect(answer).toContainText('computed by the database');
  });

  await test.step('it is saved from the keyboard, and stands among the columns', async () => {
    await formula.press('Control+Enter');
    await expect(page.getByText('Cost a place is saved.')).toBeVisible();
    await expect(page.getByRole('form', { name: 'Cost a place' })).toContainText('SUM(defects.estimated_cost) / passenger_capacity');
    await expect(page.getByRole('group', { name: 'Rows and fields' }).getByRole('columnheader', { name: /^Cost a place/ })).toBeVisible();
  });

  await test.step('an app drafted from now on shows it and sorts by it', async () => {
    for (const name of ['Vessels', 'Defects']) await page.getByLabel(`Choose ${name}`).check();
    await page.getByRole('button', { name: 'Draft an app' }).click();
    await page.getByLabel('Name of the app').fill('Costs');
    await page.getByRole('button', { name: 'Draft the app' }).click();
    await page.getByRole('link', { name: 'Preview', exact: true }).click();
    await page.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Vessels' }).click();
    await page.getByRole('link', { name: 'Cost a place' }).click();
    await expect(page).toHaveURL(/sort=cost_a_place/);
    const costs = (await rows(page).locator('td:last-child, th:last-child').allTextContents()).map(text => Number(text.replace(/[^\d.]/g, '')));
    expect(costs.length).toBe(8);
    expect(costs).toEqual([...costs].sort((one, other) => one - other));
  });

  await test.step('a circle is refused with the typed text kept; the field is removed', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Fleet', exact: true }).click();
    await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'vessels' }).click();
    await page.getByRole('columnheader', { name: /^Cost a place/ }).getByRole('link').click();
    await page.getByRole('link', { name: 'Edit formula' }).click();
    await write('cost_a_place + 1');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(answer).toContainText('it depends on itself');
    await expect(formula).toHaveText('cost_a_place + 1');
    await page.getByRole('button', { name: 'Remove the field' }).click();
    await expect(page.getByText('Cost a place is removed.')).toBeVisible();
    await expect(page.getByRole('columnheader', { name: /^Cost a place/ })).toHaveCount(0);
  });
});
