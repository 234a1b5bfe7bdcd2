// A test on the cycler: begun from its module, watched, paused, and stopped only after a question.
import { expect, test } from './fixtures.mjs';
import { cycler } from './server.mjs';

test('a test is begun, watched, paused and stopped', async ({ page, server }) => {
  await page.goto(`${server.url}/tests`);
  await expect(page.locator('.tile')).toHaveCount(2); // the sample's own
  await page.goto(`${server.url}/modules/K-010/test`);
  const form = page.locator('form[action$="/run"]');
  await expect(form.getByLabel('Channel of the cycler')).toHaveValue('3'); // the first that is free
  await form.getByLabel('Channel of the cycler').fill('1');
  await form.getByRole('textbox', { name: /initials/i }).fill('EM');
  await form.getByRole('button', { name: /begin/ }).click();
  await expect(page.locator('#main')).toContainText(/is on channel 1: expected another/);
  await expect(form.getByLabel('Channel of the cycler')).toHaveValue('1');
  await form.getByLabel('Channel of the cycler').fill('4');
  await form.getByRole('button', { name: /begin/ }).click();
  await expect(page).toHaveURL(/\/tests\/\d+$/);
  await expect(page.locator('#live .says')).toContainText('Step 1 of 5: charge');
  await expect(page.locator('#live .table-responsive svg')).toHaveCount(2, { timeout: 20_000 }); // read, without a press
  // Each reading comes as it is read, sooner than the page is drawn anew.
  const charge = page.locator('#live [data-live="ah"]');
  const read = await charge.innerText();
  await expect(charge).not.toHaveText(read, { timeout: 3_000 });
  await expect(page.locator('#live [data-live="ends"]')).not.toBeEmpty();
  await page.getByRole('button', { name: /^Pause/ }).click();
  await expect(page.locator('#live .says')).toContainText('Paused');
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByRole('dialog')).toBeHidden();
  await expect(page.locator('#live .says')).toContainText('Step 1 of 5');
  await page.locator('#main').getByRole('button', { name: 'Stop', exact: true }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /leave it/ })
    .click();
  await expect(page.getByRole('dialog')).toBeHidden();
  await expect(page.locator('#live .says')).toContainText('Step 1 of 5');
  await page.locator('#main').getByRole('button', { name: 'Stop', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Stop' }).click();
  await expect(page.locator('#live .says')).toContainText('Stopped by hand');
  await expect(page.getByRole('button', { name: /^Pause/ })).toHaveCount(0);
  const [log] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Its readings as CSV' }).click(),
  ]);
  expect(log.suggestedFilename()).toMatch(/^test-\d+\.csv$/);
});

test('the program is killed in the middle of a test: the device goes on, and the step is picked up', async ({
  page,
  server,
}) => {
  await server.kill(); // and with it the cycler of the sample
  const device = await cycler('--chemistry', 'lfp', '--series', '4', '--ah', '180');
  try {
    await server.again('--cycler', device.address);
    await page.goto(`${server.url}/tests`);
    await expect(page.locator('#wall')).toContainText('The device knows nothing of this step', { timeout: 15_000 });
    await expect(page.locator('.tile')).toHaveCount(0, { timeout: 15_000 });
    await page.goto(`${server.url}/modules/K-010/test`);
    const form = page.locator('form[action$="/run"]');
    await form.getByRole('textbox', { name: /initials/i }).fill('EM');
    await form.getByRole('button', { name: /begin/ }).click();
    await expect(page).toHaveURL(/\/tests\/\d+$/);
    const ah = async () =>
      Number(/([\d.]+) Ah/.exec((await page.locator('#live dl').innerText()).replace(/\s+/g, ' '))[1]);
    await expect(page.locator('#live dl')).toContainText('Ah', { timeout: 20_000 });
    const before = await ah();
    await server.kill();
    await page.waitForTimeout(6000); // six minutes for the device
    await server.again('--cycler', device.address);
    await page.reload();
    await expect(page.locator('#live .says').first()).toContainText('Step 1 of 5');
    await expect.poll(ah, { timeout: 20_000 }).toBeGreaterThan(before + 1.5); // 20 A for six minutes are 2 Ah
  } finally {
    device.stop();
  }
});
