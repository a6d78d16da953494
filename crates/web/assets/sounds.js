// The sounds of widgets and cues. Those that come along are made here, on the spot; the streamer's own are files.

/** How loud a widget is; one that is not on the picture is not heard. */
const tallyVolume = (/** @type {any} */ air) => (air.closest('.is-away, .is-covered') ? 0 : Number(air.dataset.volume));

const tallySound = (() => {
  'use strict';
  function tone(
    /** @type {AudioContext} */ ear,
    /** @type {AudioNode} */ out,
    /** @type {number} */ frequency,
    /** @type {number} */ from,
    /** @type {number} */ length,
    /** @type {number} */ loud,
    /** @type {OscillatorType} */ shape,
  ) {
    const [voice, level] = [ear.createOscillator(), ear.createGain()];
    voice.type = shape;
    voice.frequency.value = frequency;
    level.gain.setValueAtTime(0.0001, from);
    level.gain.exponentialRampToValueAtTime(loud, from + 0.015);
    level.gain.exponentialRampToValueAtTime(0.0001, from + length);
    voice.connect(level).connect(out);
    voice.start(from);
    voice.stop(from + length);
  }
  /** @type {Record<string, (ear: AudioContext, out: AudioNode, at: number) => void>} */
  const sounds = {
    bell: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      [0, 0.5].forEach((late) =>
        /** @type {[number, number, OscillatorType][]} */ ([
          [880, 1, 'sine'],
          [2217, 0.5, 'sine'],
          [3520, 0.2, 'triangle'],
        ]).forEach(([f, l, s]) => tone(ear, out, f, at + late, 1.4, l * 0.5, s)),
      ),
    whistle: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      [0, 0.28].forEach((late, index) =>
        /** @type {[number, OscillatorType][]} */ ([
          [1480, 'square'],
          [1510, 'square'],
        ]).forEach(([f, s]) => tone(ear, out, f, at + late, index ? 0.7 : 0.2, 0.12, s)),
      ),
    chime: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      [523.25, 659.25, 783.99].forEach((f, index) => tone(ear, out, f, at + index * 0.32, 1.1, 0.5, 'triangle')),
    // A second of a clock: the escapement, and a knuckle on wood.
    tick: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) => {
      tone(ear, out, 2600, at, 0.04, 0.35, 'square');
      tone(ear, out, 1900, at + 0.05, 0.03, 0.2, 'square');
    },
    knock: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) => {
      tone(ear, out, 190, at, 0.12, 0.8, 'sine');
      tone(ear, out, 410, at, 0.06, 0.4, 'triangle');
    },
    gong: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      /** @type {[number, number][]} */ ([
        [196, 0.6],
        [311, 0.35],
        [523, 0.2],
        [784, 0.1],
      ]).forEach(([f, l]) => tone(ear, out, f, at, 2.6, l, 'sine')),
    coin: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      [1975, 2637].forEach((f, index) => tone(ear, out, f, at + index * 0.07, 0.35, 0.3, 'triangle')),
    pluck: (/** @type {AudioContext} */ ear, /** @type {AudioNode} */ out, /** @type {number} */ at) =>
      [392, 784].forEach((f, index) => tone(ear, out, f, at, 0.5 - index * 0.2, 0.5 - index * 0.2, 'sawtooth')),
  };

  return (/** @type {string} */ name, /** @type {number} */ volume) => {
    if (!Number(volume)) return;
    if (name?.startsWith('own-')) {
      const clip = new Audio(`/clips/${encodeURIComponent(name.slice(4))}`);
      clip.volume = Number(volume) / 100;
      clip.play().catch((error) => console.warn('no sound here', error));
      return;
    }
    const play = sounds[name];
    if (!play) return;
    try {
      const ear = new AudioContext();
      const out = ear.createGain();
      out.gain.value = Number(volume) / 100;
      out.connect(ear.destination);
      play(ear, out, ear.currentTime + 0.02);
      setTimeout(() => ear.close(), 3000);
    } catch (error) {
      console.warn('no sound here', error);
    }
  };
})();
