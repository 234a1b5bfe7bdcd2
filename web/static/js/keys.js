// Shortcuts: / searches, ? lists the keys, g and a letter goes to a station. They can be switched off, for people who
// speak to their machine: the page of keys holds the switch.
const off = () => {
  try {
    return localStorage.getItem('pandrel-keys') === 'off';
  } catch {
    return false;
  }
};
const box = document.querySelector('[data-keys]');
if (box) {
  box.checked = !off();
  box.addEventListener('change', () => {
    try {
      if (box.checked) localStorage.removeItem('pandrel-keys');
      else localStorage.setItem('pandrel-keys', 'off');
    } catch {
      /* not kept */
    }
  });
}
const stations = {
  r: 'receive',
  i: 'inspect',
  m: 'map',
  s: 'survey',
  t: 'test',
  g: 'grade',
  d: 'design',
  w: 'wire',
  k: 'keep',
};
// A scanner types a whole label faster than any hand, then Enter: outside of a field that opens what was scanned.
const handMs = 40; // between two keys of the fastest hand
let burst = { text: '', at: 0 };
function scanned(e) {
  if (e.repeat) return false; // a key that is held is no scanner
  const quick = e.timeStamp - burst.at < handMs;
  if (e.key === 'Enter' && quick && burst.text.length > 2) {
    e.preventDefault();
    location.href = '/search?q=' + encodeURIComponent(burst.text);
    return true;
  }
  if (e.key.length === 1) burst = { text: quick ? burst.text + e.key : e.key, at: e.timeStamp };
  return quick && burst.text.length > 2; // two quick ones are a shortcut
}
if (document.querySelector('.looks')) import('./looks.js'); // there before the first key
let go = false;
document.addEventListener('keydown', (e) => {
  const typing = e.target.matches('input:not([type="radio"], [type="checkbox"]), textarea, select');
  if (e.ctrlKey || e.metaKey || e.altKey || typing) return;
  if (scanned(e) || off()) {
    go = false;
    return;
  }
  if (!go && document.querySelector('.looks > li')) import('./looks.js').then((of) => of.look(e));
  if (go && stations[e.key]) location.href = '/station/' + stations[e.key];
  if (go && e.key === 'h') location.href = '/';
  go = e.key === 'g' && !go;
  if (e.key === '/') {
    e.preventDefault();
    document.getElementById('search')?.focus();
  }
  if (e.key === '?') location.href = '/keys';
});
