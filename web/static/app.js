// Rhythm and safety nets. Every page works without this file.

// Light and dark.
document.getElementById('theme')?.addEventListener('click', () => {
  const next = document.documentElement.dataset.bsTheme === 'dark' ? 'light' : 'dark';
  document.documentElement.dataset.bsTheme = next;
  localStorage.setItem('pandrel-theme', next);
});

// Enter moves on from field to field.
document.addEventListener('keydown', (e) => {
  const field = e.target;
  if (e.key !== 'Enter' || !(field instanceof HTMLInputElement) || !field.matches('[data-rhythm]')) return;
  e.preventDefault();
  const form = field.form;
  const fields = [...form.querySelectorAll('[data-rhythm]')];
  const at = fields.indexOf(field);
  const next = fields[at + 1];
  if (next) {
    next.focus();
    next.select();
    return;
  }
  // From the last field Enter saves. What cannot be right is asked about before it is kept.
  const end = form.querySelector('[data-rhythm-end]');
  if (fields.every((f) => f.value.trim())) form.requestSubmit(end);
  else fields.find((f) => !f.value.trim()).focus();
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
const cookie = document.cookie.split('; ').find((c) => c.startsWith('pandrel_saved='));
if (cookie) {
  const token = cookie.split('=')[1];
  for (const k of Object.keys(localStorage)) {
    if (k.startsWith('pandrel-draft:') && JSON.parse(localStorage[k]).token === token) localStorage.removeItem(k);
  }
  document.cookie = 'pandrel_saved=; Max-Age=0; path=/; SameSite=Strict';
}
for (const form of document.querySelectorAll('form[data-keep]')) {
  const token = () => form.elements.token?.value;
  const draft = JSON.parse(localStorage.getItem(key(form)) ?? 'null');
  if (draft && !form.dataset.answered) {
    let changed = false;
    for (const f of fieldsOf(form)) {
      if (!(f.name in draft.values)) continue;
      if (f.type === 'checkbox') { f.checked = draft.values[f.name].includes(f.value); continue; }
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
      if (f.type === 'checkbox') (values[f.name] ??= []).push(...(f.checked ? [f.value] : []));
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
// On the face a press puts the red probe down, the next one the black probe.
let probe = 'red';
document.addEventListener('click', (e) => {
  const point = e.target.closest?.('[data-face] [data-point]')?.dataset.point;
  if (!point) return;
  document.getElementById(probe).value = point;
  document.getElementById(probe).focus();
  probe = probe === 'red' ? 'black' : 'red';
});
