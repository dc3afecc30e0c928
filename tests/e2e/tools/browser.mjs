// Debian's Chromium, driven headless, and the demo's sign-in.
import { chromium } from '@playwright/test';

export const launchOptions = {
  executablePath: process.env.ROSTRUM_CHROMIUM ?? '/usr/bin/chromium-headless-shell',
  args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
};

export const password = 'harbour-light-42';

export async function openBrowser() {
  return chromium.launch(launchOptions);
}

export async function signIn(page, person) {
  await page.goto('/sign-in');
  await page.getByLabel('Sign-in name').fill(person);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await page.waitForURL(url => !url.pathname.startsWith('/sign-in'));
}
