// Walks the whole line as a person would, from an empty workshop to a bank in service, by keyboard
// and mouse, with readings and logs of simulated modules.
import { expect, room, test } from './fixtures.mjs';
import { violations } from './a11y.mjs';
import { spawnSync } from 'node:child_process';
import { run, root } from './server.mjs';

let modules;
test.beforeAll(async () => {
  const out = spawnSync('go', ['run', './e2e/bench'], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
    env: { ...process.env, CGO_ENABLED: '0' },
  });
  if (out.status !== 0) throw new Error(out.stderr);
  modules = JSON.parse(out.stdout);
});
test.use({ command: 'serve' });

const says = (page) => page.locator('.says').first();
const field = (page, label) => page.getByLabel(label, { exact: true });

test('from a pile of modules to one checked bank', async ({ page, server }) => {
  const errors = [];
  page.on('console', (m) => {
    // A live answer that the next page overtakes is given up, and htmx writes that down.
    const given = /42[12]|409|htmx:sendAbort|htmx:afterRequest/;
    if (m.type() === 'error' && !given.test(m.text())) errors.push(m.text());
  });
  page.on('pageerror', (e) => errors.push(String(e)));

  await test.step('an empty workshop says what to do first', async () => {
    await page.goto(server.url);
    await expect(page.getByRole('heading', { name: 'What have you got?' })).toBeVisible();
    await page.getByRole('link', { name: /^A pallet/ }).click();
  });

  await test.step('receive', async () => {
    await field(page, 'Supplier').fill('Tannery Row parcel trikes');
    await field(page, 'Price').fill('a lot');
    await field(page, 'Your initials').fill('AK');
    await page.keyboard.press('Enter');
    // What was typed stays on the screen, with the place and the expectation.
    await expect(page.locator('.err').first()).toContainText('expected');
    await expect(field(page, 'Supplier')).toHaveValue('Tannery Row parcel trikes');
    await field(page, 'Price').fill('1.120,50');
    await field(page, 'Freight').fill('85');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('heading', { level: 1 })).toContainText('Lot from Tannery Row');
    await page.getByRole('link', { name: 'Add a module type' }).click();
    await field(page, 'Name').fill('TRIKE-7');
    await page.getByLabel('Chemistry').selectOption('nmc');
    await field(page, 'Rated capacity of the module').fill('46');
    await field(page, 'Groups in series').fill('7');
    await field(page, 'Nominal').fill('25,6');
    await field(page, 'Posts').fill('A- A+');
    await field(page, 'Connector points').fill('X1 X2 X3 X4 X5 X6 X7 X8');
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(/\/lots\/1\?type=1#add$/); // back to the lot that it was missing in
    await field(page, 'First label number').fill('K-001');
    await field(page, 'How many').fill('4');
    await page.keyboard.press('Enter');
    await expect(says(page)).toContainText('4 modules, 301.38 EUR each');
    await room(page, 'Add modules, change the lot');
    await field(page, 'First label number').fill('K-004');
    await page.keyboard.press('Enter');
    await expect(page.locator('.err')).toContainText('K-004 exists already');
  });

  await test.step('inspect, one key each', async () => {
    await page.goto(server.url + '/station/inspect');
    await page.getByRole('link', { name: 'Look', exact: true }).first().click();
    for (const m of modules) {
      await expect(page.getByRole('heading', { level: 1 })).toHaveText(`Look at ${m.number}`);
      await page.getByRole('button', { name: 'All clear, next' }).focus();
      await page.keyboard.press('Enter');
    }
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('K-004');
  });

  await test.step('map', async () => {
    await page.goto(server.url + '/modules/K-001/map');
    const box = page.getByRole('textbox', { name: /Red point/ });
    await box.fill('A+ A- high');
    await expect(page.locator('#answer')).toContainText('line 1');
    await expect(page.locator('#guide')).toContainText('Mend the reading first');
    await box.fill('');
    await expect(page.locator('#guide')).toContainText('Red on A+');
    // Guided: type the volts for the two points it asks for, until nothing more is asked.
    const at = { 'A-': 0, 'A+': 7 };
    for (let i = 1; i <= 8; i++) at[`X${i}`] = i - 1;
    const volts = modules[0].volts.map(Number);
    const sum = (n) => volts.slice(0, n).reduce((a, b) => a + b, 0);
    await page.locator('#guided').focus();
    let readings = 0;
    let last = '';
    for (; readings < 20; readings++) {
      await expect.poll(async () => (await page.locator('#guide').textContent()) !== last).toBe(true);
      last = await page.locator('#guide').textContent();
      if (last.includes('Nothing more')) break;
      const red = await page.locator('#guide [data-red]').textContent();
      const black = await page.locator('#guide [data-black]').textContent();
      await page.keyboard.type((sum(at[red]) - sum(at[black])).toFixed(3).replace('.', ','));
      await page.keyboard.press('Enter');
    }
    expect(readings).toBeLessThanOrEqual(10 - 1 + 3); // points − 1, and the closing ones
    await expect(says(page.locator('#answer'))).toContainText(
      '7 groups in series, from A-, X1 (−) to A+, X8 (+). The map is complete',
    );
    await page.getByRole('button', { name: 'Keep these readings' }).click();
    await page.getByRole('button', { name: 'Make this the layout of TRIKE-7' }).click();
    await expect(says(page)).toContainText('Layout 7S');
    await expect(page.locator('svg.ladder')).toBeVisible();
  });

  await test.step('survey in rhythm: the digits and one key each', async () => {
    await page.goto(server.url + '/station/survey');
    await page.getByRole('link', { name: 'Survey', exact: true }).first().click();
    for (const [i, m] of modules.entries()) {
      await expect(page.getByRole('heading', { level: 1 })).toHaveText(`Survey ${m.number}`);
      await expect(page.locator('#f-g1')).toBeFocused();
      for (const [g, v] of m.volts.entries()) {
        // A decimal comma here, a forgotten point there.
        await page.keyboard.type(i === 1 && g === 2 ? v.replace('.', '') : i === 0 ? v.replace('.', ',') : v);
        await page.keyboard.press('Enter');
      }
      if (i === 1) {
        // What cannot be right is asked about before it is kept, and offered back.
        await expect(page.locator('#h-g3')).toContainText('Read again?');
        await page.getByRole('button', { name: `Take ${m.volts[2]} V` }).click();
        await expect(page.locator('#f-g3')).toHaveValue(m.volts[2]);
        await expect(page.locator('#answer')).not.toContainText('decimal point slip');
        await page.getByRole('button', { name: 'Save, next module' }).click();
      }
    }
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('K-004');
    await expect(page.locator('svg.ladder')).toBeVisible();
  });

  await test.step('a reload loses nothing typed', async () => {
    await page.goto(server.url + '/modules/K-004/survey');
    await page.keyboard.type('3,7');
    await page.keyboard.press('Enter');
    await page.keyboard.type('3,71');
    await page.reload();
    await expect(page.locator('#f-g1')).toHaveValue('3,7');
    await expect(page.locator('#f-g2')).toHaveValue('3,71');
    await page.getByRole('button', { name: 'Start over' }).click();
    await expect(page.locator('#f-g1')).toHaveValue('');
  });

  await test.step('test: logs in two dialects, a wrong file, one by hand', async () => {
    await page.goto(server.url + '/modules/K-001/test');
    const upload = (name, text) =>
      page.getByLabel('CSV or XLSX file').setInputFiles({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });
    await upload('photo.csv', '\x89PNG\0\0\0');
    await page.getByRole('button', { name: 'Read it' }).click();
    await expect(page.locator('.err')).toContainText('binary');
    for (const m of modules.slice(0, 3)) {
      await page.goto(`${server.url}/modules/${m.number}/test`);
      await upload(`${m.number}.csv`, m.log);
      await page.getByRole('button', { name: 'Read it' }).click();
      await expect(page.locator('main')).toContainText('as it was read. Not kept yet');
      await expect(page.locator('svg.trace')).toBeVisible();
      await page.getByRole('button', { name: 'It is right: keep it' }).click();
      await expect(says(page)).toContainText('it would be class A');
      await expect(page.locator('svg.trace')).toBeVisible();
      await expect(page.locator('main')).toContainText('mΩ after 10 s');
    }
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: 'K-003.csv' }).click(),
    ]);
    const { readFileSync } = await import('node:fs');
    expect(readFileSync(await download.path(), 'utf8')).toBe(modules[2].log);
    await page.goto(server.url + '/modules/K-004/test');
    await field(page, 'Capacity').fill('39,8');
    await field(page, 'Resistance').fill('15');
    for (const [label, v] of [
      ['Current', '12'],
      ['Temperature', '21'],
      ['Lowest group at the end', '3,00'],
    ])
      await field(page, label).fill(v);
    await page.getByLabel('It began full').check();
    await page.getByRole('button', { name: 'Keep, marked as typed by hand' }).click();
    await expect(page.locator('main')).toContainText('typed by hand');
  });

  await test.step('grade, with reasons', async () => {
    for (const m of modules) {
      await page.goto(`${server.url}/modules/${m.number}`);
      await page.getByRole('button', { name: 'Grade it' }).click();
      await expect(says(page)).toContainText('Class A: a place in a bank');
    }
  });

  await test.step('design', async () => {
    await page.goto(server.url);
    await page.keyboard.press('g');
    await page.keyboard.press('d');
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('Design');
    await field(page, 'Name of the bank').fill('Market hall night lights');
    await field(page, 'Client').fill('Market hall');
    for (const [label, v] of [
      ['Device cuts off at', '43'],
      ['Highest charge setting', '58,4'],
      ["Device's absolute maximum input", '64'],
      ['Load', '400'],
      ['Wanted', '3'],
      ['Charger', '15'],
    ])
      await field(page, label).fill(v);
    await page.getByRole('radio', { name: 'Yes, or not sure' }).check({ force: true });
    await page.getByRole('button', { name: 'Work out the ways' }).click();
    await expect(says(page)).toContainText('Best fit: 14 groups of TRIKE-7 in series, 2 in parallel');
    await expect(page.getByText(/^Refused: \d+, each with the reason/)).toBeVisible();
    await page.getByRole('button', { name: 'Match modules and reserve them' }).click();
    await expect(page.locator('svg.bank')).toContainText('K-004');
  });

  await test.step('wire and BMS', async () => {
    await expect(page.locator('main')).toContainText('no BMS that can disconnect');
    await page.getByRole('link', { name: 'Choose its BMS' }).click();
    await page.getByRole('radio', { name: 'T16-60' }).check();
    await page.getByRole('button', { name: 'Take the one chosen' }).click();
    await expect(page.locator('main')).toContainText('Checked by arithmetic, as open and with every device on');
    await room(page, 'Sense leads');
    await expect(page.locator('table.sense tbody tr')).toHaveCount(16); // the answer takes the page's place
    const rows = await page
      .locator('table.sense tbody tr')
      .evaluateAll((trs) => trs.map((tr) => tr.cells[2].textContent.replace(' V', '')));
    expect(rows).toHaveLength(16); // 15 leads, and the top one against lead 0
    const type = async (values) => {
      // Until its room is opened a field cannot be reached, and keys would go nowhere.
      await expect(page.locator('#B1-s0')).toBeVisible();
      await page.locator('#B1-s0').focus();
      await expect(page.locator('#B1-s0')).toBeFocused();
      for (const v of values) {
        await page.keyboard.press('Control+A');
        await page.keyboard.type(v);
        await page.keyboard.press('Enter'); // the last one judges
      }
    };
    const swapped = [...rows];
    [swapped[4], swapped[5]] = [swapped[5], swapped[4]];
    await type(swapped);
    await expect(says(page)).toContainText('Do not plug in: Leads 4 and 5 are swapped');
    await expect(page.getByRole('button', { name: 'Put in service' })).toHaveCount(0);
    await type(rows.map((v) => v.replace('.', ',')));
    await expect(says(page)).toContainText('The sense leads read as expected');
  });

  await test.step('build sheet', async () => {
    await room(page, 'The bank');
    await page.getByRole('link', { name: 'Build sheet' }).click();
    const sheet = page.locator('main');
    for (const text of [
      'Prepare the bench',
      'K-001 at position',
      'Put the sense plug into B1',
      'stop:',
      'Sense table',
      'Group over-voltage',
      'Second person, date',
      'Not checked',
    ])
      await expect(sheet).toContainText(text);
    await expect(sheet).not.toContainText(/\bsafe\b/i);
    for (const format of ['A4', 'Letter']) {
      const pdf = await page.pdf({ format });
      expect(pdf.length).toBeGreaterThan(20_000);
    }
    await page.getByRole('link', { name: 'Back to the bank' }).click();
    await room(page, 'Into service');
    await expect(page.getByRole('button', { name: 'Put in service' })).toHaveCount(0);
    for (let i = 0; i < 12; i++) {
      // every gate, as the page shows it
      const form = page.locator('#service form[action$="/step"]');
      await expect(page.locator('#service h2')).toBeVisible();
      if (!(await form.count())) break;
      const step = await form.locator('[name=step]').inputValue();
      const fill = async (name, v) => {
        const f = form.locator(`[name=${name}]`);
        if (await f.isVisible()) await f.fill(v); // initials are asked once a day
      };
      if (await form.locator('[name=confirm]').count()) await form.locator('[name=confirm]').check();
      await fill('name', 'Ada Karlsen');
      await fill('reading', '2,4');
      await fill('other', '25');
      await fill('by', 'AK');
      await form.getByRole('button', { name: 'Record' }).click();
      await page.waitForFunction(
        (was) =>
          document.querySelector('#service') &&
          document.querySelector('#service form[action$="/step"] [name=step]')?.value !== was,
        step,
      );
    }
    await expect(says(page)).toContainText('Of F1 is not on record');
    await room(page, 'Check');
    const parts = page.locator('#parts form');
    for (const [name, v] of Object.entries({ fuse_a: '40', fuse_v: '80', fuse_ka: '20', cable_a: '60' }))
      await parts.locator(`[name=${name}]`).fill(v);
    await parts.getByRole('button').last().click();
    await expect(says(page)).toContainText('Every gate on record is passed');
    await room(page, 'Into service');
    await page.getByRole('button', { name: 'Put in service' }).click();
    await expect(page.locator('main')).toContainText('tick that the bank was seen');
    await page.getByLabel('I have the bank before me').check();
    await page.getByRole('button', { name: 'Put in service' }).click();
    await expect(says(page)).toContainText('In service');
    await page.goto(server.url + '/search?q=k-002');
    await expect(says(page)).toContainText('Stands in bank Market hall night lights');
  });

  await test.step('every screen after a save holds', async () => {
    for (const path of [
      '/#all',
      '/lots/1#all',
      '/types/1#all',
      '/readings/1',
      '/modules/K-001#all',
      '/modules/K-004#all',
      '/modules/K-001/test',
      '/banks/1#all',
      '/banks/1/sheet',
      '/station/keep',
    ]) {
      await page.goto(server.url + path);
      expect(await violations(page), path).toEqual([]);
    }
  });

  await test.step('a backup while it runs', async () => {
    const file = server.dir + '/copy.db';
    const out = run(['backup', file, '--data', server.dir]);
    expect(out.status, out.stderr).toBe(0);
    expect(run(['backup', file, '--data', server.dir]).status).toBe(2);
  });
  expect(errors).toEqual([]);
});

// A lot with a mapped type and modules looked over, for the tests that begin there.
async function stock(page, server, first, count) {
  await page.goto(server.url + '/station/receive');
  await field(page, 'Supplier').fill('Tannery Row parcel trikes');
  await field(page, 'Price').fill('1120');
  await field(page, 'Your initials').fill('AK');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'Add a module type' }).click();
  await field(page, 'Name').fill('TRIKE-7');
  await page.getByLabel('Chemistry').selectOption('nmc');
  await field(page, 'Rated capacity of the module').fill('46');
  await field(page, 'Groups in series').fill('7');
  await field(page, 'Nominal').fill('25,6');
  await field(page, 'Posts').fill('A- A+');
  await field(page, 'Connector points').fill('X1 X2 X3 X4 X5 X6 X7 X8');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/lots\/1\?type=1#add$/);
  await field(page, 'First label number').fill(first);
  await field(page, 'How many').fill(String(count));
  await page.keyboard.press('Enter');
  await expect(says(page)).toContainText(`${count} modules`);
  const [, letter, digits] = /^(.*-)(\d+)$/.exec(first);
  for (let i = 0; i < count; i++) {
    const look = `${server.url}/modules/${letter}${Number(digits) + i}/inspect`;
    await page.goto(look);
    await page.getByRole('button', { name: 'All clear, next' }).click();
    await expect(page).not.toHaveURL(look);
  }
  const readings = ['X1 A- 0', 'A+ X8 0'];
  for (let i = 1; i < 8; i++) readings.push(`X${i + 1} X${i} 3.78`);
  readings.push('A+ A- 26.46');
  await page.goto(`${server.url}/modules/${first}/map`);
  await page.getByRole('textbox', { name: /Red point/ }).fill(readings.join('\n'));
  await expect(says(page.locator('#answer'))).toContainText('The map is complete');
  await page.getByRole('button', { name: 'Keep these readings' }).click();
  await page.getByRole('button', { name: 'Make this the layout of TRIKE-7' }).click();
  await expect(says(page)).toContainText('Layout 7S');
}

test('112 groups by keyboard alone: the digits and one key each', async ({ page, server }) => {
  await stock(page, server, 'P-101', 16);
  await page.goto(server.url + '/modules/P-101/survey');
  let presses = 0;
  let digits = 0;
  for (let i = 101; i <= 116; i++) {
    await expect(page.getByRole('heading', { level: 1 })).toHaveText(`Survey P-${i}`);
    await expect(page.locator('#f-g1')).toBeFocused(); // the cursor is there before one types
    for (let g = 1; g <= 7; g++) {
      const v = `3,7${(70 + ((i * 7 + g) % 9)).toString()}`;
      digits += v.length;
      for (const k of v) {
        await page.keyboard.press(k);
        presses++;
      }
      await page.keyboard.press('Enter');
      presses++;
    }
  }
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('P-116');
  expect(presses).toBe(digits + 112);
  for (const i of [101, 108, 116]) {
    await page.goto(`${server.url}/modules/P-${i}`);
    await expect(page.locator('svg.ladder')).toBeVisible();
  }
});

test('a check against the type finds a swapped pin, and isolation is judged', async ({ page, server }) => {
  await stock(page, server, 'P-101', 2);
  await page.goto(server.url + '/modules/P-102/check');
  const labels = await page.locator('.probe-row label').allTextContents();
  const at = { 'A-': 0, 'A+': 7 };
  for (let i = 1; i <= 8; i++) at[`X${i}`] = i - 1;
  [at.X3, at.X6] = [at.X6, at.X3];
  for (const l of labels) {
    const [, red, black] = /Red on (\S+), black on\s+(\S+)/.exec(l.replace(/\s+/g, ' '));
    await page.keyboard.type(((at[red] - at[black]) * 3.78).toFixed(2));
    await page.keyboard.press('Enter');
  }
  await expect(page.locator('main')).toContainText('not like its type');
  await expect(page.locator('main')).toContainText('swapped points');
  await page.goto(server.url + '/modules/P-102/isolation');
  for (const [label, v] of [
    ['End to end', '26,4'],
    ['Positive to case', '26,4'],
    ['Negative to case', '0'],
  ])
    await field(page, label).fill(v);
  await page.keyboard.press('Enter');
  await expect(page.locator('main')).toContainText('The case is not isolated');
});
