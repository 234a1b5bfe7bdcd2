// Sets light or dark before anything is drawn: as chosen here before, else as the system says.
let chosen = null;
try {
  chosen = localStorage.getItem('pandrel-theme');
} catch {
  // Closed to this page: as the system says.
}
const dark = chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
document.documentElement.dataset.bsTheme = dark ? 'dark' : 'light';
