// A builder types on while an edit is on its way: the answer, however late, takes nothing away.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

const dock = page => page.locator('#dock');
const revision = page => page.locator('#composer-state [name="revision"]');

// The next edit is made at once, and its answer held back until it is let go.
async function holdAnswer(page) {
  let letGo;
  const held = new Promise(resolve => { letGo = resolve; });
  await page.route(/handler=Set/, async route => {
    const response = await route.fetch();
    await held;
    await route.fulfill({ response });
  }, { times: 1 });
  return letGo;
}

// One edit after the other is taken back, until the order is what it was.
async function undoTo(page, before) {
  const order = dock(page).getByLabel('Sort by', { exact: true });
  const undo = page.getByRole('button', { name: 'Undo', exact: true });
  while (await order.inputValue() !== before) {
    // The last answer's parts come one after the other: the Dock may be behind.
    if (await undo.isDisabled()) return expect(order).toHaveValue(before);
    const known = await revision(page).inputValue();
    // It may be taken away, or have nothing left, just before it is pressed.
    if (await undo.click({ timeout: 2_000 }).then(() => true, () => false)) await expect(revision(page)).not.toHaveValue(known);
  }
}

test('an answer that comes when the builder is at another part leaves the Dock and what is typed there alone', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/apps/maintenance/pages/dockings?panel=dockings');
  const order = await dock(page).getByLabel('Sort by', { exact: true }).inputValue();
  const known = await revision(page).inputValue();
  const letGo = await holdAnswer(page);
  await dock(page).getByLabel('Sort by', { exact: true }).selectOption({ index: 3 });
  const appearance = dock(page).getByRole('link', { name: /^Appearance/ });
  await appearance.click();
  await expect(appearance).toHaveAttribute('aria-current', 'true');
  const words = dock(page).getByRole('group', { name: 'Highlights' }).getByLabel('Label').last();
  await words.fill('late');

  letGo();
  await expect(revision(page)).not.toHaveValue(known);
  await expect(appearance).toHaveAttribute('aria-current', 'true');
  await expect(words).toBeFocused();
  await expect(words).toHaveValue('late');
  await dock(page).getByRole('link', { name: /^Content/ }).click();
  await undoTo(page, order);
});

test('an answer that draws the same part anew leaves the text that is being typed, and the caret in it', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/apps/maintenance/pages/dockings?panel=dockings');
  const order = await dock(page).getByLabel('Sort by', { exact: true }).inputValue();
  const known = await revision(page).inputValue();
  const letGo = await holdAnswer(page);
  await dock(page).getByLabel('Sort by', { exact: true }).selectOption({ index: 3 });
  const editor = dock(page).getByRole('textbox', { name: 'Filter', exact: true });
  const text = await editor.textContent();
  await editor.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('/* 200 */');
  for (let step = 0; step < 5; step++) await page.keyboard.press('ArrowLeft');

  letGo();
  await expect(revision(page)).not.toHaveValue(known);
  await expect(editor).toBeFocused();
  await page.keyboard.type('1');
  await expect(editor).toHaveText(/\/\* 2100 \*\/$/);
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Delete');
  await page.keyboard.insertText(text || ' ');
  await undoTo(page, order);
});

test('an answer about what was typed into a record is not waited for when the record is left', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  await rows(page).first().click();
  // Nothing answers.
  await page.route(/handler=Check/, () => {});
  const asked = page.waitForRequest(/handler=Check/);
  await sheet(page).getByRole('textbox', { name: 'Title' }).fill('half typed');
  await asked;

  const ended = page.waitForEvent('requestfailed', { predicate: request => request.url().includes('handler=Check'), timeout: 20_000 });
  page.once('dialog', dialog => dialog.accept());
  await page.keyboard.press('Escape');
  await ended;
  await expect(page.locator('[data-sheet]')).toHaveCount(0);
});
