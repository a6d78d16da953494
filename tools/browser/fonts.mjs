// Copies the open fonts into the source tree and writes their @font-face rules.
//
// Usage: node fonts.mjs FOLDER, with the packages installed under FOLDER/node_modules.
// Subsets are told apart by unicode-range, so a browser loads only those that a text needs.
import { copyFileSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const from = join(process.argv[2], 'node_modules');
const assets = new URL('../../crates/web/assets/', import.meta.url).pathname;
const fonts = join(assets, 'fonts');

// The scripts that lettering on air takes; other scripts fall back on Noto Sans.
const EUROPEAN = ['latin', 'latin-ext', 'cyrillic', 'cyrillic-ext', 'greek'];
const variable = (name, family, sheet = 'index.css') => ({ path: `@fontsource-variable/${name}`, name, family, sheets: [sheet] });
const fixed = (name, family, weights) => ({ path: `@fontsource/${name}`, name, family, sheets: weights.map((w) => `${w}.css`) });
const LETTERING = [
  variable('bricolage-grotesque', 'Bricolage Grotesque', 'wdth.css'),
  fixed('atkinson-hyperlegible', 'Atkinson Hyperlegible', [400, 700]),
  variable('alegreya', 'Alegreya'),
  variable('caveat', 'Caveat'),
  variable('comfortaa', 'Comfortaa'),
  variable('exo-2', 'Exo 2'),
  variable('inter', 'Inter'),
  variable('jetbrains-mono', 'JetBrains Mono'),
  variable('oswald', 'Oswald'),
  variable('playfair-display', 'Playfair Display'),
  variable('roboto-slab', 'Roboto Slab'),
  variable('rubik', 'Rubik'),
  variable('sofia-sans-extra-condensed', 'Sofia Sans Extra Condensed'),
  variable('unbounded', 'Unbounded'),
  fixed('amatic-sc', 'Amatic SC', [400, 700]),
  fixed('lobster', 'Lobster', [400]),
  fixed('neucha', 'Neucha', [400]),
  fixed('press-start-2p', 'Press Start 2P', [400]),
  fixed('russo-one', 'Russo One', [400]),
];
// One family for whatever the others lack, at every weight. Of two that have a character, the later is taken.
const FALLBACK = [
  // The machine's own where it has some, in colour; ours in the ink of the lettering.
  ['noto-emoji', Array.from({ length: 11 }, (_, part) => String(part)), 'local("Apple Color Emoji"), local("Segoe UI Emoji"), local("Noto Color Emoji"), '],
  ['noto-sans-kr', null],
  ['noto-sans-jp', null],
  ['noto-sans-devanagari', ['devanagari']],
  ['noto-sans-thai', ['thai']],
  ['noto-sans-hebrew', ['hebrew']],
  ['noto-sans-arabic', ['arabic']],
  ['noto-sans', [...EUROPEAN, 'greek-ext', 'vietnamese']],
].map(([name, subsets, first = '']) => ({ ...variable(name, 'Noto Sans'), subsets, first }));

function rules(font) {
  const found = [];
  for (const sheet of font.sheets) {
    const css = readFileSync(join(from, font.path, sheet), 'utf8');
    for (const [, rule] of css.matchAll(/@font-face\s*{([^}]*)}/g)) {
      const of = (property) => rule.match(new RegExp(`${property}:\\s*([^;]+);`))?.[1];
      const file = rule.match(/files\/([^)]+\.woff2)/)[1];
      const subset = file.slice(font.name.length + 1).match(/^(.*?)-(?:\d+|wght|wdth)-normal/)[1];
      const wanted = font.subsets === null ? !EUROPEAN.includes(subset) && subset !== 'vietnamese' : (font.subsets ?? EUROPEAN).includes(subset);
      if (!wanted) continue;
      found.push({ file, weight: font.name === 'noto-emoji' ? '100 900' : of('font-weight'), stretch: of('font-stretch'), range: of('unicode-range')?.replaceAll(' ', '') });
    }
  }
  return found;
}

rmSync(fonts, { recursive: true, force: true });
mkdirSync(fonts);
const head = ['/* Made by tools/browser/fonts.mjs. All fonts are under the SIL Open Font License; the licences stand\n   beside the files. */'];
// Two scripts and emoji come in more than a hundred subsets, whose rules weigh more than a page: a
// sheet of their own, which a page loads when it has such letters to show.
const sheets = { 'fonts.css': [...head], 'fonts-more.css': [...head] };
const seldom = (font) => font.subsets === null || font.name === 'noto-emoji';
for (const font of [...FALLBACK, ...LETTERING]) {
  const out = sheets[seldom(font) ? 'fonts-more.css' : 'fonts.css'];
  for (const { file, weight, stretch, range } of rules(font)) {
    copyFileSync(join(from, font.path, 'files', file), join(fonts, file));
    const more = (stretch ? ` font-stretch: ${stretch};` : '') + (range ? ` unicode-range: ${range};` : '');
    out.push(`@font-face { font-family: "${font.family}"; font-weight: ${weight}; font-display: block; src: ${font.first ?? ''}url(fonts/${file}) format("woff2");${more} }`);
  }
  copyFileSync(join(from, font.path, 'LICENSE'), join(fonts, `${font.name}.LICENSE`));
}
for (const [name, rules] of Object.entries(sheets)) writeFileSync(join(assets, name), rules.join('\n') + '\n');
console.log(`${readdirSync(fonts).length} files`);
