// From nothing to a published app that a colleague uses, as the first issue tells it.
import { expect, fleet, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

test('a builder connects a database, drafts an app, tries it, publishes it; a port agent works with it', async ({ page, browser }) => {
  await signIn(page, 'bea');

  await test.step('connect a database, with a slip first', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Connect a source' }).click();
    await page.getByLabel('Name of the source').fill('Company fleet');
    await page.getByLabel('Host').fill(fleet.get('Host'));
    await page.getByLabel('Port').fill(fleet.get('Port'));
    await page.getByLabel('Database').fill('fleeet');
    await page.getByLabel('User').fill(fleet.get('Username'));
    await page.getByLabel('Password').fill(fleet.get('Password'));
    await page.getByRole('button', { name: 'Try the connection' }).click();
    await expect(page.getByRole('alert')).toContainText('has no database “fleeet”');
    await expect(page.getByLabel('Password')).toHaveValue(fleet.get('Password'));
    await page.getByLabel('Database').fill(fleet.get('Database'));
    await page.getByRole('button', { name: 'Try the connection' }).click();
    await expect(page.getByRole('alert')).toContainText('The connection works.');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await expect(page.getByRole('heading', { name: 'Company fleet' })).toBeVisible();
  });

  await test.step('see tables with columns, keys, counts and rows', async () => {
    const tables = page.getByRole('form', { name: 'Tables' });
    await expect(tables.getByRole('listitem')).toHaveCount(9);
    await tables.getByRole('link', { name: 'legacy_codes' }).click();
    await expect(page.getByText('This table has no primary key')).toBeVisible();
    await tables.getByRole('link', { name: 'defects' }).click();
    await expect(page.getByText('table, 1,200 rows')).toBeVisible();
    await expect(page.getByRole('group', { name: 'Rows and fields' }).getByRole('row')).toHaveCount(41);
    await page.getByRole('link', { name: 'Relations' }).click();
    await expect(page.getByText('all 8 values of “vessel” stand in vessels.hull_number')).toBeVisible();
  });

  await test.step('draft an app from four tables and open it', async () => {
    for (const name of ['Sailings', 'Routes', 'Ports', 'Defects']) await page.getByLabel(`Choose ${name}`).check();
    await page.getByRole('button', { name: 'Draft an app' }).click();
    await page.getByLabel('Name of the app').fill('Quay desk');
    await page.getByLabel('over the list, in a sheet').check();
    await page.getByRole('button', { name: 'Draft the app' }).click();
    await expect(page.getByText('Draft, not published yet')).toBeVisible();
    await page.getByRole('link', { name: 'Preview', exact: true }).click();
    await page.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Sailings' }).click();
    await expect(page.getByText(/^4\d,\d{3} sailings$/)).toBeVisible();
    await expect(rows(page)).toHaveCount(50);
    await expect(rows(page).first()).toContainText(/R\d\d · /);
  });

  await test.step('search, sort, filter and page', async () => {
    await page.getByRole('searchbox').fill('kittiwake skerry');
    await expect(page).toHaveURL(/q=kittiwake/);
    await expect(rows(page).first()).toContainText('Kittiwake');
    await page.getByRole('link', { name: 'Foot passengers' }).click();
    await expect(page).toHaveURL(/sort=foot_passengers/);
    await page.getByRole('link', { name: 'Foot passengers' }).click();
    await expect(page).toHaveURL(/sort=-foot_passengers/);
    await page.getByText('Filter', { exact: true }).click();
    await page.getByRole('button', { name: 'State' }).click();
    await page.getByLabel('arrived').check();
    await page.getByRole('button', { name: 'Show', exact: true }).click();
    await expect(page.getByText('state is arrived')).toBeVisible();
    const first = await rows(page).first().textContent();
    await page.getByRole('link', { name: 'Next' }).click();
    await expect(page.getByText(/^51–100 of /)).toBeVisible();
    expect(await rows(page).first().textContent()).not.toBe(first);
    await page.getByRole('link', { name: 'Previous' }).click();
    await expect(rows(page).first()).toHaveText(first);
    await page.goBack();
    await expect(page.getByText(/^51–100 of /)).toBeVisible();
    await page.reload();
    await expect(page.getByText(/^51–100 of /)).toBeVisible();
  });

  await test.step('open a record, change it, add one, delete it, undo that', async () => {
    await page.goto('/try/quay-desk/defects?is.state=open');
    await page.getByRole('button', { name: 'Allow changes' }).click();
    await rows(page).nth(2).click();
    await sheet(page).getByLabel('Estimated cost').fill('1234.5');
    await page.keyboard.press('Control+s');
    await expect(page.getByRole('status')).toContainText('saved.');
    await expect(page.locator('tr.marked')).toContainText('1,234.50');
    await page.keyboard.press('n');
    await sheet(page).getByRole('textbox', { name: 'Title' }).fill('Gangway lamp out');
    await sheet(page).getByLabel('Reported by').fill('Bea Holm');
    await sheet(page).locator('.ts-control').click();
    await page.keyboard.type('turn');
    await page.getByRole('option', { name: 'Turnstone' }).click();
    await sheet(page).getByRole('button', { name: 'Add defect' }).click();
    await expect(page.getByRole('status')).toContainText('Defect “Gangway lamp out” added.');
    await expect(page.locator('tr.marked')).toContainText('Turnstone');
    await page.locator('tr.marked').click();
    await sheet(page).getByText('Delete…').click();
    await sheet(page).getByRole('button', { name: 'Delete this defect' }).click();
    await expect(page.getByRole('status')).toContainText('Defect “Gangway lamp out” deleted.');
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect(page.getByRole('status')).toContainText('Undone');
    await expect(page.locator('tr.marked')).toContainText('Gangway lamp out');
  });

  await test.step('give port agents their rights and publish version 1', async () => {
    await page.goto('/build/apps/quay-desk');
    await page.getByRole('link', { name: 'Port agent' }).click();
    for (const label of ['Sees the page Sailings', 'View sailings', 'Change sailings', 'View routes', 'View ports', 'View vessels']) await page.getByLabel(label).check();
    await page.getByRole('button', { name: 'Save rights' }).click();
    await expect(page.getByRole('status', { name: 'What changes' })).toContainText('Pia Sund may now change sailings.');
    await page.getByRole('button', { name: 'Save all the same' }).click();
    await expect(page.getByText('Saved.')).toBeVisible();
    await page.getByRole('link', { name: 'Publish', exact: true }).click();
    await page.getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByRole('alert')).toContainText('Enter a note');
    await page.getByLabel('Notes on version 1').fill('Sailings for the quay');
    await page.getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByText('Version 1 is live')).toBeVisible();
  });

  await test.step('the port agent sees and does what is meant for them', async () => {
    const context = await browser.newContext();
    const quay = await context.newPage();
    await signIn(quay, 'pia');
    await quay.goto('/');
    await quay.getByRole('link', { name: 'Quay desk' }).click();
    await expect(quay.getByRole('navigation', { name: 'Pages' }).getByRole('link')).toHaveText(['Sailings']);
    await rows(quay).first().click();
    await sheet(quay).getByRole('textbox', { name: 'Cars', exact: true }).fill('7');
    await sheet(quay).getByRole('button', { name: 'Save', exact: true }).click();
    await expect(quay.getByRole('status')).toContainText('saved.');
    await rows(quay).first().click();
    await expect(sheet(quay).getByText('Delete…')).toHaveCount(0);
    const refused = await quay.goto('/apps/quay-desk/defects');
    expect(refused.status()).toBe(403);
    await expect(quay.getByRole('heading', { name: 'This is not open to you' })).toBeVisible();
    expect((await quay.goto('/try/quay-desk/sailings')).status()).toBe(403);
    await context.close();
  });
});
