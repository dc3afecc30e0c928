// What every story shares: an application of its worker's own, and a page that fails the test when the browser's console has an error in it.
import { expect, test as base } from '@playwright/test';
import { password, signIn as signInByForm } from './browser.mjs';

export { expect, password };

const cookies = new Map();

/** Signs a person in; after the first time in a worker, with the cookies that they got then. Leads to their apps, as the form does. */
export async function signIn(page, person) {
  const known = cookies.get(person);
  if (known) {
    await page.context().addCookies(known);
    return;
  }
  await signInByForm(page, person);
  cookies.set(person, (await page.context().cookies()).filter(cookie => cookie.name === 'rostrum'));
}

const ofWorker = name => (process.env[name] ?? '').trim().split(' ')[process.env.TEST_PARALLEL_INDEX ?? 0];

/** The connection to the ferry company's database that the worker's application uses. */
export const fleet = new Map((ofWorker('ROSTRUM_FLEETS') ?? '').split(';').map(part => part.split('=')));

// A request that a newer one replaced is ended on purpose.
const replaced = /^htmx:(sendAbort|afterRequest),/;

// What a setting gives is told beside it; when it is told, another part may have been opened.
const late = /^htmx:oobErrorNoTarget, #set-\S+-now$/;

export const test = base.extend({
  baseURL: ofWorker('ROSTRUM_ADDRESSES'),
  expectedErrors: [[], { option: true }],
  page: async ({ page, expectedErrors }, use) => {
    const errors = [];
    page.on('console', message => message.type() === 'error' && errors.push(message.text()));
    page.on('pageerror', error => errors.push(error.message));
    await use(page);
    expect(errors.filter(error => ![...expectedErrors, replaced, late].some(pattern => pattern.test(error)))).toEqual([]);
  },
});

/** The record's sheet at the right. */
export function sheet(page) {
  return page.locator('#sheet');
}

export function rows(page) {
  return page.locator('[data-list] tbody tr');
}

/** Chooses the demo's records in the dialog that adds a panel. Where a story has connected a second source with such a table, the source's name stands beside theirs. */
export async function chooseRecords(dialog, label) {
  const which = dialog.getByLabel('Dataset', { exact: true });
  await which.selectOption(await which.getByRole('option', { name: new RegExp(`^${label}(, Fleet)?$`) }).getAttribute('value'));
}
