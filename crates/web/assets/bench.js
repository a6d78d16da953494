// The bench and the shelf: the sentence's parts, the drawers, the stage, the slip, finding a widget.
(() => {
  'use strict';

  // ---- the sentence ----
  function openPart(/** @type {HTMLElement} */ part) {
    for (const other of document.querySelectorAll('.part.is-open')) if (other !== part) closePart(other);
    part.classList.add('is-open');
    part.querySelector('.part-shown').setAttribute('aria-expanded', 'true');
    const field = part.querySelector('.field, [data-one-of]');
    field.focus();
    if (field.select && field.tagName === 'INPUT') field.select();
    if (field.matches('.template textarea')) field.dispatchEvent(new Event('input', { bubbles: true }));
  }
  function closePart(/** @type {HTMLElement} */ part) {
    part.classList.remove('is-open', 'is-refused');
    part.querySelector('.part-shown').setAttribute('aria-expanded', 'false');
    part.querySelector('form').reset();
  }
  document.addEventListener('click', (event) => {
    const shown = event.target.closest('.part-shown');
    if (shown) openPart(shown.closest('.part'));
    else if (!event.target.closest('.part'))
      document.querySelectorAll('.part.is-open:not(.is-refused)').forEach(closePart);
  });
  document.addEventListener('keydown', (event) => {
    const part = event.target.closest?.('.part.is-open');
    if (event.key === 'Escape' && part) {
      closePart(part);
      part.querySelector('.part-shown').focus();
    }
    // In a text of several lines Enter with Ctrl is done; in one of values, Enter alone.
    if (
      event.key === 'Enter' &&
      event.target.matches('.field-lines') &&
      (event.ctrlKey || event.metaKey || event.target.closest('.template, .kind-words'))
    ) {
      event.preventDefault();
      event.target.form.requestSubmit();
    }
    const busy =
      document.activeElement?.matches('input:not([type=radio], [type=range], [type=color]), select, textarea') ||
      document.querySelector('dialog[open]');
    if (busy || event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
    if (sending() && ['p', 'u'].includes(event.key)) pressed = event.key;
    else document.querySelector(`[data-bench-key="${CSS.escape(event.key)}"]`)?.click();
  });
  document.addEventListener('change', (event) => {
    if (event.target.matches('[data-at-once]')) event.target.form.requestSubmit();
    if (event.target.matches('[data-one-of]')) {
      const form = event.target.form;
      form.elements.text.value = [...form.querySelectorAll('[data-one-of]:checked')]
        .map((one) => one.dataset.oneOf)
        .join(',');
    }
  });
  document.addEventListener('click', (event) => {
    const chip = event.target.closest('[data-chip]');
    if (!chip) return;
    const field = chip.closest('form').querySelector('textarea');
    field.setRangeText(`{{ ${chip.dataset.chip} }}`, field.selectionStart, field.selectionEnd, 'end');
    field.focus();
    field.dispatchEvent(new Event('input', { bubbles: true }));
  });

  // ---- after a change, whoever works here is where they were ----
  /** @type {{ part?: string, control?: string } | null} */
  let edited = null;
  document.addEventListener('htmx:beforeRequest', (event) => {
    const at = event.target.closest?.('[data-part], [data-control], [data-bench-key]');
    // What had waited is sent by the page itself; whoever wrote it is where they wrote it.
    if (event.target === document.body || event.target.matches?.('.template textarea, .kind-words textarea')) return;
    edited = at ? { part: at.dataset.part, control: at.dataset.control } : null;
  });
  // What changes the widget goes to the server in turn. A press on the bar waits for what was just written, for
  // it means that; where that is refused, nothing goes on air that was not looked at.
  let pressed = '';
  const sending = window.tallyInTurn(/\/widgets\/\d+\/(edit|put-on-air|discard|take-back)$/, '#sentence', (ok) => {
    if (!ok) pressed = '';
    pressWhatWaits();
    focusWhatWasEdited();
  });
  document.addEventListener(
    'click',
    (event) => {
      const press = event.target.closest('#bar [data-bench-key]');
      if (!press || !sending()) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      pressed = press.dataset.benchKey;
    },
    true,
  );
  // An answer may draw the bar anew between a finger's going down and its coming up; the browser then
  // tells of no click.
  /** @type {HTMLElement | null} */
  let held = null;
  document.addEventListener('pointerdown', (event) => {
    held = event.target.closest('#bar [data-bench-key]');
  });
  document.addEventListener('pointerup', (event) => {
    if (held && !held.isConnected && event.target.closest('#bar')) {
      pressed = held.dataset.benchKey ?? '';
      pressWhatWaits();
    }
    held = null;
  });
  function pressWhatWaits() {
    if (sending() || !pressed) return;
    const press = document.querySelector(`#bar [data-bench-key="${pressed}"]`);
    pressed = '';
    press?.click();
  }

  // In a wide window the first drawer stands open, where there is room for it.
  const roomy = matchMedia('(min-width: 901px)').matches;
  let drawer =
    new URLSearchParams(location.search).get('drawer') ??
    (roomy ? (document.querySelector('.drawer-front')?.dataset.drawer ?? '') : '');
  let kind = '';
  function open(/** @type {string} */ key, /** @type {boolean} */ on) {
    drawer = on ? key : '';
    for (const front of document.querySelectorAll('.drawer-front')) {
      const is = front.dataset.drawer === drawer;
      front.setAttribute('aria-expanded', String(is));
      document.getElementById(front.getAttribute('aria-controls')).hidden = !is;
    }
  }
  document.addEventListener('click', (event) => {
    const front = event.target.closest('.drawer-front');
    if (!front) return;
    open(front.dataset.drawer, front.getAttribute('aria-expanded') !== 'true');
    // What is in it is to be seen, whatever stood above.
    if (drawer) document.getElementById('drawers').scrollIntoView({ block: 'start' });
  });
  if (drawer) open(drawer, true);
  const ENOUGH = 320;
  const asked = new URLSearchParams(location.search).has('drawer');
  const first = document.querySelector('.drawer:not([hidden])');
  const room = first?.closest('[data-scrolls]')?.getBoundingClientRect();
  if (first && room && !asked && room.bottom - first.getBoundingClientRect().top < ENOUGH) open(drawer, false);
  document.addEventListener('click', (event) => {
    if (!event.target.closest('[data-try-celebration]')) return;
    const place = [...document.querySelectorAll('.stage-frame > .air-box')].find(
      (one) => one.offsetWidth && one.querySelector('.air'),
    );
    const air = place?.querySelector('.air');
    if (air)
      tallyCelebrate(place, air.dataset, getComputedStyle(air), matchMedia('(prefers-reduced-motion: reduce)').matches);
  });
  document.addEventListener(
    'toggle',
    (event) => {
      if (event.target.matches?.('.kind-more'))
        kind = event.target.open ? event.target.dataset.kind : kind === event.target.dataset.kind ? '' : kind;
    },
    true,
  );
  document.addEventListener('htmx:oobAfterSwap', (event) => {
    const target = event.detail.target ?? event.target;
    if (target.id === 'drawers' || document.getElementById('drawers')?.querySelector('.drawer-front'))
      open(drawer, Boolean(drawer));
    const more = document.querySelector(`.kind-more[data-kind="${kind}"]`);
    if (more && !more.open) more.open = true;
    document.getElementById('sample')?.dispatchEvent(new CustomEvent('tally:dress', { bubbles: true }));
  });
  function focusWhatWasEdited() {
    if (sending() || !edited) return;
    if (edited.part !== undefined) {
      const part = document.querySelector(`.part[data-part="${CSS.escape(edited.part)}"]`);
      if (part?.classList.contains('is-refused')) part.querySelector('.field').focus();
      else part?.querySelector('.part-shown').focus();
    } else if (edited.control) {
      const control = document.querySelector(`[data-control="${CSS.escape(edited.control)}"]`);
      control?.querySelector('[name=text]:not([type=hidden]), button')?.focus();
    }
    edited = null;
  }

  // While a slider or a colour moves, the stage follows without asking the server.
  document.addEventListener('input', (event) => {
    const token = event.target.dataset?.token;
    if (!token) return;
    const out = event.target.parentElement.querySelector('.slide-value');
    if (out) out.textContent = event.target.value;
    if (/^(kind|part):/.test(token)) return;
    for (const air of document.querySelectorAll('.stage-frame .air'))
      air.style.setProperty(`--${token.replaceAll('_', '-')}`, event.target.value);
  });

  // ---- the stage ----
  const stage = document.getElementById('stage');
  const frame = stage?.querySelector('.stage-frame');
  const own = document.getElementById('own-picture');
  stage?.addEventListener('change', (/** @type {any} */ event) => {
    if (event.target.name === 'figures') {
      for (const one of ['sample', 'rehearsal']) stage.classList.toggle(`shows-${one}`, event.target.value === one);
    }
    if (event.target.name === 'backdrop') {
      stage.className = stage.className.replace(/backdrop-\w+/, `backdrop-${event.target.value}`);
      stage.style.backgroundImage = event.target.value === 'own' && own.picture ? `url(${own.picture})` : '';
    }
  });
  // A picture of one's own stays in this browser.
  stage?.addEventListener('click', (/** @type {any} */ event) => {
    if (event.target.closest('label')?.querySelector('[value=own]')) own.click();
  });
  own?.addEventListener('change', () => {
    const file = own.files[0];
    if (!file) return;
    const reader = new FileReader();
    reader.onload = () => {
      own.picture = reader.result;
      stage.style.backgroundImage = `url(${own.picture})`;
    };
    reader.readAsDataURL(file);
  });
  if (frame) {
    // As large as the stage allows, in the proportions that suit the shape.
    const fit = () => {
      const [width, height] = frame.dataset.size.split('x').map(Number);
      const [across, down] = [stage.clientWidth * 0.92, stage.clientHeight - 76];
      const scale = Math.min(across / width, down / height, 1);
      frame.style.width = `${Math.round(width * scale)}px`;
      frame.style.height = `${Math.round(height * scale)}px`;
    };
    fit();
    new ResizeObserver(fit).observe(stage);
    const size = stage.querySelector('.stage-size');
    new ResizeObserver(() => {
      size.value = `${frame.offsetWidth} × ${frame.offsetHeight}`;
      dispatchEvent(new Event('resize'));
    }).observe(frame);
    frame.addEventListener('keydown', (/** @type {any} */ event) => {
      /** @type {Record<string, number[]>} */
      const steps = { ArrowLeft: [-20, 0], ArrowRight: [20, 0], ArrowUp: [0, -20], ArrowDown: [0, 20] };
      const step = steps[event.key];
      if (!step) return;
      event.preventDefault();
      frame.style.width = `${frame.offsetWidth + step[0]}px`;
      frame.style.height = `${frame.offsetHeight + step[1]}px`;
    });
  }
  // What was rehearsed is to be seen.
  document.addEventListener('htmx:afterSwap', (event) => {
    if (event.target.id === 'stations') stage.querySelector('[value="rehearsal"]').click();
  });

  // ---- the slip follows what happens ----
  const aside = document.querySelector('[data-refresh]');
  if (aside) {
    const real = document.querySelector('.stage-real').dataset.live;
    tallyFollow(real, aside.dataset.refresh, (/** @type {string} */ text) => {
      const open = aside.querySelector('details')?.open;
      const slip = new DOMParser().parseFromString(text, 'text/html').getElementById('slip');
      slip.removeAttribute('hx-swap-oob');
      slip.querySelector('details').open = Boolean(open);
      aside.replaceChildren(slip);
    });
  }

  // ---- the shelf ----
  document.getElementById('shelf-find')?.addEventListener('input', (/** @type {any} */ event) => {
    const wanted = event.target.value.trim().toLowerCase();
    const rows = [...document.querySelectorAll('.shelf-row')];
    for (const row of rows) row.hidden = !row.querySelector('.shelf-words').textContent.toLowerCase().includes(wanted);
    document.querySelector('.shelf-none').hidden = !wanted || rows.some((row) => !row.hidden);
  });
  document.addEventListener('htmx:afterSettle', (event) => {
    if (event.target.matches?.('.starts'))
      event.target.dispatchEvent(new CustomEvent('tally:dress', { bubbles: true }));
  });
})();
