import AxeBuilder from '@axe-core/playwright';
import { readFile } from 'node:fs/promises';
import { expect, signIn, test } from '../tools/fixtures.mjs';

const picture = new URL('../../../docs/screenshots/record.png', import.meta.url).pathname;

test('a picture and papers are attached to a record, refused where they do not fit, and there when it is opened again', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/tables/new');
  await page.getByLabel('Name').fill('Buoys');
  await page.getByLabel('Or paste rows').fill('Buoy\tLight\nNorth cardinal\tyes\nSouth cardinal\tno');
  await page.getByRole('button', { name: 'Next' }).click();
  await page.getByRole('button', { name: 'Make the table' }).click();
  for (const [label, type] of [['Photo', 'Picture'], ['Papers', 'Files'], ['Colours', 'Several choices'], ['Log', 'Formatted text']]) {
    await page.getByRole('link', { name: 'Field', exact: true }).click();
    await page.getByLabel('Label').fill(label);
    await page.getByLabel('Type').selectOption({ label: type });
    if (type === 'Several choices') await page.getByLabel('Options').fill('black, yellow, red');
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await expect(page.getByText(`“${label}” is added.`)).toBeVisible();
  }
  await page.getByRole('link', { name: 'Own tables' }).click();
  await page.getByRole('checkbox', { name: 'Choose Buoys' }).check();
  await page.getByRole('button', { name: 'Draft an app' }).click();
  await page.getByLabel('Name of the app').fill('Buoyage');
  await page.getByLabel('over the list').check();
  await page.getByRole('button', { name: 'Draft the app' }).click();
  await page.goto('/try/buoyage');
  await page.getByRole('button', { name: 'Allow changes' }).click();
  await page.getByRole('link', { name: 'North cardinal' }).click();
  const sheet = page.locator('[data-sheet]');
  await sheet.getByLabel('Choose a file for Photo').setInputFiles({ name: 'photo.png', mimeType: 'image/png', buffer: Buffer.from('<svg></svg>') });
  await expect(sheet.getByRole('listitem').getByText('“photo.png” is not taken here')).toBeVisible();
  await sheet.getByRole('button', { name: 'Dismiss photo.png' }).click();
  await sheet.getByLabel('Choose a file for Photo').setInputFiles(picture);
  await sheet.getByLabel('What record.png shows').fill('The buoy in spring');
  await sheet.getByLabel('Choose files for Papers').setInputFiles([
    { name: 'survey.txt', mimeType: 'text/plain', buffer: Buffer.from('Chain worn at 12 m') },
    { name: 'chart.png', mimeType: 'image/png', buffer: await readFile(picture) },
  ]);
  await expect(sheet.getByText('survey.txt', { exact: true })).toBeVisible();
  await expect(sheet.getByLabel('What chart.png shows')).toBeVisible();
  await page.locator('.rich-editor').waitFor();
  await sheet.getByRole('textbox', { name: 'Log' }).click();
  await page.keyboard.type('Chain ');
  await page.keyboard.press('Control+b');
  await page.keyboard.type('worn');
  await sheet.getByLabel('Picture for Log').setInputFiles(picture);
  await expect(page.locator('.rich-editor').getByAltText('record.png')).toBeVisible();
  await sheet.getByLabel('black').check();
  await sheet.getByLabel('yellow').check();
  expect((await new AxeBuilder({ page }).setLegacyMode().analyze()).violations.map(violation => violation.id)).toEqual([]);
  await sheet.getByRole('button', { name: 'Save' }).click();
  await expect(page.locator('#messages')).toContainText('saved');
  const row = page.locator('tr', { hasText: 'North cardinal' });
  await expect(row).toContainText('black, yellow');
  await expect(row.getByAltText('Photo of North cardinal')).toBeVisible();

  await page.reload();
  await row.getByRole('link').first().click();
  await expect(sheet.getByLabel('What record.png shows')).toHaveValue('The buoy in spring');
  await expect(page.locator('.rich-editor strong')).toHaveText('worn');
  await expect.poll(() => page.locator('.rich-editor').getByAltText('record.png').evaluate(image => image.naturalWidth)).toBeGreaterThan(0);
  const shown = await page.request.get(new URL(await sheet.getByRole('link', { name: 'survey.txt' }).getAttribute('href'), page.url()).href);
  expect(await shown.text()).toBe('Chain worn at 12 m');
  await page.setViewportSize({ width: 390, height: 844 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
  await page.setViewportSize({ width: 1280, height: 800 });
  await sheet.getByRole('button', { name: 'Remove record.png' }).click();
  await sheet.getByRole('button', { name: 'Save' }).click();
  await expect(row.getByAltText('Photo of North cardinal')).toHaveCount(0);

  // The list is shorter than the menu that hangs over its end.
  await page.getByRole('button', { name: 'Filter', exact: true }).click();
  await page.getByRole('button', { name: 'Colours', exact: true }).click();
  await page.locator('.filter-editor').getByLabel('black').check();
  await page.getByRole('button', { name: 'Show', exact: true }).click();
  await expect(page.locator('.sentence')).toContainText('colours includes black');
  await expect(row).toBeVisible();
  await expect(page.locator('tr', { hasText: 'South cardinal' })).toHaveCount(0);
});

test('a JSON text whose members are known is filled in as a form, and keeps what the form does not know', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/tables/new?empty=true');
  await page.getByLabel('Name', { exact: true }).fill('Readings');
  await page.getByLabel('Label').first().fill('Reading');
  await page.getByRole('button', { name: 'Make the table' }).click();
  await page.getByRole('link', { name: 'Field', exact: true }).click();
  await page.getByLabel('Label').fill('Details');
  await page.getByLabel('Type').selectOption({ label: 'JSON' });
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await page.getByRole('button', { name: 'Change the field Details' }).click();
  await page.getByRole('link', { name: 'More settings' }).click();
  await page.getByLabel('Shape').fill(JSON.stringify({ type: 'object', required: ['bar'], properties: {
    bar: { type: 'number', title: 'Pressure' }, kind: { enum: ['bilge', 'fire'] }, place: { type: 'object', properties: { deck: { type: 'string' } } },
  } }));
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText('Details is saved.').waitFor();
  await page.getByRole('link', { name: 'Table', exact: true }).click();
  await page.getByRole('link', { name: /^New reading/ }).click();
  const sheet = page.locator('[data-sheet]');
  await sheet.getByLabel('Reading', { exact: true }).fill('Morning');
  await sheet.getByRole('button', { name: 'Edit as text' }).click();
  await sheet.getByLabel('Details').fill('{"by": "Egil"}');
  await sheet.getByRole('button', { name: 'Edit as a form' }).click();
  await sheet.getByLabel('Pressure').fill('high');
  await sheet.getByLabel('Kind').selectOption('fire');
  await sheet.getByLabel('Deck').fill('car deck');
  expect((await new AxeBuilder({ page }).setLegacyMode().analyze()).violations.map(violation => violation.id)).toEqual([]);
  await expect(sheet.getByText('“Pressure” is no number.').first()).toBeVisible();
  await expect(sheet.getByLabel('Deck')).toHaveValue('car deck');
  await sheet.getByLabel('Pressure').fill('2,5');
  await sheet.getByRole('button', { name: 'Add reading' }).click();
  await expect(sheet).toHaveCount(0);
  await page.getByRole('rowheader', { name: 'Morning' }).getByRole('link').click();
  await sheet.getByRole('button', { name: 'Edit as text' }).click();
  expect(JSON.parse(await sheet.getByLabel('Details').inputValue())).toEqual({ by: 'Egil', bar: 2.5, kind: 'fire', place: { deck: 'car deck' } });
});
