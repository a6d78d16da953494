// What is the streamer's own in a drawing: a style sheet of its parts, fonts, and a page that draws in place of us. The
// page's policy allows neither styles nor scripts in markup, so all of it comes as data and is taken up here.
const tallyOwn = (() => {
  'use strict';
  // Kept beyond that only as long as something uses them: sliders that move make many.
  const MOST_SHEETS = 40;
  /** @type {Map<string, CSSStyleSheet>} */
  const sheets = new Map();
  function adopt(/** @type {string} */ css) {
    if (sheets.has(css)) return;
    if (sheets.size >= MOST_SHEETS) {
      const used = new Set([...document.querySelectorAll('[data-style]')].map((one) => one.dataset.style));
      for (const old of sheets.keys()) if (!used.has(old)) sheets.delete(old);
    }
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(css);
    sheets.set(css, sheet);
    document.adoptedStyleSheets = [...sheets.values()];
  }

  /** @type {Set<string>} */
  const fonts = new Set();
  function bring(/** @type {string} */ text) {
    for (const [family, token] of text.matchAll(/font-own-([\w-]+)/g)) {
      if (fonts.has(family)) continue;
      fonts.add(family);
      const font = new FontFace(family, `url(/clips/${token})`);
      document.fonts.add(font);
      // One that was removed stays away; the fallback stands in.
      font.load().catch(() => {});
    }
  }

  // A page of the streamer's own is told what its widget shows, and hears of nothing else. One that has not loaded yet does not
  // hear it, and is told again when it has; one that had loaded before this script began hears it at once.
  function tell(/** @type {any} */ frame) {
    if (frame.told === frame.dataset.view) return;
    frame.told = frame.dataset.view;
    frame.contentWindow?.postMessage({ view: JSON.parse(frame.told) }, '*');
  }
  const loaded = (/** @type {any} */ event) => {
    if (!event.target.matches?.('.own-drawing')) return;
    event.target.told = undefined;
    tell(event.target);
  };
  document.addEventListener('load', loaded, true);
  // A page may ask for it, too.
  addEventListener('message', (event) => {
    if (event.data !== 'tally:ready') return;
    for (const frame of document.querySelectorAll('.own-drawing'))
      if (frame.contentWindow === event.source) loaded({ target: frame });
  });

  function dress(/** @type {ParentNode} */ place) {
    for (const one of place.querySelectorAll('[data-style]')) {
      adopt(one.dataset.style);
      bring(one.dataset.style);
    }
    for (const one of place.querySelectorAll('[data-look*="font-own-"]')) bring(one.dataset.look);
    for (const frame of place.querySelectorAll('.own-drawing')) tell(frame);
  }
  return { dress };
})();
