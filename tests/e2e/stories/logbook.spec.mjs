// Who changed what stands beside a record, and is undone from there; what was changed since is named first.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

async function rename(page, row, title) {
  await row.getByRole('rowheader').click();
  await sheet(page).getByRole('textbox', { name: 'Title' }).fill(title);
  await sheet(page).getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText(`Defect “${title}” saved.`)).toBeVisible();
}

test('a change is read in the logbook and undone from there, and what was changed since is named first', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  const row = rows(page).filter({ hasText: 'minor' }).nth(1);
  const before = (await row.getByRole('rowheader').innerText()).trim();
  await rename(page, row, 'Named by the logbook’s story');
  await rename(page, row, 'Named once more by it');

  await row.getByRole('rowheader').click();
  const log = sheet(page).getByRole('tabpanel', { name: 'Logbook' });
  const entries = log.getByRole('listitem');
  await expect(async () => {
    await sheet(page).getByRole('tab', { name: 'Fields' }).click();
    await sheet(page).getByRole('tab', { name: 'Logbook' }).click();
    await expect(entries.first()).toContainText('Named once more by it', { timeout: 1000 });
  }).toPass();
  await expect(entries.nth(1)).toContainText('Maren Vik changed it · Maintenance, Defects');
  await expect(entries.nth(1)).toContainText(before);
  await expect(entries.nth(1)).toContainText('Named by the logbook’s story');

  // The earlier one first: the later one stands in its way, and is named.
  await entries.nth(1).getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(log.getByRole('alert')).toContainText('Not undone. It was changed since:');
  await expect(log.getByRole('alert')).toContainText('Named once more by it');
  await log.getByRole('button', { name: 'Undo all the same' }).click();
  await expect(row).toContainText(before);
  await expect(sheet(page).getByRole('textbox', { name: 'Title' })).toHaveValue(before);
});

test('what a logbook of all records is narrowed by stands in the page’s address', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  const row = rows(page).filter({ hasText: 'minor' }).nth(2);
  await rename(page, row, 'To be looked for in the logbook');
  await page.goto('/apps/maintenance/changes');
  const log = page.locator('[data-logbook]');
  await expect(async () => {
    await log.getByLabel('Record').fill('To be looked');
    await log.getByLabel('Record').press('Enter');
    await expect(page).toHaveURL(/log\.title=To(%20|\+)be(%20|\+)looked/, { timeout: 1000 });
  }).toPass();
  await log.getByLabel('What').selectOption('changed');
  await expect(page).toHaveURL(/log\.kind=changed/);

  // Sent to somebody, or read again, it shows the same; without the filter it says nothing of it.
  await page.reload();
  await expect(log.getByLabel('Record')).toHaveValue('To be looked');
  await expect(log.getByLabel('What')).toHaveValue('changed');
  await log.getByLabel('Record').fill('nothing is called so');
  await log.getByLabel('Record').press('Enter');
  await log.getByRole('link', { name: 'Show all' }).click();
  await expect(page).toHaveURL(/changes$/);
});
