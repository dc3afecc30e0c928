// A builder types on while an edit is on its way: the answer, however late, takes nothing away.
import { expect, signIn, test } from '../tools/fixtures.mjs';

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

async function undoTo(page, before) {
  await expect(async () => {
    if (await page.getByRole('button', { name: 'Undo', exact: true }).isEnabled()) await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(dock(page).getByLabel('Order', { exact: true })).toHaveValue(before, { timeout: 1500 });
  }).toPass();
}

test('an answer that comes when the builder is at another part leaves the Dock and what is typed there alone', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/workshop/apps/maintenance/pages/dockings?panel=dockings');
  const order = await dock(page).getByLabel('Order', { exact: true }).inputValue();
  const known = await revision(page).inputValue();
  const letGo = await holdAnswer(page);
  await dock(page).getByLabel('Order', { exact: true }).selectOption({ index: 3 });
  const appearance = dock(page).getByRole('link', { name: /^Appearance/ });
  await appearance.click();
  await expect(appearance).toHaveAttribute('aria-current', 'true');
  const condition = dock(page).getByRole('group', { name: 'Stands out' }).locator('.field-row').last();
  await condition.getByRole('textbox', { name: 'When' }).click();
  await page.keyboard.type('=planned_end < TODAY()');
  await expect(condition.locator('.cm-content')).toHaveText('=planned_end < TODAY()');

  letGo();
  await expect(revision(page)).not.toHaveValue(known);
  await expect(appearance).toHaveAttribute('aria-current', 'true');
  await expect(condition.locator('.cm-content')).toBeFocused();
  await expect(condition.locator('.cm-content')).toHaveText('=planned_end < TODAY()');
  const kept = page.waitForResponse(/handler=Set/);
  await page.keyboard.press('Tab');
  await kept;
  await page.reload();
  await expect(dock(page).getByRole('group', { name: 'Stands out' }).getByText('=planned_end < TODAY()').last()).toBeVisible();
  await dock(page).getByRole('link', { name: /^Content/ }).click();
  await undoTo(page, order);
});

test('an answer that draws the same part anew leaves the text that is being typed, and the caret in it', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/workshop/apps/maintenance/pages/dockings?panel=dockings');
  const order = await dock(page).getByLabel('Order', { exact: true }).inputValue();
  const known = await revision(page).inputValue();
  const letGo = await holdAnswer(page);
  await dock(page).getByLabel('Order', { exact: true }).selectOption({ index: 3 });
  const editor = dock(page).getByRole('textbox', { name: 'Which records', exact: true });
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
