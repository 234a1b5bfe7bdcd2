// A bank that stands gets a BMS of its own, and a module's hours at a load are kept: two things that people bring.
import { expect, room, test } from './fixtures.mjs';

test('a BMS for a bank that stands: chosen, refused in work, its leads measured out of work', async ({
  page,
  server,
}) => {
  await page.goto(`${server.url}/services/2`); // as it was printed once
  await expect(page).toHaveURL(/\/banks\/8$/);
  const card = page.locator('#bms');
  await room(page, 'BMS');
  await card.getByLabel('T8-100').check();
  await card.getByRole('textbox', { name: /initials/i }).fill('EM');
  await card.getByRole('button', { name: 'Take the one chosen' }).click();
  await expect(card).toContainText('T8-100 is to be fitted');
  const rows = card.locator('table.sense tbody tr');
  await expect(rows).toHaveCount(10); // nine leads, and the top against lead 0
  const volts = (await rows.locator('td:nth-child(3)').allInnerTexts()).map(parseFloat);
  expect(volts[0]).toBe(0);
  expect(Math.abs(volts[8] - volts[9])).toBeLessThan(0.011);
  const measure = async (swap) => {
    for (let i = 0; i < 9; i++) {
      const at = swap && i === 3 ? 4 : swap && i === 4 ? 3 : i;
      await card.locator(`input[name=s${i}]`).fill(String(volts[at]));
    }
    await card.locator('input[name=top]').fill(String(volts[9]));
    const soFar = swap ? 'that is the voltage of lead' : 'Nothing odd so far';
    await expect(card.locator('.sofar')).toContainText(soFar); // before anybody judges them
    await card.getByRole('button', { name: 'Judge the leads' }).click();
  };
  await measure(false);
  await expect(card).toContainText('is in work, as far as is recorded');
  const gates = page.locator('form[action$="/gates"]');
  await room(page, 'Out of work and back');
  for (const box of await gates.getByRole('checkbox').all()) await box.check();
  await gates.getByLabel(/No current/).fill('0.1');
  await gates.getByLabel(/Wait for capacitors/).fill('0.5');
  await gates.getByLabel(/Bank, end to end/).fill('26.5');
  await gates.getByRole('button', { name: 'It is out of work: keep all of this' }).click();
  await expect(page.locator('#gates')).toContainText('Every gate is recorded');
  await room(page, 'BMS');
  await measure(true);
  await expect(card).toContainText(/leads? 3/i);
  await measure(false);
  await expect(card.getByText('good', { exact: false }).first()).toBeVisible();
});

test('hours at a load: asked, refused by its field, kept as at least', async ({ page, server }) => {
  await page.goto(`${server.url}/modules/K-122/test`);
  await page.getByRole('link', { name: 'It ran for some hours at a load' }).click();
  await page.getByLabel('It ran for').fill('2');
  await page.getByRole('textbox', { name: /initials/i }).fill('EM');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.locator('#main')).toContainText('expected the amps or the watts');
  await expect(page.getByLabel('It ran for')).toHaveValue('2'); // what was typed stays
  await page.getByLabel('Or at').fill('294');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page).toHaveURL(/\/modules\/K-122#tests$/);
  await expect(page.locator('#main')).toContainText('20.0 Ah');
  await expect(page.locator('#main')).toContainText('at least');
});
