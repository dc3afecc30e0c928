import AxeBuilder from '@axe-core/playwright';
import { expect, signIn, test } from '../tools/fixtures.mjs';

test('rows of a spreadsheet are pasted, checked and imported; a saved table is done by a workflow', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/apps/maintenance/dockings');
  await page.locator('.view-menu').getByRole('button', { name: 'View', exact: true }).click();
  await page.getByRole('link', { name: 'Import', exact: true }).click();
  await page.getByLabel('Or paste rows').fill([
    'Vessel\tYard\tPlanned start\tPlanned end\tCosts',
    'Kittiwake\tStory yard\t12/1/2027\t30/1/2027\t118,500.00',
    'Gillemot\tStory yard\t1/3/2027\t15/3/2027\t74,250.00',
  ].join('\n'));
  await page.getByRole('button', { name: 'Next' }).click();
  await page.getByLabel('Field for Costs').selectOption({ label: 'Budget' });
  await page.getByRole('button', { name: 'Check' }).click();
  await expect(page.getByText('1 docking would be added, 1 row cannot be imported.')).toBeVisible();
  await expect(page.getByText('There is no vessel “Gillemot”.')).toBeVisible();
  expect((await new AxeBuilder({ page }).setLegacyMode().analyze()).violations.map(violation => violation.id)).toEqual([]);
  await page.setViewportSize({ width: 390, height: 844 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.getByRole('button', { name: 'Import 1 row' }).click();
  await expect(page.getByText('1 row imported.')).toBeVisible();

  // The plan's own workflow saves what is typed into the table.
  await page.goto('/apps/maintenance/dockings?dockings.q=Story');
  const cell = page.locator('[data-cell="yard"]').first();
  await cell.click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+A');
  await page.keyboard.type('Story yard two');
  await page.keyboard.press('Enter');
  await expect(page.getByText('1 changed')).toBeVisible();
  await page.keyboard.press('Control+s');
  await expect(page.locator('#messages')).toContainText('Planned: 1 changed, 0 new.');
  await expect(cell).toContainText('Story yard two');
});

test('a spreadsheet becomes a table of one’s own, whose fields are changed with a look at what would be lost', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build');
  await page.getByRole('link', { name: 'New table' }).click();
  await page.getByLabel('Name').fill('Ropes');
  await page.getByLabel('Or paste rows').fill('Rope\tLength\tBought\nBow line\t40\t1 Mar 2026\nSpring\t25\t2 Mar 2026\nHeaving line\tshort\t3 Mar 2026');
  await page.getByRole('button', { name: 'Next' }).click();
  await expect(page.getByLabel('Type').nth(2)).toHaveValue('Date');
  await expect(page.getByLabel('Options').first()).toBeHidden();
  await page.getByLabel('Type').first().selectOption('Choice');
  await expect(page.getByLabel('Options').first()).toBeVisible();
  await page.getByLabel('Type').first().selectOption('Text');
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByRole('heading', { name: 'Ropes', level: 2 })).toBeVisible();
  await expect(page.getByRole('rowheader', { name: 'Heaving line' })).toBeVisible();
  await page.getByRole('button', { name: 'Change the field Length' }).click();
  await page.getByRole('link', { name: 'Change type, options, limits' }).click();
  await page.getByLabel('Type').selectOption({ label: 'Whole number' });
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText('1 record has a value that cannot be taken over')).toBeVisible();
  await expect(page.getByText('“short”')).toBeVisible();
  expect((await new AxeBuilder({ page }).setLegacyMode().analyze()).violations.map(violation => violation.id)).toEqual([]);
  await page.getByRole('button', { name: 'Change, and lose these values' }).click();
  await expect(page.getByRole('columnheader', { name: /^Length Whole number/ })).toBeVisible();
  await page.getByRole('link', { name: 'Changes' }).click();
  await page.getByRole('button', { name: /^Undo: “Length” was changed/ }).click();
  await expect(page.getByRole('cell', { name: 'short' })).toBeVisible();
});
