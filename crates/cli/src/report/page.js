(() => {
  "use strict";
  const all = (what, from = document) => [...from.querySelectorAll(what)];
  document.documentElement.classList.add("live");
  const cards = all(".card");
  const search = document.getElementById("search");
  const kind = document.getElementById("kind");
  const buttons = all("[data-filter]");
  const shown = document.getElementById("shown");
  const text = new Map(cards.map((card) => [card, card.textContent.toLowerCase()]));

  const filter = () => {
    const off = new Set(buttons.filter((b) => b.getAttribute("aria-pressed") === "false").map((b) => b.dataset.filter));
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    for (const card of cards) {
      const fits = !off.has(card.dataset.outcome)
        && (kind.value === "" || card.dataset.kind === kind.value)
        && words.every((word) => text.get(card).includes(word));
      card.hidden = !fits;
      if (fits) count += 1;
    }
    for (const group of all(".group")) group.hidden = !all(".card", group).some((card) => !card.hidden);
    shown.textContent = `${count} of ${cards.length} shown`;
  };

  const go = (card) => {
    for (const other of all(".card.at")) other.classList.remove("at");
    card.classList.add("at");
    card.open = true;
    card.scrollIntoView({ block: "start" });
    card.querySelector("summary").focus({ preventScroll: true });
  };

  const step = (by) => {
    const list = cards.filter((card) => !card.hidden);
    const now = list.findIndex((card) => card.classList.contains("at"));
    const next = list[now < 0 ? 0 : Math.min(list.length - 1, Math.max(0, now + by))];
    if (next) go(next);
  };

  const follow = () => {
    const card = document.getElementById(decodeURIComponent(location.hash.slice(1)));
    if (!card || !card.classList.contains("card")) return;
    if (card.hidden) {
      for (const button of buttons) button.setAttribute("aria-pressed", "true");
      search.value = "";
      kind.value = "";
      filter();
    }
    go(card);
  };

  search.addEventListener("input", filter);
  kind.addEventListener("change", filter);
  for (const button of buttons) {
    button.addEventListener("click", () => {
      button.setAttribute("aria-pressed", String(button.getAttribute("aria-pressed") === "false"));
      filter();
    });
  }
  document.addEventListener("keydown", (event) => {
    const typing = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName);
    if (event.key === "Escape" && event.target === search) { search.value = ""; search.blur(); filter(); }
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "j") step(1);
    if (event.key === "k") step(-1);
    if (event.key === "/") { event.preventDefault(); search.focus(); }
  });
  window.addEventListener("hashchange", follow);
  window.addEventListener("beforeprint", () => { for (const card of cards) card.open = true; });

  const mark = document.body.dataset.key;
  for (const box of all(".walk input")) {
    const key = `${mark}/${box.value}`;
    try { box.checked = localStorage.getItem(key) === "1"; } catch { /* no place to keep it */ }
    box.addEventListener("change", () => {
      try { localStorage.setItem(key, box.checked ? "1" : "0"); } catch { /* no place to keep it */ }
    });
  }
  filter();
  follow();
})();
