// Builds the browser's assets into wwwroot/built: one style sheet, one script, the fonts.
import { copyFile, mkdir, rm, writeFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as esbuild from 'esbuild';
import * as sass from 'sass';

const here = dirname(fileURLToPath(import.meta.url));
const root = join(here, '../../..');
const built = join(here, '../wwwroot/built');
const require = createRequire(import.meta.url);

await rm(built, { recursive: true, force: true });
await mkdir(join(built, 'fonts'), { recursive: true });

const style = sass.compile(join(here, 'scss/rostrum.scss'), {
  loadPaths: [join(root, 'node_modules')],
  style: 'compressed',
  quietDeps: true,
  silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'],
});
await writeFile(join(built, 'rostrum.css'), style.css);

await esbuild.build({
  entryPoints: [join(here, 'js/rostrum.js')],
  outdir: built,
  chunkNames: '[name]-[hash]',
  splitting: true,
  bundle: true,
  format: 'esm',
  minify: true,
  target: 'es2022',
  legalComments: 'linked',
  nodePaths: [join(root, 'node_modules')],
});

const fonts = [
  ['@fontsource/ibm-plex-sans/files', ['400', '600'].flatMap(weight => ['latin', 'latin-ext', 'greek', 'cyrillic'].map(set => `ibm-plex-sans-${set}-${weight}-normal.woff2`))],
  ['@fontsource/ibm-plex-mono/files', ['latin', 'latin-ext'].map(set => `ibm-plex-mono-${set}-400-normal.woff2`)],
];
for (const [folder, files] of fonts) {
  for (const file of files) await copyFile(join(root, 'node_modules', folder, file), join(built, 'fonts', file));
}
const icons = dirname(require.resolve('bootstrap-icons/font/bootstrap-icons.css'));
await copyFile(join(icons, 'fonts/bootstrap-icons.woff2'), join(built, 'fonts/bootstrap-icons.woff2'));
