// Going anywhere by name, and the keys that every page answers to.
import { doKey, showKeys } from "./page.js";

const PAUSE = 120; // milliseconds after the last letter

const dialog = document.getElementById("palette");
const keys = document.getElementById("keys-everywhere");

const begin = () => {
  const field = dialog.querySelector("input");
  const list = dialog.querySelector("[role=listbox]");
  const says = dialog.querySelector("[data-palette-says]");
  let chosen = 0;
  let asked = 0;
  let timer = 0;

  const options = () => [...list.children];
  const choose = (at) => {
    const all = options();
    if (!all.length) return field.removeAttribute("aria-activedescendant");
    chosen = (at + all.length) % all.length;
    all.forEach((option, number) => option.setAttribute("aria-selected", String(number === chosen)));
    field.setAttribute("aria-activedescendant", all[chosen].id);
    all[chosen].scrollIntoView({ block: "nearest" });
  };

  const option = (place, number) => {
    const link = document.createElement("a");
    link.id = `palette-place-${number}`;
    link.href = place.address;
    link.setAttribute("role", "option");
    link.tabIndex = -1;
    for (const [name, text] of [["kind", place.kind], ["name", place.name], ["more", place.more]]) {
      const part = document.createElement(name === "name" ? "bdi" : "span");
      part.className = `palette-${name}`;
      part.textContent = text;
      link.append(part);
    }
    return link;
  };

  const look = async () => {
    const mine = ++asked;
    const words = field.value.trim();
    let places;
    try {
      const answer = await fetch(`/find?q=${encodeURIComponent(words)}`);
      if (answer.redirected) throw new Error("signed out");
      places = (await answer.json()).places;
    } catch {
      if (mine === asked) says.textContent = "No answer from the house.";
      return;
    }
    if (mine !== asked) return; // a later question has been asked
    list.replaceChildren(...places.map(option));
    says.textContent = places.length ? `${places.length} place${places.length === 1 ? "" : "s"}: ↓ ↑ choose, Enter goes there.` : "Nothing has such a name.";
    choose(0);
  };

  const open = () => {
    if (dialog.open) return dialog.close();
    field.value = "";
    list.replaceChildren();
    says.textContent = "";
    dialog.showModal();
    field.focus();
    look();
  };

  field.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(look, PAUSE);
  });
  field.addEventListener("keydown", (event) => {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      choose(chosen + (event.key === "ArrowDown" ? 1 : -1));
    } else if (event.key === "Enter") {
      event.preventDefault();
      options()[chosen]?.click();
    }
  });
  dialog.addEventListener("click", (event) => {
    if (event.target === dialog) dialog.close(); // beside it
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-palette]")) open();
  });
  window.addEventListener("keydown", (event) => {
    if ((event.ctrlKey || event.metaKey) && !event.altKey && event.key.toLowerCase() === "k") {
      event.preventDefault();
      open();
      return;
    }
    if (event.defaultPrevented || document.querySelector("dialog[open]")) return;
    const own = document.querySelector("[x-ref=keys]"); // the page has more to tell, and tells it itself
    const filter = document.querySelector("main input[type=search]");
    doKey(event, { ...(own ? {} : { "?": () => showKeys(keys) }), ...(filter && !own ? { "/": () => filter.focus() } : {}) });
  });
};
if (dialog) begin();
