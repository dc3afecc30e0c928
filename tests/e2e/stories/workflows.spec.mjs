// A builder writes a workflow, tries it, publishes it; what colleagues save sets it off; somebody decides.
import { expect, rows, sheet, signIn, test } from '../tools/fixtures.mjs';

test('a builder writes a workflow, tries it and publishes it, and a save sets it off', async ({ page, browser, baseURL }) => {
  await signIn(page, 'bea');
  await page.goto('/build/workflows');
  await page.getByLabel('Name').fill('Tell Maren of ropes');
  await page.getByLabel('Begin with').selectOption('empty');
  await page.getByRole('button', { name: 'Create' }).click();
  const dock = page.getByRole('region', { name: /Trigger|Tell|Compute/ });
  const flow = page.getByRole('region', { name: 'Steps' });

  // The trigger: after a defect is added whose title speaks of ropes.
  await page.getByLabel('Trigger', { exact: true }).selectOption('afterSave');
  // Where another story has connected a source with such a table, the source's name stands beside it.
  await page.getByLabel('Dataset').selectOption(await page.getByLabel('Dataset').locator('option', { hasText: /^Defects(, Fleet)?$/ }).first().getAttribute('value'));
  await expect(flow.getByText('After a defect is added or changed')).toBeVisible();
  await page.getByRole('checkbox', { name: 'Changed' }).uncheck();
  await expect(flow.getByText('After a defect is added', { exact: true })).toBeVisible();

  // A step, by the keyboard.
  await flow.getByRole('link', { name: /After a defect is added/ }).focus();
  await page.keyboard.press('a');
  await page.getByRole('dialog', { name: 'Add a step' }).getByRole('button', { name: 'Tell people in their inbox' }).click();
  await expect(flow.getByRole('link', { name: /Tell people in their inbox/ })).toHaveAttribute('aria-current', 'true');
  await page.getByLabel('To', { exact: true }).fill('superintendent');
  await page.getByLabel('Title').fill('A rope: ${trigger.record.titl}');
  await page.keyboard.press('Tab');

  // What is misspelt is found, and corrected with a press.
  await page.keyboard.press('Control+.');
  await expect(page.getByRole('link', { name: '1 problem' })).toBeVisible();
  await page.getByRole('button', { name: 'Write “title”' }).click();
  await expect(page.getByRole('link', { name: 'No problems' })).toBeVisible();
  await expect(flow.getByText('A rope: ${trigger.record.title}')).toBeVisible();

  // Undo, redo.
  await flow.getByRole('link', { name: /Tell people/ }).focus();
  await page.keyboard.press('Control+z');
  await expect(flow.getByText('A rope: ${trigger.record.titl}')).toBeVisible();
  await flow.getByRole('link', { name: /Tell people/ }).focus();
  await page.keyboard.press('Control+Shift+z');
  await expect(flow.getByText('A rope: ${trigger.record.title}')).toBeVisible();

  // A trial shows what it would do.
  await page.getByRole('link', { name: 'Try' }).click();
  await page.getByRole('button', { name: 'Try the draft' }).click();
  await expect(page.getByText('done', { exact: true }).first()).toBeVisible();
  await expect(page.getByText('Not carried out: this is a trial.')).toBeVisible();

  await page.getByRole('link', { name: 'Tell Maren of ropes' }).click();
  await page.getByRole('link', { name: 'Publish', exact: true }).click();
  await page.getByLabel('Notes on version 1').fill('For the superintendent');
  await page.getByRole('button', { name: 'Publish', exact: true }).click();
  await expect(page.getByText('Version 1 is live.')).toBeVisible();

  const context = await browser.newContext({ baseURL });
  const maren = await context.newPage();
  await signIn(maren, 'maren');
  await maren.goto('/apps/maintenance/defects?defects.new=1');
  await sheet(maren).getByRole('textbox', { name: 'Title' }).fill('Mooring rope chafed through');
  await sheet(maren).locator('.ts-control').first().click();
  await maren.keyboard.type('Kitti');
  await maren.getByRole('option', { name: /Kittiwake/ }).click();
  await sheet(maren).getByRole('button', { name: 'Add defect' }).click();
  await expect(maren.getByText('added.')).toBeVisible();
  await expect(async () => {
    await maren.goto('/inbox');
    await expect(maren.getByText('A rope: Mooring rope chafed through').first()).toBeVisible({ timeout: 500 });
  }).toPass();

  // The same once more is stopped by the demo's guard, with what was typed kept.
  await maren.goto('/apps/maintenance/defects?defects.new=1');
  await sheet(maren).getByRole('textbox', { name: 'Title' }).fill('Mooring rope chafed through');
  await sheet(maren).locator('.ts-control').first().click();
  await maren.keyboard.type('Kitti');
  await maren.getByRole('option', { name: /Kittiwake/ }).click();
  await sheet(maren).getByRole('button', { name: 'Add defect' }).click();
  await expect(sheet(maren).getByText(/has an open defect “Mooring rope chafed through” already/).first()).toBeVisible();
  await expect(sheet(maren).getByRole('textbox', { name: 'Title' })).toHaveValue('Mooring rope chafed through');
  await context.close();

  await page.goto('/build/workflows');
  await page.getByRole('link', { name: 'Runs of Tell Maren of ropes' }).click();
  await expect(page.getByText('Mooring rope chafed through was added').first()).toBeVisible();
  await page.getByRole('row', { name: /Mooring rope/ }).getByRole('link').first().click();
  await expect(page.getByText('told 1 person').first()).toBeVisible();
  expect(await dock.count()).toBe(0);
});

test('a timetable change waits until two people agree', async ({ page, browser, baseURL }) => {
  await signIn(page, 'pia');
  await page.goto('/apps/timetable/timetable_changes?timetable_changes.new=1');
  await sheet(page).getByLabel('Reason').fill('The lighthouse is being painted');
  await sheet(page).locator('.ts-control').first().click();
  await page.keyboard.type('R09');
  await page.getByRole('option', { name: /Stennis/ }).last().click();
  await sheet(page).getByRole('button', { name: 'Add timetable change' }).click();
  await expect(page.getByText('added.')).toBeVisible();

  for (const [who, answer] of [['maren', 'Agree'], ['oskar', 'Agree']]) {
    const context = await browser.newContext({ baseURL });
    const other = await context.newPage();
    await signIn(other, who);
    await expect(async () => {
      await other.goto('/inbox');
      await expect(other.getByText(/Agree to a change of/).first()).toBeVisible({ timeout: 500 });
    }).toPass();
    await other.getByRole('link', { name: /Agree to a change of/ }).first().click();
    await expect(other.getByText('The lighthouse is being painted')).toBeVisible();
    await other.getByRole('button', { name: answer }).click();
    await expect(other.getByText(`Your answer: ${answer}.`)).toBeVisible();
    await context.close();
  }

  await expect(async () => {
    await page.goto('/apps/timetable/timetable_changes?timetable_changes.q=lighthouse');
    await expect(rows(page)).toHaveCount(1, { timeout: 1000 });
    await expect(rows(page)).toContainText('agreed', { timeout: 500 });
  }).toPass();
});
