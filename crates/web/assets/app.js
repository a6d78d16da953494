// The rooms: levers and their keys, copying, finding, sending files. What only the bench needs is in
// bench.js.

// Before the addresses of the desk: the rehearsal has its own.
const tallyUnder = document.body.dataset.under ?? '';

// Sends something that changes something, with the token of this page: a form or a file as it is, anything else as JSON.
const tallySend = (/** @type {string} */ path, /** @type {any} */ body) => {
  const whole = body instanceof Blob || body instanceof URLSearchParams;
  const headers = { 'x-csrf-token': document.body.dataset.csrf ?? '' };
  return whole
    ? fetch(path, { method: 'POST', headers, body })
    : fetch(path, {
        method: 'POST',
        headers: { ...headers, 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
};

// Asks for a text anew whenever a part of the page was drawn live, and waits while `busy`. Answers may
// overtake each other; only that to the newest question is taken.
const tallyFollow = (
  /** @type {string} */ part,
  /** @type {string} */ path,
  /** @type {(text: string) => void} */ take,
  busy = () => false,
) => {
  let waiting = 0;
  let asked = 0;
  const askIn = (/** @type {number} */ milliseconds) => {
    clearTimeout(waiting);
    waiting = setTimeout(ask, milliseconds);
  };
  async function ask() {
    if (busy()) return askIn(1000);
    const own = ++asked;
    const answer = await fetch(path).catch(() => null);
    const text = answer?.ok ? await answer.text() : null;
    if (text === null || own !== asked) return;
    if (busy()) return askIn(1000);
    take(text);
  }
  document.addEventListener('tally:put', (event) => {
    if (event.detail === part) askIn(300);
  });
};

(() => {
  'use strict';
  const body = document.body;

  // ---- day or night: as the system has it, or as was chosen in this browser ----
  const LIGHTS = ['system', 'day', 'night'];
  const WORDS = { system: 'Day or night: as the system', day: 'Day', night: 'Night' };
  const lights = /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('[data-lights]'));
  const chosenLight = () => /** @type {'system' | 'day' | 'night'} */ (localStorage.getItem('tally-light') ?? 'system');
  function light() {
    const chosen = chosenLight();
    for (const one of LIGHTS) document.documentElement.classList.toggle(`is-${one}`, one === chosen);
    for (const one of lights) one.textContent = WORDS[chosen];
  }
  light();
  for (const one of lights)
    one.addEventListener('click', () => {
      localStorage.setItem('tally-light', LIGHTS[(LIGHTS.indexOf(chosenLight()) + 1) % LIGHTS.length] ?? 'system');
      light();
    });
  const typing = () =>
    document.activeElement?.matches('input, select, textarea') || document.querySelector('dialog[open]');

  // ---- a word to whoever works here ----
  const word = document.getElementById('word');
  let wordTimer = 0;
  function say(/** @type {string} */ text, /** @type {boolean} */ bad = false) {
    word.textContent = text;
    word.classList.toggle('is-bad', Boolean(bad));
    word.hidden = false;
    clearTimeout(wordTimer);
    wordTimer = setTimeout(() => (word.hidden = true), bad ? 8000 : 3000);
  }

  // Where the rooms do not fit into their line, the present one is seen.
  document.querySelector('.edge-rooms [aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });

  // ---- levers ----
  // A press has an id of its own, so sending it again after a failure can never count it twice.
  const pressId = () =>
    [...crypto.getRandomValues(new Uint8Array(12))].map((b) => b.toString(16).padStart(2, '0')).join('');
  async function press(/** @type {HTMLElement} */ lever) {
    /** @type {{ action?: string, id: string, value?: number, text?: string, side?: number }} */
    const order = { action: lever.dataset.press, id: pressId() };
    if (lever.dataset.value) order.value = Number(lever.dataset.value);
    if (lever.dataset.text) order.text = lever.dataset.text;
    if (lever.dataset.side) order.side = Number(lever.dataset.side);
    lever.classList.add('is-pressed');
    setTimeout(() => lever.classList.remove('is-pressed'), 140);
    for (let attempt = 0; attempt < 6; attempt++) {
      try {
        const under = body.dataset.pressUnder ?? `${tallyUnder}/widgets`;
        const answer = await tallySend(`${under}/${lever.dataset.widget}/press`, order);
        if (answer.ok) return true;
        if (answer.status !== 503) {
          const problem = await answer
            .json()
            .catch(() => ({ detail: 'That did not work. Reload the page and try again.' }));
          say(problem.detail, true);
          return false;
        }
      } catch {
        // The line is down: the same as an answer of "not now".
      }
      say('Not recorded yet. Trying again…', true);
      await new Promise((done) => setTimeout(done, 500 * 2 ** attempt));
    }
    say('Not recorded: the server does not answer. Press again when the strip below is live.', true);
    return false;
  }
  document.addEventListener('click', (event) => {
    const lever = event.target.closest('[data-press]');
    if (lever && !lever.disabled) ask(lever);
  });

  // A lever that sends a text along: pressed by its button, or by Enter in its field.
  async function pressTyped(/** @type {any} */ typed) {
    const field = typed.querySelector('input');
    if (!field.reportValidity()) return;
    const lever = document.createElement('span');
    const { pressText: action, widget, value = '', side = '' } = typed.dataset;
    Object.assign(lever.dataset, { press: action, widget, value, side, text: field.value });
    if (await press(lever)) field.value = '';
  }
  document.addEventListener('click', (event) => {
    const typed = event.target.closest('button')?.closest('[data-press-text]');
    if (typed) pressTyped(typed);
  });
  document.addEventListener('keydown', (event) => {
    if (event.key !== 'Enter' || !event.target.matches('[data-press-text] input')) return;
    event.preventDefault();
    pressTyped(event.target.closest('[data-press-text]'));
  });

  // ---- what the desk has to tell of ----
  const chimes = document.querySelector('.desk[data-chimes]');
  const told = new Map();
  document.addEventListener('tally:put', (event) => {
    const id = event.detail;
    const now = document.querySelector(`.plate[data-live="${id}"] [data-attention]`)?.dataset.attention;
    if (chimes && now && told.has(id) && told.get(id) !== now) tallySound('chime', 60);
    if (String(id).startsWith('d')) told.set(id, now);
    // So it is when something else needs somebody, such as a show that is about to end by itself.
    const needs = id === 'needs' ? document.querySelectorAll('.needs li').length : 0;
    if (chimes && told.has(id) && needs > told.get(id)) tallySound('chime', 60);
    if (id === 'needs') told.set(id, needs);
  });

  // ---- keys ----
  // Long ago: a page that was just opened is on no way yet.
  let going = -Infinity;
  document.addEventListener('keydown', (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      return show('finder');
    }
    if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || typing()) return;
    if (event.key === '?') return show('keys');
    if (performance.now() - going < 1200) {
      going = -Infinity;
      const room = document.querySelector(`[data-letter="${CSS.escape(event.key)}"]`);
      if (room) {
        event.preventDefault();
        location.assign(room.href);
        return;
      }
    }
    if (event.key === 'g') {
      going = performance.now();
      return;
    }
    const lever = document.querySelector(`.lever[data-key="${event.code}"]`);
    if (lever && !lever.disabled) {
      event.preventDefault();
      ask(lever);
    }
  });

  // What no other press undoes asks once, in its place: the same press again does it, anything else lets it be.
  const PATIENCE = 5000;
  /** @type {any} */
  let asked = null;
  function ask(/** @type {any} */ lever) {
    const { press: action, widget, value, side } = lever.dataset;
    const which = [action, widget, value, side].join();
    const same = asked?.which === which;
    stopAsking();
    if (!('asks' in lever.dataset) || same) return press(lever);
    const label = lever.querySelector('.lever-label') ?? lever;
    asked = { which, lever, label, words: label.textContent };
    lever.classList.add('is-asking');
    label.textContent = 'Sure? Press again';
    asked.timer = setTimeout(stopAsking, PATIENCE);
  }
  function stopAsking() {
    if (!asked) return;
    clearTimeout(asked.timer);
    asked.lever.classList.remove('is-asking');
    asked.label.textContent = asked.words;
    asked = null;
  }

  // ---- dialogs ----
  function show(/** @type {string} */ id) {
    const dialog = document.getElementById(id);
    // A helper's page has none.
    if (!dialog) return;
    if (!dialog.open) dialog.showModal();
    if (id === 'finder') {
      const input = document.getElementById('finder-input');
      input.value = '';
      sift('');
      input.focus();
    }
  }
  function sift(/** @type {string} */ text) {
    for (const line of document.querySelectorAll('#finder-list li')) {
      line.hidden = !line.textContent.toLowerCase().includes(text.toLowerCase());
    }
  }
  document.addEventListener('click', (event) => {
    const opener = event.target.closest('[data-open]');
    if (opener) show(opener.dataset.open);
    if (event.target.closest('[data-close]')) event.target.closest('dialog').close();
    // A number of an answer that was fetched becomes a level of the feed that is being wired; of a list, the
    // place of its items or of its next page.
    const pick = event.target.closest('[data-pick]');
    if (pick?.dataset.pickInto) {
      pick.closest('form').elements[pick.dataset.pickInto].value = pick.dataset.pick;
      pick.setAttribute('aria-pressed', 'true');
    } else if (pick) {
      const levels = pick.closest('form').elements.levels;
      const line = `${pick.dataset.name || 'level'} ${pick.dataset.pick}`;
      if (!levels.value.split('\n').includes(line)) levels.value = `${levels.value.trim()}\n${line}`.trim();
      pick.setAttribute('aria-pressed', 'true');
    }
    // A whole row is pressed to open it.
    const row = event.target.closest('[data-opens]');
    if (row && !event.target.closest('a, button, input, select, summary')) row.querySelector('[hx-get]')?.click();
    const mover = event.target.closest('[data-move]');
    if (mover) {
      const row = mover.closest('li');
      if (mover.dataset.move === '1') row.nextElementSibling?.after(row);
      else row.previousElementSibling?.before(row);
      mover.focus();
    }
  });
  document
    .getElementById('finder-input')
    ?.addEventListener('input', (/** @type {any} */ event) => sift(event.target.value));
  document.getElementById('finder-input')?.addEventListener('keydown', (/** @type {any} */ event) => {
    if (event.key === 'Enter') document.querySelector('#finder-list li:not([hidden]) a')?.click();
  });

  document.addEventListener('htmx:responseError', () =>
    say('That was not recorded. Nothing is changed; try again in a moment.', true),
  );
  document.addEventListener('htmx:sendError', () =>
    say('The server does not answer. Nothing is changed; try again in a moment.', true),
  );

  // ---- the ledger follows what comes in ----
  const head = document.querySelector('[data-head]');
  if (head) {
    // Nothing moves under a hand that is at work here.
    let movedAt = -Infinity;
    head.addEventListener('pointermove', () => (movedAt = performance.now()));
    const busy = () =>
      Boolean(head.querySelector('.is-open')) ||
      head.contains(document.activeElement) ||
      performance.now() - movedAt < 1000;
    const take = (/** @type {string} */ text) => {
      const fresh = document.createElement('ol');
      fresh.innerHTML = text;
      if (fresh.textContent === head.textContent) return;
      Idiomorph.morph(head, fresh.innerHTML, { morphStyle: 'innerHTML' });
      htmx.process(head);
    };
    tallyFollow('roll', head.dataset.head, take, busy);
  }

  // ---- the switch at the top edge is drawn live, and its button must be known to htmx ----
  document.addEventListener('tally:put', (event) => {
    for (const name of ['air', 'strip'])
      if (event.detail === name)
        for (const place of document.querySelectorAll(`[data-live="${name}"]`)) htmx.process(place);
  });

  // ---- a form shows only the fields that what was chosen needs ----
  function choose(/** @type {HTMLSelectElement} */ select) {
    for (const one of select.form?.querySelectorAll('[data-for]') ?? [])
      one.hidden = !one.dataset.for.split(' ').includes(select.value);
  }
  for (const select of document.querySelectorAll('[data-chooses]')) {
    choose(select);
    select.addEventListener('change', () => choose(select));
  }

  // ---- a team that has played before brings its colour along ----
  document.addEventListener('change', (event) => {
    if (event.target.getAttribute('list') !== 'teams') return;
    const known = document.querySelector(`#teams option[value="${CSS.escape(event.target.value.trim())}"]`);
    const colour = document.getElementById(`${event.target.id}-colour`);
    if (known && colour) colour.value = known.dataset.colour;
  });

  // ---- sending a file ----
  document.addEventListener('submit', async (event) => {
    const form = event.target.closest('[data-upload]');
    if (!form) return;
    event.preventDefault();
    const file = form.querySelector('[type=file]').files[0];
    if (!file) return;
    const button = form.querySelector('button');
    button.disabled = true;
    say('Reading the file…');
    try {
      const side = form.elements.side ? `&side=${form.elements.side.value}` : '';
      const answer = await tallySend(`${form.dataset.upload}?name=${encodeURIComponent(file.name)}${side}`, file);
      const next = answer.headers.get('hx-redirect');
      if (next) return location.assign(next);
      const place = form.querySelector('.upload-refusal') ?? document.getElementById('refusal');
      place.innerHTML = answer.status === 422 ? await answer.text() : '';
      if (answer.status !== 422) say('That did not work. Reload the page and try again.', true);
    } catch {
      say('The server does not answer. Try again in a moment.', true);
    }
    button.disabled = false;
  });

  // ---- copying and showing ----
  document.addEventListener('click', async (event) => {
    const copy = event.target.closest('[data-copy]');
    if (copy) {
      const field = document.getElementById(copy.dataset.copy);
      try {
        await navigator.clipboard.writeText(field.value);
        say('Copied.');
      } catch {
        field.type = 'text';
        field.focus();
        field.select();
        say('Press Ctrl C to copy what is selected.');
      }
    }
    const reveal = event.target.closest('[data-reveal]');
    if (reveal) {
      const field = document.getElementById(reveal.dataset.reveal);
      const hidden = field.type === 'password';
      field.type = hidden ? 'text' : 'password';
      reveal.textContent = hidden ? 'Hide' : 'Show';
    }
  });
})();
