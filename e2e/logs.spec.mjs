// A log is looked into, cut and read again; logs of two halves become one result.
import { expect, room, test } from './fixtures.mjs';

test('a log is zoomed into, its figures follow, and a cut of it is read again', async ({ page, server }) => {
  await page.goto(`${server.url}/modules/K-001`);
  await room(page, 'Tests');
  await page.getByRole('link', { name: 'Look into it' }).first().click();
  const plot = page.locator('.plot-box');
  await expect(plot.locator('canvas')).toHaveCount(2);
  const whole = await page.locator('#stretch dd').first().innerText();
  expect(whole).toMatch(/^178\.5/);
  const box = await plot.locator('.u-over').first().boundingBox();
  await page.mouse.move(box.x + box.width * 0.3, box.y + 80);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.6, box.y + 90, { steps: 5 });
  await page.mouse.up();
  await expect(page.locator('#stretch h2')).toContainText('In view');
  await expect(page).toHaveURL(/from=\d+.*to=\d+/);
  const part = Number((await page.locator('#stretch dd').first().innerText()).split(' ')[0]);
  expect(part).toBeGreaterThan(50);
  expect(part).toBeLessThan(120);
  await plot.focus();
  await page.keyboard.press('+');
  await expect
    .poll(async () => Number((await page.locator('#stretch dd').first().innerText()).split(' ')[0]))
    .toBeLessThan(part * 0.6);
  await page.keyboard.press('Home');
  await expect(page.locator('#stretch h2')).toHaveText('All of it');
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'These lines as CSV' }).click(),
  ]);
  expect(file.suggestedFilename()).toMatch(/^K-001-log-\d+-0-to-\d+-s\.csv$/);

  const old = page.url();
  // Counted only to its second hour it is no capacity; the first reading stays.
  await page.getByText('Read it again: another cut').click();
  await page.getByLabel('Count only the discharge between').check();
  await page.locator('#stretch').getByLabel('to', { exact: true }).first().fill('7200');
  await page
    .locator('#stretch')
    .getByRole('textbox', { name: /initials/i })
    .fill('EM');
  await page.getByRole('button', { name: 'Read it again' }).click();
  await expect(page.locator('#main .says').first()).toContainText(/At least \d+\.\d Ah/);
  await page.goto(old);
  await expect(page.locator('#main .says').first()).toContainText('It was read again since');
  await expect(page.locator('.plot-box canvas')).toHaveCount(2);
});

const half = (groups, ah) => {
  const lines = [`time_s,volts,amps,${Array.from({ length: groups }, (_, i) => `cell${i + 1}_v`).join(',')}`];
  let t = 0;
  const row = (v, a) => {
    lines.push([t, (groups * v).toFixed(3), a, ...Array.from({ length: groups }, () => v.toFixed(3))].join(','));
    t += 30;
  };
  for (let i = 0; i < 70; i++) row(3.4, 0);
  for (let q = 0; q < ah; q += 20 / 120) row(3.3 - 0.8 * (q / ah) ** 8, -20);
  row(2.49, -20);
  row(2.48, -20);
  for (let i = 0; i < 70; i++) row(2.9, 0);
  return lines.join('\n');
};

test('logs of two halves are one result, and the log that does not fit asks which part it is', async ({
  page,
  server,
}) => {
  await page.goto(`${server.url}/modules/K-010/test`);
  const send = async (name, text) => {
    await page.locator('input[type="file"]').setInputFiles({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.getByRole('button', { name: 'Read it', exact: true }).click();
  };
  await send('lower.csv', half(2, 150));
  await expect(page.locator('#main')).toContainText('Say which part of it was on the clamps');
  await expect(page.getByRole('button', { name: /keep it/ })).toHaveCount(0);
  const look = page.locator('section', { hasText: 'Not kept yet' });
  await look.getByLabel('Only groups').fill('1');
  await look.getByLabel('to', { exact: true }).fill('2');
  await look.getByRole('textbox', { name: /initials/i }).fill('EM');
  await look.getByRole('button', { name: 'Read again with these columns' }).click();
  await page.getByRole('button', { name: /keep it/ }).click();
  await expect(page).toHaveURL(/\/modules\/K-010#tests$/);
  await expect(page.locator('#main')).toContainText('Ah into groups 1 to 2');
  await expect(page.getByRole('heading', { name: /Parts of it tested alone: at most/ })).toBeVisible();
  await page.goto(`${server.url}/modules/K-010/test`);
  await send('upper.csv', half(2, 160));
  await look.getByLabel('Only groups').fill('3');
  await look.getByLabel('to', { exact: true }).fill('4');
  await look.getByRole('button', { name: 'Read again with these columns' }).click();
  await page.getByRole('button', { name: /keep it/ }).click();
  await expect(
    page.getByRole('heading', { name: /Parts of it tested alone: 150\.\d ± \d\.\d Ah as one/ }),
  ).toBeVisible();
});
