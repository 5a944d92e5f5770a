"use strict";
// Comfort only: every fact is on the page without it. Nothing is made of text as markup.

const made = (name, text, className) => {
  const element = document.createElement(name);
  if (text) element.textContent = text;
  if (className) element.className = className;
  return element;
};

// Tables: a button in each heading sorts, and long ones can be filtered.
const keyOf = (row, at) => row.cells[at].dataset.key ?? row.cells[at].textContent.trim();
const order = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

const sortBy = (table, at, button) => {
  const head = button.closest("th");
  const up = head.getAttribute("aria-sort") !== "ascending";
  for (const other of table.tHead.rows[0].cells) other.removeAttribute("aria-sort");
  head.setAttribute("aria-sort", up ? "ascending" : "descending");
  const body = table.tBodies[0];
  const rows = [...body.rows].sort((a, b) => order.compare(keyOf(a, at), keyOf(b, at)));
  body.append(...(up ? rows : rows.reverse()));
};

const FILTERED = 8;
for (const table of document.querySelectorAll("table:not(.grid)")) {
  if (table.tBodies[0].rows.length < 2) continue;
  [...table.tHead.rows[0].cells].forEach((head, at) => {
    const button = made("button", head.textContent);
    button.type = "button";
    button.addEventListener("click", () => sortBy(table, at, button));
    head.replaceChildren(button);
  });
  if (table.tBodies[0].rows.length < FILTERED) continue;
  const label = made("label", "Only lines with", "filter");
  const input = made("input");
  input.type = "search";
  input.addEventListener("input", () => {
    const words = input.value.toLocaleLowerCase();
    for (const row of table.tBodies[0].rows) {
      row.hidden = !row.textContent.toLocaleLowerCase().includes(words);
    }
  });
  label.append(input);
  table.closest(".scroll").before(label);
}

// Commands: a button copies each.
const copied = async (code) => {
  try {
    await navigator.clipboard.writeText(code.textContent);
    return true;
  } catch {
    getSelection().selectAllChildren(code);
    return document.execCommand("copy");
  }
};
for (const code of document.querySelectorAll("td > .command")) {
  const button = made("button", "Copy", "copy");
  button.type = "button";
  button.setAttribute("aria-label", `Copy ${code.textContent}`);
  button.addEventListener("click", async () => {
    button.textContent = (await copied(code)) ? "Copied" : "Marked";
    setTimeout(() => (button.textContent = "Copy"), 2000);
  });
  code.after(button);
}

// Maps: a step goes where one looks already, and Escape goes out again.
const stepInto = (level, keepsFocus) => {
  const from = scrollY;
  location.hash = level.id;
  scrollTo({ top: from, behavior: "instant" });
  if (keepsFocus) (level.querySelector(".map a") ?? level.querySelector(".way a"))?.focus({ preventScroll: true });
};
for (const levels of document.querySelectorAll(".levels")) {
  levels.addEventListener("click", (event) => {
    const link = event.target.closest("a[href^='#']");
    if (!link) return;
    event.preventDefault();
    stepInto(document.getElementById(link.hash.slice(1)), true);
  });
  levels.addEventListener("keydown", (event) => {
    const out = [...(event.target.closest(".level")?.querySelectorAll(".way a") ?? [])].pop();
    if (event.key !== "Escape" || !out) return;
    event.preventDefault();
    stepInto(document.getElementById(out.hash.slice(1)), true);
  });
}

// On paper everything is open.
addEventListener("beforeprint", () => document.querySelectorAll("details").forEach((one) => (one.open = true)));
