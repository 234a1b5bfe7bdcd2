// What is left until a time that Pandrel keeps: it goes on over a reload, and in every window that shows it.
let ticking = null;
const plain = () => document.title.replace(/^(Look now|Switch off): /, '');
let asked = '';

const words = (s) => {
  const h = Math.floor(s / 3600);
  const m = Math.floor((s % 3600) / 60);
  return `${h ? `${h} h ` : ''}${h || m ? `${m} min ` : ''}${h ? '' : `${Math.floor(s % 60)} s`}`.trim();
};

export function start() {
  clearInterval(ticking);
  if (!document.querySelector('[data-until]')) return;
  tick();
  ticking = setInterval(tick, 1000);
}

function tick() {
  const all = [...document.querySelectorAll('[data-until]')];
  if (!all.length) {
    clearInterval(ticking);
    document.title = plain();
    return;
  }
  let due = '';
  for (const b of all) {
    const left = (new Date(b.dataset.until) - Date.now()) / 1000;
    b.textContent = left >= 0 ? words(left) : `${b.dataset.over} ${words(-left)}`;
    b.classList.toggle('due', left < 0);
    if (left < 0) due = b.hasAttribute('data-hard') ? 'Switch off' : due || 'Look now';
  }
  document.title = due ? `${due}: ${plain()}` : plain();
  // What the page says of a time that has passed comes from Pandrel, once.
  const key = all
    .filter((b) => b.classList.contains('due'))
    .map((b) => b.dataset.until)
    .join();
  if (key && key !== asked && !document.querySelector('main input:focus')) {
    asked = key;
    const says = document.querySelector('main .says');
    if (says)
      window.htmx.ajax('GET', location.pathname, { target: says, select: 'main .says', swap: 'outerHTML show:none' });
  }
}
