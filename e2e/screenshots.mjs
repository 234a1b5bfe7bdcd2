// Takes the pictures in docs/screenshots from the sample workshop: one of each main view.
import { chromium } from '@playwright/test';
import { join } from 'node:path';
import { start, root } from './server.mjs';

const views = {
  today: ['/'],
  receive: ['/station/receive'],
  lot: ['/lots/2'],
  inspect: ['/modules/K-209/inspect'],
  map: ['/readings/3'],
  type: ['/types/2'],
  survey: ['/modules/K-125/survey', async (page) => {
    for (const [i, v] of ['3,781', '3,779', '3,780', '3,702', '3,782', '3,780', '3,779'].entries()) {
      await page.keyboard.type(v);
      await page.keyboard.press(i < 6 ? 'Enter' : 'Tab'); // Enter would save
    }
    await page.waitForSelector('#answer svg.ladder text:has-text("group 7")');
    await page.evaluate(() => scrollTo(0, 0));
  }],
  test: ['/modules/K-110/test'],
  module: ['/modules/K-104', async (page) => { await page.evaluate(() => document.querySelector('svg.trace').closest('.panel').scrollIntoView()); }],
  grade: ['/modules/K-011'],
  design: ['/banks/3'],
  bank: ['/banks/2'],
  sense: ['/banks/2', async (page) => { await page.evaluate(() => document.getElementById('sense').scrollIntoView()); }],
  sheet: ['/banks/2/sheet'],
  pack: ['/packs/1'],
  practice: ['/practice/nasty?seed=5', async (page) => {
    for (const [red, black] of [['A+', 'A-'], ['X4', 'X3']]) {
      await page.locator(`[data-point="${red}"]`).click();
      await page.locator(`[data-point="${black}"]`).click();
      await page.getByRole('button', { name: 'Take the reading' }).click();
    }
  }],
  pins: ['/types/2/pins'],
  dark: ['/modules/K-123', null, 'dark'],
};

const server = await start('demo');
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'] });
for (const [name, [path, act, colorScheme]] of Object.entries(views)) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: colorScheme ?? 'light' });
  await page.goto(server.url + path);
  if (act) await act(page);
  await page.waitForTimeout(250);
  await page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
  await page.close();
}
await browser.close();
await server.stop();
