// The editor of a spec as rows, with its text beside it: each follows the other, and the house reads both.
import { isOver, signedInAgain, tellOver } from "./session.js";
import {
  CONDITION_WORDS, fieldsOf, freeId, freshCondition, moved, parted, steps, toCell, toText, withField,
} from "./spec_values.js";

const WAIT = 350; // milliseconds after the last key until the house reads what was typed
const TOP = [["name", "Name"], ["id", "Id"], ["family", "Family"], ["source", "Source"], ["issued", "Issued"], ["review_by", "Review by"], ["extends", "Extends"]];
const MAY_LACK = ["review_by", "extends"];
const FAMILIES = ["web", "disc", "broadcast", "playout", "archive", "player"];
const WEIGHTS = ["must", "should", "note"];
const WITNESSES = ["declared", "coded", "observed"];

const make = (tag, attributes = {}, ...inside) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (name in element && name !== "list") element[name] = value;
    else if (value !== null && value !== false) element.setAttribute(name, value);
  }
  element.append(...inside.filter((one) => one !== null && one !== undefined));
  return element;
};

const choice = (values, chosen, words, label, change) => {
  const known = values.includes(chosen) ? values : [chosen, ...values];
  const options = known.map((one) => make("option", { value: one, selected: one === chosen }, words(one)));
  return make("select", { "aria-label": label, onchange: (event) => change(event.target.value) }, ...options);
};

class Rows {
  constructor(root) {
    this.root = root;
    this.text = root.querySelector("[name=document]");
    this.list = root.querySelector("[data-rows]");
    this.top = root.querySelector("[data-top]");
    this.state = root.querySelector("[data-state]");
    this.says = root.querySelector("[data-says]");
    this.slug = root.dataset.slug;
    this.document = null;
    this.mistakes = [];
    this.inherited = [];
    this.open = new Set();
    this.asked = 0;
    this.history = steps(this.text.value);
  }

  async begin() {
    const answer = await fetch(this.root.dataset.characteristics);
    const { characteristics } = await answer.json();
    this.known = new Map(characteristics.map((one) => [one.id, one]));
    this.byLabel = new Map(characteristics.map((one) => [one.label.toLowerCase(), one.id]));
    const options = characteristics.map((one) => make("option", { value: one.id, label: `${one.label} · ${one.group}` }));
    this.root.append(make("datalist", { id: "characteristics" }, ...options));
    this.text.addEventListener("input", () => this.later(() => this.read({ text: this.text.value }, { keep: true, draw: true })));
    this.root.querySelector("[data-add]").addEventListener("click", () => this.add());
    this.root.querySelector("[data-undo]").addEventListener("click", () => this.undo(this.history.back()));
    this.root.querySelector("[data-redo]").addEventListener("click", () => this.undo(this.history.again()));
    this.root.addEventListener("keydown", (event) => this.key(event));
    this.root.addEventListener("submit", (event) => this.send(event));
    await this.read({ text: this.text.value }, { draw: true });
  }

  key(event) {
    const row = event.target.closest("[data-at]");
    const at = row ? Number(row.dataset.at) : this.lines.length - 1;
    if (event.key === "Enter" && event.ctrlKey) this.add(at);
    else if (event.altKey && event.key === "ArrowUp" && row) this.move(at, -1);
    else if (event.altKey && event.key === "ArrowDown" && row) this.move(at, 1);
    else if (event.key === "z" && event.ctrlKey && event.target !== this.text) this.undo(event.shiftKey ? this.history.again() : this.history.back());
    else return;
    event.preventDefault();
  }

  get lines() {
    return Array.isArray(this.document?.lines) ? this.document.lines : [];
  }

  later(what) {
    clearTimeout(this.timer);
    this.asked += 1; // what is on its way tells of what was
    this.tell("…");
    this.waiting = what;
    this.timer = setTimeout(() => this.settle(), WAIT);
  }

  // Let the house read at once what waits for the last key.
  async settle() {
    clearTimeout(this.timer);
    const what = this.waiting;
    this.waiting = null;
    if (what) this.reading = what();
    await this.reading;
    this.reading = null;
  }

  // What is sent is what was written last, by row or by text.
  async send(event) {
    if (!this.waiting && !this.reading) return;
    event.preventDefault();
    await this.settle();
    this.root.requestSubmit(event.submitter);
  }

  // Let the house read the text or the document; only the answer to what was asked last counts.
  async read(asked, { keep = false, draw = false } = {}) {
    const number = (this.asked += 1);
    const token = this.root.querySelector("[name=csrfmiddlewaretoken]").value;
    let answer;
    try {
      const body = JSON.stringify({ ...asked, keep, slug: this.slug });
      answer = await fetch(this.root.dataset.rows, { method: "POST", headers: { "X-CSRFToken": token }, body });
    } catch {
      this.tell("The house does not answer; what you write stays here.");
      return;
    }
    if (isOver(answer) || answer.status === 403) {
      tellOver();
      await signedInAgain();
      return this.read(asked, { keep, draw });
    }
    const found = await answer.json();
    if (number !== this.asked) return;
    if (found.error) return this.tell(found.error);
    this.mistakes = found.mistakes;
    this.inherited = found.inherited;
    if (found.document && draw) this.document = found.document; // rows that are being written keep what they hold
    if (asked.document) this.text.value = found.text;
    this.history.take(this.text.value);
    if (draw && found.document) this.draw();
    this.drawInherited();
    this.mark();
    const wrong = found.mistakes.length;
    const count = `${this.lines.length} line${this.lines.length === 1 ? "" : "s"}`;
    this.tell(`${wrong ? `${wrong} mistake${wrong === 1 ? "" : "s"} in ` : "No mistake in "}${count}${keep ? "; kept as a draft" : ""}.`);
  }

  tell(words) {
    this.state.textContent = words;
  }

  changed({ draw = false } = {}) {
    if (draw) this.draw();
    this.later(() => this.read({ document: this.document, before: this.text.value }, { keep: true }));
  }

  undo(text) {
    if (text === null) return;
    this.text.value = text;
    clearTimeout(this.timer);
    this.waiting = null;
    this.read({ text }, { keep: true, draw: true });
  }

  add(after = this.lines.length - 1) {
    this.document ??= {};
    if (!Array.isArray(this.document.lines)) this.document.lines = [];
    this.document.lines.splice(after + 1, 0, { id: freeId("line", this.ids()), characteristic: "", condition: { equals: "" } });
    this.open.clear();
    this.changed({ draw: true });
    this.list.querySelector(`[data-at="${after + 1}"] input`)?.focus();
  }

  move(at, by) {
    const rows = moved(this.lines, at, by);
    if (rows === this.lines) return;
    this.document.lines = rows;
    this.open.clear();
    this.changed({ draw: true });
    this.list.querySelector(`[data-at="${at + by}"] input`)?.focus();
  }

  remove(at) {
    this.document.lines.splice(at, 1);
    this.open.clear();
    this.changed({ draw: true });
    (this.list.querySelector(`[data-at="${Math.min(at, this.lines.length - 1)}"] input`) ?? this.root.querySelector("[data-add]")).focus();
  }

  ids() {
    return this.lines.map((line) => line?.id);
  }

  draw() {
    this.top.replaceChildren(...TOP.map(([key, label]) => this.topField(key, label)));
    this.list.replaceChildren(...this.lines.map((line, at) => this.row(line, at)));
  }

  topField(key, label) {
    const value = toText(this.document[key]);
    const set = (said) => {
      if (said || !MAY_LACK.includes(key)) this.document[key] = said;
      else delete this.document[key];
      this.changed();
    };
    if (key === "family") return make("label", { className: "plan-field" }, label, choice(FAMILIES, value, (one) => one, label, set));
    const type = key === "issued" || key === "review_by" ? "date" : "text";
    const field = make("input", { type, value, autocomplete: "off", readOnly: key === "id" && this.slug !== "", oninput: (event) => set(event.target.value) });
    return make("label", { className: "plan-field" }, label, field);
  }

  row(line, at) {
    if (typeof line !== "object" || line === null) return make("li", { "data-at": at, className: "spec-row" }, "this line is no mapping; mend it in the text");
    const number = `line ${at + 1}`;
    const known = this.known.get(line.characteristic);
    const search = make("input", {
      type: "text", list: "characteristics", value: line.characteristic ?? "", autocomplete: "off", placeholder: "characteristic",
      "aria-label": `Characteristic of ${number}`, onchange: (event) => this.choose(line, at, event.target),
    });
    search.setAttribute("list", "characteristics");
    const buttons = make("span", { className: "spec-row-buttons" },
      this.button("More", `More of ${number}`, () => this.fold(at), { "aria-expanded": String(this.open.has(at)) }),
      this.button("↑", `Move ${number} up`, () => this.move(at, -1)),
      this.button("↓", `Move ${number} down`, () => this.move(at, 1)),
      this.button("Remove", `Remove ${number}`, () => this.remove(at)));
    const main = make("div", { className: "spec-row-main" },
      make("span", { className: "spec-row-number fig" }, String(at + 1)),
      make("span", { className: "spec-row-what" }, search, make("span", { className: "text-soft text-small" }, line.label || known?.label || "")),
      this.condition(line.condition, known, number, (raw) => { line.condition = raw; }),
      choice(WEIGHTS, line.weight ?? "must", (one) => one, `Weight of ${number}`, (weight) => {
        if (weight === "must") delete line.weight;
        else line.weight = weight;
        this.changed();
      }),
      buttons);
    return make("li", { "data-at": at, className: "spec-row" }, main, this.open.has(at) ? this.more(line, known, number) : null, make("div", { className: "spec-row-says" }));
  }

  button(words, label, press, more = {}) {
    return make("button", { type: "button", className: "small-button", "aria-label": label, onclick: press, ...more }, words);
  }

  fold(at) {
    if (this.open.has(at)) this.open.delete(at);
    else this.open.add(at);
    this.draw();
    this.mark();
    this.list.querySelector(`[data-at="${at}"] [aria-expanded]`).focus();
  }

  // A characteristic may be typed by its id or by its label; the condition stays where it fits.
  choose(line, at, field) {
    const said = field.value.trim();
    const id = this.known.has(said) ? said : this.byLabel.get(said.toLowerCase()) ?? said;
    const known = this.known.get(id);
    const named = /^line(-\d+)?$/.test(line.id ?? "") || !line.id;
    line.characteristic = id;
    if (known && named) line.id = freeId(id, this.ids().filter((_, other) => other !== at));
    if (known && !known.conditions.includes(parted(line.condition)[0])) line.condition = freshCondition(known.conditions[0], known);
    else if (known && toText(parted(line.condition)[1]) === "") line.condition = freshCondition(parted(line.condition)[0], known);
    this.changed({ draw: true });
    this.list.querySelector(`[data-at="${at}"] select`)?.focus();
  }

  // A condition with its fields. It is drawn anew by itself, so that what is beside it keeps its place.
  condition(raw, known, whose, set, { inner = false } = {}) {
    const box = make("div", { className: "spec-condition" });
    const draw = () => {
      const [name, value] = parted(raw);
      const names = (known?.conditions ?? Object.keys(CONDITION_WORDS)).filter((one) => !inner || !["table", "cases", "witnesses_agree", "fits_buffer"].includes(one));
      const take = (next, again) => {
        raw = next;
        set(next);
        this.changed();
        if (again) draw();
      };
      const pick = choice(names, name, (one) => CONDITION_WORDS[one] ?? one, `Condition of ${whose}`, (next) => {
        take(freshCondition(next, known), true);
        box.querySelector("select").focus();
      });
      const fields = fieldsOf(name, known?.kind ?? "text").map((field) => {
        const now = field.at === null ? value : value?.[field.at];
        const label = `${field.label} of ${whose}`;
        const fill = (text) => take(withField(raw, field, text), false);
        if (!field.several && field.kind === known?.kind && known?.choices.length) return choice(known.choices, toText(now), (one) => one, label, fill);
        if (field.kind === "yes or no") return choice(["true", "false"], toText(now), (one) => (one === "true" ? "yes" : "no"), label, fill);
        const placeholder = field.several && known?.choices.length ? known.choices.join(", ") : field.label;
        return make("input", { type: "text", value: toText(now, field.kind), placeholder, "aria-label": label, autocomplete: "off", className: "fig", oninput: (event) => fill(event.target.value) });
      });
      box.replaceChildren(pick, ...fields);
      if (name === "table") box.append(this.table(value, whose, (next, again) => take({ table: next }, again)));
      if (name === "cases") box.append(this.cases(value, known, whose, (next, again) => take({ cases: next }, again)));
    };
    draw();
    return box;
  }

  table(value, whose, take) {
    const columns = Array.isArray(value?.columns) ? value.columns : [];
    const rows = Array.isArray(value?.rows) ? value.rows.map((row) => (Array.isArray(row) ? row : [])) : [];
    const kind = (id) => this.known.get(id)?.kind ?? "text";
    const head = columns.map((id, at) => {
      const field = make("input", { type: "text", value: id, "aria-label": `Column ${at + 1} of ${whose}`, autocomplete: "off", onchange: (event) => take({ columns: columns.with(at, event.target.value.trim()), rows }, false) });
      field.setAttribute("list", "characteristics");
      return make("th", { scope: "col" }, field);
    });
    const body = rows.map((row, down) => make("tr", {},
      ...columns.map((id, at) => make("td", {}, make("input", {
        type: "text", value: toText(row[at], kind(id)), "aria-label": `${this.known.get(id)?.label ?? id}, row ${down + 1} of ${whose}`, autocomplete: "off", className: "fig",
        oninput: (event) => {
          row[at] = toCell(event.target.value, kind(id));
          take({ columns, rows }, false);
        },
      }))),
      make("td", {}, this.button("Remove", `Remove row ${down + 1} of ${whose}`, () => take({ columns, rows: rows.toSpliced(down, 1) }, true)))));
    const blank = columns.map(() => "");
    return make("div", { className: "spec-inner" },
      make("table", {}, make("thead", {}, make("tr", {}, ...head, make("th", { scope: "col" }, make("span", { className: "sr-only" }, "Remove")))), make("tbody", {}, ...body)),
      this.button("Add a row", `Add a row to ${whose}`, () => take({ columns, rows: [...rows, blank] }, true)),
      this.button("Add a column", `Add a column to ${whose}`, () => take({ columns: [...columns, ""], rows: rows.map((row) => [...row, ""]) }, true)));
  }

  cases(value, known, whose, take) {
    const all = Array.isArray(value) ? value : [];
    const blocks = all.map((one, at) => {
      const number = `case ${at + 1} of ${whose}`;
      const put = (next, again = false) => take(all.with(at, next), again);
      const remove = this.button("Remove", `Remove ${number}`, () => take(all.toSpliced(at, 1), true));
      if (one && "otherwise" in one) {
        const then = this.condition(one.otherwise, known, number, (raw) => { one.otherwise = raw; }, { inner: true });
        return make("div", { className: "spec-case" }, make("b", {}, "otherwise"), then, remove);
      }
      const when = one?.when && typeof one.when === "object" ? one.when : {};
      const facts = Object.entries(when).map(([id, raw], place) => {
        const rename = (next) => put({ ...one, when: Object.fromEntries(Object.entries(when).map(([key, inner]) => (key === id ? [next, inner] : [key, inner]))) }, true);
        const field = make("input", { type: "text", value: id, "aria-label": `Fact ${place + 1} of ${number}`, autocomplete: "off", onchange: (event) => rename(event.target.value.trim()) });
        field.setAttribute("list", "characteristics");
        return make("div", { className: "spec-fact" }, make("b", {}, place ? "and" : "when"), field, this.condition(raw, this.known.get(id), `fact ${place + 1} of ${number}`, (next) => { when[id] = next; }, { inner: true }));
      });
      const then = this.condition(one?.then, known, `then of ${number}`, (raw) => { one.then = raw; }, { inner: true });
      const more = this.button("And", `Another fact for ${number}`, () => put({ ...one, when: { ...when, [freeFact(when)]: { equals: "" } } }, true));
      return make("div", { className: "spec-case" }, ...facts, make("div", { className: "spec-fact" }, make("b", {}, "then"), then), more, remove);
    });
    const [first] = known?.conditions ?? ["equals"];
    return make("div", { className: "spec-inner" }, ...blocks,
      this.button("Add a case", `Add a case to ${whose}`, () => take([...all.filter((one) => !("otherwise" in one)), { when: { "picture.size": { equals: "" } }, then: freshCondition(first, known) }, ...all.filter((one) => "otherwise" in one)], true)),
      all.some((one) => one && "otherwise" in one) ? null : this.button("Otherwise", `Otherwise, for ${whose}`, () => take([...all, { otherwise: freshCondition(first, known) }], true)));
  }

  more(line, known, whose) {
    const text = (key, label, placeholder = "") => make("label", { className: "plan-field" }, label, make("input", {
      type: "text", value: line[key] ?? "", placeholder, autocomplete: "off",
      oninput: (event) => {
        const said = event.target.value;
        if (said || key === "id") line[key] = said;
        else delete line[key];
        this.changed();
      },
    }));
    const chosen = Array.isArray(line.witness) ? line.witness : line.witness ? [line.witness] : [];
    const witnesses = WITNESSES.filter((one) => !known || known.witnesses.includes(one)).map((one) => make("label", { className: "flex items-center gap-1.5" }, make("input", {
      type: "checkbox", checked: chosen.includes(one), "aria-label": `Only what is ${one}, ${whose}`,
      onchange: (event) => {
        const now = event.target.checked ? [...chosen, one] : chosen.filter((other) => other !== one);
        chosen.splice(0, chosen.length, ...now);
        if (chosen.length) line.witness = [...chosen];
        else delete line.witness;
        this.changed();
      },
    }), one));
    return make("div", { className: "spec-row-more" },
      text("label", "Label", known?.label ?? ""), text("id", "Id"), text("why", "Why", known?.why ?? ""), text("remedy", "What to change", known?.remedy ?? ""),
      make("fieldset", {}, make("legend", { className: "text-soft text-small" }, "Witnesses that are asked; none is the usual ones"), make("div", { className: "flex gap-3" }, ...witnesses)),
      known ? make("p", { className: "text-soft text-small" }, known.definition) : null);
  }

  // Lines of the spec that this one extends: each can be changed here, left out, and taken back.
  drawInherited() {
    const box = this.root.querySelector("[data-inherited]");
    const own = this.ids();
    const without = Array.isArray(this.document?.without) ? this.document.without : [];
    const rows = this.inherited.filter((one) => !own.includes(one.id)).map((one) => {
      const left = without.includes(one.id);
      const words = make("span", { className: left ? "text-soft line-through" : "" }, `${one.label}: ${one.required}`);
      return make("li", { className: "spec-inherited" }, words,
        left ? null : this.button("Change here", `Change ${one.label} here`, () => this.takeOver(one)),
        this.button(left ? "Take back" : "Leave out", `${left ? "Take back" : "Leave out"} ${one.label}`, () => this.leaveOut(one.id, !left)));
    });
    box.replaceChildren(...(rows.length ? [make("h2", { className: "mt-3" }, "From the spec that it extends"), make("ul", {}, ...rows)] : []));
  }

  takeOver(one) {
    if (!Array.isArray(this.document.lines)) this.document.lines = [];
    this.document.lines.push(structuredClone(one.line));
    this.changed({ draw: true });
    this.drawInherited();
    this.list.querySelector(`[data-at="${this.lines.length - 1}"] select`)?.focus();
  }

  leaveOut(id, left) {
    const without = Array.isArray(this.document.without) ? this.document.without : [];
    const now = left ? [...without, id] : without.filter((one) => one !== id);
    if (now.length) this.document.without = now;
    else delete this.document.without;
    this.changed();
    this.drawInherited();
  }

  mark() {
    for (const row of this.list.querySelectorAll("[data-at]")) {
      const own = this.mistakes.filter((one) => one.line === Number(row.dataset.at));
      row.classList.toggle("spec-row-wrong", own.length > 0);
      row.querySelector(".spec-row-says")?.replaceChildren(...own.map((one) => make("p", { className: "is-fail text-small" }, one.says)));
    }
    const others = this.mistakes.filter((one) => one.line === null);
    this.says.replaceChildren(...others.map((one) => make("p", { className: "is-fail" }, `${one.place}: ${one.says}`)));
    this.root.querySelector("[data-undo]").disabled = !this.history.canBack;
    this.root.querySelector("[data-redo]").disabled = !this.history.canAgain;
  }
}

const freeFact = (when) => ["picture.frame_rate", "picture.scan", "picture.codec", "sound.channels"].find((id) => !(id in when)) ?? "";

const root = document.querySelector("[data-spec-rows]");
if (root) new Rows(root).begin();
