// Wheels turn on the page by themselves, from an anchor in the drawing, so that all pages show the same turn and one
// that is opened in its midst joins at the right place. A turn begins where the pointer stood, makes some whole turns,
// and comes to rest at its place; where that is, seed and list have decided before.
const tallyWheel = (() => {
  'use strict';
  const calm = matchMedia('(prefers-reduced-motion: reduce)');
  const onAir = document.documentElement.classList.contains('air-page');
  const WHOLE = 1000000;
  const ROWS = 9; // of a drum or a strip, so many are seen
  const TICK = 45; // milliseconds between two ticks at least

  // Fast at once, then slower and slower.
  const ease = (/** @type {number} */ t) => 1 - (1 - t) ** 3.2;
  const turns = (/** @type {number} */ length) => Math.max(3, Math.round(length / 1100));

  /** Where the pointer stands, in turns from the first slice; whole turns count. */
  function place(/** @type {any} */ wheel, /** @type {number} */ now) {
    const { turn, rests } = wheel;
    if (!turn || now >= turn.ends) return (turn ? turn.to : rests) / WHOLE;
    const length = turn.ends - turn.begins;
    const far = (turn.to - turn.from) / WHOLE + turns(length) + (turn.to < turn.from ? 1 : 0);
    const gone = Math.min(Math.max((now - turn.begins) / length, 0), 1);
    return turn.from / WHOLE + far * ease(gone);
  }

  function at(/** @type {[string, number][]} */ passing, /** @type {number} */ share) {
    const stop = (share - Math.floor(share)) * WHOLE;
    let [low, high] = [0, passing.length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (passing[middle][1] > stop) high = middle;
      else low = middle + 1;
    }
    return low;
  }

  // A drum and a strip show the neighbours of what is at the pointer; how far that has passed moves them.
  function rows(
    /** @type {any} */ box,
    /** @type {any} */ passing,
    /** @type {number} */ index,
    /** @type {number} */ share,
  ) {
    const list = box.querySelector('.wheel-rows');
    if (!list) return;
    const from = index ? passing[index - 1][1] : 0;
    const stop = (share - Math.floor(share)) * WHOLE;
    const part = (stop - from) / Math.max(passing[index][1] - from, 1);
    while (list.children.length < ROWS) list.append(document.createElement('li'));
    const half = (ROWS - 1) / 2;
    const strip = box.closest('.shape-run') !== null;
    [...list.children].forEach((row, number) => {
      const away = number - half;
      const many = passing.length;
      const text = passing[(((index + away) % many) + many) % many][0];
      if (row.textContent !== text) row.textContent = text;
      const far = away + 0.5 - part;
      row.style.transform = strip
        ? `translateX(${far * 100}%)`
        : `translateY(${Math.sin((far / half) * 1.25) * 260}%) scaleY(${Math.max(Math.cos((far / half) * 1.25), 0.05)})`;
      row.style.opacity = String(strip ? 1 : Math.max(Math.cos((far / half) * 1.35), 0));
      row.classList.toggle('is-here', number === half);
    });
  }

  function show(/** @type {any} */ box, /** @type {number} */ now) {
    const { wheel, passing } = box;
    if (!passing.length) return false;
    const share = place(wheel, now);
    const disc = box.querySelector('.wheel-turns');
    if (disc) disc.style.transform = `rotate(${-(share - Math.floor(share)) * 360}deg)`;
    const index = at(passing, share);
    rows(box, passing, index, share);
    const reader = box.querySelector('[data-reader]');
    if (reader && reader.textContent !== passing[index][0]) reader.textContent = passing[index][0];
    if (box.index !== undefined && box.index !== index) pass(box);
    box.index = index;
    const turning = Boolean(wheel.turn) && now < wheel.turn.ends;
    if (box.turning && !turning && onAir) {
      const air = box.closest('.air');
      tallySound(air.dataset.doneSound, tallyVolume(air));
    }
    box.turning = turning;
    return turning;
  }

  // A slice has passed the pointer: the pennant is flicked, and ticks if wished.
  function pass(/** @type {any} */ box) {
    const now = performance.now();
    if (!box.turning || now - (box.tickedAt ?? 0) < TICK) return;
    box.tickedAt = now;
    const pennant = box.querySelector('.wheel-pennant, .wheel-mark');
    if (pennant && !calm.matches)
      pennant.animate([{ transform: 'rotate(-14deg)' }, { transform: 'none' }], { duration: 120, easing: 'ease-out' });
    const air = box.closest('.air');
    if (onAir) tallySound(air.dataset.passingSound, tallyVolume(air));
  }

  let running = 0;
  function frame(/** @type {() => number} */ serverNow) {
    running = 0;
    let turning = false;
    for (const box of document.querySelectorAll('[data-wheel]')) turning = show(box, serverNow()) || turning;
    if (turning) running = requestAnimationFrame(() => frame(serverNow));
  }

  // A drawing has come: what it turns by may be another.
  function dress(/** @type {any} */ place, /** @type {() => number} */ serverNow) {
    const boxes = place.querySelectorAll('[data-wheel]');
    for (const box of boxes) {
      if (box.known === box.dataset.wheel + box.dataset.passing) continue;
      box.known = box.dataset.wheel + box.dataset.passing;
      [box.wheel, box.passing] = [JSON.parse(box.dataset.wheel), JSON.parse(box.dataset.passing)];
    }
    if (boxes.length && !running) frame(serverNow);
  }

  return { place, at, dress };
})();
