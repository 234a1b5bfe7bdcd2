// Light, dark, or as the system says: kept in this browser. What is chosen is set before the page is drawn, by theme.js
// of the folder above.

const dark = matchMedia('(prefers-color-scheme: dark)');

function set(choice) {
  const wanted = choice === 'system' ? (dark.matches ? 'dark' : 'light') : choice;
  document.documentElement.dataset.bsTheme = wanted;
  try {
    if (choice === 'system') localStorage.removeItem('pandrel-theme');
    else localStorage.setItem('pandrel-theme', choice);
  } catch {
    /* not kept */
  }
  mark();
}

function mark() {
  let chosen = 'system';
  try {
    chosen = localStorage.getItem('pandrel-theme') ?? 'system';
  } catch {
    /* none kept */
  }
  for (const b of document.querySelectorAll('[data-theme]')) {
    b.setAttribute('aria-pressed', String(b.dataset.theme === chosen));
    b.classList.toggle('active', b.dataset.theme === chosen);
  }
}

let started = false;

export function start() {
  if (started) return;
  started = true;
  document.addEventListener('click', (e) => {
    const choice = e.target.closest?.('[data-theme]')?.dataset.theme;
    if (choice) set(choice);
  });
  dark.addEventListener('change', () => {
    if (!document.querySelector('[data-theme].active:not([data-theme="system"])')) set('system');
  });
  mark();
  const system = document.querySelector('[data-theme="system"].active');
  if (system && document.documentElement.dataset.bsTheme !== (dark.matches ? 'dark' : 'light')) set('system');
}
