// Rhythm and safety nets. Every page works without this file.
import { local } from './js/dates.js';
import * as drafts from './js/drafts.js';
import * as notices from './js/notices.js';
import './js/keys.js';
import './js/lost.js';
import { rooms } from './js/rooms.js';
import { unfold } from './js/unfold.js';

// arrive sees to what is new on the page: at first all of it, later what an answer put there.
function arrive() {
  const saved = drafts.settle();
  // Where the page itself says so, with its way back, it is only read out.
  // So it is on a plan, which shows what was done by itself.
  const shown = document.querySelector('form.undo, [data-floor]');
  if (saved) notices.say(saved, !saved.includes('already') && shown);
  drafts.watchAll();
  local();
  columns();
  bench().then(watched);
  stays();
  plots();
  live();
  timers();
  drags();
  floors();
  rooms();
  reachScrollers();
  unfold();
  // A form that failed takes the reader to the first thing to mend, or to why it was not taken.
  const mend = document.querySelector('main [aria-invalid="true"]');
  if (mend) mend.focus();
  else document.querySelector('main [role="alert"], main form .invalid-feedback')?.scrollIntoView({ block: 'center' });
}

// The sentence of a live answer stays in sight on a narrow screen.
async function stays() {
  if (document.querySelector('form[hx-target="#answer"], form[data-live]')) (await import('./js/stays.js')).start();
}

// What only a bench needs comes with the first page that has a row of readings or a face.
async function bench() {
  if (!document.querySelector('[data-rhythm], [data-face], [data-face-edit], #guide, #guided, .probe-row')) return;
  const [probing] = await Promise.all([import('./js/probing.js'), import('./js/face.js')]);
  probing.start();
}

// A meter on line reads by itself where somebody asks for it.
let eyes = null;
async function watched() {
  if (!eyes && !document.querySelector('[data-eyes]')) return;
  eyes = await import('./js/eyes.js');
  eyes.start();
}

async function columns() {
  if (document.querySelector('[data-fill]')) (await import('./js/fill.js')).fillable();
}

// Running tests are followed where a page shows them, and let go of where the next one does not.
let following = null;
async function live() {
  if (!following && !document.querySelector('[data-run], [data-wall]')) return;
  following = await import('./js/live.js');
  following.start();
}

async function drags() {
  if (document.querySelector('[data-job]')) (await import('./js/drag.js')).start();
}

// The plan of a bank is taken hold of.
async function floors() {
  if (document.querySelector('[data-floor]')) (await import('./js/floor.js')).start();
}

// What is attended has its clock.
async function timers() {
  if (document.querySelector('[data-until]')) (await import('./js/timers.js')).start();
}

// A log is drawn anew where somebody looks into it.
async function plots() {
  if (document.querySelector('[data-plot]:not([data-plotted])')) (await import('./js/plot.js')).start();
}

// What scrolls sideways can be scrolled by the keyboard, and has a name.
function reachScrollers() {
  const names = new Map(); // no two are called the same
  for (const box of document.querySelectorAll('.table-responsive, .labels')) {
    if (box.scrollWidth <= box.clientWidth) {
      for (const a of ['tabindex', 'role', 'aria-label']) box.removeAttribute(a);
      continue;
    }
    box.tabIndex = 0;
    box.setAttribute('role', 'region');
    const of = box.closest('section, main')?.querySelector('h2, h1')?.textContent.trim() ?? 'Table';
    const times = (names.get(of) ?? 0) + 1;
    names.set(of, times);
    box.setAttribute('aria-label', `${of}${times > 1 ? `, part ${times}` : ''}, scrolls sideways`);
  }
}
addEventListener('resize', reachScrollers);
document.body.addEventListener('htmx:afterSettle', reachScrollers);

// A known type needs no description.
document.addEventListener('change', (e) => {
  if (!e.target.matches?.('[data-start-type]')) return;
  const described = document.querySelector('[data-start-new]');
  described.hidden = e.target.value !== 'new';
});

notices.start();
// What only a hand at them needs comes when one is there.
const start = async (what) => (await what).start();
for (const [of, come] of [
  ['#search', () => import('./js/search.js')],
  ['.theme', () => import('./js/theme.js')],
]) {
  document.querySelector(of)?.addEventListener('focusin', () => start(come()), { once: true });
}
const dark = matchMedia('(prefers-color-scheme: dark)');
dark.addEventListener('change', () => start(import('./js/theme.js')), { once: true });
document.addEventListener('click', (e) => {
  if (e.target.closest?.('[data-print]')) print();
});
document.body.addEventListener('htmx:afterSettle', (e) => {
  if (e.target.id !== 'main') return;
  if (document.activeElement === document.body) e.target.focus({ preventScroll: true });
  // What was saved is answered at the top of the page, or where its address says.
  if (!location.hash && !document.querySelector('main [aria-invalid="true"], main form .invalid-feedback'))
    scrollTo(0, 0);
  arrive();
});
arrive();
