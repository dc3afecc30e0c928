// A builder composes a page: master and detail, a search that narrows two panels, a form, a dialog; then publishes, compares, restores.
import { chooseRecords, expect, signIn, test } from '../tools/fixtures.mjs';

const dock = page => page.getByRole('region', { name: /./ }).and(page.locator('#dock'));
const tree = page => page.getByRole('tree', { name: 'Panels of the page' });
const message = page => page.locator('#messages');

async function add(page, dataset, kind, name) {
  await page.getByRole('button', { name: 'Add a panel' }).first().click();
  const dialog = page.getByRole('dialog', { name: 'Add a panel' });
  await (dataset ? chooseRecords(dialog, dataset) : dialog.getByLabel('Dataset', { exact: true }).selectOption(''));
  await dialog.getByRole('button', { name: new RegExp(`^${kind}`) }).click();
  await expect(tree(page).getByRole('treeitem', { name, exact: true })).toHaveAttribute('aria-selected', 'true');
  await expect(page.locator('#dock-name')).toContainText(name);
}

// What an edit changes is in place once the draft has another revision.
async function edited(page, act) {
  const revision = page.locator('#composer-state [name="revision"]');
  const before = await revision.inputValue();
  await act();
  await expect(revision).not.toHaveValue(before);
}

async function set(page, label, value) {
  await edited(page, async () => {
    await dock(page).getByLabel(label, { exact: true }).fill(value);
    await dock(page).getByLabel(label, { exact: true }).press('Tab');
  });
}

async function formula(page, label, value) {
  await edited(page, async () => {
    await dock(page).getByRole('textbox', { name: label, exact: true }).click();
    await page.keyboard.press('Control+a');
    await page.keyboard.press('Delete');
    await page.keyboard.insertText(value);
  });
}

// Where something stands once the page around it has come to rest: an edit puts the page anew in its frame.
async function still(locator) {
  let last;
  await expect.poll(async () => {
    const before = JSON.stringify(last);
    last = await locator.boundingBox();
    return last !== null && JSON.stringify(last) === before;
  }).toBe(true);
  return last;
}

async function part(page, name) {
  await dock(page).getByRole('link', { name: new RegExp(`^${name}`) }).click();
  await expect(dock(page).getByRole('link', { name: new RegExp(`^${name}`) })).toHaveAttribute('aria-current', 'true');
}

test('a page is composed, tried, published, compared and restored', async ({ page }) => {
  test.setTimeout(300_000);
  page.setDefaultTimeout(45_000);
  await signIn(page, 'bea');
  await page.goto('/build/apps/maintenance/pages/vessels');

  await test.step('a page is added from the command line', async () => {
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox', { name: /Find a page/ }).fill('add a page');
    await page.keyboard.press('Enter');
    await page.getByRole('dialog', { name: 'Add a page' }).getByLabel('Name').fill('Fleet watch');
    await page.getByRole('button', { name: 'Add the page' }).click();
    await page.waitForURL(/pages\/fleet_watch/);
    await expect(page.getByText('Nothing is on this page yet.')).toBeVisible();
  });

  await test.step('master and detail: vessels, the selected one, its defects, a form that changes it', async () => {
    await add(page, '', 'Input', 'input');
    await page.getByRole('button', { name: 'Add a panel' }).first().click();
    const dialog = page.getByRole('dialog', { name: 'Add a panel' });
    await chooseRecords(dialog, 'Vessels');
    const kind = dialog.getByRole('button', { name: /^Form/ });
    const before = await kind.boundingBox();
    await expect(dialog.getByRole('button', { name: 'Vessels in rows' })).toBeVisible();
    expect(await kind.boundingBox(), 'Nothing moves under the pointer when what is suggested comes.').toEqual(before);
    await dialog.getByRole('button', { name: 'Close' }).click();
    await add(page, 'Vessels', 'Table', 'vessels');
    await formula(page, 'Filter', 'OR(ISEMPTY(input.value), CONTAINS(name, input.value))');
    await add(page, 'Vessels', 'Record', 'vessel_record');
    await set(page, 'Record', 'vessels.selected');
    await expect(dock(page).getByText('Now: none at this moment')).toBeVisible();
    await add(page, 'Defects', 'Table', 'defects');
    await set(page, 'Related to', 'vessels.selected.defects');
    await formula(page, 'Filter', 'state <> "closed"');
    await add(page, 'Vessels', 'Form', 'vessel_form');
    await set(page, 'Record', 'vessels.selected');
    await add(page, 'Defects', 'Figure', 'defect_figure');
    await set(page, 'Related to', 'vessels.selected.defects');
    await formula(page, 'Filter', 'OR(ISEMPTY(input.value), CONTAINS(title, input.value))');
    await expect(page.getByRole('button', { name: 'No problems' })).toBeVisible();
  });

  await test.step('what is wrong is listed, led to, and corrected', async () => {
    await formula(page, 'Filter', 'stat = "open"');
    await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
    await expect(dock(page).getByText(/Unknown name “stat”/).first()).toBeVisible();
    await page.keyboard.press('Control+.');
    await expect(page).toHaveURL(/part=problems/);
    await expect(dock(page).getByRole('link', { name: 'Open' })).toBeVisible();
    await dock(page).getByRole('button', { name: 'Write “state”' }).click();
    await expect(page.getByRole('button', { name: 'No problems' })).toBeVisible();
  });

  await test.step('a panel gets another name, and what names it follows; that is undone and done again', async () => {
    await tree(page).getByRole('treeitem', { name: 'vessels', exact: true }).click();
    await page.keyboard.press('Enter');
    await page.keyboard.insertText('ships');
    await page.keyboard.press('Enter');
    await expect(tree(page).getByRole('treeitem', { name: 'ships', exact: true })).toBeFocused();
    await expect(page.getByRole('button', { name: 'No problems' })).toBeVisible();
    await page.keyboard.press('Control+z');
    await expect(tree(page).getByRole('treeitem', { name: 'vessels', exact: true })).toBeVisible();
    await page.keyboard.press('Control+Shift+z');
    await expect(tree(page).getByRole('treeitem', { name: 'ships', exact: true })).toBeVisible();
    await tree(page).getByRole('treeitem', { name: 'vessel_record', exact: true }).click();
    await expect(dock(page).getByLabel('Record', { exact: true })).toHaveValue('ships.selected');
  });

  await test.step('a panel is moved, widened and duplicated by keys, and the copy removed', async () => {
    const names = () => tree(page).getByRole('treeitem').evaluateAll(items => items.map(item => item.dataset.name));
    await tree(page).getByRole('treeitem', { name: 'defect_figure', exact: true }).click();
    await page.keyboard.press('Alt+ArrowUp');
    await expect.poll(names).toEqual(['input', 'ships', 'vessel_record', 'defects', 'defect_figure', 'vessel_form']);
    await page.keyboard.press('Alt+Shift+ArrowRight');
    await expect(tree(page).locator('#outline-defect_figure')).toHaveAttribute('data-width-now', '4');
    await page.keyboard.press('Control+d');
    await expect.poll(names).toEqual(['input', 'ships', 'vessel_record', 'defects', 'defect_figure', 'defect_figure_2', 'vessel_form']);
    await expect(tree(page).locator('#outline-defect_figure_2')).toBeFocused();
    await page.keyboard.press('Delete');
    await expect.poll(names).toEqual(['input', 'ships', 'vessel_record', 'defects', 'defect_figure', 'vessel_form']);
  });

  await test.step('in the page itself a click selects, a handle moves, an edge widens', async () => {
    const canvas = page.frameLocator('iframe');
    await canvas.getByRole('region', { name: 'Vessels' }).getByRole('heading', { name: 'Vessels' }).click();
    await expect(tree(page).locator('#outline-ships')).toHaveAttribute('aria-selected', 'true');
    await expect(canvas.locator('.canvas-name')).toHaveText('ships');
    const ships = canvas.locator('#panel-ships');
    const whole = await still(ships);
    const edge = await still(canvas.locator('[data-edge]'));
    await page.mouse.move(edge.x + 3, edge.y + 60);
    await page.mouse.down();
    await page.mouse.move(edge.x - 500, edge.y + 60, { steps: 4 });
    await page.mouse.up();
    await expect(tree(page).locator('#outline-ships')).not.toHaveAttribute('data-width-now', '12');
    await expect.poll(async () => (await still(ships)).width).toBeLessThan(whole.width - 100);
    const handle = await still(canvas.locator('[data-drag]'));
    const input = await still(canvas.locator('#panel-input'));
    const first = tree(page).getByRole('treeitem').first();
    await page.mouse.move(handle.x + 8, handle.y + 8);
    await page.mouse.down();
    await page.mouse.move(input.x + 20, input.y + 4, { steps: 4 });
    await page.keyboard.press('Escape');
    await page.mouse.up();
    await expect(first).toHaveAttribute('data-name', 'input');
  });

  await test.step('tried: a choice is shown, a link reproduces it, a change is seen everywhere', async () => {
    await page.getByRole('link', { name: 'Preview', exact: true }).click();
    await page.getByRole('button', { name: 'Allow changes' }).click();
    await expect(page.getByText('Changes are saved to real records, in your name.')).toBeVisible();
    await page.getByRole('row', { name: /^Kittiwake/ }).click();
    await expect(page).toHaveURL(/ships\.selected=BF-101/);
    const record = page.locator('#panel-vessel_record');
    await expect(record.getByRole('heading', { name: 'Kittiwake' })).toBeVisible();
    await expect(page.locator('#panel-defects').getByText(/\d+ defects/)).toBeVisible();
    const figure = page.locator('#panel-defect_figure .big-figure');
    await expect(figure).toHaveText(/\d+/);
    const form = page.locator('#panel-vessel_form');
    await form.getByLabel('Car capacity').fill('91');
    await form.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(message(page)).toContainText('Vessel “Kittiwake” saved.');
    await expect(record).toContainText('91');
    await expect(page.getByRole('row', { name: /^Kittiwake/ })).toContainText('91');
    await page.locator('#panel-input').getByRole('searchbox').fill('Kitti');
    await expect(page).toHaveURL(/input\.value=Kitti/);
    await expect(page.locator('#panel-ships tbody tr')).toHaveCount(1);
    await expect(record.getByRole('heading', { name: 'Kittiwake' })).toBeVisible();
    const before = await figure.textContent();
    await page.reload();
    await expect(page.locator('#panel-ships tbody tr')).toHaveCount(1);
    await expect(page.locator('#panel-input').getByRole('searchbox')).toHaveValue('Kitti');
    await expect(figure).toHaveText(before);
    await form.getByRole('textbox', { name: 'Name', exact: true }).fill('');
    await expect(form.getByText('Still needed: name.')).toBeVisible();
    await expect(form.getByRole('button', { name: 'Save', exact: true })).toHaveAttribute('aria-disabled', 'true');
    await form.getByRole('textbox', { name: 'Name', exact: true }).fill('Kittiwake');
    await form.getByLabel('Car capacity').fill('90');
    await form.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(message(page)).toContainText('saved.');
  });

  await test.step('a button opens a dialog with a form for a new defect of the selected vessel', async () => {
    await page.goto('/build/apps/maintenance/pages/fleet_watch');
    await add(page, '', 'Dialog', 'dialog');
    await add(page, 'Defects', 'Form', 'defect_form');
    await part(page, 'Behaviour');
    const hidden = dock(page).getByRole('group', { name: 'Hidden values' });
    await edited(page, () => hidden.getByLabel('Field').first().selectOption({ label: 'Vessel' }));
    await edited(page, async () => {
      await hidden.getByLabel('Value').first().fill('BF-101');
      await hidden.getByLabel('Value').first().press('Tab');
    });
    await edited(page, () => dock(page).getByLabel('The next step').selectOption({ label: 'Close what is open' }));
    await part(page, 'Content');
    await edited(page, () => dock(page).getByLabel('Show Vessel').uncheck());
    await page.getByRole('link', { name: 'Fleet watch', exact: true }).first().click();
    await expect(page.locator('#dock-name')).toContainText('the page');
    await add(page, '', 'Button', 'button');
    await set(page, 'Label', 'Report a defect');
    await part(page, 'Behaviour');
    await edited(page, () => dock(page).getByLabel('The next step').selectOption({ label: 'Open a sheet or dialog' }));
    await edited(page, () => dock(page).getByLabel('Sheet or dialog', { exact: true }).selectOption('dialog'));
    await expect(page.getByRole('button', { name: 'No problems' })).toBeVisible();
    await page.goto('/try/maintenance/fleet_watch?ships.selected=BF-101');
    await page.getByRole('button', { name: 'Report a defect' }).click();
    const dialog = page.getByRole('dialog', { name: 'Dialog' });
    await expect(dialog).toBeVisible();
    await expect(page).toHaveURL(/open=dialog/);
    await dialog.getByLabel('Title').fill('Handrail loose at the ramp');
    await dialog.getByLabel('Reported by').fill('Bea Holm');
    await expect(dialog.getByRole('button', { name: 'Add defect' })).not.toHaveAttribute('aria-disabled', 'true');
    await dialog.getByRole('button', { name: 'Add defect' }).click();
    await expect(message(page)).toContainText('Defect “Handrail loose at the ramp” added.');
    await expect(dialog).toHaveCount(0);
    await expect(page.locator('#panel-defects')).toContainText('Handrail loose at the ramp');
    await message(page).getByRole('button', { name: 'Undo' }).click();
    await expect(message(page)).toContainText('Undone: Defect “Handrail loose at the ramp” added.');
    await expect(page.locator('#panel-defects')).not.toContainText('Handrail loose at the ramp');
  });

  await test.step('published with a note, compared in sentences, and an older version restored', async () => {
    await page.goto('/build/apps/maintenance/versions');
    await expect(page.getByText('The page is new, with 9 panels')).toBeVisible();
    await page.getByLabel('Notes on version 2').fill('Watching the fleet');
    await page.getByRole('button', { name: 'Publish' }).click();
    await expect(page.getByText('Version 2 is live.')).toBeVisible();
    await expect(page.getByText('No changes between version 2 and the draft.')).toBeVisible();
    await page.getByRole('button', { name: 'Make live: version 1' }).click();
    await expect(page.getByRole('status', { name: 'What changes' })).toContainText('will no longer be seen by');
    await page.getByRole('button', { name: 'Make version 1 live' }).click();
    await expect(page.getByText('Version 1 is live.')).toBeVisible();
    await page.getByRole('button', { name: 'Restore as draft: version 1' }).click();
    await expect(page.getByText('The draft is version 1 again.')).toBeVisible();
    await page.goto('/build/apps/maintenance/pages/defects');
    const undone = page.waitForResponse(/handler=Undo/);
    await page.getByRole('button', { name: 'Undo' }).click();
    await undone;
    await page.goto('/build/apps/maintenance/pages/fleet_watch');
    await expect(tree(page).getByRole('treeitem', { name: 'ships', exact: true })).toBeVisible();
  });
});

test('two builders: the second sees what the first did, and is asked where both touched the same', async ({ page, browser }) => {
  await signIn(page, 'bea');
  await page.goto('/build/apps/timetable/pages/ports?panel=ports');
  const context = await browser.newContext();
  const other = await context.newPage();
  await signIn(other, 'oskar');
  await other.goto('/build/apps/timetable/pages/ports?panel=ports');
  await expect(other.locator('#dock-name')).toContainText('ports');

  // The second builder has not looked since.
  await other.route(/handler=Since/, route => route.fulfill({ status: 204 }));
  await set(page, 'Rows per page', '20');
  await other.locator('#dock').getByLabel('Rows per page').fill('30');
  await other.keyboard.press('Tab');
  await expect(message(other)).toContainText('Bea Holm was quicker: ports: rows per page “50” → “20”');
  await other.getByRole('button', { name: 'Keep mine' }).click();
  await expect(other.locator('#dock').getByLabel('Rows per page')).toHaveValue('30');
  await expect(message(page)).toContainText('Oskar Lind: ports: rows per page', { timeout: 10_000 });
  await expect(page.locator('#dock').getByLabel('Rows per page')).toHaveValue('30');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(message(page)).toContainText('Oskar Lind has changed the same thing since');
  await context.close();
});

test('a clipboard with something else on it does nothing but say so', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/apps/timetable/pages/ports?panel=ports');
  await expect(page.locator('#dock-name')).toContainText('ports');
  const paste = text => page.evaluate(words => {
    const data = new DataTransfer();
    data.setData('text/plain', words);
    document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  }, text);
  await paste('{"kind":"tablePanel","name":"x"}');
  await expect(message(page)).toContainText('no panel of Rostrum');
  await tree(page).getByRole('treeitem', { name: 'ports' }).click();
  await page.keyboard.press('Control+c');
  await expect(message(page)).toContainText('“ports” is copied.');
  await page.goto('/build/apps/timetable/pages/routes');
  await paste('');
  await expect(tree(page).getByRole('treeitem', { name: 'ports', exact: true })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(tree(page).getByRole('treeitem', { name: 'ports', exact: true })).toHaveCount(0);
});
