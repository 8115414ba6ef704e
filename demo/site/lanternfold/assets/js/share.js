/* Lanternfold 2.6.1: copying addresses */
document.querySelectorAll('[data-copy]').forEach(function (button) {
  button.addEventListener('click', function () {
    navigator.clipboard.writeText(button.dataset.copy);
    button.textContent = button.dataset.done || button.textContent;
  });
});
