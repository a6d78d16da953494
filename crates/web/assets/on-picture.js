// Showing and hiding pieces of overlays from the desk. What is on the picture is drawn by the server, and again whenever
// something has happened.
(() => {
  'use strict';
  const place = document.getElementById('on-picture');
  if (!place) return;
  tallyFollow('roll', `${tallyUnder}/desk/overlays`, (text) => (place.innerHTML = text));
  place.addEventListener('click', async (/** @type {any} */ event) => {
    const key = event.target.closest('[data-appear], [data-cover]');
    if (!key) return;
    key.disabled = true;
    const pressed = key.getAttribute('aria-pressed') !== 'true';
    const id = crypto.randomUUID();
    const { appear, pieces } = key.dataset;
    const said = appear ? { pieces: JSON.parse(pieces), shown: pressed, id } : { covered: pressed, id };
    const word = /** @type {HTMLElement} */ (document.getElementById('word'));
    try {
      const answer = await tallySend(tallyUnder + (appear ?? '/desk/cover'), said);
      if (answer.ok) {
        key.setAttribute('aria-pressed', String(pressed));
        document.body.dispatchEvent(new CustomEvent('tally:mended'));
      } else word.textContent = (await answer.json()).detail;
      word.hidden = answer.ok;
    } catch {
      word.textContent = 'The server does not answer. Nothing is changed; try again in a moment.';
      word.hidden = false;
    }
    key.disabled = false;
  });
  // What was mended in the list before going on air is looked at anew.
  document.addEventListener('htmx:afterRequest', (event) => {
    if (event.target.matches?.('[data-mends]')) document.body.dispatchEvent(new CustomEvent('tally:mended'));
  });
  const list = document.getElementById('before-air');
  // Whoever goes on air from the desk sees at once what is not as it should be.
  document.addEventListener('htmx:afterRequest', (event) => {
    if (event.detail.pathInfo?.requestPath !== '/shows/begin' || !event.detail.successful || !list) return;
    list.addEventListener(
      'htmx:afterSwap',
      () => {
        const wrong = list.querySelector('.lamp:not(.lamp-full)');
        const whole = /** @type {HTMLDetailsElement | null} */ (list.closest('details'));
        if (!wrong || !whole) return;
        whole.open = true;
        whole.scrollIntoView({ block: 'nearest' });
      },
      { once: true },
    );
    document.body.dispatchEvent(new CustomEvent('tally:mended'));
  });
  list?.addEventListener('click', (/** @type {any} */ event) => {
    if (!event.target.closest('[data-cover]')) return;
    /** @type {HTMLElement | null} */ (place.querySelector('[data-cover]'))?.click();
  });
  // The key left of 1 covers the picture in an instant, and brings it back.
  document.addEventListener('keydown', (event) => {
    const typing = document.activeElement?.matches('input, select, textarea') || document.querySelector('dialog[open]');
    if (event.code !== 'Backquote' || typing || event.repeat || event.ctrlKey || event.altKey || event.metaKey) return;
    event.preventDefault();
    /** @type {HTMLElement | null} */ (place.querySelector('[data-cover]'))?.click();
  });
})();
