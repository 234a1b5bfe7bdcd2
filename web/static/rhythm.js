// Loaded before the page, so that a fast typist never presses Enter before it listens.
// Enter moves on from field to field.
document.addEventListener('keydown', (e) => {
  const field = e.target;
  // Where a form stands for something done, Enter in a field never sends it.
  if (e.key === 'Enter' && field instanceof HTMLInputElement && field.form?.dataset.enter === 'no') e.preventDefault();
  if (e.key !== 'Enter' || !(field instanceof HTMLInputElement) || !field.matches('[data-rhythm]')) return;
  e.preventDefault();
  const form = field.form;
  const fields = [...form.querySelectorAll('[data-rhythm]')];
  const at = fields.indexOf(field);
  const next = fields[at + 1];
  if (next) {
    next.focus();
    next.select();
    return;
  }
  // From the last field Enter saves. What cannot be right is asked about before it is kept.
  const end = form.querySelector('[data-rhythm-end]');
  if (fields.every((f) => f.value.trim())) form.requestSubmit(end);
  else fields.find((f) => !f.value.trim()).focus();
});
