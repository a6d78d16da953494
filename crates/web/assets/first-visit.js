// The first visit, one step after the other. Without scripts all steps stand below each other.
(() => {
  'use strict';
  const form = document.querySelector('.first-form');
  const steps = [...form.querySelectorAll('[data-step]')];
  const marks = [...document.querySelectorAll('.first-steps li')];
  const [back, next, finish] = ['back', 'next', 'finish'].map((name) => form.querySelector(`[data-${name}]`));
  let at = 0;

  function show(/** @type {any} */ step, /** @type {boolean} */ focus) {
    at = step;
    steps.forEach((one, index) => (one.hidden = index !== at));
    marks.forEach((one, index) => {
      one.classList.toggle('is-done', index < at);
      if (index === at) one.setAttribute('aria-current', 'step');
      else one.removeAttribute('aria-current');
    });
    back.hidden = at === 0;
    next.hidden = at === steps.length - 1;
    finish.hidden = !next.hidden;
    if (focus) steps[at].querySelector('input:checked, input:not([type=radio]), select')?.focus();
  }
  const whole = (/** @type {any} */ step) =>
    [...step.querySelectorAll('input, select')].every((one) => one.reportValidity());

  next.addEventListener('click', () => whole(steps[at]) && show(at + 1, true));
  back.addEventListener('click', () => show(at - 1, true));
  form.addEventListener('keydown', (/** @type {any} */ event) => {
    if (event.key !== 'Enter' || at === steps.length - 1 || event.target.matches('button, summary')) return;
    event.preventDefault();
    next.click();
  });
  document.getElementById('zone').value = Intl.DateTimeFormat().resolvedOptions().timeZone;
  show(0, true);
})();
