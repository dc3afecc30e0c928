// Somebody is invited by mail, joins, is given a group with rights after a look at what changes, and turns on a second factor.
import { code } from '../../../scripts/code.mjs';
import { expect, signIn, test } from '../tools/fixtures.mjs';

test('somebody is invited, joins, gets a group, and protects the account', async ({ page, browser, baseURL }) => {
  await signIn(page, 'oskar');
  await page.goto('/');
  await page.getByRole('link', { name: 'People' }).click();
  await page.getByRole('link', { name: 'Groups' }).click();
  await page.getByLabel('New group').fill('Dock hands');
  await page.getByRole('button', { name: 'Add group' }).click();
  await page.getByRole('checkbox', { name: 'Clerk' }).check();
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('row', { name: /Dock hands/ })).toContainText('Clerk');

  await page.getByRole('link', { name: 'Invitations' }).click();
  await page.getByLabel('Mail addresses').fill('ulf@brackwater.example, Ulf Rask');
  await page.getByRole('button', { name: 'Invite' }).click();
  const link = new URL(await page.getByRole('textbox', { name: 'ulf@brackwater.example' }).inputValue()).pathname;

  const context = await browser.newContext({ baseURL });
  const ulf = await context.newPage();
  await ulf.goto(link);
  await ulf.getByLabel('Password').fill('password1234');
  await ulf.getByRole('button', { name: 'Join' }).click();
  await expect(ulf.getByRole('alert')).toContainText('tried first');
  await ulf.getByLabel('Password').fill('green boat under snow');
  await ulf.getByRole('button', { name: 'Join' }).click();
  await expect(ulf.getByText('No app is open to you yet.')).toBeVisible();

  await page.getByRole('navigation', { name: 'People' }).getByRole('link', { name: 'People' }).click();
  await page.getByRole('link', { name: 'Ulf Rask' }).click();
  await page.getByRole('checkbox', { name: 'Dock hands' }).check();
  await page.getByRole('button', { name: 'Save' }).click();
  const changes = page.getByRole('status', { name: 'What changes' });
  await expect(changes).toContainText('Ulf Rask may now view 3,000 fuel logs');
  await expect(changes).toContainText('Maintenance opens Fuel logs to Ulf Rask.');
  await page.getByRole('button', { name: 'Save all the same' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Saved' })).toBeVisible();
  await ulf.reload();
  await ulf.getByRole('link', { name: 'Maintenance' }).click();
  await expect(ulf.getByRole('heading', { name: 'Fuel logs', level: 2 })).toBeVisible();

  await ulf.getByRole('button', { name: 'Ulf Rask' }).click();
  await ulf.getByRole('link', { name: 'Your account' }).click();
  const key = await ulf.getByRole('region', { name: 'Second factor' }).locator('code').innerText();
  await ulf.getByLabel('Code').fill(code(key.replaceAll(' ', '')));
  await ulf.getByRole('button', { name: 'Turn on' }).click();
  const recovery = await ulf.getByRole('region', { name: 'Second factor' }).getByRole('listitem').first().innerText();
  await ulf.getByRole('link', { name: 'I have kept them' }).click();
  await ulf.getByRole('button', { name: 'Ulf Rask' }).click();
  await ulf.getByRole('button', { name: 'Sign out' }).click();
  await ulf.getByLabel('Sign-in name').fill('ulf');
  await ulf.getByLabel('Password').fill('green boat under snow');
  await ulf.getByRole('button', { name: 'Sign in' }).click();
  await ulf.getByLabel('Code of your authenticator app').fill(recovery);
  await ulf.getByRole('button', { name: 'Sign in' }).click();
  await expect(ulf.getByRole('link', { name: 'Maintenance' })).toBeVisible();

  await page.getByRole('button', { name: 'Deactivate' }).click();
  await expect(page.getByText('can no longer sign in')).toBeVisible();
  await ulf.reload();
  await expect(ulf.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await context.close();
});
