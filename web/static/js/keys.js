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
let go = false;
document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.target.matches('input, textarea, select') || off()) return;
  if (go && stations[e.key]) location.href = '/station/' + stations[e.key];
  if (go && e.key === 'h') location.href = '/';
  go = e.key === 'g' && !go;
  if (e.key === '/') {
    e.preventDefault();
    document.getElementById('search')?.focus();
  }
  if (e.key === '?') location.href = '/keys';
});
