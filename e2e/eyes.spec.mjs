// Both hands at the probes: a meter on line is read by itself, and nobody presses a key between two points.
import { expect, test } from './fixtures.mjs';
import { violations } from './a11y.mjs';

const eyes = (page) => page.locator('[data-eyes]').first();
const watch = (page) => eyes(page).getByRole('button', { name: 'Watch the meter' });
const says = (page) => eyes(page).locator('[data-eyes-state]:not([hidden])');
const values = (page) => page.locator('.probe-row input').evaluateAll((f) => f.map((x) => x.value));

test('a survey: each steady reading is taken once the probes were lifted, and saved by a person', async ({
  page,
  server,
}) => {
  await page.goto(server.url + '/modules/K-125/survey');
  expect(await values(page)).toEqual(Array(7).fill(''));
  await expect(watch(page)).toHaveAttribute('aria-pressed', 'false');
  await watch(page).click();
  await expect(says(page)).toContainText('Group 2: red on', { timeout: 60_000 });
  // The points of the group in hand are lit, and no keyboard slides over them.
  await expect(page.locator('.face .lit-pos')).toHaveCount(1);
  await expect(page.locator('#f-g2')).toHaveAttribute('inputmode', 'none');
  await expect(eyes(page)).toHaveAttribute('data-tone', 'taken');
  await expect(says(page)).toContainText('Nothing is left to read here', { timeout: 180_000 });
  for (const v of await values(page)) expect(Number(v)).toBeGreaterThan(3.7);
  await expect(page.locator('#answer .says')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save, next module' })).toBeFocused();
  await expect(page.locator('#f-g1')).toHaveAttribute('inputmode', 'decimal');
  // It stays chosen for the next module of the pallet, and nothing of that one is taken before a lift.
  await page.getByRole('button', { name: 'Save, next module' }).click();
  await expect(page.getByRole('heading', { name: 'Survey K-126' })).toBeVisible();
  await expect(watch(page)).toHaveAttribute('aria-pressed', 'true');
  await expect(says(page)).toContainText('Group 2: red on', { timeout: 60_000 });
  await watch(page).click();
  await expect(watch(page)).toHaveAttribute('aria-pressed', 'false');
  expect(await violations(page)).toEqual([]);
});

// answer lets the meter show something else for one pair of points.
async function answer(page, what, volts) {
  const asked = [];
  await page.route(`**/meter/events?**${what}**`, async (route) => {
    const url = new URL(route.request().url());
    asked.push(url.searchParams.get('before'));
    const shown = volts[Math.min(asked.length, volts.length) - 1];
    const same = url.searchParams.get('before') === shown;
    const lines = [
      { state: 'ready', shows: '0.000' },
      { state: 'taken', shows: shown, same },
    ];
    await route.fulfill({
      contentType: 'text/event-stream',
      body: lines.map((l) => `data: ${JSON.stringify(l)}\n\n`).join(''),
    });
  });
  return asked;
}

test('an odd reading is told apart, read again at the same points, and believed when it comes twice', async ({
  page,
  server,
}) => {
  const asked = await answer(page, 'red=X5', ['3.212', '3.212']);
  await page.goto(server.url + '/modules/K-125/survey');
  await watch(page).click();
  // The second reading is the same: it is the module, and the next group is asked for.
  await expect(says(page)).toContainText('Group 4: red on', { timeout: 90_000 });
  expect(asked).toEqual([null, '3.212']);
  expect((await values(page)).slice(2, 3)).toEqual(['3.212']);
  await expect(page.locator('#flags')).toContainText('Group 3');
});

test('a first reading that was a slip is replaced by the second', async ({ page, server }) => {
  const asked = await answer(page, 'red=X4', ['0.412', '3.776']);
  await page.goto(server.url + '/modules/K-125/survey');
  await watch(page).click();
  await expect(says(page)).toContainText('Group 3: red on', { timeout: 90_000 });
  expect(asked).toEqual([null, '0.412']);
  expect((await values(page)).slice(1, 2)).toEqual(['3.776']);
});

test('the map grows from reading to reading, and the sense leads are judged as they are read', async ({
  page,
  server,
}) => {
  await page.goto(server.url + '/modules/K-201/map');
  await watch(page).click();
  await expect(page.locator('#answer .says')).toContainText('The map is complete', { timeout: 180_000 });
  const lines = (await page.locator('#readings').inputValue()).trim().split('\n');
  expect(lines.length).toBeGreaterThanOrEqual(2);
  for (const l of lines) expect(l).toMatch(/^\S+ \S+ -?\d+\.\d{3}$/);
  await watch(page).click();

  await page.goto(server.url + '/banks/2#sense');
  await expect(page.locator('.sofar').first()).toBeEmpty();
  await watch(page).click();
  // What was read before stands there; only the top lead against lead 0 is open.
  await expect(says(page)).toContainText('Nothing is left to read here', { timeout: 60_000 });
  await expect(page.locator('.sofar').first()).toContainText('that is the voltage of lead 7');
  await expect(says(page)).toContainText('not all of it is as it should be');
  await eyes(page).getByRole('button', { name: 'Read all of them again' }).click();
  // Lead 0 against the main negative reads as much as probes in the air: a person says that they touch.
  await expect(says(page)).toContainText('Input 0: red on its lead');
  await page.waitForTimeout(3000);
  await expect(says(page)).toContainText('Input 0: red on its lead');
  await eyes(page).getByRole('button', { name: 'They touch: take it' }).click();
  await expect(page.locator('.sofar').first()).toContainText('Nothing odd so far', { timeout: 180_000 });
});

test('joints under current: a line for each, in millivolts, and the bad one is told at once', async ({
  page,
  server,
}) => {
  await page.goto(server.url + '/workings/joints');
  await watch(page).click();
  await expect(page.locator('#answer .says')).toContainText('joint 5', { timeout: 180_000 });
  await expect(says(page)).toContainText('is odd');
  expect(await page.locator('[data-eyes-joints]').inputValue()).toMatch(/^joint 1: 4\.1\d\n/); // nobody's example is gone
});

test('somebody else takes the meter, and a page that is not looked at reads nothing', async ({ context, server }) => {
  const one = await context.newPage();
  await one.goto(server.url + '/modules/K-125/survey');
  await watch(one).click();
  await expect(says(one)).toContainText('Group 1: red on');
  const two = await context.newPage();
  await two.goto(server.url + '/modules/K-126/survey');
  await watch(two).click();
  await expect(says(one)).toContainText('The meter was taken for another reading');
  await expect(watch(one)).toHaveAttribute('aria-pressed', 'false');
  await expect(says(two)).toContainText('Group 2: red on', { timeout: 60_000 });
});

test('a reading that nothing judged stops the watch: silence is no all clear', async ({ page, server }) => {
  await page.goto(server.url + '/modules/K-125/survey');
  await page.route('**/survey/try', (route) => route.fulfill({ status: 500, body: 'gone' }));
  await watch(page).click();
  await expect(says(page)).toContainText('did not answer to the last reading', { timeout: 60_000 });
  await expect(watch(page)).toHaveAttribute('aria-pressed', 'false');
  expect((await values(page))[0]).toMatch(/^3\.7/); // it stands there
});
