// Somebody watches a record; somebody else changes it; the inbox says what, and by whom.
import { expect, sheet, signIn, test } from '../tools/fixtures.mjs';

test('a watched record that somebody else changes stands in the inbox', async ({ page, browser, baseURL }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects?defects.selected=61');
  await sheet(page).getByRole('button', { name: /Watch/ }).click();
  await expect(sheet(page).getByRole('button', { name: /Watch/ })).toHaveAttribute('aria-pressed', 'true');

  const context = await browser.newContext({ baseURL });
  const bea = await context.newPage();
  await signIn(bea, 'bea');
  await bea.goto('/apps/maintenance/defects?defects.selected=61');
  await sheet(bea).getByLabel('Title').fill('The watched one rattles');
  await sheet(bea).getByRole('button', { name: 'Save' }).click();
  await expect(bea.getByText('saved.')).toBeVisible();

  await page.goto('/inbox');
  await expect(async () => {
    await page.reload();
    await expect(page.getByRole('listitem').filter({ hasText: 'The watched one rattles' })).toBeVisible({ timeout: 500 });
  }).toPass();
  await expect(page.getByText('Bea Holm changed title:')).toBeVisible();
  await page.getByRole('link', { name: 'The watched one rattles' }).click();
  await expect(sheet(page)).toBeVisible();
  await page.goto('/inbox');
  await expect(page.getByText('all read')).toBeVisible();
});
