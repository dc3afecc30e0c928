// docs/guide/first-app.md, step by step in its own words: what it calls by a name is on the screen by that name.
import { chooseRecords, expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

const dock = page => page.locator('#dock');
const outline = page => page.getByRole('tree', { name: 'Panels of the page' });

// An edit is kept once the draft has another revision.
async function kept(page, act) {
  const revision = page.locator('#composer-state [name="revision"]');
  const before = await revision.inputValue();
  await act();
  await expect(revision).not.toHaveValue(before);
}

async function part(page, name) {
  await dock(page).getByRole('link', { name: new RegExp(`^${name}`) }).click();
  await expect(dock(page).getByRole('link', { name: new RegExp(`^${name}`) })).toHaveAttribute('aria-current', 'true');
}

test('the first app is built as the guide says', async ({ page, browser }) => {
  test.setTimeout(300_000);
  page.setDefaultTimeout(30_000);
  await signIn(page, 'bea');

  await test.step('1. Draft it', async () => {
    await page.goto('/');
    await page.getByRole('link', { name: 'Build', exact: true }).first().click();
    await page.getByRole('link', { name: 'Fleet', exact: true }).click();
    for (const name of ['Defects', 'Vessels', 'Dockings']) await page.getByLabel(`Choose ${name}`).check();
    await page.getByRole('button', { name: 'Draft an app' }).click();
    await page.getByLabel('Name of the app').fill('Upkeep');
    await page.getByText('Visible to builders, so far').click();
    await page.getByLabel('Marine superintendent').check();
    await page.getByRole('button', { name: 'Draft the app' }).click();
    await expect(page.getByRole('heading', { name: 'Upkeep', level: 1 })).toBeVisible();
    await page.getByRole('link', { name: 'Preview', exact: true }).click();
    await page.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Defects' }).click();
    await rows(page).nth(1).click();
    await expect(page.getByRole('navigation', { name: 'Previous and next record' })).toContainText('2 of');
    await page.keyboard.press('j');
    await expect(page.getByRole('navigation', { name: 'Previous and next record' })).toContainText('3 of');
  });

  await test.step('2. Shape the list', async () => {
    await page.getByRole('link', { name: 'Draft', exact: true }).click();
    await page.locator('.topline [data-bs-toggle]').click();
    await page.locator('.topline').getByRole('link', { name: 'Defects', exact: true }).click();
    await outline(page).getByRole('treeitem', { name: 'defects', exact: true }).click();
    const columns = dock(page).getByRole('group', { name: 'Columns' }).first();
    await kept(page, () => columns.getByLabel('Show Reported by').uncheck());
    for (const name of ['Show Due', 'Show Estimated cost']) {
      if (!await columns.getByLabel(name, { exact: true }).isChecked()) await kept(page, () => columns.getByLabel(name, { exact: true }).check());
    }
    await kept(page, () => columns.getByLabel('Footer: Estimated cost').selectOption('sum'));
    await kept(page, async () => {
      await dock(page).getByRole('textbox', { name: 'Filter', exact: true }).click();
      await page.keyboard.insertText('state <> "closed"');
    });
    await kept(page, () => dock(page).getByLabel('Sort by', { exact: true }).selectOption('Due'));
    await part(page, 'Appearance');
    const first = dock(page).getByRole('group', { name: 'Highlights' }).locator('.field-row').first();
    await kept(page, async () => {
      await first.getByRole('textbox', { name: 'Condition' }).click();
      await page.keyboard.type('=');
      await expect(first.locator('.cm-content')).toBeFocused();
      await page.keyboard.insertText('due < TODAY()');
      await page.keyboard.press('Tab');
    });
    await kept(page, () => first.getByLabel('Tone').selectOption('danger'));
    await kept(page, async () => {
      await first.getByLabel('Label').fill('overdue');
      await first.getByLabel('Label').press('Tab');
    });
    await kept(page, () => first.getByLabel('Column').selectOption({ label: 'Due' }));
    const frame = page.frameLocator('iframe');
    await expect(frame.getByRole('cell', { name: /^overdue/ }).first()).toBeVisible();
    await part(page, 'Behaviour');
    await kept(page, () => dock(page).getByLabel('Checkboxes').check());
    await expect(frame.getByLabel('Check all that are shown')).toBeVisible();
  });

  await test.step('3. Add what matters', async () => {
    await page.getByRole('navigation', { name: 'Outline' }).getByRole('link', { name: 'Defects', exact: true }).click();
    await page.getByRole('button', { name: 'Add a panel' }).first().click();
    const dialog = page.getByRole('dialog', { name: 'Add a panel' });
    await chooseRecords(dialog, 'Defects');
    await kept(page, () => dialog.getByRole('button', { name: 'How many defects there are' }).click());
    await part(page, 'Content');
    const name = await outline(page).getByRole('treeitem', { selected: true }).locator('.outline-name').textContent();
    await kept(page, async () => {
      await dock(page).getByRole('textbox', { name: 'Filter', exact: true }).click();
      await page.keyboard.insertText('AND(state <> "closed", due < TODAY())');
    });
    await part(page, 'Appearance');
    await kept(page, async () => {
      await dock(page).getByLabel('Heading', { exact: true }).fill('Overdue');
      await dock(page).getByLabel('Heading', { exact: true }).press('Tab');
    });
    await outline(page).getByRole('treeitem', { name, exact: true }).click();
    while (await outline(page).getByRole('treeitem').first().locator('.outline-name').textContent() !== name) {
      await kept(page, () => page.keyboard.press('Alt+ArrowUp'));
    }
    await expect(page.frameLocator('iframe').getByRole('heading', { name: 'Overdue' })).toBeVisible();
  });

  const rule = 'Enter a due date.';
  await test.step('4. Make its form safe', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Fleet', exact: true }).click();
    await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'defects', exact: true }).click();
    await page.getByRole('link', { name: 'Rules' }).click();
    await page.getByRole('link', { name: 'Add a rule' }).click();
    await page.getByLabel('Show message at').selectOption({ label: 'Due' });
    await page.getByLabel('Field', { exact: true }).first().selectOption('due');
    await page.getByLabel('Question').first().selectOption('is given');
    await page.getByLabel('Message', { exact: true }).fill(rule);
    await page.getByRole('button', { name: 'Save rule' }).click();
    await expect(page.getByText(rule)).toBeVisible();
    await page.goto('/try/upkeep/defects');
    await page.getByRole('link', { name: 'New defect' }).click();
    await sheet(page).getByRole('textbox', { name: 'Title' }).fill('Rail loose');
    await sheet(page).getByLabel('Reported by').fill('Bea Holm');
    await sheet(page).locator('.ts-control').click();
    await page.keyboard.type('turn');
    await page.getByRole('option', { name: 'Turnstone' }).click();
    await sheet(page).getByLabel('Due').fill('1 Jan 2030');
    await expect(sheet(page).getByRole('button', { name: 'Add defect' })).not.toHaveAttribute('aria-disabled', 'true');
    await sheet(page).getByLabel('Due').fill('');
    await expect(sheet(page).getByText('Still needed: due.')).toBeVisible();
    await expect(sheet(page).getByRole('button', { name: 'Add defect' })).toHaveAttribute('aria-disabled', 'true');
    await expect(sheet(page).getByRole('textbox', { name: 'Title' })).toHaveValue('Rail loose');
  });

  await test.step('5. Hand it over', async () => {
    await page.goto('/build/apps/upkeep/pages/defects');
    await page.getByRole('link', { name: 'Publish', exact: true }).click();
    await page.getByLabel(/^Notes on version/).fill('The first one');
    await page.getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByText('Version 1 is live')).toBeVisible();
    await page.goto('/build/apps/upkeep');
    await page.getByRole('navigation', { name: 'Roles' }).getByRole('link', { name: 'Marine superintendent' }).click();
    await page.getByLabel('Change defects').check();
    await page.getByRole('button', { name: 'Save rights' }).click();
    await expect(page.getByText('Saved.')).toBeVisible();
    const context = await browser.newContext();
    const colleague = await context.newPage();
    await signIn(colleague, 'maren');
    await colleague.goto('/');
    await colleague.getByRole('link', { name: 'Upkeep' }).click();
    await colleague.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Defects' }).click();
    await expect(colleague.getByRole('heading', { name: 'Overdue' })).toBeVisible();
    await expect(rows(colleague).first()).toBeVisible();
    await context.close();
  });

  await test.step('the rule is removed again: other stories have their own', async () => {
    await page.goto('/build');
    await page.getByRole('link', { name: 'Fleet', exact: true }).click();
    await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'defects', exact: true }).click();
    await page.getByRole('link', { name: 'Rules' }).click();
    await page.getByRole('link', { name: rule, exact: true }).click();
    await page.getByRole('button', { name: 'Remove rule' }).click();
    await expect(page.getByText(rule)).toHaveCount(0);
  });
});
