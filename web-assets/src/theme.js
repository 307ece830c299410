// Runs before the first paint, so that a page never flashes in the wrong theme.
const chosen = (() => {
  try {
    return localStorage.getItem('theme');
  } catch {
    return null;
  }
})();
const dark = chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
document.documentElement.dataset.bsTheme = dark ? 'dark' : 'light';
