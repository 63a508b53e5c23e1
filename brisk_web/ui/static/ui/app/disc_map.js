// The map of a disc: boxes are chosen by arrows, and ways are drawn by dragging or by keys. Every step is sent as a form.
import { nearest } from "./directions.js";

const map = document.querySelector("[data-map]");
const form = document.querySelector("[data-map-step]");
const says = document.querySelector("[data-map-says]");
const NAMESPACE = "http://www.w3.org/2000/svg";
const FAR = 6; // pixels from which a press is a drag
const ARROWS = { ArrowRight: "right", ArrowLeft: "left", ArrowUp: "up", ArrowDown: "down" };
let from = null; // the box that a way is drawn from by keys
let drag = null;

const boxes = () => [...map.querySelectorAll("[data-item]")];
const boxOf = (target) => (target instanceof Element ? target.closest("[data-item]") : null);
const nameOf = (box) => box.querySelector("title").textContent.replace(/, \w+$/, "");

function send(action, item, to = "") {
  // "item" is a method of the collection itself.
  for (const [name, value] of Object.entries({ action, item, to })) form.elements.namedItem(name).value = value;
  form.submit();
}

function tell(words) {
  if (says) says.textContent = words;
}

function focusNext(box, direction) {
  const places = boxes().map((one) => ({ one, area: one.querySelector("rect").getBBox() }));
  const found = nearest(
    places.find((place) => place.one === box),
    places,
    direction,
  );
  if (!found) return;
  found.one.focus();
  found.one.scrollIntoView({ block: "nearest", inline: "nearest" });
}

function keyed(event) {
  const box = boxOf(event.target);
  if (!box || event.altKey || event.ctrlKey || event.metaKey) return;
  const direction = ARROWS[event.key];
  if (direction) {
    focusNext(box, direction);
  } else if (form && event.key.toLowerCase() === "l" && !from) {
    from = box;
    tell(`From ${nameOf(box)} to: go there with the arrows and press Enter, or Escape.`);
  } else if (form && event.key === "Enter" && from) {
    send("draw", from.dataset.item, box.dataset.item);
  } else if (event.key === "Escape" && from) {
    from = null;
    tell("No way was drawn.");
  } else if (form && event.key === "Delete") {
    send("remove", box.dataset.item);
  } else {
    return;
  }
  event.preventDefault();
  event.stopPropagation();
}

function point(event) {
  const area = map.querySelector("svg").getBoundingClientRect();
  return { x: event.clientX - area.left, y: event.clientY - area.top };
}

function pressed(event) {
  const box = boxOf(event.target);
  if (!form || !box || event.button !== 0) return;
  drag = { box, start: point(event), line: null };
}

function moved(event) {
  if (!drag) return;
  const at = point(event);
  if (!drag.line && Math.hypot(at.x - drag.start.x, at.y - drag.start.y) < FAR) return;
  if (!drag.line) {
    drag.line = document.createElementNS(NAMESPACE, "path");
    drag.line.setAttribute("class", "way way-drawn");
    map.querySelector("svg").append(drag.line);
  }
  drag.line.setAttribute("d", `M${drag.start.x} ${drag.start.y}L${at.x} ${at.y}`);
  const over = boxOf(document.elementFromPoint(event.clientX, event.clientY));
  tell(over ? `${nameOf(drag.box)} leads to ${nameOf(over)}` : `${nameOf(drag.box)} leads to …`);
}

function released(event) {
  if (!drag) return;
  const { box, line } = drag;
  drag = null;
  if (!line) return;
  line.remove();
  map.addEventListener("click", (click) => click.preventDefault(), { once: true, capture: true });
  const over = boxOf(document.elementFromPoint(event.clientX, event.clientY));
  if (over) send("draw", box.dataset.item, over.dataset.item);
  else tell("No way was drawn.");
}

if (map) {
  map.addEventListener("keydown", keyed);
  map.addEventListener("pointerdown", pressed);
  map.addEventListener("dragstart", (event) => event.preventDefault());
  document.addEventListener("pointermove", moved);
  document.addEventListener("pointerup", released);
}
