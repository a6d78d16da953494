// Proposes the time zone that this browser keeps.
(() => {
  'use strict';
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  for (const option of document.getElementById('zone').options) if (option.value === here) option.selected = true;
})();
