// Builds web/static/pandrel.css from web/styles, with only those rules of Bootstrap that a page can use. The result is
// committed, so that running Pandrel needs neither npm nor a network. With --check it only says whether it is current.
import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PurgeCSS } from 'purgecss';
import { compile } from 'sass';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const out = join(root, 'web/static/pandrel.css');

const { css } = compile(join(root, 'web/styles/pandrel.scss'), {
  style: 'compressed',
  loadPaths: [join(root, 'node_modules'), join(root, 'web/styles')],
  quietDeps: true,
  // Bootstrap 5.3 is written with @import; it is followed until Bootstrap leaves it.
  silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'],
});

const [{ css: used }] = await new PurgeCSS().purge({
  content: ['web/templates/*.html', 'web/static/*.js', 'web/static/js/*.js', 'draw/*.go'].map((p) => join(root, p)),
  css: [{ raw: css }],
  defaultExtractor: (text) => text.match(/[A-Za-z0-9_-]+/g) ?? [],
  // What a state, a verdict or a script puts there is in no template.
  safelist: {
    standard: ['show', 'showing', 'hiding', 'fade', 'active', 'disabled', 'modal-backdrop', 'offcanvas-backdrop'],
    greedy: [/^st-/, /^finding-/, /^dr-/, /^labels-/, /data-bs-theme/, /x-placement/, /^u-/, /^uplot/],
  },
  variables: true,
});

const licence = '/*! Parts of Bootstrap, MIT: vendor/bootstrap.LICENSE */\n';
const text = `${licence}${used
  .replace(/\/\*![\s\S]*?\*\//g, '')
  .replaceAll('@charset "UTF-8";', '')
  .replace(/[^{}]+\{\}/g, '')
  .trim()}\n`;
if (process.argv.includes('--check')) {
  if (readFileSync(out, 'utf8') !== text) {
    console.error('web/static/pandrel.css is older than what it is built from: run make styles');
    process.exit(1);
  }
} else {
  writeFileSync(out, text);
  console.log(`pandrel.css: ${(text.length / 1024).toFixed(0)} kB`);
}
