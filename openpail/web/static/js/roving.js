// A long list is one stop of the Tab key; the arrows go from one to the next in it.
export function settle(list) {
  const items = [...list.querySelectorAll("a[href]")].filter((item) => !item.closest("[hidden]"));
  const first = items.find((item) => item.tabIndex === 0) || items[0];
  items.forEach((item) => { item.tabIndex = item === first ? 0 : -1; });
  return items;
}

export function rove() {
  document.querySelectorAll("[data-roving]").forEach((list) => {
    if (!settle(list).length) return;
    list.addEventListener("keydown", (event) => {
      const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
      const items = settle(list), at = items.indexOf(document.activeElement);
      if (!step || at < 0) return;
      event.preventDefault();
      const next = items[(at + step + items.length) % items.length];
      items[at].tabIndex = -1;
      next.tabIndex = 0;
      next.focus();
    });
  });
}
