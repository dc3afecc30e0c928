// Colleagues at work in the demo's apps: from the start page to a record and back, many records at once, tables as one has them, pictures, and what comes by scrolling.
import { chooseRecords, expect, rows, signIn, test } from '../tools/fixtures.mjs';

const message = page => page.locator('#messages');
const dialog = page => page.getByRole('dialog');

test('a superintendent goes from what is overdue to one defect, on to the next, closes it after being asked, and takes it back', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance');
  await expect(page).toHaveURL(/maintenance\/today$/);
  await expect(page.getByText(/^Good (morning|day|evening), Maren Vik\./)).toBeVisible();
  const due = page.getByRole('region', { name: 'Overdue, and due within seven days' });
  const third = await due.getByRole('row').nth(3).getByRole('link').first().textContent();
  await due.getByRole('row').nth(2).click();
  await expect(page.getByRole('navigation', { name: 'Previous and next record' })).toContainText('2 of');
  await page.keyboard.press('j');
  await expect(page.getByRole('navigation', { name: 'Previous and next record' })).toContainText('3 of');
  await expect(page.getByRole('heading', { name: third, level: 2 }).first()).toBeVisible();

  const change = page.locator('#panel-change');
  await change.getByLabel('Actual cost').fill('120');
  await change.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(message(page)).toContainText('saved.');
  await expect(page.locator('#panel-defect')).toContainText('€120.00');
  await page.getByRole('button', { name: 'Close it' }).click();
  await expect(dialog(page)).toContainText(`Close “${third}”?`);
  await page.keyboard.press('Escape');
  await expect(dialog(page)).toHaveCount(0);
  await page.getByRole('button', { name: 'Close it' }).click();
  await dialog(page).getByRole('button', { name: 'Close it' }).click();
  await expect(message(page)).toContainText(`Closed: ${third}`);
  await expect(page.getByRole('button', { name: /^Close it/ })).toBeDisabled();
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone');
  await expect(page.getByRole('button', { name: /^Close it/ })).toBeEnabled();

  await page.getByRole('link', { name: 'Vessel', exact: true }).click();
  await expect(page).toHaveURL(/more\.tab=its_vessel/);
  await expect(page.locator('#panel-vessel')).toContainText('Hull number');
  await page.getByRole('navigation', { name: 'Breadcrumb' }).getByRole('link', { name: 'Today' }).click();
  await expect(page).toHaveURL(/maintenance\/today$/);
});

test('several records are checked with the mouse and the keyboard, changed at once after a preview, and set back', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects?defects.is.state=open&defects.sort=title');
  const first = await rows(page).first().getByRole('rowheader').textContent();
  await rows(page).first().getByRole('checkbox').check();
  await rows(page).nth(2).getByRole('checkbox').click({ modifiers: ['Shift'] });
  await expect(page.getByText('3 checked')).toBeVisible();
  await rows(page).nth(3).getByRole('link').first().focus();
  await page.keyboard.press('Space');
  await expect(page.getByText('4 checked')).toBeVisible();
  await page.reload();
  await expect(page.getByText('4 checked')).toBeVisible();
  await page.getByRole('button', { name: 'Change…' }).click();
  await dialog(page).getByLabel(/^State/).selectOption('in work');
  await expect(dialog(page).getByLabel('Change State')).toBeChecked();
  await dialog(page).getByRole('button', { name: 'Preview changes' }).click();
  await expect(dialog(page).getByRole('row')).toHaveCount(4);
  await expect(dialog(page).getByRole('row', { name: first.trim() }).first()).toContainText('in work');
  await dialog(page).getByRole('button', { name: 'Change 4 defects' }).click();
  await expect(message(page)).toContainText('4 defects changed.');
  await expect(dialog(page)).toHaveCount(0);
  await expect(page.getByText('4 checked')).toBeHidden();
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone: 4 defects changed.');
  await expect(rows(page).first().getByRole('rowheader')).toHaveText(first);
});

test('a table is as its reader has it: columns away and wider, rows compact, a view saved under a name, all of it downloaded', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/maintenance/defects?defects.is.severity=critical');
  const menu = page.locator('.view-menu');
  await menu.getByRole('button', { name: 'View', exact: true }).click();
  await menu.getByLabel('Reported by').uncheck();
  await expect(page.getByRole('columnheader', { name: 'Reported by' })).toHaveCount(0);
  await menu.getByLabel('compact').check();
  await expect(page.locator('#panel-defects table')).toHaveClass(/rows-compact/);
  await menu.getByLabel('Name of this view').fill('Critical ones');
  await menu.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(menu.getByRole('link', { name: 'Critical ones' })).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), menu.getByRole('link', { name: 'Download as CSV' }).click()]);
  expect(download.suggestedFilename()).toMatch(/^defects \d{4}-\d\d-\d\d\.csv$/);
  const none = await page.request.get('/apps/maintenance/defects?handler=Download&panel=defects&format=json&defects.q=nothing+of+the+kind');
  expect(await none.json()).toEqual([]);

  const heading = page.getByRole('columnheader', { name: 'Vessel' });
  const before = (await heading.boundingBox()).width;
  const kept = page.waitForResponse(/handler=View/);
  await heading.getByRole('link').focus();
  await page.keyboard.press('Alt+ArrowRight');
  await kept;
  await page.goto('/apps/maintenance/defects');
  expect((await page.getByRole('columnheader', { name: 'Vessel' }).boundingBox()).width).not.toBe(before);
  await menu.getByRole('button', { name: 'View', exact: true }).click();
  await menu.getByRole('link', { name: 'Critical ones' }).click();
  await expect(page).toHaveURL(/defects\.is\.severity=critical/);
  await expect(page.getByRole('columnheader', { name: 'Reported by' })).toHaveCount(0);
  await expect(page.locator('#panel-defects table')).toHaveClass(/rows-compact/);
  await menu.getByRole('button', { name: 'View', exact: true }).click();
  await menu.getByRole('button', { name: 'Reset view' }).click();
  await expect(page.getByRole('columnheader', { name: 'Reported by' })).toBeVisible();
});

test('sailings of the chosen route go on by scrolling, without a long halt, and their totals are of all of them', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/timetable/routes');
  await page.getByRole('row', { name: /^R01/ }).click();
  const sailings = page.locator('#panel-sailings');
  await expect(sailings.getByRole('heading', { name: 'Sailings from Brackwater to Skerry Sound' })).toBeVisible();
  await expect(sailings.locator('tfoot')).toContainText('sum');
  await page.evaluate(() => {
    window.longest = 0;
    new PerformanceObserver(list => { for (const entry of list.getEntries()) window.longest = Math.max(window.longest, entry.duration); }).observe({ entryTypes: ['longtask'] });
  });
  const scroller = sailings.locator('.table-scroll');
  await scroller.scrollIntoViewIfNeeded();
  while (await sailings.locator('tbody tr[data-key]').count() < 1000) {
    const count = await sailings.locator('tbody tr[data-key]').count();
    await scroller.evaluate(element => element.scrollTo(0, element.scrollHeight));
    await expect.poll(() => sailings.locator('tbody tr[data-key]').count()).toBeGreaterThan(count);
  }
  const keys = await sailings.locator('tbody tr[data-key]').evaluateAll(all => all.map(row => row.dataset.key));
  expect(new Set(keys).size).toBe(keys.length);
  console.log(`1,000 rows by scrolling: the longest task took ${await page.evaluate(() => Math.round(window.longest))} ms`);
});

test('a port agent has the quay in hand on a telephone: what sails soon, opened and changed with a thumb', async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true });
  const page = await context.newPage();
  await signIn(page, 'pia');
  await page.goto('/apps/timetable/port');
  await expect(page.getByText('Good day, Pia Sund.')).toBeVisible();
  const cards = page.locator('#panel-sailings .card-item');
  await expect(page.locator('#panel-sailings').or(page.getByText('There are no sailings yet.')).first()).toBeVisible();
  if (await cards.count() > 0) {
    await cards.first().getByRole('link').tap();
    await expect(page.locator('#sheet').getByLabel('Foot passengers')).toBeVisible();
  }
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
  await context.close();
});

test('a builder takes what is proposed, gives the app a colour that is too pale, and is told', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/build/apps/timetable/pages/ports');
  await page.getByRole('button', { name: 'Add a panel' }).first().click();
  const chooser = page.getByRole('dialog', { name: 'Add a panel' });
  await chooseRecords(chooser, 'Routes');
  await expect(chooser.getByRole('button', { name: 'Routes in rows' })).toBeVisible();
  await expect(chooser.locator('.proposal-drawn').first()).toContainText('Brackwater');
  await chooser.getByRole('button', { name: 'How many routes there are' }).click();
  await expect(page.getByRole('treeitem', { name: 'routes_count', exact: true })).toBeVisible();
  await expect(page.frameLocator('iframe').locator('#panel-routes_count')).toContainText('12');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByRole('treeitem', { name: 'routes_count', exact: true })).toHaveCount(0);

  await page.goto('/build/apps/timetable');
  await page.getByLabel('Colour', { exact: true }).fill('#ffe680');
  await page.getByLabel('Corners').selectOption('round');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText(/The colour #ffe680 has a contrast of 1\.2/)).toBeVisible();
  await page.goto('/try/timetable/ports');
  await expect(page.locator('link[href="/look/timetable/draft.css"]')).toHaveCount(1);
  const pine = await page.evaluate(() => getComputedStyle(document.documentElement).getPropertyValue('--pine').trim());
  expect(pine).toMatch(/^#[0-9a-f]{6}$/);
  expect(pine).not.toBe('#ffe680');
  await page.goto('/build/apps/timetable');
  await page.getByLabel('Colour', { exact: true }).fill('');
  await page.getByLabel('Corners').selectOption('');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText(/has a contrast of/)).toHaveCount(0);
});
