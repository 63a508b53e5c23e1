// Small state of list pages: a part that refreshes itself while something runs, around what a person is doing in it.
import { isOver, signedInAgain, tellOver } from "./session.js";

const AGAIN = 5000; // milliseconds after which a house that gave no answer is asked again
const SHARED = 300; // milliseconds for which parts of one page share an answer

let asked = null;
const freshPage = () => {
  asked ??= fetch(location.href, { headers: { "X-Part": "yes" } }).then(async (answer) => ({
    over: isOver(answer),
    page: new DOMParser().parseFromString(await answer.text(), "text/html"),
  })).finally(() => setTimeout(() => (asked = null), SHARED));
  return asked;
};

const shown = () => new Promise((resolve) => {
  if (!document.hidden) resolve();
  else document.addEventListener("visibilitychange", () => resolve(), { once: true });
});

// What a person has opened stays open, and what is being written is left as it is.
const keep = (here, fresh) => {
  if (here.nodeType !== Node.ELEMENT_NODE) return;
  if (here.matches("details[open], dialog[open]")) fresh.setAttribute("open", "");
  if (here.matches("select") && here.value !== fresh.value) {
    for (const option of fresh.options) option.toggleAttribute("selected", option.value === here.value);
  }
};

const components = (part) => part.querySelectorAll("[x-data]").length;

document.addEventListener("alpine:init", () => {
  Alpine.data("selfRefreshing", () => ({
    timer: null,
    init() {
      this.changed = () => {
        clearTimeout(this.timer);
        this.refresh(this.$el);
      };
      document.addEventListener("brisk:changed", this.changed);
      this.wait(Number(this.$el.dataset.every || 0));
    },
    destroy() {
      clearTimeout(this.timer);
      document.removeEventListener("brisk:changed", this.changed);
    },
    wait(every) {
      const part = this.$el;
      if (every) this.timer = setTimeout(() => this.refresh(part), every);
    },
    async refresh(part) {
      await shown();
      try {
        const { over, page } = await freshPage();
        if (over) {
          tellOver();
          await signedInAgain();
          this.refresh(part);
          return;
        }
        const fresh = page.getElementById(part.id);
        if (!fresh || !part.isConnected) return;
        if (components(part) !== components(fresh)) {
          part.replaceWith(fresh); // what begins anew must begin in the page, with its own drawings
          document.dispatchEvent(new Event("brisk:refreshed"));
          return;
        }
        Alpine.morph(part, fresh.outerHTML, { updating: keep });
        document.dispatchEvent(new Event("brisk:refreshed"));
        const every = Number(part.dataset.every || 0);
        if (every) this.timer = setTimeout(() => this.refresh(part), every);
      } catch {
        this.timer = setTimeout(() => this.refresh(part), AGAIN);
      }
    },
  }));
});
