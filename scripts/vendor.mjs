// Copies what the browser needs from npm into web/static/vendor, with licences. Run it after
// `npm ci`; the copies are committed, so that running Pandrel needs neither npm nor a network.
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const to = join(root, 'web/static/vendor');
const weights = [400, 600];
const font = (name, from) => from.flatMap((w) => ['latin', 'latin-ext'].map((s) => `${name}-${s}-${w}-normal.woff2`));

const packages = {
  'htmx.org': { files: ['dist/htmx.min.js'], licence: 'LICENSE' },
  bootstrap: { files: ['dist/js/bootstrap.bundle.min.js'], licence: 'LICENSE' },
  uplot: { files: ['dist/uPlot.iife.min.js', 'dist/uPlot.min.css'], licence: 'LICENSE' },
  '@fontsource/fira-sans-condensed': {
    files: font('fira-sans-condensed', weights).map((f) => `files/${f}`),
    licence: 'LICENSE',
  },
  '@fontsource/vollkorn': { files: font('vollkorn', [500]).map((f) => `files/${f}`), licence: 'LICENSE' },
};

rmSync(to, { recursive: true, force: true });
mkdirSync(to, { recursive: true });
const list = [];
for (const [name, { files, licence }] of Object.entries(packages)) {
  const from = join(root, 'node_modules', name);
  const { version, license } = JSON.parse(readFileSync(join(from, 'package.json'), 'utf8'));
  const short = name.split('/').pop();
  for (const f of files) {
    if (f.endsWith('bundle.min.js')) {
      // The map is not shipped, so its pointer would be a request that fails.
      const text = readFileSync(join(from, f), 'utf8').replace(/\n?\/\/# sourceMappingURL=.*\s*$/, '\n');
      writeFileSync(join(to, f.split('/').pop()), text);
    } else {
      cpSync(join(from, f), join(to, f.split('/').pop()));
    }
  }
  cpSync(join(from, licence), join(to, `${short}.LICENSE`));
  list.push(`${name} ${version} (${license})`);
}
writeFileSync(join(to, 'VERSIONS'), list.join('\n') + '\n');
console.log(list.join('\n'));
