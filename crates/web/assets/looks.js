// The looks room: which overlay a look is tried on, and which half of it is edited, go with every edit.
(() => {
  'use strict';
  const on = /** @type {HTMLSelectElement | null} */ (document.getElementById('look-on'));
  if (!on) return;
  const asked = new URLSearchParams(location.search);
  on.value = asked.get('on') ?? '';
  function go(/** @type {string} */ name, /** @type {string} */ value) {
    if (value) asked.set(name, value);
    else asked.delete(name);
    location.search = asked.toString();
  }
  on.addEventListener('change', () => go('on', on.value));
  document.addEventListener('click', (event) => {
    const half = event.target.closest('[data-half]');
    if (half) go('night', half.dataset.half === 'true' ? 'true' : '');
  });
  document.addEventListener('htmx:configRequest', (event) => {
    if (event.detail.path.endsWith('/edit')) event.detail.path += location.search;
  });

  // What is drawn anew keeps which drawers are open, and how far they are scrolled.
  /** @type {Set<string>} */
  let open = new Set(['colour']);
  let scrolled = 0;
  document.addEventListener('htmx:beforeSwap', () => {
    open = new Set([...document.querySelectorAll('.look-drawer[open]')].map((one) => one.dataset.drawer));
    scrolled = document.querySelector('.look-drawers').scrollTop;
  });
  function fit() {
    const stage = document.querySelector('.look-stage > .overlay');
    if (!stage) return;
    tallyOverlay.dress(stage.parentElement);
    const { width, height } = JSON.parse(stage.dataset.board);
    const around = stage.parentElement;
    const scale = around.clientWidth / width;
    around.style.height = `${height * scale}px`;
    stage.style.width = `${width}px`;
    stage.style.height = `${height}px`;
    stage.style.transform = `scale(${scale})`;
  }
  document.addEventListener('htmx:afterSettle', () => {
    for (const one of document.querySelectorAll('.look-drawer')) one.open = open.has(one.dataset.drawer);
    document.querySelector('.look-drawers').scrollTop = scrolled;
    fit();
  });
  addEventListener('resize', fit);
  fit();
})();
