// The plan of a bank: posts are pressed one after the other, pieces are dragged, moved by keys, turned. While something
// is dragged only it and what is joined to it move, and nothing is asked of the server until it is let go.
let held = null;
let focusOn = null;

const box = () => document.querySelector('[data-floor]');
const drawing = () => box()?.querySelector('svg.floor');
const pair = (text) => text.split(' ').map(Number);

export function start() {
  const svg = drawing();
  if (!svg || svg.dataset.live) return;
  svg.dataset.live = '1';
  svg.setAttribute('role', 'group'); // what is in it can be pressed: no picture of one piece
  svg.addEventListener('pointerdown', take);
  svg.addEventListener('pointermove', move);
  svg.addEventListener('pointerup', drop);
  svg.addEventListener('pointercancel', back);
  svg.addEventListener('keydown', key);
  // One thing of the drawing is reached by Tab, the others from there: pieces by Page keys, posts by Enter and arrows.
  svg.querySelector('[data-piece]')?.setAttribute('tabindex', '0');
  lit();
  if (focusOn) svg.querySelector(focusOn)?.focus({ preventScroll: true });
  focusOn = null;
}

// The loop that a joint would close lights up, and the post that was pressed.
export function lit() {
  const svg = drawing();
  if (!svg) return;
  for (const g of svg.querySelectorAll('.lit, .picked')) g.classList.remove('lit', 'picked');
  const loop = document.querySelector('#would [data-loop]')?.dataset.loop;
  for (const id of loop?.split(', ').filter(Boolean) ?? []) {
    const name = CSS.escape(id);
    for (const g of svg.querySelectorAll(`[data-joint="${name}"], [data-piece="${name}"]`)) g.classList.add('lit');
  }
  for (const name of ['a', 'b']) {
    const point = field(name)?.value;
    if (point) svg.querySelector(`[data-spot="${CSS.escape(point)}"]`)?.classList.add('picked');
  }
}

const field = (name) => document.getElementById(`f-floor-${name}`);

// press takes a post as one end of a joint: the first, then the second, then the first of the next.
function press(spot) {
  const [a, b] = [field('a'), field('b')];
  if (!a || !b) return;
  const at = !a.value || b.value || a.value === spot ? a : b;
  if (at === a) b.value = '';
  at.value = spot;
  at.dispatchEvent(new Event('change', { bubbles: true }));
  lit();
}

// send does one thing to the drawing by the form that a person without a script would use.
function send(values) {
  const form = document.getElementById('floorop');
  for (const name of ['do', 'id', 'x', 'y', 'by_mm']) form.elements[name].value = values[name] ?? '';
  focusOn = `[data-piece="${CSS.escape(values.id)}"]`;
  form.requestSubmit();
}

function scale(svg) {
  return svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
}

function take(e) {
  const svg = e.currentTarget;
  const spot = e.target.closest('[data-spot]');
  const piece = e.target.closest('[data-piece]') ?? owner(svg, spot);
  if (e.button !== 0 || (!spot && !piece)) return;
  held = { svg, spot: spot?.dataset.spot, id: piece?.dataset.piece, x: e.clientX, y: e.clientY, scale: scale(svg) };
  if (!spot) svg.setPointerCapture(e.pointerId);
}

function owner(svg, spot) {
  return spot && svg.querySelector(`[data-piece="${CSS.escape(spot.dataset.of)}"]`);
}

// gather lists what moves with a piece: itself, its posts, and the joints that end there.
function gather() {
  const name = CSS.escape(held.id);
  held.parts = [...held.svg.querySelectorAll(`[data-piece="${name}"], [data-of="${name}"]`)];
  held.posts = new Set(held.parts.map((g) => g.dataset.spot ?? g.dataset.pin).filter(Boolean));
  held.joints = [...held.svg.querySelectorAll('[data-joint]')].filter(
    (g) => held.posts.has(g.dataset.from) || held.posts.has(g.dataset.to),
  );
}

function move(e) {
  if (!held?.id || held.spot) return;
  const [dx, dy] = [(e.clientX - held.x) * held.scale, (e.clientY - held.y) * held.scale];
  if (!held.far) {
    if (Math.hypot(e.clientX - held.x, e.clientY - held.y) < 6) return;
    held.far = true;
    gather();
  }
  held.dx = dx;
  held.dy = dy;
  for (const g of held.parts) g.setAttribute('transform', `translate(${dx} ${dy})`);
  for (const g of held.joints) bend(g, dx, dy);
}

// bend draws a joint anew by the rule that the drawing was made by.
function bend(g, dx, dy) {
  const end = (point) => {
    const name = CSS.escape(point);
    const at = held.svg.querySelector(`[data-spot="${name}"], [data-pin="${name}"]`);
    const [x, y] = pair(at.dataset.at);
    return held.posts.has(point) ? [x + dx, y + dy] : [x, y];
  };
  const [x1, y1] = end(g.dataset.from);
  const [x2, y2] = end(g.dataset.to);
  const bow = Number(g.dataset.bow);
  const [cx, cy] = [(x1 + x2) / 2 + (y1 - y2) * bow, (y1 + y2) / 2 + (x2 - x1) * bow];
  g.querySelector('path').setAttribute('d', `M${x1} ${y1}Q${cx} ${cy} ${x2} ${y2}`);
  const middle = g.querySelector('[data-middle]');
  const [mx, my] = pair(middle.dataset.middle);
  middle.setAttribute('transform', `translate(${(x1 + 2 * cx + x2) / 4 - mx} ${(y1 + 2 * cy + y2) / 4 - my})`);
}

function back() {
  if (held?.far) {
    for (const g of held.parts) g.removeAttribute('transform');
    for (const g of held.joints) bend(g, 0, 0);
  }
  held = null;
}

function drop() {
  const was = held;
  held = null;
  if (!was) return;
  if (was.spot) {
    press(was.spot);
    return;
  }
  if (!was.far) {
    inHand(was.id);
    return;
  }
  const piece = was.svg.querySelector(`[data-piece="${CSS.escape(was.id)}"]`);
  const [x, y] = pair(piece.dataset.box);
  send({ do: 'move', id: was.id, x: (x + was.dx).toFixed(1), y: (y + was.dy).toFixed(1) });
}

// inHand is the piece that the buttons of the list move.
function inHand(id) {
  const list = document.querySelector('[data-hand]');
  if (list) list.value = id;
  const svg = drawing();
  for (const g of svg.querySelectorAll('.hand')) g.classList.remove('hand');
  const piece = svg.querySelector(`[data-piece="${CSS.escape(id)}"]`);
  piece.classList.add('hand');
  svg.querySelector('[data-piece][tabindex="0"]')?.setAttribute('tabindex', '-1');
  piece.setAttribute('tabindex', '0');
  piece.focus({ preventScroll: true });
}

const moves = { ArrowLeft: 'left', ArrowRight: 'right', ArrowUp: 'up', ArrowDown: 'down' };
const deeds = { r: 'turn', f: 'flip', '+': 'lift', '-': 'lower', Delete: 'take' };

function key(e) {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  const spot = e.target.closest('[data-spot]');
  const piece = e.target.closest('[data-piece]');
  if (spot) onSpot(e, spot);
  else if (piece) onPiece(e, piece.dataset.piece);
}

// On a piece: arrows move it, R turns, F flips, + and − lift and lower, Delete takes it off, Page keys go to the next
// piece, Enter to its posts.
function onPiece(e, id) {
  const doing = moves[e.key] ?? deeds[e.key] ?? deeds[e.key.toLowerCase()];
  if (doing) send({ do: doing, id, by_mm: e.shiftKey ? 50 : 10 });
  else if (e.key === 'PageDown' || e.key === 'PageUp') step('[data-piece]', id, 'piece', e.key === 'PageDown' ? 1 : -1);
  else if (e.key === 'Enter') e.currentTarget.querySelector(`[data-spot][data-of="${CSS.escape(id)}"]`)?.focus();
  else return;
  e.preventDefault();
}

// On a post: Enter takes it as an end, arrows go to the next post, Escape back to its piece.
function onSpot(e, spot) {
  if (e.key === 'Enter' || e.key === ' ') press(spot.dataset.spot);
  else if (moves[e.key]) {
    step('[data-spot]', spot.dataset.spot, 'spot', e.key === 'ArrowLeft' || e.key === 'ArrowUp' ? -1 : 1);
  } else if (e.key === 'Escape') inHand(spot.dataset.of);
  else return;
  e.preventDefault();
}

function step(all, now, name, by) {
  const list = [...drawing().querySelectorAll(all)];
  const k = list.findIndex((g) => g.dataset[name] === now);
  const next = list[(k + by + list.length) % list.length];
  if (name === 'piece') inHand(next.dataset.piece);
  else next.focus();
}

document.addEventListener('keydown', (e) => {
  if (!box() || !(e.ctrlKey || e.metaKey) || e.target.closest('input, textarea')) return;
  const undo = e.key === 'z' && !e.shiftKey;
  if (!undo && e.key !== 'y' && !(e.key === 'Z' || e.key === 'z')) return;
  e.preventDefault();
  document.querySelector(undo ? '[data-key-undo]' : '[data-key-redo]')?.click();
});
document.addEventListener('htmx:afterSwap', (e) => {
  if (e.target.id === 'would') lit();
});
