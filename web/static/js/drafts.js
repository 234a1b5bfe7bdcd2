// What is typed is kept in this browser until the server says it has it: a reload, a closed lid or
// a dead network loses nothing.

const key = (form) => `pandrel-draft:${location.pathname}:${form.dataset.keep}`;
const kept = (f) => f.name && f.name !== '_csrf' && !['hidden', 'file', 'submit'].includes(f.type);
const fieldsOf = (form) => [...form.elements].filter(kept);
const choice = (f) => f.type === 'checkbox' || f.type === 'radio';

// storage may be full, or closed to this page: then nothing is kept, and nothing else stops.
const store = {
  get: (k) => {
    try {
      return localStorage.getItem(k);
    } catch {
      return null;
    }
  },
  set: (k, v) => {
    try {
      localStorage.setItem(k, v);
    } catch {
      /* not kept */
    }
  },
  drop: (k) => {
    try {
      localStorage.removeItem(k);
    } catch {
      /* nothing there */
    }
  },
  keys: () => {
    try {
      return Object.keys(localStorage);
    } catch {
      return [];
    }
  },
};

// A draft that cannot be read is dropped: it must not stop the rest of the page.
export function parse(text) {
  try {
    const d = JSON.parse(text ?? 'null');
    const whole = d && typeof d === 'object' && d.values && typeof d.values === 'object' && !Array.isArray(d.values);
    return whole ? { token: String(d.token ?? ''), values: d.values } : null;
  } catch {
    return null; // not ours, or cut off
  }
}

function draftAt(k) {
  const d = parse(store.get(k));
  if (!d) store.drop(k);
  return d;
}

// settle forgets the draft of the form that was saved, and returns whether one was.
export function settle() {
  const cookie = document.cookie.split('; ').find((c) => c.startsWith('pandrel_saved='));
  if (!cookie) return false;
  const token = cookie.split('=')[1];
  for (const k of store.keys()) {
    if (k.startsWith('pandrel-draft:') && draftAt(k)?.token === token) store.drop(k);
  }
  document.cookie = 'pandrel_saved=; Max-Age=0; path=/; SameSite=Strict';
  return true;
}

// restore puts a draft back into its form, and says so.
function restore(form, draft) {
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
  if (form.elements.token && draft.token) form.elements.token.value = draft.token;
  if (!changed) return;
  form.querySelector('[data-restored]')?.removeAttribute('hidden');
  form.dispatchEvent(new Event('change', { bubbles: true }));
}

function watch(form) {
  if (form.dataset.watched) return;
  form.dataset.watched = '1';
  const draft = draftAt(key(form));
  if (draft && !form.dataset.answered) restore(form, draft);
  form.addEventListener('input', () => {
    const values = {};
    for (const f of fieldsOf(form)) {
      if (choice(f)) (values[f.name] ??= []).push(...(f.checked ? [f.value] : []));
      else values[f.name] = f.value;
    }
    store.set(key(form), JSON.stringify({ token: form.elements.token?.value, values }));
  });
  form.querySelector('[data-discard]')?.addEventListener('click', () => {
    store.drop(key(form));
    location.reload();
  });
}

export function watchAll(root = document) {
  for (const form of root.querySelectorAll('form[data-keep]')) watch(form);
}
