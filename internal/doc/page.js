"use strict";
(() => {
  // What undoes a step is printed too.
  addEventListener("beforeprint", () => {
    for (const undo of document.querySelectorAll("details.undo, details.alike")) undo.open = true;
  });
  // Tables that say so are put in order by a column; findings and chains are filtered by words and by how bad they are.
  for (const table of document.querySelectorAll("table[data-order]")) {
    const heads = [...table.tHead.rows[0].cells];
    heads.forEach((head, column) => {
      if (!head.textContent) return;
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = head.textContent;
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        const down = head.getAttribute("aria-sort") === "ascending";
        heads.forEach(h => h.removeAttribute("aria-sort"));
        head.setAttribute("aria-sort", down ? "descending" : "ascending");
        const rows = [...table.tBodies[0].rows];
        const by = new Intl.Collator("en", {numeric: true});
        rows.sort((a, b) => by.compare(a.cells[column].textContent, b.cells[column].textContent) * (down ? -1 : 1));
        table.tBodies[0].append(...rows);
      });
    });
  }
  const parts = [...document.querySelectorAll(".finding, .chain, table[data-order] tbody tr")];
  if (parts.length < 8) return;
  const bar = document.createElement("form");
  bar.className = "filter";
  bar.setAttribute("role", "search");
  bar.innerHTML = '<label>Show only <input type="search" name="words" placeholder="a name or a word"></label>' +
    '<span role="status" class="soft"></span>';
  bar.addEventListener("submit", e => e.preventDefault());
  bar.addEventListener("input", () => {
    const words = bar.elements.words.value.trim().toLowerCase();
    let shown = 0;
    for (const part of parts) {
      part.hidden = !part.textContent.toLowerCase().includes(words);
      if (!part.hidden) shown++;
    }
    bar.querySelector("[role=status]").textContent = words === "" ? "" : shown + " of " + parts.length + " shown";
  });
  (document.querySelector(".finding, .chain") || parts[0].closest(".wide")).before(bar);
})();
