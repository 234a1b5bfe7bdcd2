// What is read of running tests comes as soon as it is on record. Figures are put in place; where a step or a state
// changes the page is drawn anew.
let source = null;

export function start() {
  const wanted = Boolean(document.querySelector('[data-run], [data-wall]'));
  if (wanted && !source) {
    source = new EventSource('/tests/events');
    source.onmessage = (e) => told(JSON.parse(e.data));
  } else if (!wanted && source) {
    source.close();
    source = null;
  }
}
addEventListener('pagehide', () => {
  source?.close();
  source = null;
});

function told(list) {
  const known = new Map(list.map((r) => [String(r.id), r]));
  const boxes = [...document.querySelectorAll('[data-run]')];
  const wall = document.querySelector('[data-wall]');
  for (const box of boxes) {
    const r = known.get(box.dataset.run);
    const first = r?.volts && !box.querySelector('[data-live="volts"]'); // nothing was read when the page was drawn
    if (!r || r.now !== box.dataset.now || first) {
      draw(wall ?? box);
      return;
    }
    put(box, r);
  }
  if (wall && boxes.length !== list.length) draw(wall);
}

// draw asks for the page anew, once for each change.
let asked = 0;
function draw(box) {
  if (Date.now() - asked < 1000) return;
  asked = Date.now();
  window.htmx.trigger(box, 'news');
}

function put(box, r) {
  const values = { ...r, ...Object.fromEntries((r.cells ?? []).map((v, i) => [`cell${i}`, v])) };
  for (const at of box.querySelectorAll('[data-live]')) {
    const text = values[at.dataset.live];
    if (text === undefined) continue;
    if (at.dataset.live === 'ends') {
      at.textContent = new Date(text).toLocaleString([], { weekday: 'short', hour: '2-digit', minute: '2-digit' });
    } else if (at.textContent !== text) {
      const number = at.querySelector('data') ?? at; // as the page drew it, with where it comes from
      number.textContent = text;
      if (number.value !== undefined) number.value = text;
    }
  }
}
