// Keeping the score on a phone. A press is kept here first and sent then, one after the other: what could not be sent
// survives a lost connection and a reload, and the server knows each by its number, so that it counts once.
(() => {
  'use strict';
  const { csrf = '', pressPath = '', board } = document.body.dataset;
  const KEPT = `tally-score-${board}`;
  const word = document.getElementById('word');
  const kept = document.querySelector('.score-kept');
  /** @typedef {{ id: string, action: string, value?: number, side?: number, text?: string, words: string, at: number, refused?: string }} Press */

  /** @returns {Press[]} */
  function read() {
    try {
      return JSON.parse(localStorage.getItem(KEPT) ?? '[]');
    } catch {
      return [];
    }
  }
  function write(/** @type {Press[]} */ all) {
    try {
      localStorage.setItem(KEPT, JSON.stringify(all));
    } catch {
      // A browser that keeps nothing still sends what is pressed now.
    }
    held = all;
    tell();
  }
  let held = read();
  let sending = false;
  let trouble = false;

  // ---- what is said ----
  let said = '';
  function tell() {
    const waiting = held.filter((one) => !one.refused);
    const refused = held.filter((one) => one.refused);
    word.classList.toggle('is-waiting', trouble && waiting.length > 0);
    word.textContent =
      trouble && waiting.length
        ? `No connection. ${waiting.length} ${waiting.length === 1 ? 'press waits' : 'presses wait'}, kept on this phone.`
        : said;
    kept.hidden = !refused.length;
    kept.querySelector('ol').replaceChildren(
      ...refused.map((one) => {
        const line = document.createElement('li');
        const time = new Date(one.at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', second: '2-digit' });
        line.textContent = `${time} ${one.words}: ${one.refused}`;
        return line;
      }),
    );
  }

  // ---- sending ----
  async function send() {
    if (sending) return;
    sending = true;
    let wait = 400;
    for (;;) {
      const next = held.find((one) => !one.refused);
      if (!next) break;
      const { id, action, value, side, text } = next;
      const ago = Date.now() - next.at;
      try {
        const answer = await fetch(pressPath, {
          method: 'POST',
          headers: { 'content-type': 'application/json', 'x-csrf-token': csrf },
          body: JSON.stringify({ id, action, value, side, text, ago_ms: ago > 2000 ? ago : undefined }),
        });
        if (answer.ok) {
          trouble = false;
          said = '';
          write(held.filter((one) => one.id !== id));
          wait = 400;
          continue;
        }
        if (answer.status < 500 && answer.status !== 429) {
          const problem = await answer.json().catch(() => ({ detail: 'that did not work; reload the page' }));
          trouble = false;
          // What was pressed a moment ago is answered in a line; what waited is listed, so that nothing is lost unseen.
          if (ago > 5000) write(held.map((one) => (one.id === id ? { ...one, refused: problem.detail } : one)));
          else {
            said = problem.detail;
            write(held.filter((one) => one.id !== id));
          }
          continue;
        }
      } catch {
        // The line is down: the same as an answer of "not now".
      }
      trouble = true;
      tell();
      await new Promise((done) => {
        const timer = setTimeout(done, wait);
        addEventListener('online', () => (clearTimeout(timer), done(undefined)), { once: true });
      });
      wait = Math.min(wait * 2, 5000);
    }
    sending = false;
  }
  function press(/** @type {any} */ data, /** @type {string | undefined} */ text) {
    const id = [...crypto.getRandomValues(new Uint8Array(12))].map((b) => b.toString(16).padStart(2, '0')).join('');
    const number = (/** @type {string | undefined} */ digits) => (digits ? Number(digits) : undefined);
    const action = data.key ?? data.keyText;
    said = '';
    navigator.vibrate?.(15);
    write([
      ...held,
      { id, action, value: number(data.value), side: number(data.side), text, words: data.words, at: Date.now() },
    ]);
    send();
  }

  // ---- keys ----
  /** @type {HTMLElement | null} */
  let asked = null;
  let patience = 0;
  function forget() {
    if (asked) asked.textContent = asked.dataset.label ?? '';
    asked?.classList.remove('is-asking');
    asked = null;
    clearTimeout(patience);
  }
  document.addEventListener('click', (event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    const typed = target.closest('button')?.closest('[data-key-text]');
    if (typed) return pressTyped(typed);
    const key = /** @type {any} */ (target.closest('[data-key]'));
    if (!key || key.disabled) return;
    const again = asked === key;
    forget();
    if ('asks' in key.dataset && !again) {
      asked = key;
      key.dataset.label = key.textContent;
      key.textContent = 'Sure? Press again';
      key.classList.add('is-asking');
      patience = setTimeout(forget, 4000);
      return;
    }
    press(key.dataset, undefined);
  });
  function pressTyped(/** @type {any} */ typed) {
    const field = typed.querySelector('input');
    if (!field.reportValidity()) return;
    press(typed.dataset, field.value);
    field.value = '';
  }
  document.addEventListener('keydown', (event) => {
    const field = /** @type {HTMLElement} */ (event.target);
    if (event.key !== 'Enter' || !field.matches('[data-key-text] input')) return;
    event.preventDefault();
    pressTyped(field.closest('[data-key-text]'));
  });
  kept.querySelector('[data-dismiss]').addEventListener('click', () => write(held.filter((one) => !one.refused)));

  // ---- hand, colours, a screen that stays awake ----
  const hand = document.querySelector('[data-hand]');
  function side(/** @type {boolean} */ left) {
    document.body.classList.toggle('is-left', left);
    hand.setAttribute('aria-pressed', String(left));
    try {
      localStorage.setItem('tally-score-hand', left ? 'left' : 'right');
    } catch {
      // It is chosen again next time.
    }
  }
  hand.addEventListener('click', () => side(!document.body.classList.contains('is-left')));
  try {
    side(localStorage.getItem('tally-score-hand') === 'left');
  } catch {
    side(false);
  }
  function colour() {
    for (const one of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('[data-side-colour]')))
      one.style.setProperty('--side', one.dataset.sideColour ?? '');
  }
  document.addEventListener('tally:put', colour);
  colour();
  async function awake() {
    try {
      await /** @type {any} */ (navigator).wakeLock?.request('screen');
    } catch {
      // A browser that cannot keep the screen awake lets it sleep.
    }
  }
  document.addEventListener('visibilitychange', () => document.visibilityState === 'visible' && awake());
  awake();
  tell();
  send();
})();
