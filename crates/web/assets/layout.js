// The layout room: pieces are selected, moved and resized on the board; what comes of it is one step, which the server
// takes, keeps and answers with the layout as it is then. Undo and redo are the server's too, so that nothing is lost with
// a page.
(() => {
  'use strict';
  const room = /** @type {HTMLElement | null} */ (document.querySelector('[data-layout]'));
  if (!room) return;
  const path = room.dataset.layout ?? '';
  const csrf = document.body.dataset.csrf ?? '';
  const one = (/** @type {string} */ css) => /** @type {any} */ (room.querySelector(css));
  const desk = one('.layout-desk');
  const frameOf = one('.layout-window');
  const stage = one('.layout-window > .overlay');
  const guides = one('.layout-guides');
  const rows = one('.layout-rows');
  const word = /** @type {HTMLElement} */ (document.getElementById('word'));
  const NEAR = 8; // window pixels within which an edge snaps

  let step = Number(room.dataset.step);
  let scale = 1;
  /** @type {Set<number>} */
  const selected = new Set();
  const pieces = () => /** @type {HTMLElement[]} */ ([...stage.querySelectorAll('[data-piece]')]);
  const idOf = (/** @type {HTMLElement} */ piece) => Number(piece.dataset.piece);
  const pieceOf = (/** @type {number} */ id) =>
    /** @type {HTMLElement | null} */ (stage.querySelector(`[data-piece="${id}"]`));
  const frame = (/** @type {HTMLElement} */ piece) => JSON.parse(piece.dataset.frame ?? '{}');
  const board = () => JSON.parse(stage.dataset.board ?? '{}');
  function say(/** @type {string} */ text, bad = false) {
    word.textContent = text;
    word.classList.toggle('is-bad', bad);
    word.hidden = false;
    setTimeout(() => (word.hidden = true), bad ? 8000 : 3000);
  }

  // ---- the board in its frame, and the rulers ----
  function fit() {
    const { width, height } = board();
    scale = Math.min((desk.clientWidth - 28) / width, (desk.clientHeight - 28) / height);
    stage.style.width = `${width}px`;
    stage.style.height = `${height}px`;
    stage.style.transform = `scale(${scale})`;
    // In the middle of what room there is, with the rulers at its edges.
    const left = Math.max(24, (desk.clientWidth - width * scale) / 2);
    frameOf.style.left = `${left}px`;
    one('.is-across').style.left = `${left}px`;
    one('.is-down').style.left = `${left - 24}px`;
    frameOf.style.width = `${width * scale}px`;
    frameOf.style.height = `${height * scale}px`;
    for (const ruler of desk.querySelectorAll('.layout-ruler')) draw(ruler, ruler.matches('.is-across'));
    mark();
  }
  function draw(/** @type {HTMLCanvasElement} */ ruler, /** @type {boolean} */ across) {
    const { width, height } = board();
    const length = Math.round((across ? width : height) * scale);
    ruler.width = across ? length : 22;
    ruler.height = across ? 22 : length;
    const pen = /** @type {CanvasRenderingContext2D} */ (ruler.getContext('2d'));
    const { color } = getComputedStyle(ruler);
    pen.fillStyle = pen.strokeStyle = color;
    pen.font = '10px "Atkinson Hyperlegible", sans-serif';
    const gap = [10, 20, 50, 100, 200, 500].find((one) => one * scale >= 8) ?? 1000;
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

  // ---- what is selected ----
  /** Whoever belongs to the group of a piece. */
  function withGroup(/** @type {HTMLElement} */ piece) {
    const { group } = piece.dataset;
    return group ? pieces().filter((other) => other.dataset.group === group) : [piece];
  }
  function select(/** @type {HTMLElement[]} */ wanted, add = false) {
    if (!add) selected.clear();
    for (const piece of wanted.flatMap(withGroup)) selected.add(idOf(piece));
    mark();
  }
  function mark() {
    for (const id of [...selected]) if (!pieceOf(id)) selected.delete(id);
    for (const piece of pieces()) piece.classList.toggle('is-selected', selected.has(idOf(piece)));
    for (const row of rows.querySelectorAll('[data-row]')) {
      const is = selected.has(Number(row.dataset.row));
      row.classList.toggle('is-selected', is);
      row.querySelector('.layout-pick').setAttribute('aria-pressed', String(is));
    }
    stage.style.setProperty('--line', `${2 / scale}px`);
    const numbers = one('.layout-numbers');
    const only = selected.size === 1 ? pieceOf([...selected][0]) : null;
    for (const field of numbers.querySelectorAll('input')) {
      field.disabled = !selected.size || (selected.size > 1 && !['turn', 'opacity'].includes(field.name));
      if (document.activeElement !== field) field.value = only ? frame(only)[field.name] : '';
    }
    for (const key of room?.querySelectorAll('.layout-tools button') ?? [])
      /** @type {HTMLButtonElement} */ (key).disabled = !selected.size;
  }

  // ---- steps ----
  let queue = Promise.resolve();
  /** One step after the other: each stands on the answer to the one before. */
  function send(/** @type {string} */ where, /** @type {() => any} */ body) {
    queue = queue.then(async () => {
      try {
        const answer = await fetch(`${path}/${where}`, {
          method: 'POST',
          headers: { 'content-type': 'application/json', 'x-csrf-token': csrf },
          body: JSON.stringify({ step, ...body() }),
        });
        const told = await answer.json();
        if (answer.ok) take(told);
        else {
          say(told.detail, true);
          // What was dragged goes back to where it stands.
          tallyOverlay.dress(stage);
          mark();
        }
      } catch {
        say('The server does not answer. Nothing is changed; try again in a moment.', true);
        tallyOverlay.dress(stage);
        mark();
      }
    });
    return queue;
  }
  const edit = (/** @type {any} */ edit) => send('edit', () => ({ edit }));
  const ids = () => [...selected];
  function take(/** @type {any} */ told) {
    const before = new Set(pieces().map(idOf));
    step = told.step;
    stage.dataset.board = told.board;
    Idiomorph.morph(stage, told.pieces, {
      morphStyle: 'innerHTML',
      callbacks: { beforeAttributeUpdated: (/** @type {string} */ name) => name !== 'style' },
    });
    rows.innerHTML = told.rows;
    stage.dispatchEvent(new Event('tally:dress', { bubbles: true }));
    one('[data-turn=back]').disabled = !told.past;
    one('[data-turn=forth]').disabled = !told.future;
    one('[data-air]').disabled = !told.waits;
    if (told.meanwhile)
      say('Somebody else has changed this layout meanwhile. This is how it is now; do it once more.', true);
    // What has just come is what is worked on.
    const fresh = pieces().filter((piece) => !before.has(idOf(piece)));
    if (fresh.length && !told.meanwhile) select(fresh);
    fit();
  }

  // ---- by mouse ----
  /** Lines to which edges snap: of the board, of its thirds, of a safe frame, and of the pieces that stay. */
  function lines(/** @type {boolean} */ across, /** @type {Set<number>} */ moving) {
    const { width, height } = board();
    const length = across ? width : height;
    const own = [0, length / 2, length, length / 3, (length * 2) / 3, length * 0.05, length * 0.95];
    for (const piece of pieces()) {
      if (moving.has(idOf(piece))) continue;
      const at = frame(piece);
      const [from, size] = across ? [at.x, at.width] : [at.y, at.height];
      own.push(from, from + size / 2, from + size);
    }
    return own;
  }
  /** How far a box must go so that one of its edges or its middle meets a line; and that line. */
  function snap(/** @type {number} */ from, /** @type {number} */ size, /** @type {number[]} */ all) {
    let best = { by: 0, line: NaN, away: NEAR / scale };
    for (const edge of [from, from + size / 2, from + size])
      for (const line of all) {
        const away = Math.abs(line - edge);
        if (away < best.away) best = { by: line - edge, line, away };
      }
    return best;
  }
  function show(/** @type {number} */ x, /** @type {number} */ y) {
    guides.replaceChildren();
    for (const [at, css] of [
      [x, 'is-x'],
      [y, 'is-y'],
    ]) {
      if (Number.isNaN(at)) continue;
      const line = document.createElement('i');
      line.className = String(css);
      line.style[css === 'is-x' ? 'left' : 'top'] = `${Number(at) * scale}px`;
      guides.append(line);
    }
  }
  /** @type {Map<number, any>} */
  let held = new Map();
  let gone = { x: 0, y: 0 };
  function around() {
    const all = [...held.values()];
    const x = Math.min(...all.map((at) => at.x));
    const y = Math.min(...all.map((at) => at.y));
    return {
      x,
      y,
      width: Math.max(...all.map((at) => at.x + at.width)) - x,
      height: Math.max(...all.map((at) => at.y + at.height)) - y,
    };
  }
  function hold() {
    held = new Map();
    gone = { x: 0, y: 0 };
    for (const id of selected) {
      const piece = pieceOf(id);
      if (piece && !('locked' in piece.dataset)) held.set(id, frame(piece));
    }
  }
  function place(/** @type {number} */ id, /** @type {any} */ at) {
    const piece = pieceOf(id);
    if (!piece) return;
    const { style } = piece;
    style.left = `${at.x}px`;
    style.top = `${at.y}px`;
    style.width = `${at.width}px`;
    style.height = `${at.height}px`;
  }
  /** @type {Record<number, any>} */
  let placed = {};
  function drop() {
    show(NaN, NaN);
    desk.classList.remove('is-dragging');
    const frames = placed;
    placed = {};
    if (Object.keys(frames).length) edit({ place: { frames } });
  }
  const movable = interact('.layout-window [data-piece]:not([data-locked])');
  movable.draggable({
    listeners: {
      start(/** @type {any} */ event) {
        if (!selected.has(idOf(event.target))) select([event.target], event.shiftKey);
        hold();
        desk.classList.add('is-dragging');
      },
      move(/** @type {any} */ event) {
        gone = { x: gone.x + event.dx / scale, y: gone.y + event.dy / scale };
        const box = around();
        const free = event.altKey;
        const across = snap(box.x + gone.x, box.width, free ? [] : lines(true, selected));
        const down = snap(box.y + gone.y, box.height, free ? [] : lines(false, selected));
        show(across.line, down.line);
        for (const [id, at] of held) {
          const { width, height } = at;
          const x = Math.round(at.x + gone.x + across.by);
          const y = Math.round(at.y + gone.y + down.by);
          placed[id] = { x, y, width, height };
          place(id, placed[id]);
        }
      },
      end: drop,
    },
  });
  movable.resizable({
    edges: { left: true, right: true, top: true, bottom: true },
    margin: 10,
    listeners: {
      start(/** @type {any} */ event) {
        select([event.target]);
        held = new Map([[idOf(event.target), frame(event.target)]]);
        desk.classList.add('is-dragging');
      },
      move(/** @type {any} */ event) {
        const id = idOf(event.target);
        const at = placed[id] ?? held.get(id);
        const delta = event.deltaRect;
        const next = {
          x: at.x + delta.left / scale,
          y: at.y + delta.top / scale,
          width: at.width + delta.width / scale,
          height: at.height + delta.height / scale,
        };
        if (event.shiftKey) {
          const first = held.get(id);
          next.height = (next.width * first.height) / first.width;
        }
        next.width = Math.max(next.width, 8);
        next.height = Math.max(next.height, 8);
        placed[id] = next;
        place(id, next);
      },
      end() {
        for (const [id, at] of Object.entries(placed))
          placed[Number(id)] = {
            x: Math.round(at.x),
            y: Math.round(at.y),
            width: Math.round(at.width),
            height: Math.round(at.height),
          };
        drop();
      },
    },
  });
  // A press on a piece selects it; a drag over the empty board selects what it goes round.
  stage.addEventListener('click', (/** @type {any} */ event) => {
    const piece = event.target.closest('[data-piece]');
    if (piece && !Object.keys(placed).length) select([piece], event.shiftKey || event.ctrlKey);
  });
  const band = document.createElement('i');
  band.className = 'layout-band';
  band.hidden = true;
  frameOf.append(band);
  desk.addEventListener('pointerdown', (/** @type {PointerEvent} */ event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    if (event.button || target.closest('[data-piece]')) return;
    const box = frameOf.getBoundingClientRect();
    const from = { x: event.clientX - box.left, y: event.clientY - box.top };
    if (!event.shiftKey) select([]);
    const move = (/** @type {PointerEvent} */ event) => {
      const to = { x: event.clientX - box.left, y: event.clientY - box.top };
      const at = { x: Math.min(from.x, to.x), y: Math.min(from.y, to.y) };
      const size = { width: Math.abs(from.x - to.x), height: Math.abs(from.y - to.y) };
      band.hidden = false;
      Object.assign(band.style, {
        left: `${at.x}px`,
        top: `${at.y}px`,
        width: `${size.width}px`,
        height: `${size.height}px`,
      });
      const meets = (/** @type {HTMLElement} */ piece) => {
        const own = frame(piece);
        return (
          own.x * scale < at.x + size.width &&
          (own.x + own.width) * scale > at.x &&
          own.y * scale < at.y + size.height &&
          (own.y + own.height) * scale > at.y
        );
      };
      select(pieces().filter(meets));
    };
    const up = () => {
      band.hidden = true;
      removeEventListener('pointermove', move);
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', up, { once: true });
  });

  // ---- by buttons ----
  const simple = new Set(['same_size', 'group', 'ungroup', 'duplicate', 'remove']);
  room.addEventListener('click', (event) => {
    const key = /** @type {HTMLElement} */ (event.target).closest('button');
    if (!key) return;
    const row = /** @type {HTMLElement | null} */ (key.closest('[data-row]'));
    const of = row ? [Number(row.dataset.row)] : ids();
    const { turn, align, distribute, order, hide, lock } = key.dataset;
    const what = key.dataset.do;
    if (turn) send('turn', () => ({ back: turn === 'back' }));
    else if ('air' in key.dataset) send('air', () => ({})).then(() => say('On air.'));
    else if ('add' in key.dataset) add();
    else if (align) edit({ align: { ids: of, edge: align } });
    else if (distribute) edit({ distribute: { ids: of, along: distribute } });
    else if (order) edit({ order: { ids: of, to: order } });
    else if (hide) edit({ hide: { ids: of, hidden: hide === 'true' } });
    else if (lock) edit({ lock: { ids: of, locked: lock === 'true' } });
    else if (what && simple.has(what)) edit({ [what]: { ids: of } });
    else if (key.matches('.layout-pick')) {
      const piece = pieceOf(of[0]);
      if (piece) select([piece], event.shiftKey || event.ctrlKey);
    }
  });
  function add() {
    const list = /** @type {HTMLSelectElement} */ (document.getElementById('layout-what'));
    const chosen = list.selectedOptions[0];
    const { width, height } = board();
    const [wide, high] = (chosen.dataset.size ?? '600x120').split('x').map(Number);
    const shrink = Math.min(1, (width * 0.8) / wide, (height * 0.8) / high);
    const size = { width: Math.round(wide * shrink), height: Math.round(high * shrink) };
    const at = {
      x: Math.round((width - size.width) / 2),
      y: Math.round((height - size.height) / 2),
      ...size,
    };
    const what =
      chosen.value === 'text'
        ? { text: { text: 'Saltmarsh Halt', colour: '#efe8d9' } }
        : chosen.value === 'panel'
          ? { panel: { colour: '#1f2226' } }
          : { widget: Number(chosen.value) };
    edit({ add: { what, frame: at } });
  }
  one('.layout-numbers').addEventListener('change', (/** @type {any} */ event) => {
    const { name, value } = event.target;
    const number = Math.round(Number(value));
    if (value === '' || !Number.isFinite(number)) return;
    if (name === 'turn') return edit({ turn: { ids: ids(), turn: number } });
    if (name === 'opacity') return edit({ opacity: { ids: ids(), opacity: Math.min(Math.max(number, 0), 100) } });
    const [id] = ids();
    const { x, y, width, height } = frame(/** @type {HTMLElement} */ (pieceOf(id)));
    edit({ place: { frames: { [id]: { x, y, width, height, [name]: number } } } });
  });
  one('.layout-board form').addEventListener('submit', (/** @type {any} */ event) => {
    event.preventDefault();
    const { name, width, height, fit } = event.target.elements;
    edit({
      board: { name: name.value, width: Number(width.value), height: Number(height.value), fit: fit.value },
    }).then(() => (one('h1').textContent = name.value));
  });

  // ---- by keys ----
  document.addEventListener('keydown', (event) => {
    const at = /** @type {HTMLElement} */ (event.target);
    if (at.matches('input, select, textarea') || document.querySelector('dialog[open]')) return;
    const held = event.ctrlKey || event.metaKey;
    const by = event.shiftKey ? 10 : 1;
    /** @type {Record<string, [number, number]>} */
    const arrows = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] };
    const key = event.key.toLowerCase();
    if (held && key === 'z') send('turn', () => ({ back: !event.shiftKey }));
    else if (held && key === 'y') send('turn', () => ({ back: false }));
    else if (held && key === 'a') select(pieces());
    else if (held && key === 'd' && selected.size) edit({ duplicate: { ids: ids() } });
    else if (held && key === 'g' && selected.size) edit({ [event.shiftKey ? 'ungroup' : 'group']: { ids: ids() } });
    else if (!held && arrows[event.key] && selected.size) {
      const [dx, dy] = arrows[event.key];
      edit({ nudge: { ids: ids(), dx, dy } });
    } else if (!held && (event.key === 'Delete' || event.key === 'Backspace') && selected.size)
      edit({ remove: { ids: ids() } });
    else if (event.key === 'Escape') select([]);
    else return;
    event.preventDefault();
  });

  // In which windows it is open changes with the pages that come and go.
  tallyFollow('strip', `${path}/windows`, (text) => (one('.layout-windows').innerHTML = text));
  addEventListener('resize', fit);
  document.fonts.ready.then(fit);
  tallyOverlay.dress(stage);
  fit();
})();
