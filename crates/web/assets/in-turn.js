// What changes something goes to the server one after the other, each when the answer before it stands here: an
// answer could overtake another, and a form may be gone by the time of its answer. What is asked for meanwhile
// waits.
(() => {
  'use strict';

  /** Sends what fits a pattern in turn, and says whether something is under way.
   * @param {RegExp} pattern of the path
   * @param {string} target where a request that had waited puts its answer
   * @param {(ok: boolean) => void} [rested] is told when nothing waits any more, and whether all of it was taken
   * @returns {() => boolean}
   */
  window.tallyInTurn = (pattern, target, rested) => {
    /** @type {any[]} */
    const waiting = [];
    let [sending, taken] = [false, true];
    document.addEventListener('htmx:beforeRequest', (event) => {
      const { requestConfig, xhr } = event.detail;
      if (!pattern.test(requestConfig.path)) return;
      if (sending) {
        event.preventDefault();
        waiting.push(requestConfig);
        return;
      }
      sending = true;
      xhr.addEventListener('loadend', () => {
        sending = false;
        taken &&= xhr.status === 200;
        const next = waiting.shift();
        if (next) htmx.ajax(next.verb, next.path, { values: next.formData, target, swap: 'outerHTML' });
        else {
          rested?.(taken);
          taken = true;
        }
      });
    });
    return () => sending;
  };
})();
