// The live half of every page, on air and in the rooms: it keeps one connection, puts what comes
// into its place, and does the ticking and rolling that the server leaves to pages.
//
// On air nothing may ever show that something is wrong: the last picture stays while the
// connection heals. Waits double up to five seconds and vary, so that after a restart a thousand
// pages do not call at the same moment.
(() => {
  'use strict';
  const body = document.body;
  const ASK_EVERY = 10000; // how often the page asks the time
  const SILENCE = 25000; // no word for this long: the line is dead, whatever the browser thinks
  const calm = matchMedia('(prefers-reduced-motion: reduce)');

  // ---- the server's clock ----
  // Offset from performance.now(), which no change of the PC's clock can touch, to the server's
  // time. The answer with the shortest way there and back is the best one; old ones give way.
  let samples = [];
  let offset = Date.now() - performance.now();
  function learn(asked, serverNow) {
    const now = performance.now();
    const sample = { trip: now - asked, at: now, offset: serverNow + (now - asked) / 2 - now };
    samples = samples.filter((one) => now - one.at < 300000 && Math.abs(one.offset - sample.offset) < 500);
    samples.push(sample);
    offset = samples.reduce((best, one) => (one.trip < best.trip ? one : best)).offset;
  }
  const serverNow = () => performance.now() + offset;

  // ---- putting parts into their places ----
  const places = (id) => document.querySelectorAll(`[data-live="${id}"]`);
  const figures = (place) => [...place.querySelectorAll('[data-roll], [data-bump]')].map((one) => one.dataset.final ?? one.textContent);

  function put(id, html) {
    for (const place of places(id)) {
      const before = figures(place);
      const held = document.activeElement;
      try {
        Idiomorph.morph(place, html, {
          morphStyle: 'innerHTML',
          // What is being typed stays; a button that has just been pressed must change its words.
          ignoreActiveValue: held?.matches('input, textarea, select') ?? false,
          callbacks: { beforeAttributeUpdated: (name) => name !== 'style' },
        });
      } catch {
        place.innerHTML = html;
      }
      if (held && held !== document.activeElement && place.contains(held)) held.focus();
      dress(place);
      move(place, before);
    }
    document.dispatchEvent(new CustomEvent('tally:put', { detail: id }));
  }

  // Lengths come as data, since the page's policy allows no style attributes from the server.
  function dress(place) {
    for (const one of place.querySelectorAll('[data-share]')) one.style.setProperty('--share', one.dataset.share);
    for (const one of place.querySelectorAll('[data-length]')) one.style.setProperty('--length', one.dataset.length);
    tick();
  }

  // ---- figures that roll and plates that nod ----
  const NUMBER = /^([^\d−-]*)([−-]?)([\d,]+)(?:\.(\d+))?(\D*)$/;
  function read(text) {
    const match = NUMBER.exec(text.trim());
    if (!match) return null;
    const decimals = match[4] ? match[4].length : 0;
    const size = Number(match[3].replaceAll(',', '') + (decimals ? '.' + match[4] : ''));
    return { before: match[1], value: match[2] ? -size : size, decimals, after: match[5] };
  }
  function write(shape, value) {
    const digits = Math.abs(value).toFixed(shape.decimals).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
    return shape.before + (value < 0 ? '−' : '') + digits + shape.after;
  }
  function roll(element, from, to) {
    const [old, shape] = [read(from), read(to)];
    if (!old || !shape || old.value === shape.value) return;
    const began = performance.now();
    element.dataset.final = to;
    const step = (now) => {
      if (element.dataset.final !== to || !element.isConnected) return;
      const part = Math.min((now - began) / 700, 1);
      if (part === 1) {
        element.textContent = to;
        delete element.dataset.final;
        return;
      }
      const eased = 1 - (1 - part) ** 3;
      element.textContent = write(shape, old.value + (shape.value - old.value) * eased);
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }
  function move(place, before) {
    [...place.querySelectorAll('[data-roll], [data-bump]')].forEach((element, index) => {
      const [from, to] = [before[index], element.textContent];
      delete element.dataset.final;
      if (from === undefined || from === to || calm.matches) return;
      if ('roll' in element.dataset) roll(element, from, to);
      element.animate([{ transform: 'translateY(-0.14em)' }, { transform: 'none' }], { duration: 220, easing: 'ease-out' });
    });
  }

  // ---- clocks ----
  let timer = 0;
  function digits(seconds) {
    const two = (n) => String(n).padStart(2, '0');
    const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
    if (h) return `${h}:${two(m)}:${two(s)}`;
    return m ? `${m}:${two(s)}` : String(s);
  }
  function tick() {
    clearTimeout(timer);
    let wait = Infinity;
    for (const face of document.querySelectorAll('[data-ends]')) {
      const left = Number(face.dataset.ends) - serverNow();
      const text = left > 0 ? digits(Math.ceil(left / 1000)) : face.dataset.done;
      if (face.textContent !== text) face.textContent = text;
      if (left > 0) wait = Math.min(wait, left % 1000 || 1000);
    }
    for (const face of document.querySelectorAll('[data-since]')) {
      const gone = Math.max(serverNow() - Number(face.dataset.since), 0);
      const seconds = Math.floor(gone / 1000);
      const text = seconds < 60 ? `0:${String(seconds).padStart(2, '0')}` : digits(seconds);
      if (face.textContent !== text) face.textContent = text;
      wait = Math.min(wait, 1000 - (gone % 1000));
    }
    if (wait < Infinity) timer = setTimeout(tick, wait + 1);
  }

  // ---- the connection ----
  const url = new URL(body.dataset.livePath, location.href);
  url.protocol = location.protocol === 'https:' ? 'wss:' : 'ws:';
  let socket = null;
  let tries = 0;
  let again = 0;
  let heard = 0;

  function ask() {
    if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ ask: performance.now() }));
  }
  function receive(text) {
    heard = performance.now();
    tries = 0;
    const message = JSON.parse(text);
    if (message.parts) {
      for (const [id, html] of Object.entries(message.parts)) put(id, html);
    } else if (message.ask) {
      learn(message.ask, message.now);
      tick();
    } else if (message.hello) {
      // A newer server has newer scripts and styles. It answers now, so loading them is safe.
      if (message.hello !== body.dataset.build) location.reload();
    } else if (message.gone) {
      for (const place of document.querySelectorAll('[data-live]')) place.replaceChildren();
    }
  }
  function open() {
    clearTimeout(again);
    if (socket) {
      socket.onclose = socket.onmessage = socket.onopen = null;
      socket.close();
    }
    heard = performance.now();
    socket = new WebSocket(url);
    socket.onopen = ask;
    socket.onmessage = (event) => {
      try {
        receive(event.data);
      } catch (error) {
        console.warn('a message could not be read', error);
      }
    };
    socket.onclose = () => {
      body.dataset.line = 'cut';
      retry();
    };
  }
  function retry() {
    clearTimeout(again);
    const wait = Math.min(250 * 2 ** tries++, 5000) * (0.75 + Math.random() / 2);
    again = setTimeout(open, wait);
  }
  setInterval(() => {
    if (performance.now() - heard > SILENCE) open();
    else ask();
    body.dataset.line = socket.readyState === WebSocket.OPEN ? 'live' : 'cut';
  }, ASK_EVERY);
  addEventListener('online', open);

  dress(document);
  open();
})();
