// A way on that leads into a fold opens it: what it leads to is in sight, and not one more press away.
function unfold() {
  let at = null;
  try {
    at = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
  } catch {
    return; // an address that somebody cut
  }
  if (!at) return;
  // A part of the page that is nothing but a fold is meant by its name.
  const inner = at.children.length === 1 && at.firstElementChild.matches('details') ? at.firstElementChild : at;
  let opened = false;
  for (let d = inner.closest('details'); d; d = d.parentElement?.closest('details')) {
    opened ||= !d.open;
    d.open = true;
  }
  if (opened) at.scrollIntoView();
}

addEventListener('hashchange', unfold);
document.addEventListener('click', (e) => {
  const to = e.target.closest?.('a[href^="#"]');
  if (to && to.hash === location.hash) unfold(); // pressed once more
});

export { unfold };
