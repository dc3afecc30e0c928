// At the pace of a person, into every kind of field of the Dock, while what was typed before is being saved: nothing is lost or redrawn.
import { chooseRecords, expect, signIn, test } from '../tools/fixtures.mjs';

const dock = page => page.locator('#dock');

// One input of each kind, by its name without what tells it from its likes. A page's new address leads to another page.
async function fields(page) {
  return page.evaluate(() => {
    const seen = new Set(['set.address']);
    return [...document.querySelectorAll('#dock :is(input:not([type="checkbox"], [type="hidden"], [type="radio"]), textarea)')]
      .filter(input => input.name && !input.disabled && (input.offsetParent !== null || input.nextElementSibling?.matches('.formula-editor')))
      .filter(input => {
        const kind = input.name.replace(/\d+/g, '#').replace(/^(labels|widths)\..*/, '$1');
        return !seen.has(kind) && seen.add(kind);
      })
      .map(input => input.name);
  });
}

async function typedIn(page, name) {
  return page.evaluate(wanted => document.querySelector(`#dock [name="${CSS.escape(wanted)}"]`)?.value, name);
}

async function typeIntoAll(page, panel) {
  for (const part of ['content', 'behaviour', 'appearance']) {
    const address = new URL(page.url()).pathname;
    await page.goto(`${address}?panel=${panel}&part=${part}`);
    await expect(dock(page).locator('.tabs [aria-current]')).toHaveText(new RegExp(part, 'i'));
    await page.waitForLoadState('networkidle');
    // What is unfolded stays so while the Dock is drawn anew.
    await page.evaluate(() => document.querySelectorAll('#dock details').forEach(details => { details.open = true; }));
    for (const name of await fields(page)) {
      const input = page.locator(`#dock [name="${name}"]`);
      const editor = page.locator(`#dock [name="${name}"] + .formula-editor .cm-content`);
      if (await input.count() === 0) continue;
      await (await editor.count() > 0 ? editor : input).click();
      await page.keyboard.press('Control+a');
      const text = await input.getAttribute('inputmode') === 'numeric' ? '42' : 'words';
      await page.keyboard.type(text, { delay: 120 });
      expect(await typedIn(page, name), `${part}: ${name}`).toBe(text);
    }
  }
}

test('what is typed into the Dock at 120 ms a key stands as it was typed', async ({ page }) => {
  page.setDefaultTimeout(15_000);
  await signIn(page, 'bea');
  await page.goto('/build/apps/new');
  await page.getByLabel('Name of the app').fill('Typing');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.waitForURL(/build\/apps\/typing/);
  if (!page.url().includes('/pages/')) await page.locator('a[href*="/pages/"]').first().click();
  await page.getByRole('button', { name: 'Add a panel' }).first().click();
  const dialog = page.getByRole('dialog', { name: 'Add a panel' });
  await chooseRecords(dialog, 'Defects');
  await dialog.getByRole('button', { name: /^Table/ }).click();
  await expect(page.locator('#dock-name')).toContainText('defects');
  await typeIntoAll(page, 'defects');
  await typeIntoAll(page, '');
});
