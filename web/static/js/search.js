// Search while typing: the answers hang under the field. Enter and the button go to the page of all answers.

export function start() {
  const field = document.getElementById('search');
  const found = document.getElementById('found');
  if (!field || !found) return;
  const close = () => found.classList.remove('show');
  document.body.addEventListener('htmx:afterSwap', (e) => {
    if (e.target === found)
      found.classList.toggle('show', field.value.trim() !== '' && found.textContent.trim() !== '');
  });
  field.addEventListener('input', () => {
    if (!field.value.trim()) close();
  });
  field.form.addEventListener('keydown', (e) => {
    if (e.key === 'Escape') {
      close();
      field.focus();
    }
    const links = [...found.querySelectorAll('a')];
    const at = links.indexOf(document.activeElement);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[e.key];
    if (to === undefined || !found.classList.contains('show')) return;
    e.preventDefault();
    (links[to] ?? field).focus();
  });
  document.addEventListener('click', (e) => {
    if (!field.form.contains(e.target)) close();
  });
}
