// Measures in the browser what a hand feels: from a key to the painted answer, the first paint of a page, and the
// longest task on it. It prints a table for docs/benchmarks.md and judges nothing: machines differ.
import { chromium } from '@playwright/test';
import { start } from './server.mjs';

const median = (all) => all.toSorted((a, b) => a - b)[Math.floor(all.length / 2)];
const server = await start('demo');
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });

// answered types a text key by key and measures from each key until what it changed in a place is painted.
async function answered(path, field, text, place) {
  await page.goto(server.url + path, { waitUntil: 'networkidle' });
  await page.evaluate((at) => {
    window.spans = [];
    let key = 0;
    addEventListener(
      'keydown',
      () => {
        key = performance.now();
      },
      true,
    );
    new MutationObserver(() => {
      if (!key) return;
      const from = key;
      key = 0;
      requestAnimationFrame(() => setTimeout(() => window.spans.push(performance.now() - from)));
    }).observe(document.querySelector(at).parentElement, { subtree: true, childList: true, characterData: true });
  }, place);
  await page.focus(field);
  await page.keyboard.press('Control+A');
  for (const k of text) {
    await page.keyboard.press(k);
    await page.waitForTimeout(350); // so slowly that each key has an answer of its own
  }
  return page.evaluate(() => window.spans);
}

const row = (...cells) => console.log(`| ${cells.join(' | ')} |`);
row('from a key to the painted answer', 'answers', 'median', 'slowest');
row('---', '---', '---', '---');
for (const [name, path, field, text, place] of [
  ['working: pre-charge', '/workings/precharge', '#inputs input[inputmode=decimal]', '48.25', '#answer'],
  ['need of a bank', '/station/design', '[name=load_w]', '1250', '#need-answer'],
  ['map: readings', '/modules/K-202/map', '#readings', 'P1 P0 3.71', '#answer'],
  ['survey, typed to the millivolt', '/modules/K-125/survey', '[name=g1]', '3.712', '#answer'],
]) {
  const spans = await answered(path, field, text, place);
  row(name, spans.length, `${Math.round(median(spans))} ms`, `${Math.round(Math.max(...spans))} ms`);
}
console.log();
row('page', 'first paint', 'longest task');
row('---', '---', '---');
for (const path of [
  '/',
  '/lots/1',
  '/modules/K-110',
  '/modules/K-125/survey',
  '/banks/1',
  '/banks/8',
  '/station/keep',
]) {
  const paints = [];
  let task = 0;
  for (let i = 0; i < 5; i++) {
    await page.goto(server.url + path, { waitUntil: 'networkidle' });
    const [paint, longest] = await page.evaluate(
      () =>
        new Promise((done) => {
          const tasks = [0];
          new PerformanceObserver((l) => tasks.push(...l.getEntries().map((e) => e.duration))).observe({
            type: 'longtask',
            buffered: true,
          });
          const first = performance.getEntriesByName('first-contentful-paint')[0]?.startTime ?? NaN;
          setTimeout(() => done([first, Math.max(...tasks)]), 200);
        }),
    );
    paints.push(paint);
    task = Math.max(task, longest);
  }
  row(path, `${Math.round(median(paints))} ms`, task ? `${Math.round(task)} ms` : 'under 50 ms');
}
await browser.close();
await server.stop();
