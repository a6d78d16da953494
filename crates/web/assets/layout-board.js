// The board of the layout room: as large as there is room, nearer or further, with rulers in pixels and a backdrop that
// only this room has.
const tallyBoard = (() => {
  'use strict';
  const room = /** @type {any} */ (document.querySelector('[data-layout]'));
  const one = (/** @type {string} */ css) => /** @type {any} */ (room?.querySelector(css));
  const desk = one('.layout-desk');
  const frameOf = one('.layout-window');
  const stage = one('.layout-window > .overlay');
  const RULER = 24;
  const NEARER = 1.25;
  const [LEAST, MOST] = [1, 16];
  let zoom = 1;
  let scale = 1;
  const size = () => JSON.parse(stage.dataset.board ?? '{}');

  function fit() {
    const { width, height } = size();
    const whole = Math.min((desk.clientWidth - RULER - 4) / width, (desk.clientHeight - RULER - 4) / height);
    scale = whole * zoom;
    stage.style.width = `${width}px`;
    stage.style.height = `${height}px`;
    stage.style.transform = `scale(${scale})`;
    // In the middle of what room there is, with the rulers at its edges.
    const left = Math.max(RULER, (desk.clientWidth - width * scale) / 2);
    frameOf.style.left = `${left}px`;
    frameOf.style.width = `${width * scale}px`;
    frameOf.style.height = `${height * scale}px`;
    for (const ruler of desk.querySelectorAll('.layout-ruler')) draw(ruler, ruler.matches('.is-across'));
    follow();
    stage.style.setProperty('--line', `${2 / scale}px`);
    one('.layout-zoom output').textContent = `${Math.round(scale * 100)} %`;
  }
  // The rulers stay at the edges while the board is moved behind them.
  function follow() {
    const left = parseFloat(frameOf.style.left);
    one('.is-across').style.left = `${left}px`;
    one('.is-across').style.top = `${desk.scrollTop}px`;
    one('.is-down').style.left = `${Math.max(left - RULER, desk.scrollLeft)}px`;
  }
  function draw(/** @type {HTMLCanvasElement} */ ruler, /** @type {boolean} */ across) {
    const { width, height } = size();
    const length = Math.round((across ? width : height) * scale);
    ruler.width = across ? length : 22;
    ruler.height = across ? 22 : length;
    const pen = /** @type {CanvasRenderingContext2D} */ (ruler.getContext('2d'));
    const { color } = getComputedStyle(ruler);
    pen.fillStyle = pen.strokeStyle = color;
    pen.font = '10px "Atkinson Hyperlegible", sans-serif';
    const gap = [1, 2, 5, 10, 20, 50, 100, 200, 500].find((one) => one * scale >= 8) ?? 1000;
    for (let at = 0, count = 0; at * scale <= length; at += gap, count++) {
      const tall = count % 5 === 0;
      const place = Math.round(at * scale) + 0.5;
      pen.beginPath();
      const from = tall ? 10 : 16;
      pen.moveTo(across ? place : 22, across ? 22 : place);
      pen.lineTo(across ? place : from, across ? from : place);
      pen.stroke();
      if (!tall) continue;
      if (across) pen.fillText(String(at), place + 3, 10);
      else {
        pen.save();
        pen.translate(10, place + 3);
        pen.rotate(Math.PI / 2);
        pen.fillText(String(at), 0, 0);
        pen.restore();
      }
    }
  }
  /** Nearer or further, with what lies at a place of the desk staying there. */
  function nearer(/** @type {number} */ by, x = desk.clientWidth / 2, y = desk.clientHeight / 2) {
    const before = { left: frameOf.offsetLeft, top: frameOf.offsetTop, scale };
    const at = {
      x: (desk.scrollLeft + x - before.left) / scale,
      y: (desk.scrollTop + y - before.top) / scale,
    };
    zoom = by ? Math.min(Math.max(zoom * by, LEAST), MOST) : 1;
    fit();
    desk.scrollLeft = at.x * scale + frameOf.offsetLeft - x;
    desk.scrollTop = at.y * scale + frameOf.offsetTop - y;
    follow();
  }
  if (!room) return { scale: () => scale, size, fit, nearer };

  desk.addEventListener('scroll', follow);
  desk.addEventListener(
    'wheel',
    (/** @type {WheelEvent} */ event) => {
      if (!event.ctrlKey && !event.metaKey) return;
      event.preventDefault();
      const box = desk.getBoundingClientRect();
      nearer(event.deltaY < 0 ? NEARER : 1 / NEARER, event.clientX - box.left, event.clientY - box.top);
    },
    { passive: false },
  );
  /** @type {Record<string, number>} */
  const ways = { in: NEARER, out: 1 / NEARER, all: 0 };
  room.addEventListener('click', (/** @type {any} */ event) => {
    const way = event.target.closest('[data-zoom]')?.dataset.zoom;
    if (way) nearer(ways[way]);
  });

  // ---- what lies behind, in this browser alone ----
  const backdrop = one('#layout-backdrop');
  const still = one('#layout-still');
  const KEPT = 'tally-backdrop';
  function behind() {
    frameOf.className = frameOf.className.replace(/backdrop-\w+/, `backdrop-${backdrop.value}`);
    frameOf.style.backgroundImage = backdrop.value === 'own' && still.picture ? `url(${still.picture})` : '';
    if (backdrop.value !== 'own') localStorage.setItem(KEPT, backdrop.value);
  }
  backdrop.value = localStorage.getItem(KEPT) ?? 'busy';
  backdrop.addEventListener('change', () => {
    if (backdrop.value === 'own' && !still.picture) still.click();
    behind();
  });
  still.addEventListener('change', () => {
    const [file] = still.files;
    if (!file) return;
    const reader = new FileReader();
    reader.onload = () => {
      still.picture = reader.result;
      behind();
    };
    reader.readAsDataURL(file);
  });
  behind();
  return { scale: () => scale, size, fit, nearer };
})();
