// When Pandrel does not answer that is said at once. What was to be sent stays on the page, and goes when it is back.
import { say } from './notices.js';

const quiet = 4000; // ms without a sign of life before one is asked for
const every = 2000; // ms between questions while it does not answer
const soon = 30 * 60e3; // ms after which what waits is asked about: a reading is kept under the time at which it comes
let heard = Date.now();
let lost = false;
let waiting = null; // the form that is to be sent, with its button

// On the same machine nobody hears silence (decision 0018).
const here = ['localhost', '127.0.0.1', '[::1]'].includes(location.hostname);

// answersAtOnce asks without letting go of the press.
function answersAtOnce() {
  if (!navigator.onLine && !here) return false;
  try {
    const x = new XMLHttpRequest();
    x.open('HEAD', '/alive', false);
    x.send();
    return x.status < 400;
  } catch {
    return false;
  }
}

const bar = () => document.getElementById('lost');

async function answers() {
  try {
    const r = await fetch('/alive', { method: 'HEAD', cache: 'no-store', signal: AbortSignal.timeout(3000) });
    if (r.ok) heard = Date.now();
    return r.ok;
  } catch {
    return false;
  }
}

function show() {
  const box = bar();
  if (!box || box.classList.contains('sending')) return;
  box.hidden = !lost;
  if (!lost) return box.replaceChildren();
  const text = waiting
    ? 'Pandrel does not answer. What you typed is kept, and is sent as soon as it answers again.'
    : 'Pandrel does not answer. What you type is kept in this browser.';
  box.replaceChildren(text);
  if (waiting) callBack(box);
}

// late asks about what waited for long: does it still hold?
function late(w) {
  const box = bar();
  const at = new Date(w.since).toLocaleTimeString([], { timeStyle: 'short' });
  const go = document.createElement('button');
  go.type = 'button';
  go.className = 'btn';
  go.textContent = 'Send it now';
  go.addEventListener('click', () => {
    waiting = null;
    box.hidden = true;
    send(w.form, w.button);
  });
  box.replaceChildren(`Pandrel answers again. What was to be sent at ${at} would be kept under the time of now. `, go);
  box.hidden = false;
  callBack(box);
}

function callBack(box) {
  const stop = document.createElement('button');
  stop.type = 'button';
  stop.className = 'btn';
  stop.textContent = 'Do not send it';
  stop.addEventListener('click', () => {
    waiting = null;
    show();
  });
  box.append(' ', stop);
}

async function watch() {
  if (!(await answers())) return setTimeout(watch, every);
  lost = false;
  const w = waiting;
  for (const p of document.querySelectorAll('[data-stale]')) p.remove();
  if (w?.form.isConnected && Date.now() - w.since > soon) return late(w);
  waiting = null;
  show();
  if (w?.form.isConnected) return send(w.form, w.button);
  say('Pandrel answers again.');
  for (const f of document.querySelectorAll('[data-live]')) f.dispatchEvent(new Event('change', { bubbles: true }));
}

function lose() {
  if (!lost) setTimeout(watch, every);
  lost = true;
  show();
}

// announce says of a large file that it is on its way.
function announce(form) {
  const files = [...form.querySelectorAll('input[type="file"]')].flatMap((f) => [...f.files]);
  const size = files.reduce((n, f) => n + f.size, 0);
  const box = bar();
  if (size < 1 << 20 || !box) return;
  const progress = document.createElement('progress');
  progress.setAttribute('aria-label', 'Being sent and read');
  const mib = Math.round(size / (1 << 20));
  box.replaceChildren(
    progress,
    ` ${mib} MiB are being sent and read. Leaving the page stops it; nothing is saved then.`,
  );
  box.classList.add('sending');
  box.hidden = false;
}
document.addEventListener('htmx:afterSettle', (e) => {
  if (e.target.id !== 'main') return;
  bar()?.classList.remove('sending');
  show();
});
addEventListener('pageshow', (e) => {
  if (!e.persisted) return;
  bar()?.classList.remove('sending');
  show();
});

function send(form, button) {
  form.dataset.sending = '1';
  announce(form);
  form.requestSubmit(button?.isConnected ? button : undefined);
  delete form.dataset.sending;
}

// Before a form is sent Pandrel is asked whether it is there: a browser's page of its own loses what was typed.
document.addEventListener(
  'submit',
  async (e) => {
    const form = e.target;
    if (form.getAttribute('method') !== 'post' || form.dataset.sending) return;
    const recent = !lost && (here || Date.now() - heard < quiet + 1500);
    if (recent && answersAtOnce()) return announce(form);
    e.preventDefault();
    e.stopImmediatePropagation();
    if (form.dataset.asking) return;
    form.dataset.asking = '1';
    const there = !recent && (await answers());
    delete form.dataset.asking;
    if (!form.isConnected) return;
    if (there) return send(form, e.submitter);
    waiting = { form, button: e.submitter, since: Date.now() };
    lose();
  },
  true,
);

document.addEventListener('input', async (e) => {
  if (lost || Date.now() - heard < quiet || e.target.form?.getAttribute('method') !== 'post') return;
  heard = Date.now(); // one question is enough
  if (!(await answers())) lose();
});
addEventListener('offline', async () => {
  if (!(await answers())) lose();
});

// A live answer that did not come leaves the last one standing, and says so.
function stale(target) {
  if (!target || target.querySelector('[data-stale]')) return;
  const p = document.createElement('p');
  p.className = 'says caution';
  p.dataset.stale = '';
  p.textContent = 'Not up to date: no answer came to your last change. What stands here is from before it.';
  target.prepend(p);
}
for (const type of ['htmx:sendError', 'htmx:timeout'])
  document.addEventListener(type, (e) => {
    stale(e.detail.target);
    lose();
  });
document.addEventListener('htmx:beforeSwap', (e) => {
  heard = Date.now();
  if (e.detail.xhr.status < 500 || e.detail.target.id === 'main') return;
  e.detail.shouldSwap = false;
  stale(e.detail.target);
});
