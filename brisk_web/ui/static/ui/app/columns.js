// Columns whose width a person sets: a separator with data-split carries the name of a width in the styles, in rem. It is
// dragged, moved by arrow keys, put back by a double click or Home, and remembered.
const STORE = "brisk-columns";
const root = document.documentElement;
const remembered = () => {
  try {
    return JSON.parse(localStorage.getItem(STORE)) || {};
  } catch {
    return {};
  }
};
const rem = () => parseFloat(getComputedStyle(root).fontSize);
const bounds = (split) => ["valuemin", "valuemax"].map((name) => Number(split.getAttribute(`aria-${name}`)));

const set = (split, width) => {
  const name = split.dataset.split;
  const kept = remembered();
  const [least, most] = bounds(split);
  if (width === null) {
    delete kept[name];
    root.style.removeProperty(name);
  } else {
    kept[name] = Math.max(least, Math.min(most, Math.round(width * 4) / 4));
    root.style.setProperty(name, `${kept[name]}rem`);
  }
  localStorage.setItem(STORE, JSON.stringify(kept));
  tell(split);
};
const widthOf = (split) => split.previousElementSibling.getBoundingClientRect().width / rem();
const tell = (split) => split.setAttribute("aria-valuenow", Math.round(widthOf(split)));

for (const [name, width] of Object.entries(remembered())) root.style.setProperty(name, `${width}rem`);
for (const split of document.querySelectorAll("[data-split]")) tell(split);

document.addEventListener("pointerdown", (event) => {
  const split = event.target.closest?.("[data-split]");
  if (!split) return;
  event.preventDefault();
  split.focus();
  split.setPointerCapture(event.pointerId);
  const left = split.previousElementSibling.getBoundingClientRect().left;
  const drag = (moved) => set(split, (moved.clientX - left) / rem());
  split.addEventListener("pointermove", drag);
  split.addEventListener("lostpointercapture", () => split.removeEventListener("pointermove", drag), { once: true });
});
document.addEventListener("dblclick", (event) => {
  const split = event.target.closest?.("[data-split]");
  if (split) set(split, null);
});
document.addEventListener("keydown", (event) => {
  const split = event.target.closest?.("[data-split]");
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!split || (!step && event.key !== "Home")) return;
  event.preventDefault();
  event.stopPropagation(); // these arrows do not step frames
  set(split, step ? widthOf(split) + step : null);
});
