// Reckons a spin once more, in the visitor's own browser and without asking any server: the seal by Web Crypto, the draw
// by ChaCha20 (RFC 8439) as it is written here. core/src/widgets/wheel/fair.rs says the same; a test holds the two
// together over thousands of wheels.
const tallyFair = (() => {
  'use strict';
  const MOST = (1n << 64n) - 1n;

  const bytesOf = (/** @type {string} */ digits) =>
    Uint8Array.from(digits.match(/../g) ?? [], (pair) => parseInt(pair, 16));
  const digitsOf = (/** @type {ArrayBuffer} */ bytes) =>
    [...new Uint8Array(bytes)].map((byte) => byte.toString(16).padStart(2, '0')).join('');

  // Section 2.1 of the RFC: four words are added, crossed and turned.
  function quarter(
    /** @type {Uint32Array} */ x,
    /** @type {number} */ a,
    /** @type {number} */ b,
    /** @type {number} */ c,
    /** @type {number} */ d,
  ) {
    const turn = (/** @type {number} */ word, /** @type {number} */ by) => (word << by) | (word >>> (32 - by));
    x[a] += x[b];
    x[d] = turn(x[d] ^ x[a], 16);
    x[c] += x[d];
    x[b] = turn(x[b] ^ x[c], 12);
    x[a] += x[b];
    x[d] = turn(x[d] ^ x[a], 8);
    x[c] += x[d];
    x[b] = turn(x[b] ^ x[c], 7);
  }
  // Sections 2.3 and 2.4: a block of 64 bytes, with a nonce of zeros.
  function block(/** @type {Uint8Array} */ key, /** @type {number} */ counter) {
    const words = new DataView(key.buffer, key.byteOffset);
    const start = new Uint32Array(16);
    start.set([0x61707865, 0x3320646e, 0x79622d32, 0x6b206574]);
    for (let word = 0; word < 8; word++) start[4 + word] = words.getUint32(word * 4, true);
    start[12] = counter;
    const x = start.slice();
    for (let round = 0; round < 10; round++) {
      quarter(x, 0, 4, 8, 12);
      quarter(x, 1, 5, 9, 13);
      quarter(x, 2, 6, 10, 14);
      quarter(x, 3, 7, 11, 15);
      quarter(x, 0, 5, 10, 15);
      quarter(x, 1, 6, 11, 12);
      quarter(x, 2, 7, 8, 13);
      quarter(x, 3, 4, 9, 14);
    }
    const out = new DataView(new ArrayBuffer(64));
    x.forEach((word, index) => out.setUint32(index * 4, word + start[index], true));
    return out;
  }
  function* numbers(/** @type {Uint8Array} */ key) {
    for (let counter = 0; ; counter++) {
      const out = block(key, counter);
      for (let at = 0; at < 64; at += 8) yield out.getBigUint64(at, true);
    }
  }

  /** Which slice is drawn, counted from 0; -1 if nothing has any weight. */
  function draw(/** @type {string} */ seed, /** @type {number[]} */ weights) {
    const total = weights.reduce((sum, weight) => sum + BigInt(weight), 0n);
    if (!total) return -1;
    const fair = MOST - (MOST % total);
    let ticket = 0n;
    for (const number of numbers(bytesOf(seed))) {
      if (number >= fair) continue;
      ticket = number % total;
      break;
    }
    return weights.findIndex((weight) => {
      if (ticket < BigInt(weight)) return true;
      ticket -= BigInt(weight);
      return false;
    });
  }

  async function check(/** @type {HTMLElement} */ place) {
    const { seed, commitment, slices } = JSON.parse(place.dataset.spin ?? '{}');
    const say = (/** @type {string} */ step, /** @type {boolean | null} */ right, /** @type {string} */ words) => {
      const line = /** @type {HTMLElement} */ (place.querySelector(`[data-step=${step}]`));
      line.textContent = words;
      if (right !== null) line.className = right ? 'is-right' : 'is-wrong';
    };
    if (globalThis.crypto?.subtle) {
      const digest = digitsOf(await crypto.subtle.digest('SHA-256', bytesOf(seed)));
      const right = digest === commitment;
      say(
        'seal',
        right,
        right ? 'The seal fits: it is the SHA-256 of the number.' : 'The seal does not fit the number.',
      );
    } else {
      say('seal', null, 'The seal: browsers check it on pages with https alone. Check it by hand as below.');
    }
    const index = draw(
      seed,
      slices.map((/** @type {[string, number]} */ one) => one[1]),
    );
    const right = String(index + 1) === place.dataset.won;
    const name = slices[index]?.[0];
    say('draw', right, right ? `The draw fits: “${name}” is drawn.` : `The draw does not fit: it should be “${name}”.`);
  }
  for (const place of document.querySelectorAll('[data-spin]')) check(place);

  return { draw };
})();
