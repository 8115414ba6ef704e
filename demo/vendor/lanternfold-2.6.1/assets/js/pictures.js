// The pictures of the hero, one after the other.
(function () {
  const hero = document.querySelector('.hero');
  const pictures = hero ? hero.querySelectorAll('.hero-picture') : [];
  const pause = 6000;
  let shown = 0;

  function showNext() {
    pictures[shown].hidden = true;
    shown = (shown + 1) % pictures.length;
    pictures[shown].hidden = false;
  }

  if (pictures.length > 1) {
    setInterval(showNext, pause);
  }
})();
