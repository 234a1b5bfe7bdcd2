// A test on the timeline is taken and put on another channel: what the form below does by keyboard.
let held = null;

export function start() {
  for (const svg of document.querySelectorAll('svg:has([data-job])')) {
    if (svg.dataset.drag) continue;
    svg.dataset.drag = '1';
    svg.addEventListener('pointerdown', (e) => take(svg, e));
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', (e) => drop(svg, e));
    svg.addEventListener('pointercancel', back);
  }
}

function take(svg, e) {
  const job = e.target.closest('[data-job]');
  if (!job || e.button !== 0) return;
  held = { job, x: e.clientX, y: e.clientY, scale: svg.viewBox.baseVal.width / svg.getBoundingClientRect().width, svg };
  svg.setPointerCapture(e.pointerId);
}

function row(svg, e) {
  return [...svg.querySelectorAll('[data-row]')].find((r) => {
    const b = r.querySelector('.dr-row').getBoundingClientRect();
    return e.clientY >= b.top && e.clientY < b.bottom;
  });
}

function move(e) {
  if (!held) return;
  const [dx, dy] = [(e.clientX - held.x) * held.scale, (e.clientY - held.y) * held.scale];
  held.far ||= Math.hypot(dx, dy) > 6;
  if (!held.far) return;
  held.job.setAttribute('transform', `translate(${dx} ${dy})`);
  const at = row(held.svg, e);
  for (const r of held.svg.querySelectorAll('[data-row]')) r.classList.toggle('over', r === at);
}

function back() {
  if (!held) return;
  held.job.removeAttribute('transform');
  for (const r of held.svg.querySelectorAll('.over')) r.classList.remove('over');
  held = null;
}

function drop(svg, e) {
  if (!held) return;
  const at = held.far && row(svg, e);
  const number = held.job.dataset.job;
  back();
  const form = document.querySelector('form[action="/bench/pin"]');
  if (!at || !form) return;
  form.closest('details').open = true;
  form.elements.number.value = number;
  form.elements.channel.value = at.dataset.row;
  form.requestSubmit();
}
