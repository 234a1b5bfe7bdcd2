// A long page has rooms: a first screen, and one for each kind of work. The address names one, or anything in it.
// On paper, without this file and in the room 'all' they stand below each other.
let last = { page: '', room: '' }; // of the page in hand, by what it is called: an answer may come under another address
let stay = null; // where the page was scrolled to when a room was pressed

const named = () => {
  try {
    return decodeURIComponent(location.hash.slice(1));
  } catch {
    return ''; // cut
  }
};
const roomOf = (el) => el?.closest('[data-room]')?.dataset.room;

// The room of the address, else of what is to be mended, else the one that was open.
function rooms() {
  const nav = document.querySelector('nav[data-rooms]');
  if (!nav) return;
  const parts = [...document.querySelectorAll('main [data-room]')];
  const links = [...nav.querySelectorAll('a[href^="#"]')];
  for (const a of links) a.hidden = a.hash !== '#all' && !parts.some((part) => `#${part.dataset.room}` === a.hash);
  const known = links.filter((a) => !a.hidden).map((a) => a.hash.slice(1));
  const name = named();
  const mend = document.querySelector('main [aria-invalid="true"], main form .invalid-feedback');
  const page = nav.ariaLabel + document.querySelector('main h1')?.textContent;
  const here = last.page === page ? last.room : '';
  const room =
    (known.includes(name) && name) || roomOf(document.getElementById(name)) || roomOf(mend) || here || known[0];
  for (const part of parts) part.toggleAttribute('data-here', room === 'all' || part.dataset.room === room);
  for (const a of links) {
    if (a.hash.slice(1) === room) a.setAttribute('aria-current', 'true');
    else a.removeAttribute('aria-current');
  }
  // What comes next stands in every room but the first, which has it as its main button, and the one that it leads to.
  for (const way of document.querySelectorAll('[data-way]')) {
    const to = way.querySelector('a').hash.slice(1);
    way.hidden = [known[0], 'all', to, roomOf(document.getElementById(to))].includes(room);
  }
  const moved = last.page !== page || last.room !== room;
  last = { page, room };
  if (stay !== null) scrollTo(0, stay);
  else if (moved && name) document.getElementById(name)?.scrollIntoView();
  stay = null;
  if (moved) dispatchEvent(new Event('resize')); // what was not in sight had no width
}

addEventListener('hashchange', rooms);
document.addEventListener('click', (e) => {
  const a = e.target.closest?.('nav[data-rooms] a[href^="#"]');
  if (!a) return;
  const above = a.closest('nav').previousElementSibling?.getBoundingClientRect().bottom ?? 0;
  stay = Math.min(scrollY, Math.max(0, scrollY + above));
  if (a.hash === location.hash) rooms();
});

export { rooms };
