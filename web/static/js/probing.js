// Probing: the two points or the group in hand, the volts typed for them, and what is offered.

import { reach } from './face.js';
import { say } from './notices.js';

// Guided probing: the volts typed for the two points asked for become a line of the readings.
document.addEventListener('keydown', (e) => {
  if (e.key !== 'Enter' || e.target.id !== 'guided') return;
  e.preventDefault();
  const value = e.target.value.trim();
  const red = document.querySelector('#guide [data-red]')?.textContent;
  const black = document.querySelector('#guide [data-black]')?.textContent;
  if (!value || !red) return;
  const readings = document.getElementById('readings');
  readings.value = `${readings.value.trimEnd()}\n${red} ${black} ${value}\n`.trimStart();
  e.target.value = '';
  readings.dispatchEvent(new Event('input', { bubbles: true }));
  readings.scrollTop = readings.scrollHeight;
});
document.addEventListener('click', (e) => {
  const point = e.target.closest?.('[data-skip]')?.dataset.skip;
  if (!point) return;
  const skip = document.getElementById('skip');
  skip.value = `${skip.value} ${point}`.trim();
  skip.form.dispatchEvent(new Event('change', { bubbles: true }));
  document.getElementById('guided').focus();
});
// A group that is typed to the millivolt is answered at once, before the field is left.
document.addEventListener('input', (e) => {
  if (e.target.matches?.('[data-rhythm]') && /^\s*\d+[.,]\d{3}\s*$/.test(e.target.value))
    e.target.dispatchEvent(new Event('read', { bubbles: true }));
});
// The row in hand is marked.
for (const [type, on] of [
  ['focusin', true],
  ['focusout', false],
]) {
  document.addEventListener(type, (e) => e.target.closest?.('.probe-row')?.classList.toggle('now', on));
}
// An offered reading is taken over on request, never by itself.
document.addEventListener('click', (e) => {
  const b = e.target.closest?.('[data-offer]');
  if (!b) return;
  const field = document.getElementById(b.dataset.for);
  field.value = b.dataset.offer;
  field.dispatchEvent(new Event('input', { bubbles: true }));
  field.dispatchEvent(new Event('change', { bubbles: true }));
  field.focus();
});

// What is in hand is marked on the face and on the ladder: the two points to touch, or the group
// whose voltage is typed.
function mark(name, cls, sign) {
  for (const g of document.querySelectorAll(`[data-face] [data-point="${CSS.escape(name)}"]`)) {
    g.classList.add(cls);
    const text = g.querySelector('.face-mark');
    if (text) text.textContent = sign;
  }
}
// name says in words what is marked on a face: on the drawing, and on each point.
const meaning = {
  R: 'red probe here',
  B: 'black probe here',
  '+': 'positive of the group',
  '−': 'negative of the group',
};
function name() {
  for (const svg of document.querySelectorAll('[data-face] svg.face[role="group"]')) {
    const marked = [];
    for (const g of svg.querySelectorAll('[data-point]')) {
      const what = meaning[g.querySelector('.face-mark')?.textContent];
      g.setAttribute('aria-label', what ? `${g.dataset.point}, ${what}` : g.dataset.point);
      if (what) marked.push(`${g.dataset.point}: ${what}`);
    }
    svg.setAttribute('aria-label', [svg.dataset.name.split(';')[0], ...marked].join('; '));
  }
}
export function light() {
  paint();
  name();
}
function paint() {
  const guide = document.querySelector('#guide [data-red]');
  const row =
    document.querySelector('.probe-row[data-group-no].now') ??
    (guide ? null : document.querySelector('.probe-row[data-group-no]'));
  if (!guide && !row) return;
  for (const g of document.querySelectorAll('[data-face] [data-point]')) {
    g.classList.remove('lit-neg', 'lit-pos');
    for (const shape of g.querySelectorAll('.dr-stop, .dr-caution')) shape.setAttribute('class', 'dr-post');
    const text = g.querySelector('.face-mark');
    if (text) text.textContent = '';
  }
  for (const b of document.querySelectorAll('[data-group]'))
    b.classList.toggle('lit', row?.dataset.groupNo === b.dataset.group);
  if (guide) {
    mark(guide.textContent, 'lit-pos', 'R');
    mark(document.querySelector('#guide [data-black]').textContent, 'lit-neg', 'B');
    return;
  }
  for (const p of row.dataset.neg.split(' ').filter(Boolean)) mark(p, 'lit-neg', '−');
  for (const p of row.dataset.pos.split(' ').filter(Boolean)) mark(p, 'lit-pos', '+');
}
document.addEventListener('focusin', (e) => {
  if (e.target.closest?.('.probe-row')) light();
});
// What the next reading is, and what the verdict, is read out: not the drawing with it.
function tell(target) {
  const heard = document.getElementById('heard');
  if (!heard || target.id !== 'answer') return;
  const words = [target.querySelector('.says, p'), document.querySelector('#guide .says')].map((p) =>
    p?.textContent.replace(/\s+/g, ' ').trim(),
  );
  const text = words.filter(Boolean).join('. ');
  if (heard.textContent !== text) heard.textContent = text;
}
document.addEventListener('htmx:afterSettle', (e) => {
  reach(); // a face that was turned is a new one
  light();
  tell(e.target);
  const flagged = new Set([...document.querySelectorAll('[data-flag]')].map((f) => f.dataset.flag));
  for (const row of document.querySelectorAll('.probe-row[data-group-no]'))
    row.classList.toggle('flagged', flagged.has(row.querySelector('input').id));
  // What could not be read as a number is marked where it was typed, with the reason.
  for (const field of document.querySelectorAll('[data-live] [data-rhythm]')) {
    const why = document.querySelector(`[data-unread][data-flag="${field.id}"]`);
    if (why) {
      field.setAttribute('aria-invalid', 'true');
      field.setAttribute('aria-errormessage', why.id);
    } else if (field.hasAttribute('aria-errormessage')) {
      field.removeAttribute('aria-invalid');
      field.removeAttribute('aria-errormessage');
    }
  }
});

// A row or a column from a spreadsheet fills the fields from the one in hand on. Of a table with several columns, such
// as group and volts, the last one counts.
document.addEventListener('paste', (e) => {
  const field = e.target;
  if (!field.matches?.('[data-rhythm]') || !field.form) return;
  const text = (e.clipboardData?.getData('text') ?? '').trim();
  const rows = text.split(/[\r\n]+/).map((r) => r.split('\t').filter((c) => c.trim()));
  let cells = rows.length > 1 && rows.every((r) => r.length > 1) ? rows.map((r) => r.at(-1)) : rows.flat();
  if (cells.length === 1) cells = text.split(/\s*;\s*|\s+(?=[-+−]?\d+[.,])/);
  if (cells.length < 2) return;
  e.preventDefault();
  const fields = [...field.form.querySelectorAll('[data-rhythm]')];
  const to = fields.slice(fields.indexOf(field));
  cells = cells.map((c) => c.trim());
  cells.slice(0, to.length).forEach((c, i) => (to[i].value = c));
  const n = Math.min(cells.length, to.length);
  const last = to[n - 1];
  last.dispatchEvent(new Event('input', { bubbles: true }));
  last.focus();
  last.dataset.was = last.value; // it is not being typed
  last.dispatchEvent(new Event('change', { bubbles: true }));
  const over = cells.length - n;
  say(`${n} fields filled.${over ? ` ${over} values more than there are fields were left out.` : ''}`);
});

// A flagged reading is gone back to on request.
document.addEventListener('click', (e) => {
  const id = e.target.closest?.('[data-goto]')?.dataset.goto;
  if (!id) return;
  const field = document.getElementById(id);
  field.focus();
  field.select();
});

// A number that is still being typed is not judged: half of it would be odd beside its siblings.
document.addEventListener('focusin', (e) => {
  if (e.target.matches?.('[data-rhythm]')) e.target.dataset.was = e.target.value;
});
document.addEventListener('htmx:configRequest', (e) => {
  const field = document.activeElement;
  if (
    field?.matches?.('[data-live] [data-rhythm]') &&
    field.form === e.detail.elt &&
    field.value !== (field.dataset.was ?? '')
  )
    e.detail.formData.delete(field.name);
});

// start marks what has the focus: it came before this script.
export function start() {
  document.activeElement?.closest?.('.probe-row')?.classList.add('now');
  reach();
  light();
}
