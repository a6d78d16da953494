// Layouts: puts pieces where their data says, and fits the board of a page on air into its window. How a board stands in
// a window is said in the core (overlay/scale.rs); this does the same.
const tallyOverlay = (() => {
  'use strict';
  /** @param {{ width: number, height: number, fit: string }} board */
  function fitted(board, /** @type {number} */ wide, /** @type {number} */ high) {
    if (wide < 1 || high < 1) return null;
    const across = wide / board.width;
    const down = high / board.height;
    if (board.fit === 'pixels') return { scale: 1, x: 0, y: 0 };
    const scale = board.fit === 'cover' ? Math.max(across, down) : Math.min(across, down);
    return { scale, x: (wide - board.width * scale) / 2, y: (high - board.height * scale) / 2 };
  }
  function put(/** @type {HTMLElement} */ piece) {
    const { x, y, width, height, turn, opacity } = JSON.parse(piece.dataset.frame ?? '{}');
    const { style } = piece;
    style.left = `${x}px`;
    style.top = `${y}px`;
    style.width = `${width}px`;
    style.height = `${height}px`;
    // What slides comes from beyond the nearest edge of the board.
    const board = JSON.parse(/** @type {HTMLElement} */ (piece.closest('.overlay')).dataset.board ?? '{}');
    const [right, down] = [board.width - x - width, board.height - y - height];
    const nearest = Math.min(x, right, y, down);
    const [across, along] =
      nearest === x
        ? [-x - width, 0]
        : nearest === right
          ? [right + width, 0]
          : [0, nearest === y ? -y - height : down + height];
    style.setProperty('--away-x', `${across}px`);
    style.setProperty('--away-y', `${along}px`);
    style.rotate = turn ? `${turn}deg` : '';
    style.setProperty('--seen', String(opacity / 100));
  }
  function dress(/** @type {ParentNode} */ place) {
    for (const piece of /** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll('[data-frame]'))) put(piece);
    for (const one of /** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll('[data-colour]'))) {
      one.style.color = one.dataset.colour ?? '';
      if (one.dataset.radius) one.style.borderRadius = `${one.dataset.radius}px`;
      if (one.dataset.lines) one.style.setProperty('--lines', one.dataset.lines);
      if (one.matches('.piece-line')) {
        const { width, height } = JSON.parse(one.closest('[data-frame]').dataset.frame);
        one.classList.toggle('is-upright', height > width);
      }
    }
    fit();
  }
  // The board of a page on air, in its window.
  function fit() {
    const stage = /** @type {HTMLElement | null} */ (document.querySelector('.overlay-window > .overlay'));
    if (!stage) return;
    const board = JSON.parse(stage.dataset.board ?? '{}');
    stage.style.width = `${board.width}px`;
    stage.style.height = `${board.height}px`;
    const at = fitted(board, innerWidth, innerHeight);
    stage.hidden = !at;
    if (at) stage.style.transform = `translate(${at.x}px, ${at.y}px) scale(${at.scale})`;
  }
  addEventListener('resize', fit);
  return { dress, put, fitted };
})();
