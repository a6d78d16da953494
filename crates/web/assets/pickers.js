// Pickers for currencies and time zones: fields with a list, searched by code or by name.
(() => {
  'use strict';
  const names = new Intl.DisplayNames('en', { type: 'currency', fallback: 'none' });
  const nameOf = (/** @type {string} */ code) => {
    try {
      return names.of(code) ?? '';
    } catch {
      return '';
    }
  };
  for (const field of document.querySelectorAll('[data-picker=currency]')) {
    const listed = new Set([...field.list.options].map((one) => one.value));
    for (const code of Intl.supportedValuesOf('currency'))
      if (!listed.has(code)) field.list.append(new Option('', code));
    for (const option of field.list.options) option.label = nameOf(option.value);
    const told = document.getElementById(field.getAttribute('aria-describedby'));
    const tell = () => {
      const typed = field.value.trim().toLowerCase();
      // A name, or its beginning where only one begins so, stands for its code.
      const named = [...field.list.options].filter((one) => one.label.toLowerCase().startsWith(typed));
      if (typed.length > 3 && named.length === 1) field.value = named[0].value;
      if (told) told.textContent = nameOf(field.value.trim().toUpperCase());
    };
    field.addEventListener('change', tell);
    tell();
  }
  for (const field of document.querySelectorAll('[data-picker=zone]')) {
    field.addEventListener('change', () => {
      const typed = field.value.trim().toLowerCase().replace(/ /g, '_');
      const found = [...field.list.options].filter((one) => one.value.toLowerCase().split('/').pop() === typed);
      if (found.length) field.value = found[0].value;
    });
  }
})();
