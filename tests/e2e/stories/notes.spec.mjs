import AxeBuilder from '@axe-core/playwright';
import { readFile } from 'node:fs/promises';
import { expect, signIn, test } from '../tools/fixtures.mjs';

const picture = new URL('../../../docs/screenshots/record.png', import.meta.url).pathname;

test('an engineer notes something about a defect, mentions the superintendent, and she answers', async ({ page }) => {
  await signIn(page, 'egil');
  await page.goto('/apps/maintenance/defects?defects.selected=7');
  await page.getByRole('tab', { name: 'Logbook' }).click();
  const note = page.getByLabel('New note');
  await note.pressSequentially('Needs a **seal**. @Mar');
  await expect(page.getByRole('option', { name: 'Maren Vik' })).toHaveAttribute('aria-selected', 'true');
  expect((await new AxeBuilder({ page }).setLegacyMode().analyze()).violations.map(violation => violation.id)).toEqual([]);
  await page.keyboard.press('Enter');
  await expect(note).toHaveValue('Needs a **seal**. @Maren Vik ');
  await page.getByLabel('Choose files for the note').setInputFiles({ name: 'reading.txt', mimeType: 'text/plain', buffer: Buffer.from('12 bar') });
  await expect(page.getByText('reading.txt', { exact: true })).toBeVisible();
  // A picture from the clipboard stands where it is pasted.
  await note.evaluate((area, bytes) => {
    const clipboardData = new DataTransfer();
    clipboardData.items.add(new File([Uint8Array.from(atob(bytes), letter => letter.charCodeAt(0))], 'image.png', { type: 'image/png' }));
    area.dispatchEvent(new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }));
  }, (await readFile(picture)).toString('base64'));
  await expect(note).toHaveValue('Needs a **seal**. @Maren Vik ![](image.png)');
  await note.press('Control+Enter');
  const written = page.locator('.log-entry', { hasText: 'Needs a seal' });
  await expect(written.getByText('@Maren Vik')).toBeVisible();
  await expect.poll(() => written.locator('.note-text img').evaluate(shown => shown.naturalWidth)).toBeGreaterThan(0);
  await expect(written.getByText('image.png')).toHaveCount(0);
  await expect(note).toHaveValue('');
  await expect(page.getByText('was not saved')).toHaveCount(0);
  // What was typed into a note is no change of the record.
  await page.getByRole('link', { name: 'Close', exact: true }).click();
  await expect(page.locator('[data-sheet]')).toHaveCount(0);

  await page.context().clearCookies();
  await signIn(page, 'maren');
  await page.goto('/inbox');
  await expect(page.getByText('mentioned you: “Needs a seal').first()).toBeVisible();
  await page.locator('.inbox li', { hasText: 'Needs a seal' }).getByRole('link').click();
  await page.getByRole('tab', { name: 'Logbook' }).click();
  await written.getByRole('button', { name: 'Reply' }).click();
  await expect(page.getByText('In reply to Egil Strand')).toBeVisible();
  await note.pressSequentially('Ordered');
  await page.getByRole('button', { name: 'Add note' }).click();
  const answer = page.locator('.log-entry', { hasText: 'Maren Vik answered Egil Strand' });
  await expect(answer.getByRole('blockquote')).toContainText('Needs a seal');
  await answer.getByRole('button', { name: 'Edit' }).click();
  await page.getByLabel('Note', { exact: true }).fill('Ordered today');
  await page.getByRole('button', { name: 'Save', exact: true }).first().click();
  await expect(answer.getByText('Ordered today')).toBeVisible();
  await answer.getByRole('button', { name: 'edited' }).click();
  await expect(answer.getByText(/Ordered$/)).toBeVisible();
  await answer.getByRole('button', { name: 'Delete' }).click();
  await expect(page.getByText('deleted a note')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).first().click();
  await expect(page.getByText('Ordered today')).toBeVisible();
  await page.setViewportSize({ width: 390, height: 844 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
});
