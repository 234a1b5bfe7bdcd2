// A log to look into: every dip is there at any width, and what is zoomed into comes from Pandrel in full.
const limit = 20; // s that are looked at at least
const steps = [1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400, 21600, 43200, 86400, 172800, 604800];

// load brings what only a plot needs.
let loading = null;
function load(box) {
  loading ??= Promise.all([
    new Promise((done, fail) => {
      const s = document.createElement('script');
      s.src = box.dataset.plotter;
      s.onload = done;
      s.onerror = fail;
      document.head.append(s);
    }),
    new Promise((done, fail) => {
      const l = document.createElement('link');
      l.rel = 'stylesheet';
      l.href = box.dataset.sheet;
      l.onload = done;
      l.onerror = fail;
      document.head.append(l);
    }),
  ]);
  return loading;
}

export function start() {
  for (const box of document.querySelectorAll('[data-plot]:not([data-plotted])')) {
    box.dataset.plotted = '1';
    load(box).then(
      () => new Plot(box).begin(),
      () => {}, // the still picture stays
    );
  }
}

const clock = (s) => {
  const h = Math.floor(s / 3600);
  const m = Math.floor((s % 3600) / 60);
  return `${h}:${String(m).padStart(2, '0')}`;
};
const clockIn = (s) => `${clock(s)}:${String(Math.floor(s % 60)).padStart(2, '0')}`;

class Plot {
  constructor(box) {
    this.box = box;
    this.end = Number(box.dataset.end);
    this.from = Number(box.dataset.from);
    this.to = Number(box.dataset.to);
    this.groups = box.dataset.groups ? box.dataset.groups.split(',') : [];
    this.charts = [];
    this.asked = 0;
    this.host = box.querySelector('.plot-box');
    this.says = box.querySelector('.plot-says');
  }

  async begin() {
    const data = await this.ask();
    if (!data) return;
    this.host.hidden = false;
    this.box.querySelector('.plot-tools').hidden = false;
    this.says.hidden = false;
    this.box.querySelector('.plot-still').hidden = true;
    this.data = data;
    this.draw();
    this.listen();
  }

  // ask brings the samples in view; an answer that a later question has overtaken is dropped.
  async ask() {
    const now = ++this.asked;
    try {
      const r = await fetch(`${this.box.dataset.plot}?from=${this.from}&to=${this.to}`);
      if (!r.ok) throw new Error(String(r.status));
      const data = await r.json();
      return now === this.asked ? data : null;
    } catch {
      this.says.textContent = 'These samples did not come. Press All of it to ask again.';
      this.says.hidden = false;
      return null;
    }
  }

  colour(name) {
    return getComputedStyle(this.box).getPropertyValue(`--${name}`).trim();
  }

  draw() {
    for (const c of this.charts) c.destroy();
    this.charts = [];
    const ink = this.colour('ink');
    const soft = this.colour('ink-soft');
    const line = this.colour('line');
    // The first at its floor has oxide for itself; where colours come round again their lines are broken otherwise.
    const inks = ['steel', 'copper-metal', 'verdigris', 'ochre', 'ink-soft'].map((n) => this.colour(n));
    const dashes = [[], [7, 3], [2, 3], [10, 3, 2, 3]];
    const font = `13px ${getComputedStyle(this.box).fontFamily}`;
    const grid = { stroke: line, width: 0.5 };
    const axis = { stroke: soft, grid, ticks: grid, font };
    const sync = { key: this.box.dataset.plot, setSeries: false, scales: ['x', null] };
    const base = (height, series, unit) => ({
      width: this.host.clientWidth,
      height,
      scales: { x: { time: false, range: () => [this.from, this.to] } },
      axes: [
        { ...axis, incrs: steps, space: 70, values: (u, v, i, found, by) => v.map(by < 60 ? clockIn : clock) },
        { ...axis, size: 62, values: (u, v) => v.map((x) => `${+x.toFixed(4)} ${unit}`) },
      ],
      series: [{ label: 'Time', value: (u, v) => (v == null ? '' : clockIn(v)) }, ...series],
      cursor: { sync, drag: { x: true, y: false, setScale: false }, points: { size: 5 } },
      legend: { live: true },
      hooks: {
        setSelect: [
          (u) => {
            if (u.select.width < 4) return;
            const from = u.posToVal(u.select.left, 'x');
            const to = u.posToVal(u.select.left + u.select.width, 'x');
            u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
            this.show(from, to);
          },
        ],
      },
      plugins: [],
    });
    const of = (label, stroke, unit, width = 1.25) => ({
      label,
      stroke,
      width,
      spanGaps: false,
      points: { show: (u) => u.data[0].length < 200, size: 4 },
      value: (u, v) => (v == null ? '' : `${v} ${unit}`),
    });
    const d = this.data;
    const first = this.box.dataset.first;
    let volts = [of('In all', ink, 'V')];
    let cells = [d.v];
    if (d.g?.length) {
      volts = this.groups.map((n, i) =>
        n === first
          ? of(`group ${n}, first at its floor`, this.colour('oxide'), 'V', 2.25)
          : {
              ...of(`group ${n}`, inks[i % inks.length], 'V'),
              dash: dashes[Math.floor(i / inks.length) % dashes.length],
            },
      );
      cells = d.g;
    }
    const upper = base(300, volts, 'V');
    if (d.temp) upper.padding = [null, 62, null, null]; // as wide as the one below
    this.charts.push(new window.uPlot(upper, [d.t, ...cells], this.host));
    const amps = [of('Current', this.colour('copper'), 'A')];
    const low = [d.a];
    const o = base(190, amps, 'A');
    if (d.temp) {
      amps.push({ ...of('Temperature', this.colour('verdigris'), '°C'), scale: 'temp', dash: [6, 3] });
      low.push(d.temp);
      o.series = [o.series[0], ...amps];
      o.axes.push({
        ...axis,
        scale: 'temp',
        side: 1,
        grid: { show: false },
        size: 62,
        values: (u, v) => v.map((x) => `${x} °C`),
      });
      o.padding = [null, 0, null, null];
    }
    this.charts.push(new window.uPlot(o, [d.t, ...low], this.host));
    this.tell();
  }

  tell() {
    const n = this.data.t.length;
    this.says.textContent = `${clockIn(this.from)} to ${clockIn(this.to)}. ${
      this.data.whole ? `Every sample is drawn, ${n} of them.` : 'The lowest and the highest of each strip are drawn.'
    } Drag across to look closer.`;
  }

  // show looks at another stretch, and brings its figures.
  async show(from, to) {
    const width = Math.min(Math.max(to - from, Math.min(limit, this.end)), this.end);
    const begin = Math.min(Math.max((from + to - width) / 2, 0), this.end - width);
    [this.from, this.to] = [begin, begin + width];
    const data = await this.ask();
    if (!data) return;
    this.data = data;
    this.draw();
    clearTimeout(this.later);
    this.later = setTimeout(() => this.figures(), 250);
  }

  figures() {
    const whole = this.from <= 0 && this.to >= this.end;
    const page = this.box.dataset.page + (whole ? '' : `?from=${this.from.toFixed(1)}&to=${this.to.toFixed(1)}`);
    history.replaceState(history.state, '', page);
    const open = document.querySelector('#stretch details')?.open;
    window.htmx.ajax('GET', page, { target: '#stretch', select: '#stretch', swap: 'outerHTML show:none' }).then(() => {
      const d = document.querySelector('#stretch details');
      if (d && open) d.open = true;
    });
  }

  act(what) {
    const w = this.to - this.from;
    const mid = (this.from + this.to) / 2;
    const to = {
      left: [this.from - w / 2, this.to - w / 2],
      right: [this.from + w / 2, this.to + w / 2],
      in: [mid - w / 4, mid + w / 4],
      out: [mid - w, mid + w],
      all: [0, this.end],
    }[what];
    if (to) this.show(...to);
  }

  listen() {
    this.box.addEventListener('click', (e) => this.act(e.target.closest?.('[data-plot-act]')?.dataset.plotAct));
    this.host.addEventListener('keydown', (e) => {
      const what = { ArrowLeft: 'left', ArrowRight: 'right', '+': 'in', '=': 'in', '-': 'out', Home: 'all' }[e.key];
      if (!what || e.ctrlKey || e.metaKey || e.altKey) return;
      e.preventDefault();
      this.act(what);
    });
    const again = new ResizeObserver(() => {
      if (!this.host.isConnected) return again.disconnect();
      for (const c of this.charts)
        if (c.width !== this.host.clientWidth) c.setSize({ width: this.host.clientWidth, height: c.height });
    });
    again.observe(this.host);
    const theme = new MutationObserver(() => (this.host.isConnected ? this.draw() : theme.disconnect()));
    theme.observe(document.documentElement, { attributes: true, attributeFilter: ['data-bs-theme'] });
  }
}
