// The desk: the keys of its rows, choosing other keys for levers, and how chat beside the paper roll looks.
(() => {
  'use strict';
  const desk = /** @type {HTMLElement} */ (document.querySelector('.desk'));
  const plates = /** @type {HTMLElement} */ (desk.querySelector('.plates'));

  // ---- the keys of rows: a row of the keyboard for each plate, from the top, by the place of the key and not by what
  // is printed on it, so that the rows stay rows on every layout. A key that was chosen for a lever is no row's any more. ----
  const ROWS = ['Digit1 Digit2 Digit3 Digit4', 'KeyQ KeyW KeyE KeyR', 'KeyA KeyS KeyD KeyF', 'KeyZ KeyX KeyC KeyV'].map(
    (row) => row.split(' '),
  );
  function label() {
    const chosen = new Set(
      /** @type {HTMLElement[]} */ ([...desk.querySelectorAll('[data-own-key]')]).map((lever) => lever.dataset.key),
    );
    /** @type {HTMLElement[]} */ ([...plates.querySelectorAll(':scope > .plate')]).forEach((plate, place) => {
      const row = ROWS[place] ?? [];
      /** @type {HTMLElement[]} */ ([...plate.querySelectorAll('.lever')]).forEach((lever, index) => {
        if ('ownKey' in lever.dataset) return;
        lever.querySelector('kbd')?.remove();
        delete lever.dataset.key;
        const code = row[index];
        if (!code || chosen.has(code)) return;
        lever.dataset.key = code;
        const key = document.createElement('kbd');
        key.textContent = code.slice(-1);
        lever.append(key);
      });
    });
  }
  label();
  document.addEventListener('tally:put', (event) => {
    if (String(/** @type {CustomEvent} */ (event).detail).startsWith('d')) label();
  });

  // ---- other keys: a lever is pressed, then the key for it ----
  const switched = /** @type {HTMLElement | null} */ (desk.querySelector('[data-keying]'));
  const says = /** @type {HTMLElement} */ (desk.querySelector('.keying-says'));
  /** @type {HTMLElement | null} */
  let lever = null;
  const isKeying = () => switched?.getAttribute('aria-pressed') === 'true';
  function keying(/** @type {boolean} */ on) {
    switched?.setAttribute('aria-pressed', String(on));
    desk.classList.toggle('is-keying', on);
    lever = null;
    says.textContent = on ? 'Press a lever, then the key for it. Backspace takes a key off, Escape ends this.' : '';
  }
  switched?.addEventListener('click', () => keying(!isKeying()));
  addEventListener(
    'click',
    (event) => {
      const pressed = /** @type {HTMLElement} */ (event.target).closest('.lever');
      if (!isKeying() || !pressed) return;
      event.preventDefault();
      event.stopPropagation();
      lever = /** @type {HTMLElement} */ (pressed);
      says.textContent = `Now press the key for “${lever.querySelector('.lever-label')?.textContent}”.`;
    },
    true,
  );
  async function bind(/** @type {string} */ code) {
    const { widget, press: action, value, side } = /** @type {HTMLElement} */ (lever).dataset;
    const number = (/** @type {string | undefined} */ text) => (text ? Number(text) : null);
    const body = { code, widget: Number(widget), action, value: number(value), side: number(side) };
    const answer = await tallySend('/desk/keys', body).catch(() => null);
    const refused = answer && !answer.ok ? await answer.json().catch(() => null) : null;
    lever = null;
    says.textContent = answer?.ok
      ? 'Done. Press the next lever, or Escape.'
      : (refused?.detail ?? 'That did not work; try it again.');
  }
  addEventListener(
    'keydown',
    (event) => {
      if (!isKeying() || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === 'Escape') keying(false);
      else if (!lever || ['Tab', 'Shift', 'Enter', ' '].includes(event.key)) return;
      else bind(event.key === 'Backspace' || event.key === 'Delete' ? '' : event.code);
      event.preventDefault();
      event.stopPropagation();
    },
    true,
  );

  // ---- a line of the record is voided by two presses ----
  addEventListener('click', async (event) => {
    const key = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (event.target).closest('[data-void]'));
    if (!key) return;
    if (!key.classList.contains('is-asking')) {
      key.classList.add('is-asking');
      key.textContent = 'It counts no more: sure?';
      setTimeout(() => {
        key.classList.remove('is-asking');
        key.textContent = 'Void';
      }, 5000);
      return;
    }
    const form = new URLSearchParams({ what: 'void' });
    const answer = await tallySend(`/ledger/${key.dataset.void}/correct`, form).catch(() => null);
    key.textContent = answer?.ok ? 'Voided' : 'It could not be voided; see the ledger';
    key.toggleAttribute('disabled', answer?.ok);
  });

  // ---- chat: how large, and in which colours; each browser for itself ----
  const chat = /** @type {HTMLElement} */ (desk.querySelector('.chat-roll'));
  const kept = (/** @type {string} */ name) => localStorage.getItem(`tally-chat-${name}`);
  const colours = /** @type {HTMLInputElement[]} */ ([...desk.querySelectorAll('[data-chat-colour]')]);
  function dress() {
    chat.style.setProperty('--chat-size', `${kept('size') ?? 15}px`);
    for (const one of colours) {
      const role = one.dataset.chatColour ?? '';
      const own = kept(role);
      if (own) chat.style.setProperty(`--chat-${role}`, own);
      else chat.style.removeProperty(`--chat-${role}`);
      one.value = own ?? '#806020';
    }
  }
  dress();
  for (const one of colours) {
    one.addEventListener('input', () => {
      localStorage.setItem(`tally-chat-${one.dataset.chatColour}`, one.value);
      dress();
    });
  }
  desk.querySelector('[data-chat-plain]')?.addEventListener('click', () => {
    for (const one of colours) localStorage.removeItem(`tally-chat-${one.dataset.chatColour}`);
    dress();
  });
  for (const one of /** @type {NodeListOf<HTMLElement>} */ (desk.querySelectorAll('[data-chat-size]'))) {
    one.addEventListener('click', () => {
      const size = Number(kept('size') ?? 15) + 2 * Number(one.dataset.chatSize);
      localStorage.setItem('tally-chat-size', String(Math.min(29, Math.max(11, size))));
      dress();
    });
  }
})();
