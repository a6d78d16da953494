// How a reached goal is celebrated: bunting, lamps or steam, drawn on a canvas over the widget, with
// a sound; or with a clip of the streamer's own. Each lasts a few
// seconds and leaves nothing behind.
const tallyCelebrate = (() => {
  'use strict';
  const LASTS = 4200;
  const random = (/** @type {number} */ from, /** @type {number} */ to) => from + Math.random() * (to - from);

  /** @type {Record<string, (width: number, height: number, colours: string[]) => (pen: CanvasRenderingContext2D, part: number) => void>} */
  const celebrations = {
    // Pennants fall and sway.
    bunting(/** @type {number} */ width, /** @type {number} */ height, /** @type {string[]} */ colours) {
      const many = Math.min(90, Math.round(width / 9) + 20);
      const cloths = Array.from({ length: many }, () => ({
        x: random(0, width),
        late: random(0, 0.45),
        size: random(0.035, 0.07) * Math.min(width, height * 2),
        sway: random(1, 3),
        turn: random(0, 6.3),
        colour: colours[Math.floor(random(0, colours.length))],
      }));
      return (/** @type {CanvasRenderingContext2D} */ pen, /** @type {number} */ part) => {
        for (const one of cloths) {
          const own = (part - one.late) / 0.55;
          if (own < 0 || own > 1) continue;
          pen.save();
          pen.translate(one.x + Math.sin(own * 6 * one.sway) * one.size, own * (height + one.size * 2) - one.size);
          pen.rotate(Math.sin(own * 7 + one.turn) * 0.7);
          pen.scale(1, Math.cos(own * 9 + one.turn));
          pen.fillStyle = one.colour;
          pen.beginPath();
          pen.moveTo(-one.size / 2, -one.size / 2);
          pen.lineTo(one.size / 2, -one.size / 2);
          pen.lineTo(0, one.size * 0.7);
          pen.fill();
          pen.restore();
        }
      };
    },
    // Lamps along the edge light up one after the other, twice round.
    lamps(/** @type {number} */ width, /** @type {number} */ height, /** @type {string[]} */ colours) {
      const size = Math.max(Math.min(width, height) * 0.035, 4);
      const around = 2 * (width + height);
      const many = Math.max(Math.floor(around / (size * 4)), 12);
      const spot = (/** @type {number} */ way) =>
        way < width
          ? [way, size]
          : way < width + height
            ? [width - size, way - width]
            : way < 2 * width + height
              ? [2 * width + height - way, height - size]
              : [size, around - way];
      return (/** @type {CanvasRenderingContext2D} */ pen, /** @type {number} */ part) => {
        for (let index = 0; index < many; index++) {
          const phase = (part * 2.2 - index / many) % 1;
          const light = Math.max(0, 1 - Math.abs(phase - 0.5) * 2.4) * Math.min(1, (1 - part) * 5);
          if (light <= 0) continue;
          const [x, y] = spot((index / many) * around);
          pen.globalAlpha = light;
          pen.fillStyle = colours[index % 2];
          pen.beginPath();
          pen.arc(x, y, size * (0.7 + light * 0.5), 0, 7);
          pen.fill();
        }
        pen.globalAlpha = 1;
      };
    },
    // A whistle of steam: clouds rise from the foot and thin out.
    steam(/** @type {number} */ width, /** @type {number} */ height) {
      const many = 46;
      const clouds = Array.from({ length: many }, (_, index) => ({
        late: (index / many) * 0.55,
        x: width * random(0.04, 0.96),
        drift: random(-0.12, 0.12) * width,
        size: random(0.09, 0.2) * Math.min(width, height * 1.6),
      }));
      return (/** @type {CanvasRenderingContext2D} */ pen, /** @type {number} */ part) => {
        pen.fillStyle = '#fffdf7';
        for (const one of clouds) {
          const own = (part - one.late) / 0.45;
          if (own < 0 || own > 1) continue;
          pen.globalAlpha = (1 - own) * 0.75;
          pen.beginPath();
          pen.arc(one.x + one.drift * own, height * (1.05 - own * 1.1), one.size * (0.4 + own), 0, 7);
          pen.fill();
        }
        pen.globalAlpha = 1;
      };
    },
  };

  // ---- clips of the streamer's own ----
  const clipOf = (/** @type {string} */ name) =>
    name?.startsWith('own-') ? `/clips/${encodeURIComponent(name.slice(4))}` : null;
  function run(/** @type {HTMLMediaElement} */ clip, /** @type {number} */ volume, /** @type {() => void} */ end) {
    clip.volume = Number(volume) / 100;
    clip.muted = !clip.volume;
    clip.onended = clip.onerror = end;
    // A browser that wants a touch before it lets pages be heard still shows the pictures.
    clip.play().catch(() => {
      if (clip.muted || clip instanceof HTMLVideoElement === false) return end();
      clip.muted = true;
      clip.play().catch(end);
    });
  }
  function film(/** @type {HTMLElement} */ around, /** @type {string} */ url, /** @type {number} */ volume) {
    const video = document.createElement('video');
    video.className = 'celebration';
    video.playsInline = true;
    video.src = url;
    around.append(video);
    run(video, volume, () => video.remove());
  }

  return (
    /** @type {HTMLElement} */ place,
    /** @type {any} */ { celebration, sound: heard, volume },
    /** @type {CSSStyleDeclaration} */ style,
    /** @type {boolean} */ calm,
  ) => {
    tallySound(heard, volume);
    const make = celebrations[celebration];
    const own = clipOf(celebration);
    if (calm || !(make || own)) return;
    const around = place.parentElement ?? place;
    // Nothing falls beyond the box of its widget.
    around.classList.add('is-celebrating');
    around.querySelector(':scope > .celebration')?.remove();
    if (own) return film(around, own, volume);
    const canvas = document.createElement('canvas');
    canvas.className = 'celebration';
    const [width, height] = [place.clientWidth, place.clientHeight];
    [canvas.width, canvas.height] = [width, height];
    around.append(canvas);
    const token = (/** @type {string} */ name) => style.getPropertyValue(name).trim();
    const draw = make(width, height, [token('--fill'), token('--highlight-colour'), '#a83e26', '#55702b', '#1f5c78']);
    const pen = canvas.getContext('2d');
    if (!pen) return;
    const began = performance.now();
    const step = (/** @type {number} */ now) => {
      const part = (now - began) / LASTS;
      if (part >= 1 || !canvas.isConnected) return canvas.remove();
      pen.clearRect(0, 0, width, height);
      draw(pen, Math.max(part, 0));
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  };
})();
