// Rhythm and safety nets. Every page works without this file.
import * as drafts from './js/drafts.js';
import * as notices from './js/notices.js';
import * as probing from './js/probing.js';
import * as search from './js/search.js';
import * as theme from './js/theme.js';
import './js/face.js';
import './js/keys.js';

// arrive sees to what is new on the page: at first all of it, later what an answer put there.
function arrive() {
  if (drafts.settle()) notices.say('Saved.');
  drafts.watchAll();
  probing.start();
  // A form that failed takes the reader to the first thing to mend, or to why it was not taken.
  const mend = document.querySelector('main [aria-invalid="true"]');
  if (mend) mend.focus();
  else document.querySelector('main [role="alert"], main form .invalid-feedback')?.scrollIntoView({ block: 'center' });
}

for (const part of [theme, notices, search]) part.start();
document.addEventListener('click', (e) => {
  if (e.target.closest?.('[data-print]')) print();
});
document.body.addEventListener('htmx:afterSettle', (e) => {
  if (e.target.id !== 'main') return;
  if (document.activeElement === document.body) e.target.focus({ preventScroll: true });
  arrive();
});
arrive();
