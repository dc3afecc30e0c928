// What a colleague who sits in it all day relies on: the keys, and that nothing typed is lost.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

test('the keyboard reaches search, records and back', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  await page.keyboard.press('/');
  await page.keyboard.type('pump');
  await expect(page).toHaveURL(/q=pump/);
  await expect(page.getByRole('searchbox')).toHaveValue('pump');
  await page.getByRole('searchbox').blur();
  await page.keyboard.press('j');
  await page.keyboard.press('j');
  await page.keyboard.press('Enter');
  await expect(sheet(page).getByRole('heading')).toHaveText(await rows(page).nth(1).locator('th').textContent());
  await page.keyboard.press('j');
  await expect(sheet(page)).toHaveAttribute('data-key', await rows(page).nth(2).getAttribute('data-key'));
  await expect(rows(page).nth(2)).toHaveClass(/open/);
  await page.keyboard.press('Escape');
  await expect(page.locator('[data-sheet]')).toHaveCount(0);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'The keys of this screen' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page).not.toHaveURL(/record=/);
  await page.goBack();
  await expect(sheet(page).getByRole('heading')).toBeVisible();
});

test('leaving a record with unsaved text asks first', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  await rows(page).first().click();
  await sheet(page).getByRole('textbox', { name: 'Title' }).fill('half typed');
  page.once('dialog', dialog => dialog.dismiss());
  await page.keyboard.press('Escape');
  await expect(sheet(page).getByRole('textbox', { name: 'Title' })).toHaveValue('half typed');
  page.once('dialog', dialog => dialog.accept());
  await page.keyboard.press('Escape');
  await expect(page.locator('[data-sheet]')).toHaveCount(0);
});

test('Save that is being pressed while the form is checked saves', async ({ page }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects');
  await rows(page).first().click();
  const save = sheet(page).getByRole('button', { name: 'Save', exact: true });
  await sheet(page).getByRole('textbox', { name: 'Title' }).pressSequentially('!');
  const checked = page.waitForResponse(response => response.url().includes('handler=Check'));
  await save.hover();
  await page.mouse.down();
  await checked;
  await page.waitForTimeout(300);
  await page.mouse.up();
  await expect(page.getByRole('status').filter({ hasText: 'saved.' })).toBeVisible();
});

test.describe('a session that ends while somebody types', () => {
  test.use({ expectedErrors: [/status of 401|Status Error Code 401/] });

  test('keeps the text, and the save works after signing in again', async ({ page, context }) => {
    await signIn(page, 'maren');
    await page.goto('/apps/maintenance/defects');
    await rows(page).first().click();
    await sheet(page).getByRole('textbox', { name: 'Title' }).fill('typed before it ended');
    await context.clearCookies({ name: 'rostrum' });
    await sheet(page).getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('Your session has ended');
    await expect(sheet(page).getByRole('textbox', { name: 'Title' })).toHaveValue('typed before it ended');
    const other = await context.newPage();
    await signIn(other, 'maren');
    await sheet(page).getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('“typed before it ended” saved.');
  });
});

test('a conflict shows both sides and lets each be taken', async ({ page, browser }) => {
  await signIn(page, 'maren');
  await page.goto('/apps/maintenance/defects?defects.selected=500');
  const context = await browser.newContext();
  const other = await context.newPage();
  await signIn(other, 'bea');
  await other.goto('/apps/maintenance/defects?defects.selected=500');
  await sheet(other).getByRole('textbox', { name: 'Title' }).fill('As Bea has it');
  await sheet(other).getByRole('button', { name: 'Save', exact: true }).click();
  await expect(other.getByRole('status')).toContainText('saved.');
  await context.close();
  await sheet(page).getByRole('textbox', { name: 'Title' }).fill('As Maren has it');
  await sheet(page).getByRole('button', { name: 'Save', exact: true }).click();
  await expect(sheet(page).getByRole('alert')).toContainText('Somebody else saved this defect');
  await sheet(page).getByRole('button', { name: 'Use this' }).click();
  await expect(sheet(page).getByRole('textbox', { name: 'Title' })).toHaveValue('As Bea has it');
});

test('the colours that somebody chose stay chosen', async ({ page }) => {
  await signIn(page, 'bea');
  await page.goto('/');
  await page.getByText('Bea Holm').click();
  await page.getByRole('button', { name: 'Dark' }).click();
  await page.reload();
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark');
});
