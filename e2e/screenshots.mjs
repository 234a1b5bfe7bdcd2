// Takes the pictures in docs/screenshots from the sample workshop: one of each main view.
import { chromium } from '@playwright/test';
import { join } from 'node:path';
import { start, root } from './server.mjs';

const views = {
  today: ['/'],
  receive: ['/station/receive'],
  lot: ['/lots/2'],
  inspect: ['/modules/K-209/inspect'],
  map: [
    '/modules/K-202/map',
    async (page) => {
      for (let i = 0; i < 2; i++) {
        await page.getByRole('button', { name: 'Read the meter' }).click();
        await page.waitForFunction(() => document.getElementById('guided').value);
        await page.locator('#guided').press('Enter');
        await page.waitForTimeout(900);
      }
      await page.evaluate(() => scrollTo(0, 0));
    },
  ],
  type: ['/types/2'],
  survey: [
    '/modules/K-125/survey',
    async (page) => {
      for (const v of ['3,781', '3,779', '3,702', '3,780', '3,782']) {
        await page.keyboard.type(v);
        await page.keyboard.press('Enter');
      }
      await page.waitForSelector('.flag');
      await page.evaluate(() => scrollTo(0, 0));
    },
  ],
  module: [
    '/modules/K-104#tests',
    async (page) => {
      await page.evaluate(() => document.querySelector('svg.trace').closest('.card').scrollIntoView());
    },
  ],
  design: ['/banks/3'],
  bank: ['/banks/2'],
  sheet: ['/banks/2/sheet'],
  pack: ['/banks/5'],
  log: ['/tests/1', async (page) => page.waitForSelector('.plot-box canvas')],
  bench: ['/bench'],
  open: ['/modules/K-128/open'],
  working: ['/workings/join?at=standing-2&b_v=26.2&b_ah=100'],
  plan: [
    '/banks/1/floor',
    async (page) => {
      await page.waitForSelector('svg.floor[data-live]');
      await page.evaluate(() => scrollTo(0, 0));
    },
  ],
  standing: ['/banks/8'],
  build: ['/banks/2/build?step=fit%20L1'],
};

const server = await start('demo');
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});
for (const [name, [path, act, colorScheme]] of Object.entries(views)) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: colorScheme ?? 'light' });
  await page.context().addCookies([{ name: 'pandrel_by', value: 'AK', url: server.url }]);
  await page.goto(server.url + path);
  if (act) await act(page);
  await page.waitForTimeout(250);
  await page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
  await page.close();
}
await browser.close();
await server.stop();
