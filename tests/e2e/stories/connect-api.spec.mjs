// An API becomes a table, belongs to the fleet's ports, and is worked with, as docs/guide/connect-an-api.md tells it.
import { expect, signIn, test } from '../tools/fixtures.mjs';

test('a builder connects an API, makes a table of a request, and a query beside it', async ({ page }) => {
  await signIn(page, 'bea');

  await test.step('connect it, with a sign-in for a token', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Connect a source' }).click();
    await page.getByRole('link', { name: 'HTTP API' }).click();
    await page.getByLabel('Name of the source').fill('Harbour 2');
    await page.getByLabel('Base address').fill(process.env.ROSTRUM_E2E_HARBOUR);
    await expect(page.getByLabel('Sign-in path')).toBeHidden();
    await page.getByLabel('Authentication').selectOption('Sign in for a token');
    await page.getByLabel('User', { exact: true }).fill('brackwater');
    await page.getByLabel('Sign-in path').fill('/sign-in');
    await page.getByLabel('Sign-in body').fill('{"user": "${user}", "password": "${password}"}');
    await page.getByLabel('Token in the answer').fill('/token');
    await page.getByLabel('Lifetime in the answer').fill('/expires_in');
    await page.getByLabel('Password, token or key').fill('not-this-one');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await expect(page.getByRole('alert')).toContainText('refuses to give a token (401): User or password are wrong.');
    await page.getByLabel('Password, token or key').fill('berth-and-buoy-9');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await expect(page.getByRole('heading', { name: 'New table from a request' })).toBeVisible();
  });

  await test.step('send a request: the list, its fields and its paging are found', async () => {
    await page.getByLabel('Path', { exact: true }).fill('/bookings');
    await page.keyboard.press('Control+Enter');
    await expect(page.getByText('the list', { exact: true })).toBeVisible();
    await expect(page.getByLabel('Name of the table')).toHaveValue('bookings');
    await expect(page.getByLabel('Paging')).toHaveValue('number');
    await expect(page.getByLabel('reference names a record')).toBeChecked();
    await page.getByLabel('Parameter that filters by port.code').fill('port');
    await page.getByLabel('Path: create').fill('/bookings');
    await page.getByLabel('Path: update').fill('/bookings/${reference}');
    await page.getByLabel('Path: delete').fill('/bookings/${reference}');
    await page.getByRole('button', { name: 'Save' }).click();
    await expect(page.getByRole('heading', { name: 'Bookings' })).toBeVisible();
    await expect(page.getByText('table, 180 rows')).toBeVisible();
  });

  await test.step('a relation to another source is suggested by the values', async () => {
    await page.getByRole('link', { name: 'Relations' }).click();
    await page.getByRole('button', { name: 'Use this: Port code names ports' }).click();
    await expect(page.getByText('Each booking has one port')).toBeVisible();
    await page.getByRole('link', { name: 'Fields' }).click();
    await expect(page.getByRole('group', { name: 'Rows and fields' }).getByText('Elmholm').first()).toBeVisible();
  });

  await test.step('a query with a parameter', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Fleet', exact: true }).click();
    await page.getByRole('link', { name: 'New query' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Late sailings');
    await page.locator('.cm-content').click();
    await page.keyboard.insertText('SELECT id, route_code, departs FROM sailings WHERE route_code = ${route}');
    await page.keyboard.press('Control+Enter');
    await expect(page.getByLabel('Sample value of route')).toBeVisible();
    await page.getByLabel('Sample value of route').fill('R01');
    await page.getByRole('button', { name: 'Run' }).click();
    await expect(page.getByText('50 rows, and more')).toBeVisible();
    await page.getByLabel('id names a row').check();
    await page.getByRole('button', { name: 'Save' }).click();
    await expect(page.getByText('The query Late sailings is saved.')).toBeVisible();
  });
});
