// Shortcuts: / searches, ? lists the keys, g and a letter goes to a station.
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
let go = false;
document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.target.matches('input, textarea, select')) return;
  if (go && stations[e.key]) location.href = '/station/' + stations[e.key];
  if (go && e.key === 'h') location.href = '/';
  go = e.key === 'g' && !go;
  if (e.key === '/') {
    e.preventDefault();
    document.getElementById('search')?.focus();
  }
  if (e.key === '?') location.href = '/keys';
});
