// A test with a plain charger: its clocks go on over a reload, a look that is due is said, and its result is the module's.
import { expect, test } from './fixtures.mjs';

test('a discharge by hand, with clocks that survive a reload', async ({ page, server }) => {
  await page.goto(`${server.url}/modules/K-010/test`);
  const begin = page.locator('form[action$="/byhand"]');
  await begin.getByLabel(/It is full already/).check();
  await begin.getByRole('textbox', { name: /initials/i }).fill('EM');
  await begin.getByRole('button', { name: 'Begin by hand' }).click();
  await expect(page).toHaveURL(/\/tests\/\d+$/);
  const look = page.getByRole('timer').first();
  await expect(look).toHaveText(/^1[45] min/);
  const before = await look.innerText();
  await expect(look).not.toHaveText(before); // it runs
  await page.reload();
  await expect(look).toHaveText(/^14 min/);
  await expect(page.getByRole('timer').nth(1)).toHaveText(/ h /);

  // Half of the groups are no reading, and what was typed stays. Nor is one without the current that flows.
  await page.getByLabel('In all').fill('13.1');
  await page.getByLabel('Current').fill('10');
  await page.getByLabel('Group 1', { exact: true }).fill('3.27');
  await page.getByRole('button', { name: 'Write it down' }).click();
  await expect(page.locator('#main')).toContainText('every one of 4, or none');
  await expect(page.getByLabel('In all')).toHaveValue('13.1');
  for (const g of [2, 3, 4]) await page.getByLabel(`Group ${g}`, { exact: true }).fill(g === 3 ? '1.95' : '3.27');
  await page.getByRole('button', { name: 'Write it down' }).click();
  await expect(page.locator('#main .says').first()).toContainText('below never-recharge');
  await page.getByRole('button', { name: 'The current is off' }).click();
  await expect(page).toHaveURL(/\/tests\/\d+$/);
  await expect(page.locator('#main')).toContainText('step 1 of');
  await page.getByRole('button', { name: 'Stop the test' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Stop the test' }).click();
  await expect(page.locator('#main .says').first()).toContainText('This test is over');
});

test('a test on the timeline is dragged to another channel', async ({ page, server }) => {
  await page.context().addCookies([{ name: 'pandrel_by', value: 'EM', url: server.url }]);
  await page.goto(`${server.url}/bench`);
  const rows = page.locator('[data-row]');
  const from = page.locator('[data-job="C-001"]');
  const name = await rows.nth(0).getAttribute('data-row');
  const box = await from.boundingBox();
  const to = await rows.nth(0).locator('.dr-row').boundingBox();
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + 10, to.y + to.height / 2, { steps: 6 });
  await page.mouse.up();
  await expect(page.locator('tr', { hasText: 'C-001' })).toContainText(`${name} held`);
});
