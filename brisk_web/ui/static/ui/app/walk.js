// The walk of a disc by keys: each presses the button of the remote control that carries it.
const typing = (element) => element.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.altKey || event.ctrlKey || event.metaKey || typing(event.target)) return;
  if (event.key === "Enter" && event.target.closest("a, button") && !event.target.closest("[data-walk]")) return;
  const keys = [...document.querySelectorAll("[data-walk] [data-key]")];
  const pressed = keys.find((one) => one.dataset.key === event.key);
  const focused = event.target.closest("[data-key]");
  if (!pressed || (event.key === "Enter" && focused)) return;
  event.preventDefault();
  location.assign(pressed.href);
});
