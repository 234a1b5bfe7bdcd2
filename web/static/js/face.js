// The face of a module: pressing points to probe them, and dragging them in the editor.
import { light } from './probing.js';

// On the face a press puts the red probe down, the next one the black probe.
let probe = 'red';
document.addEventListener('click', (e) => {
  const point = e.target.closest?.('[data-face] [data-point]')?.dataset.point;
  if (!point) return;
  const field = document.querySelector(`select[name="${probe}"]`);
  const guided = document.querySelector(`#guide [data-${probe}]`);
  const row = document.querySelector(`.probe-row[data-pos~="${CSS.escape(point)}"] input`);
  if (field) {
    field.value = point;
    field.focus();
  } else if (guided) {
    guided.textContent = point;
    document.querySelector(`#guide input[name="${probe}"]`).value = point;
    document.querySelector('#guide [data-why]')?.replaceChildren('Your own choice of points.');
    light();
    document.getElementById('guided').focus();
  } else if (row) {
    // in a survey a press on a point goes to the group below it
    row.focus();
    row.select();
    return;
  }
  probe = probe === 'red' ? 'black' : 'red';
});

// Each point can be reached by the keyboard too: one of them by Tab, the others from there by the arrows.
export function reach() {
  for (const svg of document.querySelectorAll('[data-face] svg.face')) {
    const points = [...svg.querySelectorAll('[data-point]')];
    if (!points.length || svg.getAttribute('role') === 'group') continue;
    svg.setAttribute('role', 'group');
    svg.dataset.name = svg.getAttribute('aria-label');
    points.forEach((p, i) => {
      p.setAttribute('role', 'button');
      p.setAttribute('tabindex', i ? '-1' : '0');
      p.setAttribute('aria-label', p.dataset.point);
    });
  }
}
document.addEventListener('keydown', (e) => {
  const point = e.target.closest?.('[data-face] [data-point]');
  if (!point) return;
  if (e.key === 'Enter' || e.key === ' ') {
    e.preventDefault();
    point.dispatchEvent(new MouseEvent('click', { bubbles: true }));
    return;
  }
  const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
  if (!step) return;
  e.preventDefault();
  const points = [...point.ownerSVGElement.querySelectorAll('[data-point]')];
  const next = points[(points.indexOf(point) + step + points.length) % points.length];
  point.setAttribute('tabindex', '-1');
  next.setAttribute('tabindex', '0');
  next.focus();
});

// In the face editor points and connectors are dragged; their fields follow in per cent of the case.
const edit = document.querySelector('[data-face-edit]');
edit?.addEventListener('pointerdown', (down) => {
  const thing = down.target.closest('[data-connector]') ?? down.target.closest('[data-point]');
  if (!thing) return;
  let row = document.querySelector(
    `[data-place][data-name="${CSS.escape(thing.dataset.connector ?? thing.dataset.point)}"]`,
  );
  let moved = [thing];
  if (!row) {
    // a pin moves its connector
    row = [...document.querySelectorAll('[data-place^="c"]')].find((f) =>
      f.querySelector('textarea').value.split(/\s+/).includes(thing.dataset.point),
    );
    if (!row) return;
  }
  if (row.dataset.place[0] === 'c') {
    const pins = row.querySelector('textarea').value.split(/\s+/);
    moved = [...edit.querySelectorAll('[data-connector], [data-point]')].filter(
      (g) => g.dataset.connector === row.dataset.name || pins.includes(g.dataset.point),
    );
  }
  down.preventDefault();
  const svg = edit.querySelector('svg');
  const box = svg.querySelector('.dr-case').getBBox();
  const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
  const [fx, fy] = ['x', 'y'].map((a) => document.querySelector(`[name="${row.dataset.place}_${a}"]`));
  const number = (f) => Number(f.value.replace(',', '.'));
  const [x0, y0] = [number(fx), number(fy)];
  const clamp = (v) => Math.round(Math.min(100, Math.max(0, v)) * 10) / 10;
  const move = (e) => {
    const [x, y] = [
      clamp(x0 + ((e.clientX - down.clientX) * scale * 100) / box.width),
      clamp(y0 + ((e.clientY - down.clientY) * scale * 100) / box.height),
    ];
    fx.value = x;
    fy.value = y;
    for (const g of moved)
      g.setAttribute('transform', `translate(${((x - x0) * box.width) / 100} ${((y - y0) * box.height) / 100})`);
  };
  const up = () => {
    document.removeEventListener('pointermove', move);
    document.removeEventListener('pointerup', up);
  };
  document.addEventListener('pointermove', move);
  document.addEventListener('pointerup', up);
});
