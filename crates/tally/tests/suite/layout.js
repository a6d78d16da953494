// What can go wrong with where things stand. Gives a list of faults; see layout.rs.
//
// A place that scrolls by design carries data-scrolls, a text that is shortened by design data-shortens.
const faults = [];
const phone = innerWidth < 600;
const page = document.scrollingElement;
const title = (one) => {
  const text = (one.getAttribute('aria-label') ?? one.textContent ?? '').trim().replace(/\s+/g, ' ').slice(0, 30);
  return `<${one.tagName.toLowerCase()} class="${one.className.baseVal ?? one.className}"> ${text || one.name || one.id}`;
};
if (page.scrollWidth > innerWidth + 1) {
  const beyond = [...document.querySelectorAll('body *')].filter(
    (one) => one.getBoundingClientRect().right > innerWidth + 1,
  );
  faults.push(
    `the page is ${page.scrollWidth} px wide, for instance because of ${beyond.slice(-2).map(title).join(' and ')}`,
  );
}
for (const one of document.querySelectorAll('body *')) {
  if (one.closest('.air, [data-scrolls], dialog:not([open])') || one.matches('.visually-hidden, input, textarea'))
    continue;
  if (/auto|scroll/.test(getComputedStyle(one).overflowX) && one.scrollWidth > one.clientWidth + 1) {
    faults.push(`scrolls sideways: ${title(one)} (${one.scrollWidth} in ${one.clientWidth})`);
  }
}
const open = [...document.querySelectorAll('dialog[open]')].pop() ?? document.body;
const controls = [...open.querySelectorAll('a[href], button, input, select, textarea, summary')].filter(
  (one) =>
    one.checkVisibility({ visibilityProperty: true }) &&
    one.type !== 'hidden' &&
    !one.closest('.air, .skip, .visually-hidden, dialog:not([open])') &&
    one.getClientRects().length,
);
for (const one of controls) {
  // Of a small box, the words beside it are pressed as well.
  const target = (/checkbox|radio/.test(one.type) && one.closest('label')) || one;
  target.scrollIntoView({ block: 'center', inline: 'center', behavior: 'instant' });
  const inline = getComputedStyle(target).display === 'inline';
  const box = inline ? target.getClientRects()[0] : target.getBoundingClientRect();
  const hit = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
  if (!hit || !(target.contains(hit) || hit.closest('label')?.control === one)) {
    faults.push(`cannot be pressed: ${title(one)}${hit ? `, under ${title(hit)}` : ', outside the page'}`);
  }
  for (let around = target.parentElement; around && around !== document.body; around = around.parentElement) {
    const style = getComputedStyle(around);
    if (style.overflowX === 'visible' || style.display === 'inline') continue;
    if (around.closest('[data-shortens]')) break;
    const room = around.getBoundingClientRect();
    if (
      box.left < room.left - 1 ||
      box.right > room.right + 1 ||
      (box.height < room.height && (box.top < room.top - 1 || box.bottom > room.bottom + 1))
    ) {
      faults.push(`is cut off: ${title(one)} by ${title(around)}`);
    }
    break;
  }
  const words = one.matches('button, a, summary');
  if (words && !inline && !one.closest('[data-shortens]') && one.scrollWidth > one.clientWidth + 1) {
    faults.push(`its text does not fit: ${title(one)} (${one.scrollWidth} in ${one.clientWidth})`);
  }
  if (phone && !inline && (box.height < 43.5 || box.width < 43.5)) {
    faults.push(`is small for a thumb: ${title(one)} (${Math.round(box.width)} × ${Math.round(box.height)})`);
  }
}
page.scrollTo(0, 0);
return [...new Set(faults)];
