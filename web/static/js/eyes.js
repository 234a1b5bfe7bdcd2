// Eyes on the posts: with a bench meter on line a reading that stands still is taken by itself, and the next points are
// lit up. Off until somebody switches it on; it stays on in this window, from page to page, and sees nothing while the
// page is not looked at. Whether the probes were lifted in between, and what stands still, is for Pandrel to say.
import { light } from './probing.js';

const kept = 'pandrel-eyes';
let panel = null;
let stream = null;
let at = null; // what is being read: see target
let asked = 0; // requests under way
let heard = 0; // when the last one ended
let unheard = false; // one of them was not answered

const chosen = () => {
  try {
    return sessionStorage.getItem(kept) === 'on';
  } catch {
    return false;
  }
};
function choose(on) {
  try {
    if (on) sessionStorage.setItem(kept, 'on');
    else sessionStorage.removeItem(kept);
  } catch {
    /* not kept */
  }
}

// Tones: one high one for taken, two low ones for odd or trouble. Words and light say the same.
let sound = null;
function tone(hertz, after = 0) {
  try {
    sound ??= new AudioContext();
    sound.resume();
    const from = sound.currentTime + after;
    const o = sound.createOscillator();
    const g = sound.createGain();
    o.frequency.value = hertz;
    g.gain.setValueAtTime(0.2, from);
    g.gain.exponentialRampToValueAtTime(0.001, from + 0.15);
    o.connect(g).connect(sound.destination);
    o.start(from);
    o.stop(from + 0.16);
  } catch {
    /* no sound here */
  }
  panel?.setAttribute('data-tone', hertz > 400 ? 'taken' : 'odd');
}
const takenTone = () => tone(880);
function oddTone() {
  tone(220);
  tone(220, 0.22);
}

let last = ''; // what was taken before, in words

// say shows one of the sentences that stand ready in the panel, with what belongs into it.
function say(state, words = '', volts = '') {
  panel.dataset.state = state;
  for (const p of panel.querySelectorAll('[data-eyes-state]')) {
    p.hidden = p.dataset.eyesState !== state;
    if (p.hidden) continue;
    for (const [slot, text] of [
      ['[data-where]', words],
      ['[data-volts]', volts],
      ['[data-last]', last],
    ]) {
      const s = p.querySelector(slot);
      if (s && s.textContent !== text) s.textContent = text;
    }
  }
  panel.querySelector('[data-eyes-none]').hidden = state !== 'ready' || !at?.shown;
  panel.querySelector('[data-eyes-go]').hidden = state !== 'odd';
  panel.querySelector('[data-eyes-all]').hidden = !state.startsWith('done') || !rows().length;
}
function show(text) {
  panel.querySelector('[data-eyes-shows]').textContent = text;
  panel.querySelector('[data-eyes-value]').hidden = !text;
}

// What can be read on this page, one kind for each way to write it down: field is where the eye goes, spot what the
// meter is to touch, put() writes a reading down, odd() tells whether the answer to it names it.
const form = () => panel.closest('form');
const fieldOf = (row) => row.querySelector('input');
const open = (row) => !fieldOf(row).value.trim();
const rows = () =>
  [...form().querySelectorAll('[data-red], [data-lead]')].filter(
    (r) => r.dataset.lead || (r.dataset.red && r.dataset.black),
  );

function ofRow(row) {
  const field = fieldOf(row);
  const { lead, red, black } = row.dataset;
  return {
    field,
    row,
    words: row.dataset.says,
    spot: lead ? { lead } : { red, black },
    put(text) {
      field.value = text;
      field.dataset.was = text; // it is not being typed
      field.dispatchEvent(new Event('input', { bubbles: true }));
      field.dispatchEvent(new Event('change', { bubbles: true }));
    },
    odd: () => document.querySelector(`[data-flag="${CSS.escape(field.id)}"]`),
  };
}

let redo = []; // rows that are read once more, from the first

// The row in hand where it is open, else the next open one, from the top again where there is none below.
function nextRow(after) {
  if (redo.length) return ofRow(redo.shift());
  const all = rows();
  const now = after ? null : all.find((r) => fieldOf(r) === document.activeElement && open(r));
  const row = now ?? all.slice(all.indexOf(after) + 1).find(open) ?? all.find(open);
  return row ? ofRow(row) : null;
}

// Readings of a map that cannot all be true.
const suspects = () => Number(document.querySelector('[data-suspects]')?.dataset.suspects ?? 0);

function guided() {
  const red = document.querySelector('#guide [data-red]')?.textContent;
  const black = document.querySelector('#guide [data-black]')?.textContent;
  if (!red) return null;
  const before = suspects();
  const field = document.getElementById('guided');
  return {
    field,
    words: `Red on ${red}, black on ${black}`,
    spot: { red, black },
    once: true, // an odd one stays in the list, and what to read next is worked out anew
    put(text) {
      field.value = text;
      field.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    },
    odd: () => suspects() > before || document.querySelector('#rhint .err'),
  };
}

// Joints are lines of a list: a name that waits for its millivolts, or one more.
function joints() {
  const list = form().querySelector('textarea[data-eyes-joints]');
  const example = list.dataset.eyesExample === list.value.trim(); // nobody's joints: they give way to the first read
  const lines = example ? [] : list.value.split('\n').filter((l) => l.trim());
  const waits = lines.findIndex((l) => !/:.*\d/.test(l));
  const n = waits < 0 ? lines.length : waits;
  const name = (lines[n] ?? `joint ${n + 1}`).replace(/:.*$/, '').trim();
  return {
    field: list,
    words: `${name}: one probe on each side of it`,
    spot: { joint: n + 1 },
    once: true,
    put(text) {
      lines[n] = `${name}: ${text}`;
      list.value = `${lines.join('\n')}\n`;
      list.dispatchEvent(new Event('input', { bubbles: true }));
      list.dispatchEvent(new Event('change', { bubbles: true }));
      list.scrollTop = list.scrollHeight;
    },
    odd: () =>
      document
        .querySelector('#answer .says')
        ?.textContent.split(/[:,.;]/)
        .some((part) => part.trim() === name),
  };
}

function target(after) {
  if (form().querySelector('textarea[data-eyes-joints]')) return joints();
  return document.getElementById('guided') ? guided() : nextRow(after);
}

// answered waits until what was written down is judged, and reports whether it was.
async function answered() {
  const until = Date.now() + 8000;
  await new Promise((done) => setTimeout(done, 120));
  while (Date.now() < until && (asked > 0 || Date.now() - heard < 80))
    await new Promise((done) => setTimeout(done, 30));
  return asked === 0 && !unheard;
}
document.addEventListener('htmx:beforeRequest', () => asked++);
document.addEventListener('htmx:afterRequest', (e) => {
  asked = Math.max(0, asked - 1);
  heard = Date.now();
  unheard = Boolean(e.detail.failed); // one that a later one took the place of has not failed
});
for (const type of ['htmx:sendError', 'htmx:timeout']) document.addEventListener(type, () => (unheard = true));

function shut() {
  stream?.close();
  stream = null;
  if (at?.keyboard !== undefined) at.field.inputMode = at.keyboard;
}

// aim begins to read: the points in hand, or after a row the next that is still open.
function aim(after) {
  shut();
  if (!panel?.isConnected || !chosen() || document.hidden) return;
  at = target(after);
  if (!at) {
    show('');
    say(document.querySelector('[data-flag]') || suspects() ? 'doneodd' : 'done');
    const end = form().querySelector('[data-rhythm-end], .btn-primary');
    end?.focus({ preventScroll: true });
    end?.scrollIntoView({ block: 'nearest' });
    return;
  }
  watch();
}

function watch() {
  shut();
  const mine = at;
  mine.keyboard = mine.field.inputMode;
  mine.field.inputMode = 'none'; // no keyboard slides over what is to be touched
  if (document.activeElement !== mine.field) mine.field.focus({ preventScroll: true });
  (mine.row ?? mine.field).scrollIntoView({ block: 'nearest' });
  light();
  const of = panel.dataset;
  const query = new URLSearchParams({ ...mine.spot });
  for (const [name, value] of [
    ['module', of.module],
    ['bank', of.bank],
    ['bms', of.bms],
    ['before', mine.again],
  ])
    if (value) query.set(name, value);
  if (!mine.again) say('ready', mine.words);
  const from = new EventSource(`/meter/events?${query}`);
  stream = from;
  from.onmessage = (e) => stream === from && told(JSON.parse(e.data), mine);
  from.onerror = () => {
    // It comes again by itself, unless it was refused.
    if (stream === from && from.readyState === EventSource.CLOSED) stop('The meter cannot be read here.');
  };
}

function told(t, mine) {
  if (t.state === 'trouble' || t.state === 'elsewhere') {
    stop(t.says);
    return;
  }
  mine.shown = t.shows ?? '';
  show(mine.shown);
  if (t.state === 'taken') take(mine, mine.shown, t.same);
  else if (!mine.again || t.state === 'settling') say(t.state, mine.words, t.says);
}

// take writes a reading down and waits for the answer to it. An odd one is read again before it is believed: twice
// alike, it is the module and not the hand.
async function take(mine, text, same) {
  shut();
  unheard = false;
  mine.put(text);
  const judged = await answered();
  if (at !== mine || !chosen() || !panel?.isConnected) return; // somebody went elsewhere meanwhile
  if (!judged) {
    stop('Pandrel did not answer to the last reading: it stands there, and nothing judged it.');
    return;
  }
  if (same || !mine.odd()) {
    takenTone();
    last = `${text} taken. `;
    aim(mine.row);
    return;
  }
  oddTone();
  last = `${text} taken, and it is odd. `;
  if (mine.once) {
    aim();
    return;
  }
  mine.again = text;
  watch();
  say('odd', mine.words, text);
}

function stop(words) {
  choose(false);
  shut();
  press();
  show('');
  oddTone();
  say('trouble', words);
}

function press() {
  const on = chosen();
  panel.querySelector('[data-eyes-on]').setAttribute('aria-pressed', String(on));
}

function pressed(e) {
  if (e.target.closest?.('[data-eyes-on]')) {
    choose(!chosen());
    redo = [];
    press();
    show('');
    if (chosen()) aim();
    else {
      shut();
      say('off');
    }
  } else if (e.target.closest?.('[data-eyes-none]')) {
    if (at?.shown) take(at, at.shown);
  } else if (e.target.closest?.('[data-eyes-all]')) {
    redo = rows();
    aim();
  } else if (e.target.closest?.('[data-eyes-go]')) {
    aim(at?.row);
  }
}

let begun = false;
export function start() {
  const all = [...document.querySelectorAll('[data-eyes]')];
  shut();
  at = null;
  last = '';
  redo = [];
  panel = all[0] ?? null;
  if (!panel) return;
  press();
  for (const p of all) p.querySelector('[data-eyes-on]').disabled = false;
  if (chosen() && all.length === 1) aim();
  if (begun) return;
  begun = true;
  document.addEventListener('click', (e) => {
    const mine = e.target.closest?.('[data-eyes]');
    if (mine && mine !== panel) {
      shut(); // another BMS of this bank
      choose(false);
      press();
      panel = mine;
    }
    if (mine) pressed(e);
  });
  // Whoever goes to another open field, or types one by hand, is followed.
  document.addEventListener('focusin', (e) => {
    if (!stream || !at?.row || e.target === at.field || !panel?.isConnected) return;
    if (rows().some((r) => fieldOf(r) === e.target && open(r))) aim();
  });
  document.addEventListener('change', (e) => {
    if (stream && at?.row && e.target === at.field && e.isTrusted) aim(at.row);
  });
  // A flagged reading that is gone back to is read again; until then it stays.
  document.addEventListener('click', (e) => {
    const id = e.target.closest?.('[data-goto]')?.dataset.goto;
    const row = id && panel?.isConnected && chosen() ? rows().find((r) => fieldOf(r).id === id) : null;
    if (!row) return;
    shut();
    at = ofRow(row);
    at.again = fieldOf(row).value;
    watch();
    say('odd', at.words, at.again);
  });
  // Another pair of points was chosen on the map, or a reading was typed there.
  document.addEventListener('htmx:afterSettle', (e) => {
    if (stream && at?.once && e.target.id === 'answer' && panel?.isConnected) aim();
  });
  document.addEventListener('visibilitychange', () => (document.hidden ? shut() : aim()));
  addEventListener('pagehide', shut);
}
