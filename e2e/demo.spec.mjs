// Opens every screen of the sample workshop, in light and dark: no accessibility violation, no
// console error, no request that leaves the machine, nothing wider than the window.
import { expect, test } from './fixtures.mjs';
import { violations } from './a11y.mjs';
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './server.mjs';

const screens = [
  '/',
  '/keys',
  '/rules',
  '/hazards',
  '/banks/packs',
  '/banks/5',
  '/banks/2/floor',
  '/banks/2/build',
  '/banks/3/floor',
  '/modules/K-011/regroup',
  '/modules/K-012/regroup',
  '/modules/K-001/regroup',
  '/banks/6?side_v=45,4',
  '/practice',
  '/practice/nasty?seed=5',
  '/import?kind=surveys',
  '/import?kind=modules&lot=4',
  '/search?q=K-1',
  '/search?q=nothing',
  '/types',
  '/types/1',
  '/types/3',
  '/types/2/pins',
  '/types/2/pins?module=K-102',
  '/types/2/face',
  '/types/1/variants',
  '/types/2/variants',
  '/types/3/variants',
  '/types/2/curve',
  '/types/1/curve',
  '/types/3/looks',
  '/types/2/teardown',
  '/types/1/teardown',
  '/bench',
  '/tests',
  '/tests/38',
  '/workings',
  '/workings/volts',
  '/workings/join?at=bank-2',
  '/workings/share',
  '/workings/load',
  '/workings/screw',
  '/workings/money',
  '/records/step-5',
  '/banks',
  '/bms',
  '/bms/1',
  '/who',
  '/start',
  '/start?what=cells',
  '/start?what=modules',
  '/lots/1/look',
  '/lots/1/survey',
  '/lots/1/results',
  '/lots/1/grade',
  '/banks/standing',
  '/banks/7',
  '/banks/7/open',
  '/banks/1/open',
  '/leads',
  '/leads/1',
  '/leads/3',
  '/practice/lost-isolation?seed=3',
  '/strip/lot/2',
  '/strip/type/1',
  '/strip/bank/1',
  '/strip/module/1',
  '/modules/K-128/open',
  '/modules/K-001/open',
  '/modules/K-126/survey?picture=3',
  '/lots/1',
  '/lots/4',
  '/lots/2/labels',
  '/lots/2/labels?kind=test',
  '/lots/3/labels?grid=letter&parts=cover',
  ...['receive', 'inspect', 'map', 'survey', 'test', 'grade', 'design', 'wire', 'keep', 'out'].map(
    (s) => `/station/${s}`,
  ),
  '/modules/K-006',
  '/modules/K-013',
  '/modules/K-020',
  '/modules/K-108',
  '/modules/K-115',
  '/modules/K-119',
  '/modules/K-112',
  '/modules/K-208/inspect',
  '/modules/K-208/isolation',
  '/modules/K-123',
  '/modules/K-122/check',
  '/modules/K-122/people',
  '/modules/K-202/map',
  '/modules/K-125/survey',
  '/modules/K-110/test',
  '/modules/K-110/test/ran',
  '/readings/1',
  '/readings/2',
  '/readings/4',
  '/readings/5',
  '/readings/6',
  '/readings/7',
  '/modules/K-102',
  '/modules/K-251',
  '/modules/K-213',
  '/modules/K-206',
  '/leads/4',
  '/leads/2',
  '/banks/1',
  '/banks/2',
  '/banks/3',
  '/banks/2/sheet',
  '/limits',
  '/lots/2/check',
  '/lots/2/set',
  '/import?kind=results',
  '/modules/K-001/datasheet',
  '/modules/K-019/condition',
  '/tests/40',
  '/types/1/curves',
  '/tests/1',
  '/tests/1/log',
  '/no-such-page',
];

test('every route that shows a page is among the screens', () => {
  const rooms = readdirSync(join(root, 'web'), { recursive: true }).filter((f) => f.endsWith('room.go'));
  const router = rooms.map((f) => readFileSync(join(root, 'web', f), 'utf8')).join('');
  const routes = [...router.matchAll(/e\.GET\("([^"]+)"/g)].map((m) => m[1]);
  expect(routes.length).toBeGreaterThan(30);
  const files = [
    '/glyphs.svg',
    '/m/:number',
    '/modules/:number/type',
    '/lots/:id/export',
    '/tests/:id/so-far',
    '/tests/events',
    '/meter/events',
    '/tests/:id/samples',
    '/tests/:id/part',
    '/runs',
    '/pictures/:id',
    '/banks/:id/picture',
    '/banks/:id/plan',
    '/banks/:id/floor/between',
    '/banks/:id/floor/file',
    '/banks/:id/floor/parts',
    '/tests/:id/original',
    '/types/:id/lie',
    '/adapters',
    '/adapters/:id',
  ]; // no pages of their own
  const seen = screens.map((s) => s.split('?')[0]);
  const missing = routes.filter(
    (r) => !files.includes(r) && !seen.some((s) => new RegExp(`^${r.replace(/:[a-z]+/g, '[^/]+')}$`).test(s)),
  );
  expect(missing).toEqual([]);
});

// rooms are the rooms of a page by their addresses, '' where it has none.
const rooms = (page) =>
  page
    .locator('nav[data-rooms] a[href^="#"]:not([hidden])')
    .evaluateAll((links) => links.map((a) => a.hash))
    .then((all) => (all.length ? all : ['']));

// enter goes to a room, and waits until it is in sight.
async function enter(page, hash) {
  if (!hash) return;
  await page.evaluate((to) => (location.hash = to), hash);
  await page.waitForSelector(`nav[data-rooms] a[href="${hash}"][aria-current]`);
}

// In parts, so that two workers share them.
const PARTS = 4;
for (const scheme of ['light', 'dark'])
  for (let part = 0; part < PARTS; part++)
    test(`every screen, ${scheme}, part ${part + 1} of ${PARTS}`, async ({ browser, server }) => {
      test.setTimeout(300_000);
      const page = await (await browser.newContext({ colorScheme: scheme })).newPage();
      const errors = [];
      page.on('console', (m) => {
        if (m.type() === 'error' && !m.text().includes('404')) errors.push(`${page.url()}: ${m.text()}`);
      });
      page.on('pageerror', (e) => errors.push(`${page.url()}: ${e}`));
      page.on('request', (r) => {
        if (!r.url().startsWith(server.url) && !r.url().startsWith('data:')) errors.push(`asked for ${r.url()}`);
      });
      const found = [];
      for (const path of screens.filter((_, i) => i % PARTS === part)) {
        const res = await page.goto(server.url + path);
        expect(res.status(), path).toBe(path === '/no-such-page' ? 404 : 200);
        // What a page has to say stands at its top, whatever is further down.
        expect(await page.evaluate(() => scrollY), `${path} begins at its top`).toBe(0);
        if ((await rooms(page)).includes('#all')) await enter(page, '#all');
        for (const v of await violations(page, scheme)) found.push(`${path}: ${v}`);
      }
      expect(found).toEqual([]);
      expect(errors).toEqual([]);
      await page.context().close();
    });

test('bench screens hold at 1024×768 and module pages at 390×844', async ({ browser, server }) => {
  const sizes = [
    [
      1024,
      768,
      [
        '/',
        '/modules/K-125/survey',
        '/modules/K-208/inspect',
        '/modules/K-202/map',
        '/banks/2',
        '/modules/K-110/test',
        '/modules/K-110/test/ran',
        '/modules/K-128/open',
        '/leads/3',
        '/banks/7',
        '/types/2/face',
      ],
    ],
    [
      390,
      844,
      [
        '/',
        '/modules/K-006',
        '/modules/K-108',
        '/modules/K-208/inspect',
        '/modules/K-125/survey',
        '/search?q=K-1',
        '/modules/K-013',
        '/modules/K-128/open',
      ],
    ],
  ];
  for (const [width, height, paths] of sizes) {
    const page = await (await browser.newContext({ viewport: { width, height } })).newPage();
    for (const path of paths) {
      await page.goto(server.url + path);
      if ((await rooms(page)).includes('#all')) await enter(page, '#all');
      const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
      expect(wide, `${path} at ${width}`).toBeLessThanOrEqual(0);
      const small = await page
        .locator('main .card .btn, main .card input[type=text], main .card select, .probe-row input')
        .evaluateAll((els) =>
          els
            .filter((e) => e.offsetParent && e.getBoundingClientRect().height < 44)
            .map((e) => e.outerHTML.slice(0, 80)),
        );
      expect(small, `${path} at ${width}`).toEqual([]);
    }
    await page.context().close();
  }
});

// What is for reading or for paper is as long as it is.
const pages = screens.filter((s) => !/\/(rules|hazards|keys|sheet|datasheet|no-such-page)(\?|$)/.test(s));
for (const [width, height, most] of [
  [1280, 800, 3],
  [390, 844, 5],
])
  test(`no room is longer than ${most} screens at ${width}×${height}, and nothing lies beside it`, async ({
    browser,
    server,
  }) => {
    const page = await (await browser.newContext({ viewport: { width, height } })).newPage();
    const long = [];
    for (const path of pages) {
      await page.goto(server.url + path);
      for (const hash of await rooms(page)) {
        if (hash === '#all') continue;
        await enter(page, hash);
        const [high, wide] = await page.evaluate(() => {
          const { scrollHeight, scrollWidth } = document.documentElement;
          return [scrollHeight / innerHeight, scrollWidth - innerWidth];
        });
        if (high > most || wide > 0) long.push(`${path}${hash}: ${high.toFixed(2)} screens, ${wide} px beside it`);
      }
    }
    expect(long).toEqual([]);
    await page.context().close();
  });

test('the safety nets of the server', async ({ request, server }) => {
  const home = await request.get(server.url);
  expect(home.headers()['content-security-policy']).toContain("script-src 'self'");
  expect(home.headers()['content-security-policy']).not.toContain('unsafe');
  const other = await request.get(server.url, { headers: { Host: 'evil.example' } });
  expect(other.status()).toBe(421);
  const forged = await request.post(server.url + '/lots', {
    headers: { 'Sec-Fetch-Site': 'cross-site', Origin: 'http://evil.example' },
    form: { supplier: 'x' },
  });
  expect(forged.status()).toBe(403);
});

test('a survey read from the simulated monitor, looked at, then saved', async ({ page, server }) => {
  await page.goto(server.url + '/modules/K-125/survey');
  await page.getByLabel('The monitor is alone on it').check();
  await page.getByRole('button', { name: 'Read from monitor' }).click();
  for (let g = 1; g <= 7; g++) await expect(page.locator(`#f-g${g}`)).toHaveValue(/^3\.\d{3}$/);
  await expect(page.locator('#answer svg.ladder')).toBeVisible();
  await page.getByRole('button', { name: 'Save, stay' }).click();
  await expect(page.locator('main')).toContainText('cell monitor');
  await page.goto(server.url + '/modules/K-022/survey');
  await page.getByLabel('The monitor is alone on it').check();
  await page.getByRole('button', { name: 'Read from monitor' }).click();
  await expect(page.locator('.err')).toContainText('sees 7 groups, TUG-4 has 4');
});
