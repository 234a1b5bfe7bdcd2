// On a narrow screen the sentence of an answer that is worked out while somebody types stays in sight above the form: a
// copy of it, and only for the eye, since the answer itself is read out where it stands.
const narrow = matchMedia('(max-width: 991.98px)');
const strip = document.createElement('div');
strip.className = 'stays-strip d-print-none';
strip.hidden = true;
strip.setAttribute('aria-hidden', 'true');
let drawn = '';

function show() {
  const watched = document.querySelector('[data-eyes-on][aria-pressed="true"]'); // says itself what each reading is
  if (watched) {
    strip.hidden = true;
    return;
  }
  const form = document.activeElement?.form ?? document.activeElement?.closest?.('form');
  const at = narrow.matches ? form?.getAttribute('hx-target') : null;
  const inside = at?.startsWith('find ') && at.slice(5); // one of several on its page
  const answer = inside ? form.querySelector(inside) : at ? document.querySelector(at) : null;
  const says = answer?.querySelector('.says, .err') ?? answer?.querySelector('p:not([data-none])');
  const box = says?.getBoundingClientRect();
  strip.hidden = !box?.height || (box.bottom > 0 && box.top < innerHeight / 2);
  if (strip.hidden) return;
  const head = document.getElementById('path') ?? document.querySelector('header'); // under it while it is in sight
  strip.style.top = `${Math.max(0, head?.getBoundingClientRect().bottom ?? 0)}px`;
  if (says.outerHTML === drawn) return;
  drawn = says.outerHTML;
  const copy = says.cloneNode(true);
  copy.removeAttribute('id');
  for (const b of copy.querySelectorAll('a, button')) b.remove();
  strip.replaceChildren(copy);
}

let begun = false;
export function start() {
  if (!strip.isConnected) document.body.append(strip);
  show();
  if (begun) return;
  begun = true;
  for (const type of ['focusin', 'focusout', 'htmx:afterSettle']) document.body.addEventListener(type, show);
  addEventListener('scroll', show, { passive: true });
  narrow.addEventListener('change', show);
}
