// Makes docs/screenshots anew: shots.mjs ADDRESS FOLDER
import { join } from 'node:path';
import { openBrowser, signIn } from './browser.mjs';

const [address, folder] = process.argv.slice(2);
const browser = await openBrowser();

async function shot(name, person, go, { width = 1280, height = 800, dark = false } = {}) {
  const context = await browser.newContext({ baseURL: address, viewport: { width, height }, locale: 'en-GB', colorScheme: dark ? 'dark' : 'light' });
  const page = await context.newPage();
  if (person) await signIn(page, person);
  await go(page);
  await page.waitForLoadState('networkidle');
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  await context.close();
}

const at = path => page => page.goto(path);

const table = (name, then) => async page => {
  await page.goto('/build');
  await page.getByRole('link', { name: 'Fleet', exact: true }).click();
  await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name }).click();
  await page.waitForURL(/\/[0-9a-f]{32}\/[0-9a-f]{32}$/);
  await page.goto(page.url() + then);
};

await shot('api', 'bea', async page => {
  await page.goto('/build');
  await page.getByRole('link', { name: 'Harbour office' }).click();
  await page.getByRole('link', { name: 'Add a table' }).click();
  await page.getByLabel('Path', { exact: true }).fill('/bookings');
  await page.keyboard.press('Control+Enter');
  await page.getByText('the list', { exact: true }).waitFor();
});
await shot('three-sources', 'maren', async page => {
  await page.goto('/apps/control-room/ports');
  await page.getByRole('link', { name: 'Elmholm' }).first().click();
  await page.getByRole('heading', { name: 'Berth bookings' }).waitFor();
});
await shot('people', 'oskar', async page => {
  await page.goto('/people');
  await page.getByRole('link', { name: 'Jon Ness' }).click();
  await page.getByLabel('Port agent').uncheck();
  await page.getByLabel('Engineer').check();
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('status', { name: 'What changes' }).waitFor();
});
await shot('access', 'bea', async page => {
  await table('sailings', '/access')(page);
  await page.getByLabel('Person', { exact: true }).selectOption('Jon Ness');
  await page.getByLabel(/^Sailing, by its key/).fill('4000');
  await page.getByRole('button', { name: 'Ask' }).click();
  await page.locator('.decisions').scrollIntoViewIfNeeded();
});
await shot('own-table', 'bea', async page => {
  await page.goto('/build/tables/new');
  await page.getByLabel('Name').fill('Spare parts');
  await page.getByLabel('Or paste rows').fill([
    ['Part', 'Size', 'Price', 'State', 'Ordered', 'In stock'],
    ['Impeller', '12', '€ 1,250.00', 'new', '1 Mar 2026', 'yes'],
    ['Gasket', '7', '€ 3.50', 'used', '2 Mar 2026', 'no'],
    ['Bolt', '12', '€ 0.20', 'new', '3 Mar 2026', 'yes'],
    ['Hose', '9', '€ 18.00', 'new', '4 Mar 2026', 'yes'],
    ['Valve', '9', '€ 99.90', 'used', '5 Mar 2026', 'no'],
    ['Lamp', '1', '€ 7.00', 'new', '6 Mar 2026', 'yes'],
  ].map(row => row.join('\t')).join('\n'));
  await page.getByRole('button', { name: 'Next' }).click();
  await page.getByRole('button', { name: 'Make the table' }).click();
  for (const [label, type, options] of [['Picture', 'Picture'], ['Fits', 'Several', 'pump, engine, deck'], ['Fitting time', 'Duration'], ['Changed by', 'ChangedBy']]) {
    await page.getByRole('link', { name: 'Field', exact: true }).click();
    await page.getByLabel('Label').fill(label);
    await page.getByLabel('Type').selectOption(type);
    if (options) await page.getByLabel('Options').fill(options);
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await page.getByText(`“${label}” is added.`).waitFor();
  }
});
await shot('import', 'bea', async page => {
  await page.goto('/apps/maintenance/dockings?handler=ImportRows&panel=dockings');
  await page.getByLabel('Or paste rows').fill([
    ['Vessel', 'Yard', 'Planned start', 'Planned end', 'Budget', 'Remark'],
    ['Kittiwake', 'Haldane & Roe', '12/1/2027', '30/1/2027', '118.500,00', 'propellers'],
    ['Razorbill', 'North Basin Yard', '2/2/2027', '19/2/2027', '96.000,00', ''],
    ['Gillemot', 'Torvik Slip', '1/3/2027', '15/3/2027', '74.250,00', 'misspelt'],
    ['Fulmar', 'Torvik Slip', '31/3/2027', '', '80.000,00', 'no end'],
    ['BF-105', 'Haldane & Roe', '5/4/2027', '22/4/2027', '132.000,00', 'by its number'],
  ].map(row => row.join('\t')).join('\n'));
  await page.getByRole('button', { name: 'Next' }).click();
  await page.getByRole('button', { name: 'Check' }).click();
  await page.getByRole('button', { name: 'Import 3 rows' }).waitFor();
}, { height: 1000 });
await shot('compose', 'bea', async page => {
  await page.goto('/build/apps/maintenance/pages/fleet?panel=vessels');
  await page.frameLocator('iframe').getByRole('heading', { name: 'Vessels' }).waitFor();
});

// A cell of the work list, typed into; it is saved with Ctrl+S.
async function typeInto(page, key, field, text) {
  await page.locator(`tr[data-key="${key}"] [data-cell="${field}"]`).click({ position: { x: 4, y: 4 } });
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
  await page.locator(`tr[data-key="${key}"] [data-cell="${field}"] ins`).waitFor();
}

await shot('grid', 'maren', async page => {
  await page.goto('/apps/maintenance/worklist');
  const keys = await page.locator('[data-list] tbody tr').evaluateAll(rows => rows.map(row => row.dataset.key));
  await typeInto(page, keys[1], 'estimated_cost', '5600');
  await typeInto(page, keys[3], 'reported_by', 'Maren Vik, bridge');
  await typeInto(page, keys[5], 'due', 'soon');
  const other = await browser.newContext({ baseURL: address });
  const egil = await other.newPage();
  await signIn(egil, 'egil');
  await egil.goto('/apps/maintenance/worklist');
  await typeInto(egil, keys[3], 'reported_by', 'Egil Strand, engine room');
  await egil.keyboard.press('Control+s');
  await egil.getByText('1 defect saved.').waitFor();
  await other.close();
  await page.locator(`tr[data-key="${keys[7]}"]`).getByRole('button', { name: /^Mark/ }).click();
  await page.locator('[data-grid-bar]').getByText('3 changed, 1 to delete').waitFor();
  await page.reload();
});
await shot('logbook', 'maren', async page => {
  await page.goto('/apps/maintenance/worklist');
  await page.locator('[data-grid-bar]').getByRole('button', { name: 'Discard' }).click();
  await page.getByText('What was not saved is discarded.').waitFor();
  const key = await page.locator('[data-list] tbody tr').nth(3).getAttribute('data-key');
  await typeInto(page, key, 'estimated_cost', '1280');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Control+s');
  await page.getByText('1 defect saved.').waitFor();
  await page.goto(`/apps/maintenance/worklist?work.selected=${key}`);
  await page.getByRole('tab', { name: 'Logbook' }).click();
  const note = page.getByLabel('New note');
  await note.fill('Quoted at **£1,280**, parts included. @Egil Strand, can it wait for the docking?');
  await page.getByLabel('Choose files for the note').setInputFiles({ name: 'quotation.txt', mimeType: 'text/plain', buffer: Buffer.from('Torvik Slip, 1,280.00') });
  await page.getByRole('button', { name: 'Remove quotation.txt' }).waitFor();
  await note.press('Control+Enter');
  await page.locator('.log-entry .files').first().waitFor();
});
await shot('today', 'egil', at('/apps/maintenance/today'));
await shot('record', 'maren', async page => {
  await page.goto('/apps/maintenance/today');
  await page.getByRole('region', { name: /^Overdue/ }).getByRole('row').nth(4).getByRole('link').first().click();
  await page.getByRole('navigation', { name: 'Previous and next record' }).waitFor();
});
await shot('control-room', 'oskar', async page => {
  await page.goto('/apps/control-room/overview');
  await page.locator('#panel-by_month svg').first().waitFor();
}, { height: 1180 });
await shot('board', 'maren', at('/apps/maintenance/board'));
await shot('calendar', 'maren', at('/apps/timetable/calendar'));
await shot('timeline', 'maren', at('/apps/maintenance/yards'));
await shot('phone', 'pia', at('/apps/timetable/port'), { width: 390, height: 844 });
await shot('workflow', 'bea', at('/build/workflows/agree_to_a_timetable_change?at=s3'));
await shot('run', 'bea', async page => {
  await page.goto('/build/workflows/agree_to_a_timetable_change/try');
  await page.getByLabel(/^What the trigger gives/).fill('{ "record": { "$key": "999999" }, "kind": "added", "person": "Pia Sund" }');
  await page.getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Try the draft' }).click();
  await page.getByText('failed', { exact: true }).first().waitFor();
});
await shot('sign-off', 'pia', async page => {
  await page.goto('/apps/timetable/timetable_changes?timetable_changes.new=1');
  await page.locator('#sheet').getByLabel('Reason').fill('The market day moved to Thursday');
  await page.locator('#sheet .ts-control').first().click();
  await page.keyboard.type('R09');
  await page.getByRole('option', { name: /R09/ }).last().click();
  await page.getByRole('button', { name: 'Add timetable change' }).click();
  await page.getByText('added.').waitFor();
  await page.context().clearCookies();
  await signIn(page, 'maren');
  await page.getByRole('link', { name: 'Inbox' }).click();
  await page.getByRole('link', { name: 'Agree to a change of R09?' }).first().click();
});
await browser.close();
