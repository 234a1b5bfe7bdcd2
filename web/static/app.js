// Rhythm and safety nets. Every page works without this file.

// Light and dark.
document.getElementById('theme')?.addEventListener('click', () => {
  const next = document.documentElement.dataset.bsTheme === 'dark' ? 'light' : 'dark';
  document.documentElement.dataset.bsTheme = next;
  localStorage.setItem('pandrel-theme', next);
});

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
// The row in hand is marked.
for (const [type, on] of [['focusin', true], ['focusout', false]]) {
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

// Shortcuts: / searches, ? lists the keys, g and a letter goes to a station.
const stations = { r: 'receive', i: 'inspect', m: 'map', s: 'survey', t: 'test', g: 'grade', d: 'design', w: 'wire', k: 'keep' };
let go = false;
document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.target.matches('input, textarea, select')) return;
  if (go && stations[e.key]) location.href = '/station/' + stations[e.key];
  if (go && e.key === 'h') location.href = '/';
  go = e.key === 'g' && !go;
  if (e.key === '/') { e.preventDefault(); document.getElementById('search')?.focus(); }
  if (e.key === '?') location.href = '/keys';
});

// What is typed is kept in this browser until the server says it has it: a reload, a closed lid or
// a dead network loses nothing.
const key = (form) => `pandrel-draft:${location.pathname}:${form.dataset.keep}`;
const fieldsOf = (form) => [...form.elements].filter((f) => f.name && !['hidden', 'file', 'submit'].includes(f.type) && f.name !== '_csrf');
// A draft that cannot be read is dropped: it must not stop the rest of this file.
const draftAt = (k) => {
  try {
    const d = JSON.parse(localStorage.getItem(k) ?? 'null');
    if (d && typeof d.values === 'object' && d.values) return d;
  } catch { /* not ours, or cut off */ }
  localStorage.removeItem(k);
  return null;
};
const cookie = document.cookie.split('; ').find((c) => c.startsWith('pandrel_saved='));
if (cookie) {
  const token = cookie.split('=')[1];
  for (const k of Object.keys(localStorage)) {
    if (k.startsWith('pandrel-draft:') && draftAt(k)?.token === token) localStorage.removeItem(k);
  }
  document.cookie = 'pandrel_saved=; Max-Age=0; path=/; SameSite=Strict';
}
for (const form of document.querySelectorAll('form[data-keep]')) {
  const token = () => form.elements.token?.value;
  const draft = draftAt(key(form));
  if (draft && !form.dataset.answered) {
    let changed = false;
    for (const f of fieldsOf(form)) {
      if (!(f.name in draft.values)) continue;
      if (f.type === 'checkbox' || f.type === 'radio') { f.checked = [].concat(draft.values[f.name]).includes(f.value); continue; }
      if (f.value !== draft.values[f.name]) { f.value = draft.values[f.name]; changed = true; }
    }
    if (form.elements.token) form.elements.token.value = draft.token;
    if (changed) {
      form.querySelector('[data-restored]')?.removeAttribute('hidden');
      form.dispatchEvent(new Event('change', { bubbles: true }));
    }
  }
  form.addEventListener('input', () => {
    const values = {};
    for (const f of fieldsOf(form)) {
      if (f.type === 'checkbox' || f.type === 'radio') (values[f.name] ??= []).push(...(f.checked ? [f.value] : []));
      else values[f.name] = f.value;
    }
    localStorage.setItem(key(form), JSON.stringify({ token: token(), values }));
  });
  form.querySelector('[data-discard]')?.addEventListener('click', () => {
    localStorage.removeItem(key(form));
    location.reload();
  });
}

// A form that failed takes the reader to the first thing to mend.
document.querySelector('[aria-invalid="true"]')?.focus();
for (const b of document.querySelectorAll('[data-print]')) b.addEventListener('click', () => print());

// What is in hand is marked on the face and on the ladder: the two points to touch, or the group
// whose voltage is typed.
function mark(name, cls, sign) {
  for (const g of document.querySelectorAll(`[data-face] [data-point="${CSS.escape(name)}"]`)) {
    g.classList.add(cls);
    const text = g.querySelector('.face-mark');
    if (text) text.textContent = sign;
  }
}
function light() {
  const guide = document.querySelector('#guide [data-red]');
  const row = document.querySelector('.probe-row[data-group-no].now') ?? (guide ? null : document.querySelector('.probe-row[data-group-no]'));
  if (!guide && !row) return;
  for (const g of document.querySelectorAll('[data-face] [data-point]')) {
    g.classList.remove('lit-neg', 'lit-pos');
    for (const shape of g.querySelectorAll('.dr-stop, .dr-caution')) shape.setAttribute('class', 'dr-post');
    const text = g.querySelector('.face-mark');
    if (text) text.textContent = '';
  }
  for (const b of document.querySelectorAll('[data-group]')) b.classList.toggle('lit', row?.dataset.groupNo === b.dataset.group);
  if (guide) {
    mark(guide.textContent, 'lit-pos', 'R');
    mark(document.querySelector('#guide [data-black]').textContent, 'lit-neg', 'B');
    return;
  }
  for (const p of row.dataset.neg.split(' ').filter(Boolean)) mark(p, 'lit-neg', '−');
  for (const p of row.dataset.pos.split(' ').filter(Boolean)) mark(p, 'lit-pos', '+');
}
document.addEventListener('focusin', (e) => { if (e.target.closest?.('.probe-row')) light(); });
document.addEventListener('htmx:afterSettle', () => {
  light();
  const flagged = new Set([...document.querySelectorAll('[data-flag]')].map((f) => f.dataset.flag));
  for (const row of document.querySelectorAll('.probe-row[data-group-no]')) row.classList.toggle('flagged', flagged.has(row.querySelector('input').id));
});
document.activeElement?.closest?.('.probe-row')?.classList.add('now'); // autofocus came before this script
light();

// A flagged reading is gone back to on request.
document.addEventListener('click', (e) => {
  const id = e.target.closest?.('[data-goto]')?.dataset.goto;
  if (!id) return;
  const field = document.getElementById(id);
  field.focus();
  field.select();
});

// The bench meter is asked for the two points in hand; what it shows is put into the field, and a
// person takes it over with Enter.
document.addEventListener('click', async (e) => {
  const b = e.target.closest?.('[data-meter]');
  if (!b) return;
  const says = document.getElementById('meter-says');
  const body = new URLSearchParams({ red: document.querySelector('#guide [data-red]')?.textContent ?? '', black: document.querySelector('#guide [data-black]')?.textContent ?? '' });
  says.textContent = '';
  try {
    const res = await fetch(b.dataset.meter, { method: 'POST', headers: { 'X-CSRF-Token': document.querySelector('input[name="_csrf"]').value }, body });
    const got = await res.json();
    if (got.error) says.textContent = got.error;
    else document.getElementById('guided').value = got.volts;
  } catch {
    says.textContent = 'The meter could not be asked: is the workshop still running?';
  }
  document.getElementById('guided').focus();
});

// On the face a press puts the red probe down, the next one the black probe.
let probe = 'red';
document.addEventListener('click', (e) => {
  const point = e.target.closest?.('[data-face] [data-point]')?.dataset.point;
  if (!point) return;
  const field = document.getElementById(probe);
  const guided = document.querySelector(`#guide [data-${probe}]`);
  const row = document.querySelector(`.probe-row[data-pos~="${CSS.escape(point)}"] input`);
  if (field) {
    field.value = point;
    field.focus();
  } else if (guided) {
    guided.textContent = point;
    document.querySelector('#guide [data-why]')?.replaceChildren('Your own choice of points.');
    light();
    document.getElementById('guided').focus();
  } else if (row) { // in a survey a press on a point goes to the group below it
    row.focus();
    row.select();
    return;
  }
  probe = probe === 'red' ? 'black' : 'red';
});

// In the face editor points and connectors are dragged; their fields follow in per cent of the case.
const edit = document.querySelector('[data-face-edit]');
edit?.addEventListener('pointerdown', (down) => {
  const thing = down.target.closest('[data-connector]') ?? down.target.closest('[data-point]');
  if (!thing) return;
  let row = document.querySelector(`[data-place][data-name="${CSS.escape(thing.dataset.connector ?? thing.dataset.point)}"]`);
  let moved = [thing];
  if (!row) { // a pin moves its connector
    row = [...document.querySelectorAll('[data-place^="c"]')].find((f) => f.querySelector('textarea').value.split(/\s+/).includes(thing.dataset.point));
    if (!row) return;
  }
  if (row.dataset.place[0] === 'c') {
    const pins = row.querySelector('textarea').value.split(/\s+/);
    moved = [...edit.querySelectorAll('[data-connector], [data-point]')].filter((g) => g.dataset.connector === row.dataset.name || pins.includes(g.dataset.point));
  }
  down.preventDefault();
  const svg = edit.querySelector('svg');
  const box = svg.querySelector('.dr-case').getBBox();
  const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
  const [fx, fy] = ['x', 'y'].map((a) => document.querySelector(`[name="${row.dataset.place}_${a}"]`));
  const number = (f) => Number(f.value.replace(',', '.'));
  const [x0, y0] = [number(fx), number(fy)];
  const clamp = (v) => Math.round(Math.min(100, Math.max(0, v)) * 10) / 10;
  const move = (e) => {
    const [x, y] = [clamp(x0 + ((e.clientX - down.clientX) * scale * 100) / box.width), clamp(y0 + ((e.clientY - down.clientY) * scale * 100) / box.height)];
    fx.value = x;
    fy.value = y;
    for (const g of moved) g.setAttribute('transform', `translate(${((x - x0) * box.width) / 100} ${((y - y0) * box.height) / 100})`);
  };
  const up = () => {
    document.removeEventListener('pointermove', move);
    document.removeEventListener('pointerup', up);
  };
  document.addEventListener('pointermove', move);
  document.addEventListener('pointerup', up);
});

// A number that is still being typed is not judged: half of it would be odd beside its siblings.
document.addEventListener('focusin', (e) => {
  if (e.target.matches?.('[data-rhythm]')) e.target.dataset.was = e.target.value;
});
document.addEventListener('htmx:configRequest', (e) => {
  const field = document.activeElement;
  if (field?.matches?.('[data-live] [data-rhythm]') && field.form === e.detail.elt && field.value !== (field.dataset.was ?? '')) e.detail.formData.delete(field.name);
});
