// What every story shares: a page that fails the test when the browser's console has an error in it.
import { expect, test as base } from '@playwright/test';
import { password, signIn } from './browser.mjs';

export { expect, password, signIn };

// A request that a newer one replaced is ended on purpose.
const replaced = /^htmx:(sendAbort|afterRequest),/;

export const test = base.extend({
  expectedErrors: [[], { option: true }],
  page: async ({ page, expectedErrors }, use) => {
    const errors = [];
    page.on('console', message => message.type() === 'error' && errors.push(message.text()));
    page.on('pageerror', error => errors.push(error.message));
    await use(page);
    expect(errors.filter(error => ![...expectedErrors, replaced].some(pattern => pattern.test(error)))).toEqual([]);
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
  const which = dialog.getByLabel('Which records?');
  await which.selectOption(await which.getByRole('option', { name: new RegExp(`^${label}(, Fleet)?$`) }).getAttribute('value'));
}
