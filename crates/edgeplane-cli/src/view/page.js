// What the page does beyond being read: tips at figures and marks, tables that can be sorted.
(() => {
  const tip = document.createElement("div");
  tip.id = "tip";
  tip.setAttribute("role", "tooltip");
  tip.hidden = true;
  document.body.append(tip);
  const show = (element, x, y) => {
    tip.textContent = element.dataset.tip;
    tip.hidden = false;
    const room = tip.getBoundingClientRect();
    tip.style.left = `${Math.max(4, Math.min(x + 14, innerWidth - room.width - 8))}px`;
    tip.style.top = `${y + 18 + room.height < innerHeight ? y + 18 : Math.max(4, y - room.height - 10)}px`;
  };
  const hide = () => { tip.hidden = true; };
  // Without the script the browser shows titles by itself; both would be one too many.
  for (const title of document.querySelectorAll("svg title")) {
    title.parentNode.dataset.tip = title.textContent;
    title.remove();
  }
  for (const element of document.querySelectorAll("[title]")) {
    element.dataset.tip = element.title;
    element.removeAttribute("title");
    element.tabIndex = 0;
  }
  const tipped = (event) => event.target.closest?.("[data-tip]");
  document.addEventListener("mouseover", (event) => {
    const element = tipped(event);
    if (element) show(element, event.clientX, event.clientY); else hide();
  });
  document.addEventListener("focusin", (event) => {
    const element = tipped(event);
    if (!element) return;
    const place = element.getBoundingClientRect();
    show(element, place.left, place.bottom - 18);
  });
  document.addEventListener("focusout", hide);
  document.addEventListener("keydown", (event) => { if (event.key === "Escape") hide(); });

  const value = (row, index) => row.cells[index].dataset.value ?? row.cells[index].textContent.trim();
  const compare = (a, b) => {
    const [x, y] = [Number(a), Number(b)];
    return Number.isNaN(x) || Number.isNaN(y) ? a.localeCompare(b) : x - y;
  };
  for (const table of document.querySelectorAll("table.sorts")) {
    [...table.tHead.rows[0].cells].forEach((head, index) => {
      const button = document.createElement("button");
      button.type = "button";
      button.append(...head.childNodes);
      head.append(button);
      button.addEventListener("click", () => {
        const falls = head.getAttribute("aria-sort") !== "descending";
        for (const other of table.tHead.rows[0].cells) other.removeAttribute("aria-sort");
        head.setAttribute("aria-sort", falls ? "descending" : "ascending");
        const rows = [...table.tBodies[0].rows];
        rows.sort((a, b) => (falls ? -1 : 1) * compare(value(a, index), value(b, index)));
        table.tBodies[0].append(...rows);
      });
    });
  }
})();
