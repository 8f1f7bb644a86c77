// Before anything is drawn: the theme the visitor chose, or the one the system asks for.
(() => {
  const kept = localStorage.getItem('theme');
  const dark = kept ? kept === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
  document.documentElement.dataset.bsTheme = dark ? 'dark' : 'light';
})();
