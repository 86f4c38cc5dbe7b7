"use strict";
const body = document.querySelector("tbody");
const rows = Array.from(body.rows);
const find = document.getElementById("find");
const only = document.getElementById("only");
const shown = document.getElementById("shown");

const pictures = Array.from(document.querySelectorAll("img[data-src]"));
const load = (picture) => { picture.src = picture.dataset.src; };
const near = new IntersectionObserver((seen) => {
  for (const { isIntersecting, target } of seen) {
    if (isIntersecting) {
      near.unobserve(target);
      load(target);
    }
  }
}, { rootMargin: "600px" });
pictures.forEach((picture) => near.observe(picture));
addEventListener("beforeprint", () => pictures.forEach(load));

function sift() {
  const words = find.value.toLowerCase().split(/\s+/).filter(Boolean);
  let count = 0;
  for (const row of rows) {
    const text = row.textContent.toLowerCase();
    const there = words.every((word) => text.includes(word)) && !(only.checked && row.className === "fine");
    row.hidden = !there;
    count += there;
  }
  shown.textContent = count === rows.length ? "" : `${count} of ${rows.length} lines`;
}

function sort(button) {
  const head = button.closest("th");
  const down = head.getAttribute("aria-sort") !== "descending";
  for (const other of document.querySelectorAll("thead th[aria-sort]")) other.setAttribute("aria-sort", "none");
  head.setAttribute("aria-sort", down ? "descending" : "ascending");
  const key = button.dataset.key;
  const number = key === "seconds" || key === "doubt";
  const value = (row) => (number ? Number(row.dataset[key]) : row.dataset[key]);
  const way = down ? -1 : 1;
  const sorted = rows.slice().sort((a, b) => {
    const [x, y] = [value(a), value(b)];
    return way * (number ? x - y : x.localeCompare(y));
  });
  body.append(...sorted);
}

find.addEventListener("input", sift);
only.addEventListener("change", sift);
document.querySelector("form").addEventListener("submit", (event) => event.preventDefault());
for (const button of document.querySelectorAll("thead button")) button.addEventListener("click", () => sort(button));
