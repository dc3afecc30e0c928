// A table into which one types all day: keys, the clipboard, what is wrong with a cell, undo, a set that is kept, and one save.
import { expect, rows, signIn, test } from '../tools/fixtures.mjs';

const cell = (page, row, field) => rows(page).nth(row).locator(`[data-cell="${field}"]`);
const bar = page => page.locator('[data-grid-bar]');

test('cells are typed into, taken back, kept over a reload, and saved together', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/worklist');
  const first = (await cell(page, 0, 'title').innerText()).trim();
  const second = (await cell(page, 1, 'title').innerText()).trim();

  // By the keyboard alone: a letter begins an edit, Enter goes down, Tab to the right.
  await cell(page, 0, 'title').click({ position: { x: 4, y: 4 } });
  await expect(cell(page, 0, 'title')).toBeFocused();
  await page.keyboard.type('Grid story one');
  await page.keyboard.press('Enter');
  await expect(cell(page, 1, 'title')).toBeFocused();
  await expect(cell(page, 0, 'title').locator('del')).toHaveText(first);
  await expect(cell(page, 0, 'title').locator('ins')).toHaveText('Grid story one');
  await page.keyboard.press('F2');
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type('Grid story two');
  await page.keyboard.press('Tab');
  await expect(cell(page, 1, 'vessel')).toBeFocused();
  await expect(bar(page)).toContainText('2 changed');

  // Escape leaves a cell as it was; undo and redo go through the set.
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.type('never');
  await page.keyboard.press('Escape');
  await expect(cell(page, 1, 'title').locator('ins')).toHaveText('Grid story two');
  await page.keyboard.press('ControlOrMeta+z');
  await expect(bar(page)).toContainText('1 changed');
  await expect(cell(page, 1, 'title')).toHaveText(second);
  await page.keyboard.press('ControlOrMeta+Shift+z');
  await expect(bar(page)).toContainText('2 changed');

  // A rule speaks at its cell, and what was typed stays; a value that is none does so too.
  await cell(page, 0, 'estimated_cost').click();
  await page.keyboard.type('a lot');
  await page.keyboard.press('Enter');
  await expect(cell(page, 0, 'estimated_cost')).toHaveClass(/is-invalid/);
  await expect(cell(page, 0, 'estimated_cost').locator('ins')).toHaveText('a lot');
  await expect(bar(page)).toContainText('1 row has a problem');
  await page.keyboard.press('ControlOrMeta+s');
  await expect(page.getByText(/Not saved: 1 row has a value that cannot be/)).toBeVisible();

  // A reload finds it again.
  await page.reload();
  await expect(bar(page)).toContainText('2 changed');
  await expect(bar(page)).toContainText('kept since');
  await expect(cell(page, 0, 'title').locator('ins')).toHaveText('Grid story one');
  await cell(page, 0, 'estimated_cost').click();
  await page.keyboard.press('Delete');
  await page.keyboard.type('125.50');
  await page.keyboard.press('Enter');
  await expect(cell(page, 0, 'estimated_cost')).not.toHaveClass(/is-invalid/);

  // A new row, and one marked for deletion and kept after all.
  await bar(page).getByRole('button', { name: 'Add a row' }).click();
  const fresh = page.locator('tr[data-new]');
  await expect(fresh.locator('[data-cell="title"]')).toBeFocused();
  await page.keyboard.type('Grid story, added');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await page.keyboard.type('Kitti');
  await page.getByRole('option', { name: /Kittiwake/ }).click();
  await expect(fresh.locator('[data-cell="vessel"]')).toContainText('Kittiwake');
  await expect(bar(page)).toContainText('2 changed, 1 new');

  // What a new row lacks is said once it is to be saved, and nothing is saved then.
  await page.keyboard.press('ControlOrMeta+s');
  await expect(page.getByText('Not saved: 1 row is refused, as marked. What was typed is kept.')).toBeVisible();
  await expect(fresh).toContainText('Reported by: This cannot be left blank.');
  await fresh.locator('[data-cell="reported_by"]').click();
  await page.keyboard.type('Maren Vik');
  await page.keyboard.press('Enter');
  await page.locator('tr[data-key]:not([data-new])').nth(3).getByRole('button', { name: /^Mark/ }).click();
  await expect(bar(page)).toContainText('2 changed, 1 new, 1 to delete');
  await page.locator('tr.is-deleted').getByRole('button', { name: /^Keep/ }).click();
  await expect(bar(page)).toContainText(/2 changed, 1 new(?!, 1)/);

  await bar(page).getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('3 defects saved.')).toBeVisible();
  await expect(page.locator('.is-changed, .is-new')).toHaveCount(0);
  await expect(rows(page).filter({ hasText: 'Grid story one' })).toContainText('125.50');

  // A save is undone as one.
  const saved = rows(page).filter({ hasText: 'Grid story one' });
  await saved.locator('[data-cell="estimated_cost"]').click();
  await page.keyboard.type('99');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Somebody');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ControlOrMeta+s');
  await expect(page.getByText('1 defect saved.')).toBeVisible();
  await expect(saved).toContainText('Somebody');
  await page.locator('#messages').getByRole('button', { name: 'Undo' }).click();
  await expect(saved).toContainText('125.50');
  await expect(saved).not.toContainText('Somebody');
});

test('cells go to a spreadsheet and come back, and one value fills many', async ({ page, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await signIn(page, 'tuva');
  await page.goto('/apps/maintenance/worklist');
  await cell(page, 4, 'severity').click();
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowDown');
  await expect(page.locator('.in-block')).toHaveCount(3);
  await page.evaluate(() => navigator.clipboard.writeText('moderate'));
  await page.keyboard.press('ControlOrMeta+v');
  await expect(cell(page, 6, 'severity')).toContainText('moderate');
  await cell(page, 4, 'title').click({ position: { x: 4, y: 4 } });
  await page.evaluate(() => navigator.clipboard.writeText('"Pasted\tone"\r\nPasted second row\r\n'));
  await page.keyboard.press('ControlOrMeta+v');
  await expect(cell(page, 5, 'title').locator('ins')).toHaveText('Pasted second row');
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('ControlOrMeta+c');
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe('"Pasted\tone"\nPasted second row');
  await cell(page, 5, 'title').click({ position: { x: 4, y: 4 } });
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('ControlOrMeta+d');
  await expect(cell(page, 6, 'title').locator('ins')).toHaveText('Pasted second row');
  await bar(page).getByRole('button', { name: 'Discard' }).click();
  await expect(page.getByText('What was not saved is discarded.')).toBeVisible();
  await expect(page.locator('.is-changed')).toHaveCount(0);
});

test('what somebody else saved meanwhile is shown at the cell, and one chooses', async ({ page, browser, baseURL }) => {
  await signIn(page, 'egil');
  await page.goto('/apps/maintenance/worklist');
  const before = (await cell(page, 8, 'title').innerText()).trim();
  await cell(page, 8, 'title').click({ position: { x: 4, y: 4 } });
  await page.keyboard.type('Typed by Egil first');
  await page.keyboard.press('Enter');
  await expect(bar(page)).toContainText('1 changed');
  const key = await rows(page).nth(8).getAttribute('data-key');

  const context = await browser.newContext({ baseURL });
  const maren = await context.newPage();
  await signIn(maren, 'maren');
  await maren.goto('/apps/maintenance/worklist');
  const theirs = maren.locator(`tr[data-key="${key}"] [data-cell="title"]`);
  await theirs.click({ position: { x: 4, y: 4 } });
  await maren.keyboard.type('Typed by Maren');
  await maren.keyboard.press('Enter');
  await maren.keyboard.press('ControlOrMeta+s');
  await expect(maren.getByText('1 defect saved.')).toBeVisible();
  await context.close();

  await page.keyboard.press('ControlOrMeta+s');
  const mine = page.locator(`tr[data-key="${key}"] [data-cell="title"]`);
  await expect(mine).toContainText(/Changed meanwhile by Maren Vik, .*: now Typed by Maren\./);
  await expect(mine.locator('ins')).toHaveText('Typed by Egil first');
  await mine.getByRole('button', { name: 'Keep mine' }).click();
  await expect(mine).not.toContainText('Changed meanwhile');
  await mine.click({ position: { x: 4, y: 4 } });
  await page.keyboard.press('ControlOrMeta+s');
  await expect(page.getByText('1 defect saved.')).toBeVisible();
  await expect(page.locator(`tr[data-key="${key}"]`)).toContainText('Typed by Egil first');
  expect(before).not.toBe('Typed by Egil first');
});

test('a day is chosen in the calendar of a cell', async ({ page }) => {
  await signIn(page, 'tuva');
  await page.goto('/apps/maintenance/worklist');
  await cell(page, 3, 'due').click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Alt+ArrowDown');
  await page.locator('.air-datepicker.-active- .-day-:not(.-other-month-)').first().click();
  await expect(page.locator('.air-datepicker.-active-')).toHaveCount(0);
  await expect(cell(page, 3, 'due').getByRole('textbox')).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(cell(page, 3, 'due').locator('ins')).toHaveText(/^01 /);
  await page.getByRole('button', { name: 'Discard' }).click();
  await expect(cell(page, 3, 'due').locator('ins')).toHaveCount(0);
});

test('every key in a table of five hundred rows does what it says, and how long it takes is printed', async ({ page }) => {
  test.slow();
  await signIn(page, 'bea');
  await page.goto('/build/apps/maintenance/pages/worklist?panel=work');
  const dock = page.locator('#dock');
  const revision = page.locator('#composer-state [name="revision"]');
  const before = await revision.inputValue();
  await dock.getByLabel('Rows per page', { exact: true }).fill('500');
  await page.keyboard.press('Tab');
  await expect(revision).not.toHaveValue(before);
  const narrowed = await revision.inputValue();
  await dock.getByRole('textbox', { name: 'Filter', exact: true }).click();
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.insertText('id > 0');
  await page.keyboard.press('Tab');
  await expect(revision).not.toHaveValue(narrowed);

  await page.goto('/try/maintenance/worklist');
  await page.getByRole('button', { name: 'Allow changes' }).click();
  await expect(rows(page)).toHaveCount(500);
  await page.evaluate(() => {
    window.keys = [];
    new PerformanceObserver(list => window.keys.push(...list.getEntries().filter(entry => entry.name === 'keydown').map(entry => entry.duration))).observe({ type: 'event', durationThreshold: 16 });
  });
  await cell(page, 0, 'title').click({ position: { x: 4, y: 4 } });
  for (let press = 0; press < 30; press++) await page.keyboard.press('ArrowDown');
  await expect(cell(page, 30, 'title')).toBeFocused();
  await page.keyboard.type('Typed into the many');
  await page.keyboard.press('Enter');
  await expect(cell(page, 30, 'title').locator('ins')).toHaveText('Typed into the many');
  for (let press = 0; press < 10; press++) await page.keyboard.press('Shift+ArrowDown');
  await expect(page.locator('.in-block')).toHaveCount(11);
  const keys = (await page.evaluate(() => new Promise(resolve => setTimeout(() => resolve(window.keys), 200)))).sort((one, other) => one - other);
  const at = share => keys[Math.min(keys.length - 1, Math.floor(keys.length * share))];
  console.log(`keys in a table of 500 rows, from the press to the next picture: half of them within ${at(0.5)} ms, nine of ten within ${at(0.9)} ms, the longest ${at(1)} ms`);
  await page.getByRole('button', { name: 'Discard' }).click();
  await expect(page.locator('.is-changed')).toHaveCount(0);

  await page.goto('/build/apps/maintenance/pages/worklist?panel=work');
  for (let press = 0; press < 2; press++) {
    const now = await revision.inputValue();
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(revision).not.toHaveValue(now);
  }
});
