// Builds src/ into dist/: one style sheet, five scripts, the fonts, each also brotli-compressed.
// dist/ is committed, so that neither ./start nor a reader of the code needs Node.js.
import { build } from 'esbuild';
import { compile } from 'sass';
import { brotliCompressSync, constants } from 'node:zlib';
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { transformSync } from 'esbuild';

const { css } = compile('src/app.scss', {
  loadPaths: ['node_modules'],
  quietDeps: true,
  silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'],
});
// Only once the styles compile: a mistake in them leaves the built files as they were.
rmSync('dist', { recursive: true, force: true });
mkdirSync('dist', { recursive: true });
writeFileSync('dist/app.css', transformSync(css, { loader: 'css', minify: true }).code);

await build({
  entryPoints: { theme: 'src/theme.js', app: 'src/app.js', charts: 'src/charts.js', replay: 'src/replay.js', roster: 'src/roster.js' },
  outdir: 'dist',
  bundle: true,
  minify: true,
  format: 'iife',
  target: 'es2022',
  legalComments: 'none',
});

for (const family of ['source-sans-3', 'source-serif-4']) {
  const file = `${family}-latin-wght-normal.woff2`;
  copyFileSync(`node_modules/@fontsource-variable/${family}/files/${file}`, `dist/${file}`);
}
copyFileSync('src/mark.svg', 'dist/mark.svg');

for (const file of readdirSync('dist').filter((name) => /\.(css|js|svg)$/.test(name))) {
  const quality = { [constants.BROTLI_PARAM_QUALITY]: 11 };
  writeFileSync(`dist/${file}.br`, brotliCompressSync(readFileSync(`dist/${file}`), { params: quality }));
}
