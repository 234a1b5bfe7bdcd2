// The shelf of workings: each answers while it is typed, without a script, and by its link; what is kept stands with
// the bank.
import { expect, test } from './fixtures.mjs';

// What is typed into each, and a piece of the answer that follows from it by hand.
const cases = [
  ['volts', 'Volts of the whole', '28', 'at rest that is full'],
  ['window', 'Capacity', '100', 'kWh of'],
  ['count', 'System', '12', '4 of LFP'],
  ['path', 'Volts at cut-off', '44', '37.9 A at 44.0 V'],
  ['cable', 'The larger of load and charge', '150', 'mm²'],
  ['stock', 'or a bar, wide', '30', 'A bar of 64.5 mm²'],
  ['fuse', 'The larger of load and charge', '40', 'A fuse of 50 A'],
  ['precharge', 'Capacitance', '10000', 'Hold for 1.41 s'],
  ['join', 'Second, at rest', '20', 'Do not close it'],
  ['share', 'Load', '9000', 'A a string'],
  ['balance', 'BMS balances with', '1', 'Wait 1.8 days'],
  ['acts', "Charger's setting", '32', 'At the top'],
  ['load', 'Wanted at the start', '14', '14 A at 14 V'],
  ['times', 'Channels at once', '7', 'on 7 channels'],
  ['screw', 'Usable depth of the hole', '20', 'or 25 mm'],
  ['joints', 'Current', '20', 'bar 3'],
  ['sample', 'Of', '5', 'the weakest of the rest'],
  ['runtime', 'Usable', '9', 'All at once'],
  ['idle', 'Capacity', '200', 'days to the floor'],
  ['money', 'Modules in the bank', '16', 'in all'],
];

test('every working answers while it is typed, and its link holds the inputs', async ({ page, server }) => {
  const errors = [];
  page.on('pageerror', (e) => errors.push(String(e)));
  for (const [key, label, value, says] of cases) {
    await page.goto(`${server.url}/workings/${key}`);
    await page.locator('.inputs').getByLabel(label, { exact: true }).fill(value);
    await expect(page.locator('#answer .says'), key).toContainText(says);
    await expect(page, key).toHaveURL(/typed=1/);
    const text = await page.locator('#answer .says').innerText();
    await page.goto(page.url());
    expect(await page.locator('#answer .says').innerText(), key).toBe(text);
    await expect(page.locator('.inputs').getByLabel(label, { exact: true })).toHaveValue(value);
    expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)).toBe(
      0,
    );
  }
  expect(errors).toEqual([]);
});

test('what cannot be is named beside the answer, and what was typed stays', async ({ page, server }) => {
  await page.goto(`${server.url}/workings/join`);
  await page.getByLabel('First, at rest').fill('a lot');
  await expect(page.locator('#answer')).toContainText('First, at rest:');
  await expect(page.getByLabel('First, at rest')).toHaveValue('a lot');
  await page.getByLabel('First, at rest').fill('26,6');
  await expect(page.locator('#answer .says')).toContainText('flow at first');
});

test('a working opened from a bank is filled, kept with it, and its rating waits in the parts', async ({
  page,
  server,
}) => {
  await page.goto(`${server.url}/banks/2#workings`);
  await page.locator('#workings').getByRole('link', { name: /^Fuse/ }).click();
  await expect(page.locator('.head')).toContainText('Filled from');
  const says = await page.locator('#answer .says').innerText();
  await page.getByLabel('Your initials').fill('AK');
  await page.getByRole('button', { name: /Keep this with/ }).click();
  await expect(page).toHaveURL(/banks\/2#workings/);
  await expect(page.locator('#workings')).toContainText(says.trim());
  await page.goto(`${server.url}/banks/2/sheet`);
  await expect(page.locator('main')).toContainText('Currents, conductors, fuses');
  await expect(page.locator('main')).toContainText(says.trim());
  await page.goto(`${server.url}/workings/cable?at=bank-2&length=1.5`);
  await page.getByRole('link', { name: /Use this rating/ }).click();
  await expect(page.locator('#parts input[name=cable_a]')).not.toHaveValue('');
});

test.describe('without a script', () => {
  test.use({ javaScriptEnabled: false });
  test('a working answers at a press', async ({ page, server }) => {
    await page.goto(`${server.url}/workings/fuse`);
    await page.getByLabel('The larger of load and charge').fill('40');
    await page.getByRole('button', { name: 'Work it out' }).click();
    await expect(page.locator('#answer .says')).toContainText('A fuse of 50 A');
  });
});
