// At the pace of a person, into every kind of field of the Dock, while what was typed before is being saved: nothing is lost or redrawn.
import { expect, signIn, test } from '../tools/fixtures.mjs';

const dock = page => page.locator('#dock');

// One input of each kind, by its name without what tells it from its likes.
async function fields(page) {
  return page.evaluate(() => {
    const seen = new Set();
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

for (const panel of ['', 'defects']) {
  test(`what is typed into the Dock of ${panel || 'a page'} at 120 ms a key stands as it was typed`, async ({ page }) => {
    test.setTimeout(120_000);
    page.setDefaultTimeout(8_000);
    await signIn(page, 'bea');
    for (const part of ['content', 'behaviour', 'appearance']) {
      await page.goto(`/build/apps/maintenance/pages/defects?panel=${panel}&part=${part}`);
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
  });
}
