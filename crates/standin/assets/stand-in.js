// Shows what becomes of things while it does.
setInterval(async () => {
  for (const place of document.querySelectorAll('[data-refresh]')) {
    const answer = await fetch(place.dataset.refresh).catch(() => null);
    if (answer?.ok) place.innerHTML = await answer.text();
  }
}, 1000);
