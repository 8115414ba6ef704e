/* Lanternfold 3.0.0: the menu */
(function () {
  'use strict';

  const toggle = document.querySelector('.menu-toggle');
  const menu = document.getElementById('menu');

  function isOpen() {
    return toggle.getAttribute('aria-expanded') === 'true';
  }

  function setOpen(open) {
    toggle.setAttribute('aria-expanded', String(open));
    menu.classList.toggle('is-open', open);
  }

  function onKey(event) {
    if (event.key !== 'Escape' || !isOpen()) {
      return;
    }
    setOpen(false);
    toggle.focus();
  }

  if (toggle && menu) {
    toggle.addEventListener('click', function () {
      setOpen(!isOpen());
    });
    document.addEventListener('keydown', onKey);
  }
})();
