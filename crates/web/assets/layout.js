// The layout room: pieces are selected, moved and resized on the board; what comes of it is one step, which the server
// takes, keeps and answers with the layout as it is then. Undo and redo are the server's too, so that nothing is lost with
// a page.
(() => {
  'use strict';
  const room = /** @type {HTMLElement | null} */ (document.querySelector('[data-layout]'));
  if (!room) return;
  const path = room.dataset.layout ?? '';
  const one = (/** @type {string} */ css) => /** @type {any} */ (room.querySelector(css));
  const desk = one('.layout-desk');
  const frameOf = one('.layout-window');
  const stage = one('.layout-window > .overlay');
  const guides = one('.layout-guides');
  const rows = one('.layout-rows');
  const word = /** @type {HTMLElement} */ (document.getElementById('word'));
  const NEAR = 8; // window pixels within which an edge snaps
  const LEAST = 8; // board pixels: a piece is not pulled smaller

  let step = Number(room.dataset.step);
  /** @type {Set<number>} */
  const selected = new Set();
  const pieces = () => /** @type {HTMLElement[]} */ ([...stage.querySelectorAll('[data-piece]')]);
  const idOf = (/** @type {HTMLElement} */ piece) => Number(piece.dataset.piece);
  const pieceOf = (/** @type {number} */ id) =>
    /** @type {HTMLElement | null} */ (stage.querySelector(`[data-piece="${id}"]`));
  const frame = (/** @type {HTMLElement} */ piece) => JSON.parse(piece.dataset.frame ?? '{}');
  const board = tallyBoard.size;
  const fit = () => (tallyBoard.fit(), mark());
  function say(/** @type {string} */ text, bad = false) {
    word.textContent = text;
    word.classList.toggle('is-bad', bad);
    word.hidden = false;
    setTimeout(() => (word.hidden = true), bad ? 8000 : 3000);
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
    const numbers = one('.layout-numbers');
    const only = selected.size === 1 ? pieceOf([...selected][0]) : null;
    for (const field of numbers.querySelectorAll('input')) {
      field.disabled = !selected.size || (selected.size > 1 && !['turn', 'opacity'].includes(field.name));
      if (document.activeElement !== field) field.value = only ? frame(only)[field.name] : '';
    }
    for (const key of room?.querySelectorAll('.layout-key') ?? [])
      /** @type {HTMLButtonElement} */ (key).disabled = !selected.size && key.dataset.clip !== 'paste';
    describe();
  }

  // ---- what a selected piece says and how it looks ----
  const about = (/** @type {HTMLElement} */ piece) => JSON.parse(piece.dataset.about ?? '{}');
  const fields = one('.layout-piece');
  /** Its kind, and what it holds: a widget's number, a picture's token, or fields. */
  const kindOf = (/** @type {any} */ what) => Object.entries(what)[0];
  function describe() {
    const piece = selected.size ? pieceOf([...selected][0]) : null;
    const { what, entrance } = piece ? about(piece) : { what: { none: {} }, entrance: 'fade' };
    const [kind, held] = kindOf(what);
    const shown = selected.size === 1 ? kind : '';
    one('.layout-none').hidden = selected.size > 0;
    for (const label of fields.querySelectorAll('[data-of]'))
      label.hidden = label.dataset.of === 'any' ? !selected.size : !label.dataset.of.split(' ').includes(shown);
    const said = typeof held === 'object' ? held : { [kind]: held };
    for (const [name, value] of Object.entries({ ...said, entrance })) {
      const field = fields.querySelector(`[name="${name}"]`);
      if (!field || field === document.activeElement) continue;
      if (field.type === 'checkbox') field.checked = Boolean(value);
      else field.value = value;
    }
  }
  fields.addEventListener('change', (/** @type {any} */ event) => {
    const { name, type, value, checked } = event.target;
    if (!selected.size) return;
    if (name === 'entrance') return edit({ enter: { ids: ids(), entrance: value } });
    const [id] = ids();
    const { what } = about(/** @type {HTMLElement} */ (pieceOf(id)));
    const [kind, held] = kindOf(what);
    const number = type === 'number' || name === 'widget';
    const said = type === 'checkbox' ? checked : number ? Number(value) : value;
    edit({ change: { id, what: { [kind]: typeof held === 'object' ? { ...held, [name]: said } : said } } });
  });

  // ---- steps ----
  /** @type {Promise<any>} */
  let queue = Promise.resolve();
  /** One step after the other: each stands on the answer to the one before. */
  function send(/** @type {string} */ where, /** @type {() => any} */ body) {
    queue = queue.then(async () => {
      try {
        const answer = await tallySend(`${path}/${where}`, { step, ...body() });
        const told = await answer.json();
        if (answer.ok) {
          take(told);
          return !told.meanwhile;
        } else {
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
    stage.className = ['overlay', told.style?.class ?? ''].join(' ').trim();
    stage.dataset.style = told.style?.css ?? '';
    tallyOwn.dress(/** @type {HTMLElement} */ (stage.parentElement));
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
    let best = { by: 0, line: NaN, away: NEAR / tallyBoard.scale() };
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
      line.style[css === 'is-x' ? 'left' : 'top'] = `${Number(at) * tallyBoard.scale()}px`;
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
        gone = { x: gone.x + event.dx / tallyBoard.scale(), y: gone.y + event.dy / tallyBoard.scale() };
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
  const pulled = { left: 0, right: 0, top: 0, bottom: 0 };
  movable.resizable({
    edges: { left: true, right: true, top: true, bottom: true },
    margin: 10,
    listeners: {
      start(/** @type {any} */ event) {
        select([event.target]);
        Object.assign(pulled, { left: 0, right: 0, top: 0, bottom: 0 });
        held = new Map([[idOf(event.target), frame(event.target)]]);
        desk.classList.add('is-dragging');
      },
      move(/** @type {any} */ event) {
        const id = idOf(event.target);
        const first = held.get(id);
        const { left, right, top, bottom } = event.edges;
        // What the pointer has done so far, and from there to a line that is near.
        pulled.left += event.deltaRect.left / tallyBoard.scale();
        pulled.right += event.deltaRect.right / tallyBoard.scale();
        pulled.top += event.deltaRect.top / tallyBoard.scale();
        pulled.bottom += event.deltaRect.bottom / tallyBoard.scale();
        const to = {
          left: first.x + pulled.left,
          right: first.x + first.width + pulled.right,
          top: first.y + pulled.top,
          bottom: first.y + first.height + pulled.bottom,
        };
        const near = (/** @type {number} */ at, /** @type {boolean} */ across) =>
          event.altKey ? { by: 0, line: NaN } : snap(at, 0, lines(across, selected));
        const across = left ? near(to.left, true) : right ? near(to.right, true) : { by: 0, line: NaN };
        const down = top ? near(to.top, false) : bottom ? near(to.bottom, false) : { by: 0, line: NaN };
        show(across.line, down.line);
        if (left) to.left = Math.min(to.left + across.by, to.right - LEAST);
        if (right) to.right = Math.max(to.right + across.by, to.left + LEAST);
        if (top) to.top = Math.min(to.top + down.by, to.bottom - LEAST);
        if (bottom) to.bottom = Math.max(to.bottom + down.by, to.top + LEAST);
        const next = { x: to.left, y: to.top, width: to.right - to.left, height: to.bottom - to.top };
        if (event.shiftKey) {
          // In proportion: the side that is pulled says how large, the others follow.
          const share = left || right ? next.width / first.width : next.height / first.height;
          next.width = Math.max(first.width * share, LEAST);
          next.height = Math.max(first.height * share, LEAST);
          if (left) next.x = first.x + first.width - next.width;
          if (top) next.y = first.y + first.height - next.height;
        }
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
          own.x * tallyBoard.scale() < at.x + size.width &&
          (own.x + own.width) * tallyBoard.scale() > at.x &&
          own.y * tallyBoard.scale() < at.y + size.height &&
          (own.y + own.height) * tallyBoard.scale() > at.y
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
    else if ('air' in key.dataset) send('air', () => ({})).then((done) => done && say('On air.'));
    else if ('add' in key.dataset) add();
    else if (align) edit({ align: { ids: of, edge: align } });
    else if (distribute) edit({ distribute: { ids: of, along: distribute } });
    else if (order) edit({ order: { ids: of, to: order } });
    else if (hide) edit({ hide: { ids: of, hidden: hide === 'true' } });
    else if (lock) edit({ lock: { ids: of, locked: lock === 'true' } });
    else if (key.dataset.clip === 'copy') copy();
    else if (key.dataset.clip === 'paste') paste();
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
    /** @type {Record<string, any>} */
    const plain = {
      text: { text: { text: one('h1').textContent, colour: '#efe8d9' } },
      panel: { panel: { colour: '#1f2226' } },
      line: { line: { colour: '#efe8d9' } },
      icon: { icon: { icon: 'lamp', colour: '#efe8d9' } },
      picture: { picture: chosen.dataset.token },
    };
    const what = plain[chosen.value] ?? { widget: Number(chosen.value) };
    if (chosen.value === 'line') at.height = 6;
    edit({ add: { what, frame: at } });
  }
  // Copies lie in this browser, so that another overlay finds them; in the layout from which they come they are made
  // anew a little aside, with what has changed since.
  const CLIP = 'tally-pieces';
  function copy() {
    const copied = pieces().filter((piece) => selected.has(idOf(piece)));
    if (!copied.length) return;
    localStorage.setItem(CLIP, JSON.stringify({ path, pieces: copied.map(about) }));
    say(copied.length === 1 ? 'Copied one piece.' : `Copied ${copied.length} pieces.`);
  }
  function paste() {
    const kept = JSON.parse(localStorage.getItem(CLIP) ?? 'null');
    if (!kept) return say('Nothing is copied yet. Select pieces, here or in another overlay, and copy them.');
    const own = kept.pieces.map((/** @type {any} */ one) => one.id);
    if (kept.path === path && own.every(pieceOf)) edit({ duplicate: { ids: own } });
    else edit({ paste: { pieces: kept.pieces } });
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
    else if (held && key === 'c' && selected.size) copy();
    else if (held && key === 'v') paste();
    else if (!held && (key === '+' || key === '-')) tallyBoard.nearer(key === '+' ? 1.25 : 0.8);
    else if (!held && key === '0') tallyBoard.nearer(0);
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
