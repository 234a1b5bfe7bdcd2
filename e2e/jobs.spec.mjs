// Six of the visitors' jobs in the browser, each from an empty workshop and with what that visitor knows: the same walks
// as in jobs/, by hand and eye instead of by forms. What a page must say is asserted where it is read.
import { expect, test } from './fixtures.mjs';
import { violations } from './a11y.mjs';

test.use({ command: 'serve' });

// Visitor fills in fields by their labels and presses a button; what is folded away is unfolded first, as a person would.
class Visitor {
  constructor(page, server) {
    Object.assign(this, { page, url: server.url });
  }
  async open(path) {
    await this.page.goto(this.url + path);
  }
  async send(button, ...fill) {
    const press = this.page.getByRole('button', { name: button }).first();
    const labels = fill.filter((_, i) => i % 2 === 0);
    await this.page.evaluate(() => document.querySelectorAll('main details').forEach((d) => (d.open = true)));
    let form = this.page.locator('form').filter({ has: this.page.getByRole('button', { name: button }) });
    for (const l of labels) form = form.filter({ has: this.page.getByLabel(l) });
    form = form.first();
    for (let i = 0; i + 1 < fill.length; i += 2) {
      const field = form.getByLabel(fill[i]).first();
      const kind = await field.evaluate((e) => (e.tagName === 'SELECT' ? 'select' : e.type));
      if (kind === 'select') await field.selectOption(fill[i + 1]);
      else if (kind === 'checkbox' || kind === 'radio') await field.check({ force: true });
      else await field.fill(fill[i + 1]);
    }
    const by = form.getByLabel('Your initials');
    if ((await by.count()) && !(await by.first().inputValue())) await by.first().fill('AK');
    await (labels.length ? form.getByRole('button', { name: button }).first() : press).click();
    await this.page.waitForTimeout(150);
    await this.page.waitForLoadState('domcontentloaded');
  }
  async says(...texts) {
    for (const t of texts) await expect(this.page.locator('main')).toContainText(t);
  }
  async never(...texts) {
    for (const t of texts) await expect(this.page.locator('main')).not.toContainText(t);
  }
}

test('the fish stall: what goes round the switch is named', async ({ page, server }) => {
  const v = new Visitor(page, server);
  await v.open('/banks/standing');
  await v.send(
    'Judge it',
    'Name of the bank',
    'Fish stall',
    'Groups in series',
    '4',
    'End to end',
    '12.30',
    'Chemistry',
    'lfp',
    'Capacity',
    '105 Ah',
    'It opens the circuit',
    'yes',
    'A line for each way',
    'outlet 1: behind the switch; fuse 15 A; charger 16 A\noutlet 2: at the cells; fuse 10 A',
    'Can it freeze there',
    'yes',
  );
  await v.says(
    'goes round the switch',
    '16 A flow through fuse 15 A',
    'nothing is known that keeps it from being charged',
  );
  // Each stop leads to where it is settled, and what it leads to is there.
  for (const to of await page
    .locator('.finding-stop .answers a')
    .evaluateAll((all) => all.map((a) => a.getAttribute('href'))))
    if (to.startsWith('#')) expect(await page.locator(to).count(), to).toBe(1);
  expect(await violations(page)).toEqual([]);
});

test('the clock shop: what is asked of a designed bank is changed where it stands', async ({ page, server }) => {
  const v = new Visitor(page, server);
  await v.open('/start?what=cells');
  await v.send(
    'Go on',
    'Chemistry',
    'lfp',
    'How many',
    '9',
    'Rated capacity',
    '90',
    'Or groups in series',
    '8',
    'Load',
    '1200',
    'Name of the bank',
    'Clock shop',
  );
  await v.says('8 groups, device not known');
  await v.send('Match modules and reserve them');
  await v.says('Not tested yet');
  // A way on opens the fold that it leads into.
  await page.evaluate(() => document.querySelectorAll('main details').forEach((d) => (d.open = false)));
  await page.evaluate(() => (location.hash = '#need'));
  await expect(page.getByLabel('Device cuts off at')).toBeVisible();
  await v.send(
    'Judge the design by this',
    'Load',
    '48 A',
    'Device cuts off at',
    '22',
    'Highest charge setting',
    '28.4',
  );
  await v.says('22 to 28.4 V, 48 A', '45 to 90 Ah');
});

test('the cider press: one group alone, beside a meter', async ({ page, server }) => {
  const v = new Visitor(page, server);
  await v.open('/workings/one-group');
  await v.says('An example: none of its numbers is yours', 'At most 12 h at 5 A', 'off after 14.4 h');
  await page.getByLabel('Charger ends by itself at').fill('0');
  await v.says('never charges a group', '4.20 V or less');
  expect(await violations(page)).toEqual([]);
});

test('the tool shed: ends only', async ({ page, server }) => {
  const v = new Visitor(page, server);
  await v.open('/start?what=modules');
  await v.send('Go on', 'Chemistry', 'lfp', 'Groups in series', '4', 'How many', '2', 'Rated capacity', '100');
  await v.open('/lots/1/look');
  await v.send('All others clear', 'I looked at each', 'yes');
  await v.open('/lots/1/survey');
  await v.send('Judge and keep all rows', 'M-001 end to end', '13.20', 'M-002 end to end', '13.25');
  await v.open('/modules/M-001');
  await v.says('13.20 V end to end', 'Groups not read: none of its 4', 'voltage cannot tell the charge there');
  await v.never('mV apart');
});

test('resistors: one group and the whole module', async ({ page, server }) => {
  const v = new Visitor(page, server);
  const heap = new URLSearchParams({
    typed: 1,
    start: '4.10',
    whole: '24.6',
    stock: 'R22: 0.22 100 15',
    s: 3,
    p: 5,
    derate: 50,
  });
  await v.open(`/workings/load?${heap}`);
  await v.says('31.1 A at 4.1 V', '8.49 W in each', 'takes 186 A and 306 W in each: refused');
});

test('the shelf: five strings drawn as they stand', async ({ page, server }) => {
  const v = new Visitor(page, server);
  await v.open('/banks/standing');
  await v.send(
    'Judge it',
    'Name of the bank',
    'The shelf',
    'Groups in series',
    '14 or 16',
    'End to end',
    '53.2',
    'Strings',
    '5',
    'Modules in series in a string',
    '2',
  );
  await v.says('14 or 16 groups', '58.4 to 67.2 V while that is open', 'One group read at rest settles the count');
  await expect(page.getByRole('img', { name: 'How The shelf stands' })).toBeVisible();
  await v.says('7 or 8 groups, 26.60 V', 'Its joints in the order in which they are made: 10');
  expect(await violations(page)).toEqual([]);
});
