// On a phone: a list is sorted and filtered in one sheet, and a chosen record has the page to itself, with a way back.
import { expect, signIn, test } from '../tools/fixtures.mjs';

test.use({ viewport: { width: 390, height: 844 } });

test('a list is sorted and filtered with a thumb, and a chosen vessel opened and left again', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  await page.getByRole('button', { name: 'Sort and filter' }).click();
  const sheet = page.locator('.dropdown-menu.show');
  expect((await sheet.boundingBox()).width).toBe(390);
  await sheet.getByRole('link', { name: 'Title', exact: true }).click();
  await expect(page).toHaveURL(/defects\.sort=title/);
  await page.getByRole('button', { name: 'Sort and filter' }).click();
  await sheet.getByRole('button', { name: 'Severity', exact: true }).click();
  await sheet.getByRole('checkbox', { name: /^critical/ }).check();
  await sheet.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByRole('button', { name: 'severity is critical' })).toBeVisible();

  await page.goto('/apps/maintenance/fleet');
  await page.getByRole('rowheader', { name: 'Guillemot' }).click();
  const back = page.getByRole('button', { name: 'Vessels' });
  await expect(back).toBeInViewport();
  await expect(page.getByRole('heading', { name: 'Guillemot', exact: true })).toBeInViewport();
  await expect(page.locator('#panel-vessels')).toBeHidden();
  await back.click();
  await expect(page.getByRole('rowheader', { name: 'Guillemot' })).toBeInViewport();
});
