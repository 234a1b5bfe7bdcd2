// On the look: a figure takes that answer of the list in hand and goes on to the next; a goes to 'All clear', which
// Enter then presses.
export function look(e) {
  const lists = [...document.querySelectorAll('.looks > li')];
  if (!lists.length) return;
  if (e.key === 'a') {
    document.querySelector('button[name="clear"]')?.focus();
    return;
  }
  const n = Number(e.key);
  if (!(n >= 1 && n <= 9)) return;
  const at = lists.find((l) => l.contains(document.activeElement)) ?? lists.find((l) => !l.querySelector(':checked'));
  const box = at?.querySelectorAll('input[type="radio"]')[n - 1];
  if (!box) return;
  box.checked = true;
  box.dispatchEvent(new Event('change', { bubbles: true }));
  const next = lists[lists.indexOf(at) + 1]?.querySelector('input[type="radio"]');
  (next ?? document.querySelector('button[name="clear"]')).focus();
}
