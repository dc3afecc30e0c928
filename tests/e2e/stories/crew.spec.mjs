// The crew office's MariaDB: its records with names of the fleet's ports and vessels, read, searched, changed and taken back.
import { expect, signIn, test } from '../tools/fixtures.mjs';

test('the crew stands in another database, with the ports and vessels of the fleet', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/crew/certificates');
  const expired = page.getByRole('region', { name: 'Expired' });
  await expect(expired).toContainText(/[1-9]/);
  await expect(page.getByRole('table').getByText('expired').first()).toBeVisible();
  await page.getByRole('link', { name: 'People' }).click();
  await page.getByRole('searchbox').fill('alva brekke');
  await page.getByRole('searchbox').press('Enter');
  const row = page.getByRole('row').filter({ hasText: 'Alva Brekke' });
  await expect(row).toContainText('Stennis');
  await row.getByText('Alva Brekke').click();
  await expect(page.getByRole('heading', { name: 'Alva Brekke' })).toBeVisible();
  const rosters = page.getByRole('region', { name: 'Rosters' });
  await expect(rosters.getByRole('table')).toContainText(/Kittiwake|Gannet|Fulmar|Oystercatcher|Turnstone|Razorbill|Guillemot|Old Petrel|Great Skua/);
  await page.getByLabel('Phone').fill('01632 960111');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Undo' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByLabel('Phone')).toHaveValue('01632 960967');
});
