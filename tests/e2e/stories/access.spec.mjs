// People come in by the gatehouse or with a passkey; an owner gives rights, looks through others' eyes, and makes a page public.
import { expect, signIn, test } from '../tools/fixtures.mjs';

test('somebody signs in by the gatehouse, with the role that its rules give', async ({ page }) => {
  await page.goto('/sign-in');
  await page.getByRole('link', { name: 'Gatehouse' }).click();
  await page.getByRole('link', { name: /Egil Strand/ }).click();
  await expect(page.getByRole('button', { name: 'Egil Strand' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Maintenance' })).toBeVisible();
});

test('whoever the gatehouse sends back reads why', async ({ page }) => {
  await page.goto('/sign-in');
  await page.getByRole('link', { name: 'Gatehouse' }).click();
  await page.getByRole('link', { name: /Nobody/ }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Gatehouse did not let you in' })).toBeVisible();
});

test('a passkey is added and signs in without a password', async ({ page, baseURL }) => {
  // Browsers have passkeys for names, and not for numbers.
  const named = baseURL.replace('127.0.0.1', 'localhost');
  const browser = await page.context().newCDPSession(page);
  await browser.send('WebAuthn.enable');
  await browser.send('WebAuthn.addVirtualAuthenticator', {
    options: { protocol: 'ctap2', transport: 'internal', hasResidentKey: true, hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
  });
  await page.goto(`${named}/sign-in?returnUrl=/account`);
  await page.getByLabel('Sign-in name').fill('clem');
  await page.getByLabel('Password').fill('harbour-light-42');
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await page.getByRole('region', { name: 'Passkeys' }).getByLabel('Name').fill('Desk');
  await page.getByRole('button', { name: 'Add a passkey' }).click();
  await expect(page.getByRole('row', { name: /Desk/ })).toBeVisible();

  await page.context().clearCookies();
  await page.goto(`${named}/sign-in?returnUrl=/account`);
  await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
  await expect(page.getByRole('heading', { name: 'Clem Moe' })).toBeVisible();

  await page.getByRole('button', { name: 'Remove Desk' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'The passkey is removed' })).toBeVisible();
  await page.context().clearCookies();
  await page.goto(`${named}/sign-in`);
  await page.getByRole('button', { name: 'Sign in with a passkey' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'This passkey lets nobody in here' })).toBeVisible();
});

test('an owner looks at a live app through a port agent’s eyes, and back', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/sailings');
  const all = await page.locator('.count').first().textContent();
  await page.getByRole('button', { name: 'Oskar Lind' }).click();
  await page.getByRole('link', { name: 'View as…' }).click();
  await page.getByRole('button', { name: 'Pia Sund' }).click();
  await expect(page).toHaveURL(/sailings/);
  const bar = page.getByRole('region', { name: 'View as' });
  await expect(bar).toContainText('Viewing as Pia Sund. Read-only.');
  await expect(page.locator('.count').first()).not.toHaveText(all);
  await bar.getByRole('button', { name: 'Back to yourself' }).click();
  await expect(page.locator('.count').first()).toHaveText(all);
});

test('rights differ by verb and by field, and a role begins as another', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build');
  await page.getByRole('link', { name: 'Fleet', exact: true }).first().click();
  await page.getByRole('link', { name: 'fuel_logs' }).first().click();
  await page.getByRole('navigation', { name: 'Parts of Fuel logs' }).getByRole('link', { name: 'Access' }).click();
  await page.getByRole('link', { name: 'Auditor', exact: true }).click();
  await page.getByRole('link', { name: 'As Clerk' }).click();
  await expect(page.getByLabel('Cost', { exact: true })).toHaveValue('Hidden');
  await page.getByLabel('Litres', { exact: true }).selectOption('read-only');
  await page.getByRole('button', { name: 'Save the rights' }).click();
  await expect(page.getByRole('status', { name: 'What changes' })).toContainText('Aud Falk may now add and change fuel logs, and run actions on them.');
  await page.getByRole('button', { name: 'Save all the same' }).click();
  await expect(page.getByRole('row', { name: /Auditor/ })).toContainText('Reads litres only.');
});

test('a page is public until its link is withdrawn', async ({ page, browser, baseURL }) => {
  await signIn(page, 'oskar');
  await page.goto('/build/apps/timetable/public');
  await page.getByLabel('Page', { exact: true }).selectOption('Routes');
  await page.getByLabel('With the rights of').selectOption('Auditor');
  await page.getByRole('button', { name: 'Make a link' }).click();
  const link = new URL(await page.getByLabel(/The link, shown this once/).inputValue()).pathname;
  const visitor = await (await browser.newContext({ baseURL })).newPage();
  await visitor.goto(link);
  await expect(visitor.getByRole('row', { name: /R01/ })).toBeVisible();
  await page.getByRole('button', { name: 'Withdraw' }).first().click();
  await visitor.reload();
  await expect(visitor.getByRole('heading', { name: 'This link is no longer valid' })).toBeVisible();
});
