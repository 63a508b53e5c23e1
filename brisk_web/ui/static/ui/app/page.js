// What pages with a playhead share: the address that keeps their state, asking how far work is, and keys.
import { isOver, signedInAgain, tellOver } from "./session.js";

const POLL = 1000; // milliseconds between two looks while work runs
const SETTLE = 150; // milliseconds after which a state that has not changed again is kept in the address

// Keeps values in the address; an empty one is left out of it. One timer a page: the last call counts.
export const remember = (timers, values) => {
  clearTimeout(timers.address);
  timers.address = setTimeout(() => history.replaceState(null, "", withValues(location.href, values())), SETTLE);
};

export const withValues = (address, values) => {
  const changed = new URL(address);
  for (const [name, value] of Object.entries(values)) {
    if (value === null || value === undefined || value === "") changed.searchParams.delete(name);
    else changed.searchParams.set(name, value);
  }
  return changed;
};

// Asks how far work is and shows it on a component; ``over`` says of an answer whether to stop, after doing its part.
export const followWork = (component, address, over) => {
  const ask = async () => {
    try {
      const answer = await fetch(address);
      if (isOver(answer)) {
        component.progressWords = "signed out";
        tellOver();
        await signedInAgain();
        ask();
        return;
      }
      const state = await answer.json();
      component.progressWords = state.words;
      component.progressStyle = { width: `${(state.share * 100).toFixed(1)}%` };
      if (await over(state)) return;
    } catch {
      component.progressWords = "no answer from the house, trying again";
    }
    component.timers.poll = setTimeout(ask, POLL);
  };
  ask();
};

// May a single key act? Whoever speaks to the machine switches that off; it is remembered.
const STORE = "brisk-single-keys";
export const singleKeys = () => globalThis.localStorage?.getItem(STORE) !== "off";
globalThis.document?.addEventListener("change", (event) => {
  if (event.target.matches("[data-single-keys]")) localStorage.setItem(STORE, event.target.checked ? "on" : "off");
});
export const showKeys = (dialog) => {
  for (const box of dialog.querySelectorAll("[data-single-keys]")) box.checked = singleKeys();
  dialog.showModal();
};

// Moves the focus within a toolbar; says whether the key was one of those that do.
const stepToolbar = (toolbar, event) => {
  const buttons = [...toolbar.querySelectorAll("button:not([disabled])")];
  const at = buttons.indexOf(event.target.closest("button"));
  const next = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: buttons.length - 1 }[event.key];
  if (next === undefined || at < 0) return false;
  event.preventDefault();
  buttons[(next + buttons.length) % buttons.length].focus();
  return true;
};

// Does what a key stands for, unless it is meant for a field that is being written in.
export const doKey = (event, does) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.matches("input:not([type=checkbox], [type=button]), textarea, select, video, audio")) {
    if (event.key === "Escape") event.target.blur();
    return;
  }
  const toolbar = event.target.closest("[role=toolbar]");
  if (toolbar && stepToolbar(toolbar, event)) return; // its arrows are its own
  const act = does[event.key];
  if (!act) return;
  const drawn = event.target.closest("[role=application]"); // where arrows are announced to act
  if (!singleKeys() && !(drawn && event.key.length > 1) && event.key !== "?") return;
  event.preventDefault();
  act();
};

// The nearest of some places after or before a frame, in the order of time; undefined where there is none.
export const nextPlace = (places, frame, by) => {
  const ordered = [...new Set(places)].sort((one, other) => one - other);
  return by > 0 ? ordered.find((at) => at > frame) : ordered.filter((at) => at < frame).pop();
};
