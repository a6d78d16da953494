// Shows what becomes of the deliveries while it does.
setInterval(async () => {
  const answer = await fetch('/deliveries').catch(() => null);
  if (answer?.ok) document.getElementById('deliveries').innerHTML = await answer.text();
}, 1000);
