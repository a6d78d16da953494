// Showing and hiding pieces of overlays from the desk. What is on the picture is drawn by the server, and again whenever
// something has happened.
(() => {
  'use strict';
  const place = document.getElementById('on-picture');
  if (!place) return;
  tallyFollow('roll', '/desk/overlays', (text) => (place.innerHTML = text));
  place.addEventListener('click', async (/** @type {any} */ event) => {
    const key = event.target.closest('[data-appear]');
    if (!key) return;
    key.disabled = true;
    const shown = key.getAttribute('aria-pressed') !== 'true';
    const word = /** @type {HTMLElement} */ (document.getElementById('word'));
    try {
      const answer = await fetch(key.dataset.appear, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-csrf-token': document.body.dataset.csrf ?? '' },
        body: JSON.stringify({ pieces: JSON.parse(key.dataset.pieces), shown, id: crypto.randomUUID() }),
      });
      if (answer.ok) key.setAttribute('aria-pressed', String(shown));
      else word.textContent = (await answer.json()).detail;
      word.hidden = answer.ok;
    } catch {
      word.textContent = 'The server does not answer. Nothing is changed; try again in a moment.';
      word.hidden = false;
    }
    key.disabled = false;
  });
})();
