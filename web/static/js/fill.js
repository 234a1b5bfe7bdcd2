// A column whose cells repeat is filled from its first value: empty fields below take it, what was typed stays.
export function fillable() {
  for (const th of document.querySelectorAll('th[data-fill]:not([data-filled])')) {
    th.dataset.filled = '1';
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'btn btn-link p-0 ms-2 align-baseline';
    b.textContent = 'fill down';
    b.setAttribute('aria-label', `Fill ${th.firstChild.textContent.trim()} down from its first value`);
    b.addEventListener('click', () => fill(th));
    th.append(b);
  }
}

function fill(th) {
  const rows = [...th.closest('table').tBodies[0].rows];
  const fields = rows.map((r) => r.cells[th.cellIndex]?.querySelector('input, select')).filter(Boolean);
  const from = fields.findIndex((f) => f.value !== '');
  if (from < 0) return;
  for (const f of fields.slice(from + 1)) {
    if (f.value !== '') continue;
    f.value = fields[from].value;
    f.dispatchEvent(new Event('input', { bubbles: true }));
    f.dispatchEvent(new Event('change', { bubbles: true }));
  }
}
