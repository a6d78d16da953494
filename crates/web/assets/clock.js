// Clocks tick on the page by themselves, from an anchor in the drawing: a face is written here by the same rules as in
// core/src/time/face.rs, and a test in a real browser compares the two. What is added to a subathon flies in.
const tallyClock = (() => {
  'use strict';
  const onAir = document.documentElement.classList.contains('air-page');
  const calm = matchMedia('(prefers-reduced-motion: reduce)');
  const two = (/** @type {number} */ n) => String(n).padStart(2, '0');

  // ---- faces ----
  function whole(/** @type {string} */ units, /** @type {number} */ seconds, /** @type {boolean} */ down) {
    const [d, h, m, s] = [86400, 3600, 60, 1].map((unit) => Math.floor(seconds / unit));
    const [minutes, rest] = [m % 60, s % 60];
    const short = () => (h ? `${h}:${two(minutes)}:${two(rest)}` : m ? `${m}:${two(rest)}` : String(rest));
    switch (units) {
      case 'hours':
        return `${h}:${two(minutes)}:${two(rest)}`;
      case 'minutes':
        return seconds < 60 ? String(rest) : `${m + (down && rest ? 1 : 0)} min`;
      case 'days':
        return d ? `${d} d ${h % 24}:${two(minutes)}:${two(rest)}` : short();
      case 'all_days':
        return `${d} d ${two(h % 24)}:${two(minutes)}:${two(rest)}`;
      case 'match':
        return `${m}:${two(rest)}`;
      default:
        return short();
    }
  }
  function write(
    /** @type {number} */ length,
    /** @type {string} */ units,
    /** @type {number} */ tenths,
    /** @type {boolean} */ down,
  ) {
    const ms = Math.max(Math.floor(length), 0);
    const rounded = (/** @type {number} */ step) => (down ? Math.ceil(ms / step) : Math.floor(ms / step));
    if (ms >= tenths || !ms) return whole(units, rounded(1000), down);
    const parts = rounded(100);
    return `${whole(units, Math.floor(parts / 10), down)}.${parts % 10}`;
  }
  // A text of the streamer's own: each place tells what those above it leave over.
  function fill(/** @type {string} */ text, /** @type {number} */ length, /** @type {boolean} */ down) {
    const ms = Math.max(Math.floor(length), 0);
    const seconds = down ? Math.ceil(ms / 1000) : Math.floor(ms / 1000);
    const places = [...text.matchAll(/\{\{(.*?)\}\}/g)].map((found) => found[1].trim());
    const told = (/** @type {string[]} */ ...names) => names.some((name) => places.includes(name));
    const hours = Math.floor(seconds / 3600) % (told('days') ? 24 : Infinity);
    const minutes = Math.floor(seconds / 60) % (told('hours', 'hh', 'days') ? 60 : Infinity);
    const rest = seconds % (told('minutes', 'mm', 'hours', 'hh', 'days') ? 60 : Infinity);
    /** @type {Record<string, number | string>} */
    const values = { days: Math.floor(seconds / 86400), hours, minutes, seconds: rest };
    Object.assign(values, { hh: two(hours), mm: two(minutes), ss: two(rest) });
    return text.replace(/\{\{(.*?)\}\}/g, (_, place) => String(values[place.trim()] ?? ''));
  }
  function timeOfDay(/** @type {number} */ ms, /** @type {string} */ units) {
    const seconds = Math.floor(ms / 1000) % 86400;
    const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
    return units === 'hours' ? `${two(h)}:${two(m)}:${two(s)}` : `${two(h)}:${two(m)}`;
  }

  // ---- ticking ----
  // Gives for how long the face stays as it is.
  function tickFace(/** @type {any} */ face, /** @type {number} */ now) {
    const { clock, units, done } = face.dataset;
    const [at, tenths] = [Number(face.dataset.at), Number(face.dataset.tenths ?? 0)];
    const down = clock === 'down';
    const day = 86400000;
    const ms = down ? at - now : clock === 'up' ? now - at : (((now + at) % day) + day) % day;
    const length = down ? Math.ceil(ms) : ms;
    const { format } = face.dataset;
    const digits = () => (format ? fill(format, length, down) : write(length, units, tenths, down));
    const text = clock === 'zone' ? timeOfDay(ms, units) : down && ms <= 0 ? done : digits();
    if (face.textContent !== text) show(face, text);
    const air = face.classList.contains('clock-face') ? face.closest('.air') : null;
    if (air) dress(air, face, ms, down);
    if (down && ms <= 0) return Infinity;
    const step = ms < tenths ? 100 : 1000;
    return down ? ms % step || step : step - (ms % step);
  }
  function tick(/** @type {number} */ now) {
    let wait = Infinity;
    for (const face of document.querySelectorAll('[data-clock]')) wait = Math.min(wait, tickFace(face, now));
    return wait;
  }

  // A face of flaps has one for each letter, and those that change fall.
  function show(/** @type {any} */ face, /** @type {string} */ text) {
    if (!('flaps' in face.dataset)) return (face.textContent = text);
    const old = [...face.children];
    const shift = old.length - text.length;
    face.replaceChildren(
      ...[...text].map((letter, index) => {
        const was = old[index + shift];
        if (was?.textContent === letter) return was;
        const flap = document.createElement('span');
        flap.className = /\d/.test(letter) ? 'flap' : 'flap-between';
        flap.textContent = letter;
        if (was && !calm.matches)
          flap.animate(
            [
              { transform: 'rotateX(-88deg)', opacity: 0.4 },
              { transform: 'none', opacity: 1 },
            ],
            {
              duration: 220,
              easing: 'cubic-bezier(0.3, 0, 0.4, 1.4)',
            },
          );
        return flap;
      }),
    );
  }

  // Rings and strips follow, the last minute and the last ten seconds look and sound different.
  function dress(
    /** @type {any} */ air,
    /** @type {any} */ face,
    /** @type {number} */ ms,
    /** @type {boolean} */ down,
  ) {
    const full = Number(face.dataset.full ?? 0);
    if (full) {
      const part = down ? Math.min(ms / full, 1) : (ms % full) / full;
      for (const one of air.querySelectorAll('.clock-fill'))
        one.style.setProperty('--share', String(Math.round(Math.max(part, 0) * 1000)));
    }
    if (!down) return;
    air.classList.toggle('is-last-minute', ms > 0 && ms <= 60000);
    air.classList.toggle('is-last-ten', ms > 0 && ms <= 10000);
    const second = Math.max(Math.ceil(ms / 1000), 0);
    const before = face.second;
    face.second = second;
    // What is heard is what passes while the page looks on: a page that is loaded anew is silent.
    if (!onAir || before === undefined || before !== second + 1) return;
    if (!second) tallySound(air.dataset.doneSound, tallyVolume(air));
    else if (second <= 10) tallySound(air.dataset.tickSound, tallyVolume(air));
  }

  // ---- what is added flies in ----
  const APART = 800; // at most one in so many milliseconds
  const STAYS = 2600;
  const FRESH = 15000;
  function added(/** @type {any} */ place, /** @type {number} */ now) {
    const notes = place.querySelector('[data-added]');
    if (!notes) return;
    const newest = JSON.parse(notes.dataset.added);
    const last = place.flown;
    place.flown = newest.reduce(
      (/** @type {number} */ most, /** @type {any} */ one) => Math.max(most, one.seq),
      last ?? 0,
    );
    if (last === undefined) return;
    place.flying ??= [];
    place.flying.push(...newest.filter((/** @type {any} */ one) => one.seq > last && now - one.at < FRESH));
    if (place.flying.length && !place.flyTimer) fly(place);
  }
  function fly(/** @type {any} */ place) {
    const all = place.flying.splice(0);
    place.flyTimer = 0;
    const notes = place.querySelector('[data-added]');
    const air = place.querySelector('.air');
    if (!all.length || !notes || !air) return;
    place.flyTimer = setTimeout(() => fly(place), APART);
    const sum = all.reduce((/** @type {number} */ ms, /** @type {any} */ one) => ms + one.ms, 0);
    const length =
      all.length === 1
        ? all[0].words
        : (sum < 0 ? '−' : '+') + write(Math.abs(sum), 'auto', 0, false) + (Math.abs(sum) < 60000 ? ' s' : '');
    const name = all.length === 1 ? all[0].name : `from ${all.length}`;
    place.querySelector(':scope > .fly')?.remove();
    const slip = document.createElement('span');
    slip.className = `fly${sum < 0 ? ' is-taken' : ''}`;
    slip.style.cssText = air.style.cssText;
    const [box, room] = [notes.getBoundingClientRect(), place.getBoundingClientRect()];
    slip.style.setProperty('--x', `${box.left - room.left}px`);
    slip.style.setProperty('--y', `${box.top - room.top}px`);
    slip.style.setProperty('--w', `${box.width}px`);
    slip.style.setProperty('--h', `${box.height}px`);
    slip.style.fontSize = getComputedStyle(notes).fontSize;
    const figure = document.createElement('b');
    figure.textContent = length;
    slip.append(figure, ...(name ? [` ${name}`] : []));
    place.append(slip);
    if (!calm.matches)
      slip.animate(
        [
          { transform: 'translateY(70%) scale(0.9)', opacity: 0 },
          { transform: 'none', opacity: 1, offset: 0.12 },
          { transform: 'none', opacity: 1, offset: 0.86 },
          { transform: 'translateY(-60%)', opacity: 0 },
        ],
        { duration: STAYS, easing: 'ease-out' },
      );
    setTimeout(() => slip.remove(), STAYS);
    if (onAir) tallySound(air.dataset.addedSound, tallyVolume(air));
  }

  return { write, fill, tick, added };
})();
