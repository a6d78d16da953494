// The live half of every page, on air and in the rooms: it keeps one connection, puts what comes
// into its place, and does the ticking that the server leaves to pages. What moves is in motion.js.
//
// On air nothing may ever show that something is wrong: the last picture stays while the
// connection heals. For a minute it tries again within a second, so that a restart is over as soon as the
// server is back; then waits double up to five seconds. All vary, so that a thousand pages do not call at the
// same moment.
(() => {
  'use strict';
  const body = document.body;
  const ASK_EVERY = 10000; // how often the page asks the time
  const SILENCE = 25000; // no word for this long: the line is dead, whatever the browser thinks

  // ---- the server's clock ----
  // Offset from performance.now(), which no change of the PC's clock can touch, to the server's
  // time. The answer with the shortest way there and back is the best one; old ones give way.
  /** @type {{ trip: number, at: number, offset: number }[]} */
  let samples = [];
  let offset = Date.now() - performance.now();
  let speed = 1;
  function learn(/** @type {number} */ asked, /** @type {number} */ serverNow) {
    const now = performance.now();
    const sample = { trip: now - asked, at: now, offset: serverNow - ((now + asked) / 2) * speed };
    const isNear = (/** @type {number} */ other) => Math.abs(other - sample.offset) < 500 * speed;
    samples = samples.filter((one) => now - one.at < 300000 && isNear(one.offset));
    samples.push(sample);
    offset = samples.reduce((best, one) => (one.trip < best.trip ? one : best)).offset;
  }
  const serverNow = () => performance.now() * speed + offset;
  // Another clock than before: what was learnt of that one says nothing.
  function goBy(/** @type {number} */ now, /** @type {number} */ fast) {
    if (fast === speed) return;
    speed = fast;
    samples = [];
    offset = now - performance.now() * speed;
    tick();
  }

  // ---- putting parts into their places ----
  const places = (/** @type {string} */ id) => document.querySelectorAll(`[data-live="${id}"]`);

  // Drawings that came since the last frame: of each only the newest counts. A frame takes as many as
  // fit into its time, those that have waited longest first, and the places of a page share so many
  // drawings a second, so that a burst costs no frames. A page that has rested draws at once.
  const FRAME = 5;
  const SHARED = 150;
  const STAGE = 'overlay';
  const waiting = new Map();
  const drawnAt = new Map();
  const RESTED = 30;
  let frame = 0;
  let frameless = 0;
  let putAt = -RESTED;
  function put(/** @type {string} */ id, /** @type {string} */ html) {
    const first = !waiting.size;
    // A stage is newer than all that came before for its places and older than what comes after: it is drawn between them.
    if (id === STAGE) {
      waiting.clear();
      for (const place of places(id)) putInto(place, html);
      return;
    }
    waiting.set(id, html);
    if (document.hidden || performance.now() - putAt > RESTED) putAll();
    else if (first) putSoon();
  }
  function putSoon() {
    frame = requestAnimationFrame(putAll);
    // A page that is covered or asleep gets no frames, and must keep up all the same.
    frameless = setTimeout(putAll, 250);
  }
  function putAll() {
    cancelAnimationFrame(frame);
    clearTimeout(frameless);
    const began = (putAt = performance.now());
    const rest = document.hidden ? 0 : (drawnAt.size * 1000) / SHARED;
    for (const [id, html] of waiting) {
      if (began - (drawnAt.get(id) ?? -rest) < rest) continue;
      waiting.delete(id);
      drawnAt.set(id, began);
      for (const place of places(id)) putInto(place, html);
      document.dispatchEvent(new CustomEvent('tally:put', { detail: id }));
      if (!document.hidden && performance.now() - began > FRAME) break;
    }
    if (waiting.size) putSoon();
  }

  // A page may show its board in a design of its own: styles make the designs, and the drawing is the same.
  const designed = (/** @type {HTMLElement} */ place, /** @type {string} */ html) =>
    place.dataset.design ? html.replace(/ shape-[a-z]+/, ` shape-${place.dataset.design}`) : html;

  function putInto(/** @type {any} */ place, /** @type {string} */ drawn) {
    const html = designed(place, drawn);
    if (place.shown === html) return;
    place.shown = html;
    const before = tallyMotion.before(place);
    const held = /** @type {HTMLElement | null} */ (document.activeElement);
    try {
      Idiomorph.morph(place, html, {
        morphStyle: 'innerHTML',
        // What is being typed stays; a button that has just been pressed must change its words.
        ignoreActiveValue: held?.matches('input, textarea, select') ?? false,
        callbacks: {
          // What somebody has folded out stays so.
          beforeAttributeUpdated: (/** @type {string} */ name, /** @type {any} */ node) =>
            name !== 'style' && !(name === 'open' && node.localName === 'details'),
          // The rows of a drum are the page's own.
          beforeNodeMorphed: (/** @type {any} */ node) =>
            !node.classList?.contains('wheel-rows') && !node.hasAttribute?.('data-reader'),
          // The copies of a tape are the page's own.
          beforeNodeRemoved: (/** @type {any} */ node) => !node.classList?.contains('tape-again'),
        },
      });
    } catch {
      place.innerHTML = html;
    }
    if (held && held !== document.activeElement && place.contains(held)) held.focus();
    dress(place);
    tallyMotion.after(place, before, serverNow());
  }

  // Letters of the far east and emoji are in files that most pages never need: only those that are met are asked for.
  const SELDOM =
    /[\p{Extended_Pictographic}\p{Regional_Indicator}\u1100-\u11ff\u2e80-\u9fff\uac00-\ud7af\uf900-\ufaff\uff00-\uffef]/gu;
  // Whatever changes the fonts of a page lays all of it out anew: so not before the first picture stands. A page that is
  // covered gets no frames, and does not wait for one.
  const firstFrame = new Promise((done) => {
    requestAnimationFrame(() => setTimeout(done));
    setTimeout(done, 500);
  });
  const known = new Set();
  const MOST_LETTERS = 150;
  function bringSeldomFonts(/** @type {string} */ text) {
    const fresh = [...new Set(text.match(SELDOM) ?? [])].filter((letter) => !known.has(letter));
    for (const letter of fresh) known.add(letter);
    const sheet = document.querySelector('link[rel=stylesheet]');
    for (let from = 0; sheet && from < fresh.length; from += MOST_LETTERS) {
      const more = document.createElement('link');
      more.rel = 'stylesheet';
      more.href = `/letters/${body.dataset.build ?? 'now'}/fonts.css?${new URLSearchParams({
        of: fresh.slice(from, from + MOST_LETTERS).join(''),
      })}`;
      sheet.after(more);
    }
  }

  // Looks and lengths come as data, since the page's policy allows no style attributes from the server.
  function dress(/** @type {HTMLElement} */ place) {
    for (const one of place.querySelectorAll('[data-look]')) {
      if (one.shownLook === one.dataset.look) continue;
      const look = JSON.parse(one.dataset.look);
      for (const old of one.tokens ?? []) if (!(old in look)) one.style.removeProperty(old);
      // A page that has just been opened has hundreds of looks to put on: each in one go.
      if (one.tokens) for (const [name, value] of Object.entries(look)) one.style.setProperty(name, value);
      else one.style.cssText += Object.entries(look).reduce((all, [name, value]) => `${all}${name}:${value};`, '');
      one.tokens = Object.keys(look);
      one.shownLook = one.dataset.look;
    }
    for (const one of place.querySelectorAll('[data-share]')) one.style.setProperty('--share', one.dataset.share);
    for (const one of place.querySelectorAll('[data-from]')) one.style.setProperty('--from', one.dataset.from);
    for (const one of place.querySelectorAll('[data-first]')) {
      one.style.setProperty('--first', one.dataset.first);
      one.style.setProperty('--second', one.dataset.second);
    }
    tallyOwn.dress(place);
    if (typeof tallyOverlay !== 'undefined') tallyOverlay.dress(place);
    const letters = place.textContent ?? '';
    firstFrame.then(() => bringSeldomFonts(letters));
    tallyMotion.fit(place);
    tallyMotion.tapes(place);
    if (place.querySelector('[data-clock], [data-since], .in-turn')) tick();
    tallyClock.added(place, serverNow());
    tallyWheel.dress(place, serverNow);
  }

  // ---- clocks ----
  let timer = 0;
  function tick() {
    clearTimeout(timer);
    let wait = tallyClock.tick(serverNow());
    for (const face of document.querySelectorAll('[data-since]')) {
      const gone = Math.max(serverNow() - Number(face.dataset.since), 0);
      const seconds = Math.floor(gone / 1000);
      const text = seconds < 60 ? `0:${String(seconds).padStart(2, '0')}` : tallyClock.write(gone, 'auto', 0, false);
      if (face.textContent !== text) face.textContent = text;
      wait = Math.min(wait, 1000 - (gone % 1000));
    }
    wait = Math.min(wait, tallyMotion.turns(serverNow()));
    if (wait < Infinity) timer = setTimeout(tick, wait / speed + 1);
  }

  // ---- the connection ----
  const url = new URL(body.dataset.livePath ?? '', location.href);
  url.protocol = location.protocol === 'https:' ? 'wss:' : 'ws:';
  /** @type {WebSocket | null} */
  let socket = null;
  let tries = 0;
  /** @type {number | null} */
  let cutAt = null;
  let again = 0;
  let heard = 0;

  // A form that is being sent leads away from here.
  let leaving = false;
  document.addEventListener('submit', () => (leaving = true));

  function ask() {
    if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ ask: performance.now() }));
  }
  // Whoever arranges an overlay is told how it is seen: in which window, and how often it is drawn.
  let frames = 0;
  function tellSeen() {
    if (!document.querySelector('.overlay-window') || socket?.readyState !== WebSocket.OPEN) return;
    const seen = { window: [innerWidth, innerHeight], hidden: document.hidden, frames: document.hidden ? 0 : frames };
    socket.send(JSON.stringify({ seen }));
  }
  addEventListener('resize', tellSeen);
  document.addEventListener('visibilitychange', tellSeen);
  // Counted over a second now and then, since counting itself keeps the page awake.
  const COUNT_EVERY = 60000;
  function countFrames() {
    const began = performance.now();
    let count = 0;
    const next = () => {
      count++;
      const gone = performance.now() - began;
      if (gone < 1000) return requestAnimationFrame(next);
      // What was covered meanwhile got no frames, which says nothing.
      if (gone < 1500 || count > 5) frames = Math.round((count * 1000) / gone);
      tellSeen();
    };
    if (!document.hidden) requestAnimationFrame(next);
  }
  function receive(/** @type {string} */ text) {
    heard = performance.now();
    tries = 0;
    cutAt = null;
    const message = JSON.parse(text);
    if (message.parts) {
      for (const [id, html] of Object.entries(message.parts)) put(id, html);
    } else if (message.ask) {
      learn(message.ask, message.now);
      tick();
    } else if (message.hello) {
      // A newer server has newer scripts and styles. It answers now, so loading them is safe.
      if (message.hello !== body.dataset.build) location.reload();
      goBy(message.now, message.speed);
    } else if (message.cover !== undefined) {
      document.documentElement.classList.toggle('is-covered', message.cover);
    } else if (message.play) {
      // A covered page is silent.
      const covered = document.documentElement.classList.contains('is-covered');
      tallySound(message.play.sound, covered ? 0 : message.play.volume);
    } else if (message.reload) {
      location.reload();
    } else if (message.again) {
      // What this page shows is told by another line from now on.
      open();
    } else if (message.gone) {
      for (const place of document.querySelectorAll('[data-live]')) place.replaceChildren();
      // A helper's page says why, and what to do, and a rehearsal's desk leads to its room; a page on air stays blank.
      if (['/pass/live', '/rehearsal/live'].includes(body.dataset.livePath ?? '') && !leaving) location.reload();
    }
  }
  function open() {
    clearTimeout(again);
    if (socket) {
      socket.onclose = socket.onmessage = socket.onopen = null;
      socket.close();
    }
    heard = performance.now();
    const line = new WebSocket(url);
    socket = line;
    // With what the page was loaded counts once: later it may have shown something else.
    url.search = '';
    line.onopen = () => {
      ask();
      tellSeen();
    };
    line.onmessage = (event) => {
      try {
        receive(event.data);
      } catch (error) {
        console.warn('a message could not be read', error);
      }
    };
    line.onclose = () => {
      body.dataset.line = 'cut';
      retry();
    };
  }
  function retry() {
    clearTimeout(again);
    cutAt ??= performance.now();
    const most = performance.now() - cutAt < 60000 ? 750 : 5000;
    const wait = Math.min(250 * 2 ** tries++, most) * (0.75 + Math.random() / 2);
    again = setTimeout(open, wait);
  }
  // Behind a picture that cannot be had stands the drawn face.
  document.addEventListener('error', (event) => event.target.matches?.('.face-picture') && event.target.remove(), true);

  // A drawing that comes by another way than this connection, such as a room's own answer.
  document.addEventListener('tally:dress', (event) => dress(event.target));
  document.addEventListener('htmx:afterSwap', (event) => dress(event.target));
  dress(document.body);

  // A page of samples has no line.
  if (!body.dataset.livePath) return;
  open();
  if (document.querySelector('.overlay-window')) {
    setTimeout(countFrames, 3000);
    setInterval(countFrames, COUNT_EVERY);
  }
  setInterval(() => {
    if (performance.now() - heard > SILENCE) open();
    else ask();
    body.dataset.line = socket?.readyState === WebSocket.OPEN ? 'live' : 'cut';
  }, ASK_EVERY);
  addEventListener('online', open);
})();
