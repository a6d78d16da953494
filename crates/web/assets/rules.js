// The rules of a feed: a value that is pressed in a message fills the blank that lies open.
(() => {
  'use strict';

  window.tallyInTurn(/\/rules\/(edit|use|listen|discard|count|area)$/, '#rules');

  /** Where somebody was at work, to be there again after the answer.
   * @type {string} */
  let at = '';
  const selector = (/** @type {HTMLElement} */ blank) =>
    ['rule', 'part', 'key', 'place']
      .filter((name) => blank.dataset[name] !== undefined)
      .map((name) => `[data-${name}="${CSS.escape(blank.dataset[name] ?? '')}"]`)
      .join('');

  document.addEventListener('click', (event) => {
    const leaf = event.target.closest('[data-leaf]');
    const rules = document.getElementById('rules');
    if (!leaf || !rules) return;
    const list = leaf.dataset.leafList !== undefined;
    const blank =
      rules.querySelector('.blank[open]') ?? rules.querySelector('.blank.is-refused') ?? rules.querySelector('.blank');
    if (!blank) {
      const refusal = document.getElementById('refusal');
      if (refusal) refusal.textContent = 'Make a rule first, then press what its blanks mean.';
      return;
    }
    const { rule, part, key, place } = blank.dataset;
    const values = list
      ? { rule, part: 'each', pointer: leaf.dataset.leaf }
      : { rule, part, key: key ?? '', place: place ?? 0, pointer: leaf.dataset.leaf, picked: 'yes' };
    at = list ? '' : selector(blank);
    htmx.ajax('POST', `/feeds/${rules.dataset.feed}/rules/edit`, {
      values: { ...values, open: rules.dataset.open ?? '' },
      target: '#rules',
      swap: 'outerHTML',
    });
  });

  document.addEventListener('htmx:beforeRequest', (event) => {
    const blank = event.target.closest?.('#rules .blank');
    if (blank) at = selector(blank);
  });
  document.addEventListener('htmx:afterSettle', (event) => {
    if (event.target.id !== 'rules') return;
    document.getElementById('refusal')?.replaceChildren();
    if (at) document.querySelector(`#rules .blank${at} > summary`)?.focus();
    at = '';
  });
  document.addEventListener('keydown', (event) => {
    const blank = event.target.closest?.('.blank[open]');
    if (event.key !== 'Escape' || !blank) return;
    blank.open = false;
    blank.querySelector('summary').focus();
  });

  // Who may send: only the fields of what is chosen stand there.
  document.addEventListener('change', (event) => {
    const shows = event.target.dataset?.shows;
    if (!shows) return;
    for (const part of document.querySelectorAll(`[data-shown-for^="${CSS.escape(shows)} "]`))
      part.hidden = !part.dataset.shownFor.split(' ').slice(1).includes(event.target.value);
  });
})();
