// Charts, summary tables, boards, calendars and timelines in a browser: seen, reached by the keyboard, drawn with the mouse, moved and taken back.
import { expect, sheet, signIn, test } from '../tools/fixtures.mjs';

const message = page => page.locator('#messages');
const chart = (page, name) => page.getByRole('region', { name, exact: true });

async function drag(page, from, to) {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x + 12, from.y + 4, { steps: 3 });
  await page.mouse.move(to.x, to.y, { steps: 8 });
  // What is carried looks a few times a second where it is.
  await page.waitForTimeout(200);
  await page.mouse.up();
}

const middle = async locator => {
  const box = await locator.boundingBox();
  return { x: box.x + box.width / 2, y: box.y + Math.min(box.height / 2, 20) };
};

test('a chart says what its marks stand for, leads to their records and is saved as a picture', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/punctuality');
  const months = chart(page, 'Fares and passengers');
  const marks = months.locator('a.mark');
  await marks.first().focus();
  await page.keyboard.press('End');
  await expect(page.locator('.chart-tip')).toHaveText(await marks.last().getAttribute('aria-label'));
  await page.keyboard.press('Home');
  await page.keyboard.press('Enter');
  const records = page.getByRole('dialog');
  await expect(records).toBeVisible();
  await expect(records.getByRole('row')).not.toHaveCount(0);
  await expect(page).toHaveURL(/fares_by_month\.group=/);
  await page.keyboard.press('Escape');
  await expect(records).toHaveCount(0);
  await expect(months.locator('a.mark').first()).toBeFocused();

  await months.getByRole('button', { name: 'Foot passengers' }).click();
  await expect(months.getByRole('button', { name: 'Foot passengers' })).toHaveAttribute('aria-pressed', 'false');
  await months.getByText('Figures', { exact: true }).click();
  await expect(months.getByRole('table')).toBeVisible();

  for (const [name, kind] of [['Drawing (SVG)', 'svg'], ['Picture (PNG)', 'png'], ['Figures (CSV)', 'csv']]) {
    await months.getByRole('button', { name: /^Download/ }).click();
    const [download] = await Promise.all([page.waitForEvent('download'), months.getByText(name).click()]);
    expect(download.suggestedFilename()).toMatch(new RegExp(`\\.${kind}$`));
  }
});

test('a mark leads to the page that the builder chose, with its list narrowed', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/punctuality');
  const mark = chart(page, 'Sailings by month and state').locator('a.mark').first();
  const said = await mark.getAttribute('aria-label');
  await mark.focus();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/sailings\?/);
  await expect(page.locator('#panel-sailings .count')).toHaveText(`${said.match(/[\d,]+$/)[0]} sailings`);
});

test('drawing across a chart narrows the page to those months', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/punctuality');
  const months = chart(page, 'Sailings by month and state');
  const box = await months.locator('[data-days]').boundingBox();
  const before = await months.locator('a.mark').count();
  await drag(page, { x: box.x + box.width * 0.3, y: box.y + 30 }, { x: box.x + box.width * 0.5, y: box.y + 40 });
  await expect(page).toHaveURL(/span\.from=\d{4}-\d\d-01/);
  await expect.poll(() => months.locator('a.mark').count()).toBeLessThan(before);
  await page.goBack();
  await expect.poll(() => months.locator('a.mark').count()).toBe(before);

  // By the keyboard: Shift with an arrow from the mark in use.
  await months.locator('a.mark').first().focus();
  await page.keyboard.down('Shift');
  for (let step = 0; step < 3; step++) await page.keyboard.press('ArrowRight');
  await page.keyboard.up('Shift');
  await expect(page).toHaveURL(/span\.from=\d{4}-\d\d-01/);
  await expect.poll(() => months.locator('a.mark').count()).toBeLessThan(before);
});

test('a card is moved with the mouse, by its menu and by the keyboard, and taken back', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/board');
  const column = name => page.getByRole('region', { name, exact: true }).filter({ has: page.locator('[data-cards]') });
  const card = column('open').getByRole('listitem').first();
  const title = await card.getByRole('heading').textContent();
  const count = async name => Number((await column(name).locator('.count').textContent()).match(/[\d,]+/)[0].replace(',', ''));
  const open = await count('open');
  await drag(page, await middle(card), await middle(column('in work').getByRole('listitem').nth(1)));
  await expect(message(page)).toContainText(`“${title}” moved.`);
  await expect.poll(() => count('open')).toBe(open - 1);
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone');
  await expect.poll(() => count('open')).toBe(open);

  const again = column('open').getByRole('listitem').first();
  await again.getByRole('button', { name: /^Move/ }).click();
  await page.getByRole('menuitem', { name: 'waiting for parts' }).click();
  await expect(message(page)).toContainText(/^(?!.*Undone).*moved\./s);
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone');

  const third = column('open').getByRole('listitem').first();
  await third.focus();
  await page.keyboard.press('Alt+ArrowRight');
  await expect(message(page)).toContainText(/^(?!.*Undone).*moved\./s);
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone');

  await column('in work').getByRole('link', { name: 'New defect in in work' }).click();
  await expect(sheet(page).getByLabel(/^State/)).toHaveValue('in work');
  await page.keyboard.press('Escape');
  await column('closed').getByRole('link', { name: 'Fold closed' }).click();
  await expect(column('open').getByRole('listitem').first()).toBeVisible();
  await expect(page.getByRole('link', { name: 'Unfold closed' })).toBeVisible();
});

test('a card that may not be changed stays and says why', async ({ page }) => {
  await signIn(page, 'aud');
  await page.goto('/apps/maintenance/board');
  await expect(page.getByText('You may not change defects.')).toBeVisible();
  const card = page.locator('.board-card').first();
  await drag(page, await middle(card), await middle(page.locator('.board-column').nth(1)));
  await expect(message(page)).toContainText('You may not change defects.');
});

test('a docking is drawn to later weeks and longer, by the keyboard as well', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/yards');
  const bar = page.locator('[data-bar]').last();
  const key = await bar.getAttribute('data-key');
  const from = await bar.getAttribute('data-from');
  const at = await middle(bar.locator('.bar-whole'));
  await drag(page, at, { x: at.x - 40, y: at.y });
  await expect(message(page)).toContainText(/^(?!.*Undone).*moved\./s);
  const now = page.locator(`[data-bar][data-key="${key}"]`);
  await expect(now).not.toHaveAttribute('data-from', from);
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(now).toHaveAttribute('data-from', from);
  await now.getByRole('link').focus();
  await page.keyboard.press('Alt+Shift+ArrowRight');
  await expect(message(page)).toContainText(/^(?!.*Undone).*moved\./s);
  await expect(now).toHaveAttribute('data-from', from);
  // What is opened while that is being taken back stays open.
  const undone = page.waitForResponse(answer => answer.url().includes('handler=Undo'));
  await page.route(/handler=Undo/, async route => { await new Promise(go => setTimeout(go, 1000)); await route.continue(); });
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await now.getByRole('link').click();
  await undone;
  await expect(message(page)).toContainText('Undone');
  await expect(sheet(page)).toContainText('docking');
  expect(page.url()).toContain('.selected=');
});

test('a calendar goes from month to day, and its events open', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/timetable/calendar');
  const calendar = page.locator('#panel-sailings');
  await calendar.getByRole('link', { name: 'month', exact: true }).click();
  await calendar.locator('.calendar-day.today .calendar-number').click();
  await expect(page).toHaveURL(/sailings\.span=day/);
  const events = calendar.locator('[data-event] a');
  await expect(events.first()).toBeVisible();
  await events.first().click();
  await expect(sheet(page)).toContainText('sailing');
  await page.keyboard.press('Escape');
  await calendar.getByRole('link', { name: 'agenda' }).click();
  await expect(calendar.locator('dt').first()).toBeVisible();
});

test('a page that somebody else’s save concerns is read again, and not while its reader types', async ({ page, browser, baseURL }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/board');
  const other = await (await browser.newContext({ baseURL })).newPage();
  await signIn(other, 'egil');
  await page.getByRole('searchbox').focus();
  await other.goto('/apps/maintenance/board');
  const card = other.locator('[data-column="open"] .board-card[data-stays=""]').first();
  const key = await card.getAttribute('data-key');
  await expect(page.locator(`[data-column="open"] [data-key="${key}"]`)).toHaveCount(1);
  await card.focus();
  await other.keyboard.press('Alt+ArrowRight');
  await expect(other.locator('#messages')).toContainText(/moved\./);
  await expect(page.getByText('waits until you are done')).toBeVisible();
  await page.getByRole('searchbox').blur();
  await expect(page.locator(`[data-column="open"] [data-key="${key}"]`)).toHaveCount(0);
  await other.locator('#messages').getByRole('button', { name: 'Undo' }).click();
  await expect(other.locator('#messages')).toContainText('Undone');
  await other.context().close();
});

test('on a wall pages follow one another without a masthead', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/punctuality?wall=5');
  await expect(page.getByRole('link', { name: 'All your apps' })).toHaveCount(0);
  await page.waitForURL(/change_board\?wall=5/, { timeout: 15_000 });
});

// The longest task of the page while something is done, in milliseconds. It is printed, and holds nothing: the machine is busy.
async function longestTask(page, what, act) {
  await page.evaluate(() => {
    globalThis.longest = 0;
    new PerformanceObserver(list => list.getEntries().forEach(entry => { globalThis.longest = Math.max(globalThis.longest, entry.duration); })).observe({ type: 'longtask' });
  });
  await act();
  await page.waitForTimeout(200);
  console.log(`longest task while ${what}: ${Math.round(await page.evaluate(() => globalThis.longest))} ms (0: none over 50)`);
}

test('a board of more than 500 cards shows all of them and one is carried across it', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/board');
  const cards = page.locator('.board-card');
  await longestTask(page, 'the cards of a board come into view', async () => {
    for (let more = page.locator('.board .more'); await more.count() > 0;) {
      // The last one may go between being counted and being looked for.
      await more.first().scrollIntoViewIfNeeded({ timeout: 2000 }).catch(() => {});
      await page.waitForTimeout(60);
    }
  });
  expect(await cards.count()).toBeGreaterThan(500);
  const card = cards.nth(3);
  const title = await card.getByRole('heading').textContent();
  await page.locator('.board-cards').evaluateAll(columns => { for (const column of columns) column.scrollTop = 0; });
  await page.evaluate(() => scrollTo(0, 0));
  await longestTask(page, `a card is carried over ${await cards.count()} others`, async () => {
    const to = page.locator('.board-column').nth(1).getByRole('listitem').nth(2);
    await drag(page, await middle(card), await middle(to));
  });
  await expect(message(page)).toContainText(`“${title}” moved.`);
  await message(page).getByRole('button', { name: 'Undo' }).click();
  await expect(message(page)).toContainText('Undone');
});

test('a timeline of 2,000 bars is scrolled, and what is dropped outside it stays where it was', async ({ page }) => {
  await signIn(page, 'oskar');
  await page.goto('/apps/timetable/vessel_plan?plan.span=month');
  const bars = page.locator('#panel-plan [data-bar]');
  await expect(bars).toHaveCount(2000);
  await longestTask(page, 'a timeline of 2,000 bars is scrolled and one is drawn', async () => {
    for (let step = 0; step < 10; step++) await page.mouse.wheel(0, 200);
    await page.evaluate(() => scrollTo(0, 0));
    const bar = bars.first();
    await bar.scrollIntoViewIfNeeded();
    const at = await middle(bar.locator('.bar-whole'));
    await page.mouse.move(at.x, at.y);
    await page.mouse.down();
    await page.mouse.move(at.x + 60, at.y, { steps: 10 });
    await page.mouse.up();
  });
  await page.goto('/apps/timetable/calendar?sailings.span=week');
  const event = page.locator('#panel-sailings [data-event]').first();
  const key = await event.getAttribute('data-key');
  const from = await event.getAttribute('data-from');
  await drag(page, await middle(event), { x: 10, y: 10 });
  await expect(page.locator(`[data-event][data-key="${key}"]`).first()).toHaveAttribute('data-from', from);
  await expect(page).toHaveURL(/calendar/);
});

