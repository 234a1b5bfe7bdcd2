// Sets light or dark before anything is drawn: as chosen here before, else as the system says.
const chosen = localStorage.getItem('pandrel-theme');
const dark = chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
document.documentElement.dataset.bsTheme = dark ? 'dark' : 'light';
