// What is typed is not lost: neither in a record's sheet nor in a rule, when the tab is closed, the page reloaded or the session over.
import { expect, signIn, test } from '../tools/fixtures.mjs';

const offer = page => page.getByText(/What you typed here.*was not saved/);
const kept = page => page.waitForResponse(answer => answer.url().endsWith('/unsaved') && answer.request().method() === 'POST');

test.describe('a session that ends', () => {
  // What is kept on leaving may come after the next sign-in, with the form of the one before: it is refused, and the tab keeps it.
  test.use({ expectedErrors: [/status of 40[01]|Status Error Code 401/] });

  test('a form that was left is offered with what was typed into it, until it is saved', async ({ page }) => {
    page.on('dialog', dialog => dialog.accept());
    await signIn(page, 'maren');
    await page.goto('/apps/maintenance/defects?defects.selected=21');
    const title = page.getByRole('textbox', { name: 'Title', exact: true });
    const stored = kept(page);
    await title.fill('Typed and not saved');
    await stored;
    await page.reload();
    await expect(offer(page)).toBeVisible();
    await expect(title).not.toHaveValue('Typed and not saved');
    await page.getByRole('button', { name: 'Restore' }).click();
    await expect(title).toHaveValue('Typed and not saved');
    await expect(offer(page)).toHaveCount(0);

    // The session ends under it: the tab keeps what the server no longer takes, and gives it back after another sign-in.
    await page.context().clearCookies();
    await title.fill('Typed after the session had ended');
    await expect.poll(() => page.evaluate(() => Object.keys(sessionStorage).some(name => name.startsWith('unsaved:')))).toBe(true);
    await signIn(page, 'maren');
    await page.goto('/apps/maintenance/defects?defects.selected=21');
    await page.getByRole('button', { name: 'Restore' }).click();
    await expect(title).toHaveValue('Typed after the session had ended');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByText(/“Typed after the session had ended” saved/)).toBeVisible();
    await page.goto('/apps/maintenance/defects?defects.selected=21');
    await expect(title).toHaveValue('Typed after the session had ended');
    await page.waitForLoadState('networkidle');
    await expect(offer(page)).toHaveCount(0);
  });
});

test('all that match are changed by a formula, watched, and taken back', async ({ page }) => {
  await signIn(page, 'clem');
  await page.goto('/apps/maintenance/fuel_logs');
  await page.getByRole('checkbox', { name: 'Check all that are shown' }).check();
  await page.getByRole('button', { name: 'Change all…' }).click();
  const ask = page.getByRole('dialog');
  await ask.getByRole('textbox', { name: 'Litres' }).fill('= litres + 1');
  await ask.getByRole('button', { name: 'Preview changes' }).click();
  await expect(ask.getByText(/3,000 fuel logs match\. Tried with the first 500/)).toBeVisible();
  await ask.getByRole('button', { name: 'Change 3,000 fuel logs' }).click();
  const bar = page.locator('[data-message]');
  await expect(bar).toContainText('3,000 fuel logs changed.', { timeout: 60_000 });
  await bar.getByRole('button', { name: 'Undo' }).click();
  await expect(bar).toContainText('3,000 fuel logs changed back.', { timeout: 60_000 });
  await bar.getByRole('link', { name: 'Details' }).click();
  await expect(page.getByRole('heading', { name: 'Undo of many changes' })).toBeVisible();
});
