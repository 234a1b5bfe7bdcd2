// What is typed is kept in this browser until the server says it has it: a reload, a closed lid or
// a dead network loses nothing. Each tab keeps its own; what another one holds is offered, never mixed in.

const root = 'pandrel-draft:';
const most = 40; // drafts; the oldest go first
const today = 8 * 3600e3; // ms: a reading of yesterday is not put among those of today unasked
const hidden = ['hidden', 'file', 'submit', 'button', 'image', 'reset'];
const keeps = (f, form) =>
  f.name && f.name !== '_csrf' && !hidden.includes(f.type) && (form.dataset.keep || !choice(f)) && !f.readOnly;
// Not form.elements: a field of that name stands in its way.
const fieldsOf = (form) => [...form.querySelectorAll('input, select, textarea')].filter((f) => keeps(f, form));
const valueOf = (form, name) => form.querySelector(`[name="${name}"]`)?.value ?? '';
const choice = (f) => f.type === 'checkbox' || f.type === 'radio';
const named = (form) =>
  form.dataset.keep ??
  [form.getAttribute('action'), valueOf(form, 'step'), valueOf(form, 'kind')].filter(Boolean).join('|');
const place = (form) => `${root}${location.pathname}:${named(form)}:`;

// storage may be full, or closed to this page: then nothing is kept, and nothing else stops.
const safely = (f, otherwise) => {
  try {
    return f();
  } catch {
    return otherwise;
  }
};
const store = {
  get: (k) => safely(() => localStorage.getItem(k), null),
  set: (k, v) => safely(() => localStorage.setItem(k, v)),
  drop: (k) => safely(() => localStorage.removeItem(k)),
  keys: () => safely(() => Object.keys(localStorage), []).filter((k) => k.startsWith(root)),
};

// A tab has a name of its own; one that was duplicated takes another.
const fresh = () => Math.random().toString(36).slice(2, 10);
let tab = safely(() => sessionStorage.getItem('pandrel-tab'), null) ?? fresh();
const remember = () => safely(() => sessionStorage.setItem('pandrel-tab', tab));
remember();
const others = safely(() => new BroadcastChannel('pandrel-tabs'), null);
others?.addEventListener('message', (e) => {
  if (e.data.ask === tab && e.data.id !== self) others.postMessage({ taken: tab, id: self });
  if (e.data.taken === tab && e.data.id !== self && !others.settled) {
    tab = fresh();
    remember();
  }
});
const self = fresh();
others?.postMessage({ ask: tab, id: self });
setTimeout(() => others && (others.settled = true), 500);

// A draft that cannot be read is dropped: it must not stop the rest of the page.
export function parse(text) {
  try {
    const d = JSON.parse(text ?? 'null');
    const whole = d && typeof d === 'object' && d.values && typeof d.values === 'object' && !Array.isArray(d.values);
    return whole
      ? { token: String(d.token ?? ''), values: d.values, at: Number(d.at) || 0, base: String(d.base ?? '') }
      : null;
  } catch {
    return null; // not ours, or cut off
  }
}

function draftAt(k) {
  const d = parse(store.get(k));
  if (!d) store.drop(k);
  return d;
}

// settle forgets the draft of the form that was saved, and returns what to say of it.
export function settle() {
  const cookie = document.cookie.split('; ').find((c) => c.startsWith('pandrel_saved='));
  if (!cookie) return '';
  const [token, again] = cookie.split('=')[1].split('.');
  for (const k of store.keys()) if (draftAt(k)?.token === token) store.drop(k);
  document.cookie = 'pandrel_saved=; Max-Age=0; path=/; SameSite=Strict';
  return again ? 'This was saved already, perhaps in another tab: nothing was saved twice.' : 'Saved.';
}

// put puts a draft into its form, and returns whether that changed anything.
function put(form, draft) {
  let changed = false;
  for (const f of fieldsOf(form)) {
    if (!(f.name in draft.values)) continue;
    const value = draft.values[f.name];
    if (choice(f)) {
      f.checked = [].concat(value).includes(f.value);
    } else if (typeof value === 'string' && f.value !== value) {
      f.value = value;
      changed = true;
    }
  }
  const token = form.querySelector('[name="token"]');
  if (token && draft.token) token.value = draft.token;
  if (changed) form.dispatchEvent(new Event('change', { bubbles: true }));
  return changed;
}

// note says something of a draft above its form, with a button for each thing that can be done.
function note(form, text, buttons) {
  form.querySelector('[data-draft]')?.remove();
  const p = document.createElement('p');
  p.className = 'form-text';
  p.dataset.draft = '';
  p.role = 'status';
  p.append(text);
  for (const [label, does] of buttons) {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'btn btn-link';
    b.textContent = label;
    b.addEventListener('click', () => {
      p.remove();
      does();
    });
    p.append(' ', b);
  }
  form.prepend(p);
}

function startOver(k) {
  store.drop(k);
  location.reload();
}

function offer(form, mine) {
  const own = draftAt(mine);
  const base = valueOf(form, 'version');
  if (own && own.base === base && Date.now() - own.at < today) {
    if (put(form, own)) note(form, 'What you had typed was kept.', [['Start over', () => startOver(mine)]]);
    return;
  }
  const newest = store
    .keys()
    .filter((k) => k.startsWith(place(form)))
    .map((k) => ({ k, d: draftAt(k) }))
    .filter(
      (x) => x.d && fieldsOf(form).some((f) => !choice(f) && f.name in x.d.values && f.value !== x.d.values[f.name]),
    )
    .sort((a, b) => b.d.at - a.d.at)[0];
  if (!newest) return;
  const when = new Date(newest.d.at).toLocaleString([], { dateStyle: 'short', timeStyle: 'short' });
  const where = newest.k !== mine ? 'in another tab' : newest.d.base === base ? 'earlier' : 'before this was changed';
  note(form, `Something typed here ${where}, at ${when}, was not saved.`, [
    ['Take it', () => put(form, newest.d) && form.querySelector('input:not([type=hidden]), textarea')?.focus()],
    ['Forget it', () => store.drop(newest.k)],
  ]);
}

// full makes room: the oldest drafts go.
function room() {
  const all = store.keys();
  if (all.length < most) return;
  const old = all.map((k) => [draftAt(k)?.at ?? 0, k]).sort((a, b) => a[0] - b[0]);
  for (const [, k] of old.slice(0, all.length - most + 1)) store.drop(k);
}

function watch(form) {
  if (form.dataset.watched || !fieldsOf(form).length) return;
  form.dataset.watched = '1';
  if (!form.dataset.answered) offer(form, place(form) + tab);
  form.addEventListener('input', () => {
    const values = {};
    for (const f of fieldsOf(form)) {
      if (choice(f)) (values[f.name] ??= []).push(...(f.checked ? [f.value] : []));
      else values[f.name] = f.value;
    }
    const k = place(form) + tab;
    if (store.get(k) === null) room();
    const base = valueOf(form, 'version');
    store.set(k, JSON.stringify({ token: valueOf(form, 'token'), values, at: Date.now(), base }));
  });
}

export function watchAll(within = document) {
  for (const form of within.querySelectorAll('form[method="post"]')) watch(form);
}
