// What moves in a drawing when it changes: digits roll, lines make room, ranks trade places, tapes
// run, several take turns, and a reached goal is celebrated. Everything begins from the drawing that
// is there and ends in the one that came; whatever is still moving when the next comes is dropped, so
// a burst never queues anything. Only transform and opacity are animated.
const tallyMotion = (() => {
  'use strict';
  const calm = matchMedia('(prefers-reduced-motion: reduce)');
  const onAir = document.documentElement.classList.contains('air-page');
  // Faster than this after each other, changes are shown at once.
  const BURST = 140;
  // More than this at once leave unseen.
  const MOST_LEAVING = 4;
  /** @typedef {Map<any, { box: DOMRect, key: string | undefined, node: any, home: DOMRect }>} Keyed */
  /** @type {Record<string, number>} */
  const DURATIONS = { brisk: 420, calm: 700, slow: 1200, still: 0 };
  const SPEED = 'animation-speed-';
  const durationOf = (/** @type {HTMLElement | null} */ air) =>
    calm.matches || !air
      ? 0
      : (DURATIONS[[...air.classList].find((name) => name.startsWith(SPEED))?.slice(SPEED.length) ?? ''] ?? 0);
  const airOf = (/** @type {any} */ place) => place.querySelector(':scope > .air');

  // ---- before and after a change ----
  function before(/** @type {any} */ place) {
    const air = airOf(place);
    if (!air) return null;
    const keyed = new Map();
    const home = air.getBoundingClientRect();
    // In a burst nothing will slide, so nothing need be measured.
    const burst = performance.now() - (place.movedAt ?? -BURST) < BURST;
    if (!burst && durationOf(air))
      for (const one of place.querySelectorAll('[data-key]'))
        keyed.set(one.id || one, { box: one.getBoundingClientRect(), key: one.dataset.key, node: one, home });
    const figures = [...place.querySelectorAll('[data-roll]')].map((one) => one.textContent);
    const opened = place.querySelector('[data-opened]')?.dataset.opened;
    const flourish = place.querySelector('[data-flourish]')?.dataset.flourish;
    return { family: air.classList[1], keyed, figures, reachedAt: air.dataset.reachedAt, opened, flourish };
  }

  function after(/** @type {any} */ place, /** @type {any} */ was, /** @type {number} */ now) {
    const air = airOf(place);
    if (!air || !was || was.family !== air.classList[1]) return;
    const time = durationOf(air);
    const burst = performance.now() - (place.movedAt ?? -BURST) < BURST;
    place.movedAt = performance.now();
    if (time && !burst) {
      makeRoom(place, was.keyed, time);
      if (!air.classList.contains('entry-motion-cut')) letGo(air, was.keyed);
      rollAll(place, was.figures, air);
    }
    const opened = place.querySelector('[data-opened]')?.dataset.opened;
    if (opened && opened !== was.opened && now - Number(opened) < 15000 && onAir)
      tallySound(air.dataset.openedSound, tallyVolume(air));
    const flourish = place.querySelector('[data-flourish]')?.dataset.flourish;
    if (flourish && flourish !== was.flourish && now - Number(flourish) < 15000 && onAir)
      tallySound(air.dataset.flourishSound, tallyVolume(air));
    const { reachedAt } = air.dataset;
    if (reachedAt && reachedAt !== was.reachedAt && now - Number(reachedAt) < 30000) {
      if (!air.closest('.is-away, .is-covered'))
        tallyCelebrate(place, air.dataset, getComputedStyle(air), calm.matches);
    }
  }

  // Lines that stay slide to where they stand now, new ones come in.
  function makeRoom(/** @type {any} */ place, /** @type {Keyed} */ keyed, /** @type {number} */ time) {
    for (const one of place.querySelectorAll('[data-key]')) {
      const old = keyed.get(one.id || one);
      if (!one.id) {
        // A text in its place: another key means that it is about something else now.
        if (old && old.key !== one.dataset.key)
          one.animate([{ transform: 'translateY(60%)', opacity: 0 }, {}], { duration: time, easing: 'ease-out' });
        continue;
      }
      if (!old) {
        one.classList.add('arrives');
        one.addEventListener('animationend', () => one.classList.remove('arrives'), { once: true });
        continue;
      }
      const box = one.getBoundingClientRect();
      const [x, y] = [old.box.left - box.left, old.box.top - box.top];
      if (Math.abs(x) + Math.abs(y) > 1)
        one.animate([{ transform: `translate(${x}px, ${y}px)` }, { transform: 'none' }], {
          duration: time,
          easing: 'cubic-bezier(0.2, 0.8, 0.2, 1)',
        });
    }
  }

  // Lines that are gone leave from where they stood. They stand outside of what is drawn, and the next drawing drops them.
  function letGo(/** @type {HTMLElement} */ air, /** @type {Keyed} */ keyed) {
    const gone = [...keyed.values()].filter(({ node }) => node.id && !node.isConnected);
    for (const { node, box, home } of gone.slice(0, MOST_LEAVING)) {
      node.removeAttribute('id');
      node.classList.remove('arrives');
      node.classList.add('leaves');
      const { style } = node;
      style.left = `${box.left - home.left}px`;
      style.top = `${box.top - home.top}px`;
      style.width = `${box.width}px`;
      style.height = `${box.height}px`;
      node.setAttribute('aria-hidden', 'true');
      node.addEventListener('animationend', () => node.remove(), { once: true });
      air.append(node);
    }
  }

  // Digits that changed roll over. The text of the element is always the new one.
  function rollAll(/** @type {any} */ place, /** @type {string[]} */ figures, /** @type {HTMLElement} */ air) {
    if (air.classList.contains('has-gradient')) return;
    [...place.querySelectorAll('[data-roll]')].forEach((one, index) => {
      const [old, text] = [figures[index], one.textContent];
      if (old === undefined || old === text || text.length > 24) return;
      const shift = old.length - text.length;
      one.replaceChildren(
        ...[...text].map((letter, at) => {
          const was = [...old][at + shift] ?? '';
          if (was === letter || !/\d/.test(letter)) return letter;
          const [digit, inner] = [document.createElement('span'), document.createElement('span')];
          digit.className = 'digit';
          digit.dataset.was = was;
          inner.textContent = letter;
          digit.append(inner);
          return digit;
        }),
      );
    });
  }

  // ---- lines that are too long ----
  // They shrink as far as their drawing allows; what is still too long ends in dots. All of it scales
  // with the box, so only another length, look or proportion is a reason to measure again: digits
  // are all equally wide.
  function fit(/** @type {any} */ place, anew = false) {
    const kinds = new Map();
    const changed = [...place.querySelectorAll('[data-fits]')].filter((one) => {
      const air = one.closest('.air');
      const kind = `${one.textContent.replace(/\d/g, '0')}|${air.className}|${air.dataset.look}`;
      kinds.set(one, kind);
      return anew || one.fitted !== kind;
    });
    for (const one of changed) one.style.removeProperty('--fits');
    const rooms = changed.map((one) => (one.scrollWidth ? one.clientWidth / one.scrollWidth : 1));
    changed.forEach((one, index) => {
      one.fitted = kinds.get(one);
      if (rooms[index] < 1)
        one.style.setProperty('--fits', Math.max(rooms[index] * 0.98, Number(one.dataset.fits)).toFixed(3));
    });
  }
  document.fonts.addEventListener('loadingdone', () => fit(document, true));

  // ---- tapes ----
  // A tape is copied until it is longer than its window, and runs by the length of one copy. Measuring
  // and copying cost, so what changes within a second of the last time waits for the end of it.
  const REST = 900;
  function tapes(/** @type {any} */ place) {
    for (const tape of place.querySelectorAll('[data-tape]')) {
      const left = REST - (performance.now() - (tape.laidAt ?? -REST));
      if (left <= 0) lay(tape);
      else tape.later ??= setTimeout(() => tape.isConnected && lay(tape), left);
    }
  }
  function lay(/** @type {any} */ tape) {
    clearTimeout(tape.later);
    tape.later = undefined;
    tape.laidAt = performance.now();
    const copy = tape.firstElementChild;
    const air = tape.closest('.air');
    const style = getComputedStyle(air);
    const room = tape.parentElement.clientWidth;
    const length = copy?.offsetWidth ?? 0;
    const speed = Number(style.getPropertyValue('--scroll-speed')) * parseFloat(style.fontSize);
    const mark = [copy?.innerHTML, Math.round(length), room, speed].join('|');
    if (!length || tape.mark === mark) return;
    const gone = tape.running ? (tape.running.effect.getComputedTiming().progress ?? 0) * (tape.length ?? 0) : 0;
    tape.mark = mark;
    tape.length = length;
    for (const again of tape.querySelectorAll('.tape-again')) again.remove();
    const copies = Math.min(Math.ceil(room / length) + 1, 40);
    for (let index = 0; index < copies; index++) {
      const again = copy.cloneNode(true);
      again.classList.add('tape-again');
      again.setAttribute('aria-hidden', 'true');
      tape.append(again);
    }
    tape.running?.cancel();
    const duration = (length / speed) * 1000;
    if (calm.matches || air.classList.contains('animation-speed-still') || !Number.isFinite(duration)) return;
    tape.running = tape.animate([{ transform: 'none' }, { transform: `translateX(${-length}px)` }], {
      duration,
      iterations: Infinity,
    });
    tape.running.currentTime = ((gone % length) / length) * duration;
  }
  addEventListener('resize', () => {
    tapes(document);
    fit(document, true);
  });

  // ---- taking turns, by the server's clock, so that all pages show the same ----
  function turns(/** @type {number} */ now) {
    let wait = Infinity;
    for (const air of document.querySelectorAll('.air.in-turn')) {
      const all = [...air.querySelectorAll(':scope > [data-turn]')];
      const whole = all.reduce((sum, one) => sum + Number(one.dataset.turn) * 1000, 0);
      if (!whole) continue;
      let at = now % whole;
      for (const one of all) {
        const length = Number(one.dataset.turn) * 1000;
        const has = at >= 0 && at < length;
        one.classList.toggle('has-turn', has);
        if (has) wait = Math.min(wait, length - at);
        at -= length;
      }
    }
    return wait;
  }

  return { before, after, fit, tapes, turns };
})();
