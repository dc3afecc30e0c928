// A builder meets a database that nobody prepared, and has an app in use: the clicks are counted as a person would make them, and printed.
import { execFileSync } from 'node:child_process';
import { expect, rows, signIn, test } from '../tools/fixtures.mjs';

const server = new Map(process.env.ROSTRUM_TEST_POSTGRES.split(';').map(part => part.split('=')));
const database = `seed_library_${process.env.TEST_PARALLEL_INDEX ?? 0}`;

function psql(on, ...rest) {
  const environment = { ...process.env, PGPASSWORD: server.get('Password') };
  execFileSync('psql', ['-X', '-q', '-v', 'ON_ERROR_STOP=1', '-h', server.get('Host'), '-p', server.get('Port'), '-U', server.get('Username'), '-d', on, ...rest], { env: environment });
}

test('a stranger’s database becomes an app that is used', async ({ page, browser }) => {
  psql('postgres', '-c', `DROP DATABASE IF EXISTS ${database}`, '-c', `CREATE DATABASE ${database}`);
  psql(database, '-f', new URL('../data/seed-library.sql', import.meta.url).pathname);
  let clicks = 0;
  const click = async (locator, options) => { clicks++; await locator.click(options); };
  const type = async (locator, text) => { clicks++; await locator.fill(text); };

  await signIn(page, 'bea');
  await page.goto('/build');
  await test.step('connect and draft', async () => {
    await click(page.getByRole('link', { name: 'Connect a source' }));
    await type(page.getByLabel('Name of the source'), 'Seed library');
    await type(page.getByLabel('Host'), server.get('Host'));
    await type(page.getByLabel('Port'), server.get('Port'));
    await type(page.getByLabel('Database'), database);
    await type(page.getByLabel('User'), server.get('Username'));
    await type(page.getByLabel('Password'), server.get('Password'));
    await click(page.getByRole('button', { name: 'Connect', exact: true }));
    await expect(page.getByRole('heading', { name: 'Seed library' })).toBeVisible();
    await click(page.getByRole('button', { name: 'Draft an app' }));
    await type(page.getByLabel('Name of the app'), 'Seed desk');
    await click(page.getByText('Visible to builders, so far'));
    await click(page.getByLabel('Port agent'));
    await click(page.getByRole('button', { name: 'Draft the app' }));
    await expect(page.getByRole('heading', { name: 'Seed desk', level: 1 })).toBeVisible();
  });
  const toDraft = clicks;

  await test.step('the draft needs no correction', async () => {
    await click(page.getByRole('link', { name: 'Preview', exact: true }));
    const pages = page.getByRole('navigation', { name: 'Pages' });
    await expect(pages.getByRole('link')).toHaveText(['Seed lots', 'Taxa', 'Loans', 'Growers', 'Members', 'Stock'], { useInnerText: true });
    await click(pages.getByRole('link', { name: 'Seed lots' }));
    await expect(page.getByRole('columnheader').filter({ hasText: /./ })).toContainText(['Lot number', 'Taxon', 'Grower', 'Harvested on']);
    await expect(rows(page).first()).toContainText('& Daughters');
    await expect(rows(page).first()).toContainText('£');
    await click(pages.getByRole('link', { name: 'Members' }));
    await expect(rows(page).first()).toContainText(/Ida\s+Lund \d\d\s+member/);
    await click(pages.getByRole('link', { name: 'Growers' }));
    await click(rows(page).first());
    await expect(page.getByRole('navigation', { name: 'Breadcrumb' })).toContainText('Grower 1 & Daughters');
    await expect(page.getByRole('heading', { name: 'Seed lots' })).toBeVisible();
  });

  await test.step('a rule of the database speaks before it is broken', async () => {
    await click(page.getByRole('button', { name: 'Allow changes' }));
    await click(page.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Seed lots' }));
    await click(rows(page).first());
    await type(page.getByLabel('Best before'), '1 Jan 2020');
    await expect(page.getByText('Best before must be after Harvested on.')).toBeVisible();
    await type(page.getByLabel('Best before'), '1 Sep 2028');
    await expect(page.getByText('Best before must be after Harvested on.')).toHaveCount(0);
    await click(page.getByRole('button', { name: 'Save', exact: true }));
    await expect(page.getByRole('status').filter({ hasText: 'saved.' })).toBeVisible();
  });

  await test.step('rights, and publishing', async () => {
    await click(page.getByRole('link', { name: 'Draft', exact: true }));
    await click(page.getByRole('link', { name: 'Seed desk' }));
    await click(page.getByRole('link', { name: 'Port agent' }));
    for (const name of ['Change loans', 'Add loans']) await click(page.getByLabel(name, { exact: true }));
    await click(page.getByRole('button', { name: 'Save rights' }));
    await expect(page.getByRole('status', { name: 'What changes' })).toContainText('may now add and change loans');
    await click(page.getByRole('button', { name: 'Save all the same' }));
    await click(page.getByRole('link', { name: 'Publish', exact: true }));
    await type(page.getByLabel('Notes on version 1'), 'The desk');
    await click(page.getByRole('button', { name: 'Publish' }));
    await expect(page.getByText('Version 1 is live')).toBeVisible();
  });

  await test.step('a colleague uses it', async () => {
    const context = await browser.newContext();
    const desk = await context.newPage();
    await signIn(desk, 'pia');
    await desk.goto('/');
    await click(desk.getByRole('link', { name: 'Seed desk' }));
    await click(desk.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Loans' }));
    await click(rows(desk).first());
    const returned = desk.getByRole('combobox', { name: 'Returned' });
    clicks += 2;
    await returned.selectOption(await returned.inputValue() === 'true' ? 'No' : 'Yes');
    await click(desk.getByRole('button', { name: 'Save', exact: true }));
    await expect(desk.getByRole('status').filter({ hasText: 'saved.' })).toBeVisible();
    await context.close();
  });

  console.log(`clicks to the draft: ${toDraft}; to an app in use: ${clicks}`);
  expect(toDraft).toBeLessThan(40);
  expect(clicks).toBeLessThan(120);
});
