// The Timeline page: tracks drawn as lanes, a playhead, and a range set by mouse, keys or timecode.
import { make } from "./svg.js";
import { label } from "./timecode.js";

document.addEventListener("alpine:init", () => {
  const ROW = 24;
  const NAMES = 92; // width of the lane names
  const MARK = 16;

  Alpine.data("edit", () => ({
    data: { length: 1, lanes: [], marks: [], ranges: {}, first: 0, nominal: 25, drop: false, rate: 25 },
    head: 0,
    start: 0,
    end: 1,
    chosen: -1,

    init() {
      this.data = JSON.parse(document.getElementById("page-data").textContent);
      this.end = this.data.length;
      this.showRange();
      const place = this.$refs.lanes;
      let held = "";
      place.addEventListener("pointerdown", (event) => {
        place.setPointerCapture(event.pointerId);
        const frame = this.under(event);
        const near = this.data.length * (6 / Math.max(this.width - NAMES, 1));
        held = Math.abs(frame - this.start) < near ? "start" : Math.abs(frame - this.end) < near ? "end" : "head";
        this.put(held, frame);
      });
      place.addEventListener("pointermove", (event) => held && this.put(held, this.under(event)));
      place.addEventListener("pointerup", () => (held = ""));
      new ResizeObserver(() => this.draw()).observe(place);
    },

    put(what, frame) {
      if (what === "head") this.head = Math.max(0, Math.min(frame, this.data.length - 1));
      if (what === "start") this.start = Math.max(0, Math.min(frame, this.end - 1));
      if (what === "end") this.end = Math.min(this.data.length, Math.max(frame, this.start + 1));
      this.draw();
    },
    under(event) {
      const x = event.clientX - this.$refs.lanes.getBoundingClientRect().left - NAMES;
      return Math.round((x / Math.max(this.width - NAMES, 1)) * this.data.length);
    },
    x(frame) {
      return NAMES + (frame / this.data.length) * (this.width - NAMES);
    },

    // Words.

    label(frame) {
      return label(this.data.first + frame, this.data.nominal, this.data.drop);
    },
    get headLabel() {
      return this.label(this.head);
    },
    get headName() {
      const lane = this.data.lanes.find((one) => one.kind === "picture");
      const event = lane?.events.find(([kind, , start, end]) => kind !== "transition" && this.head >= start && this.head < end);
      if (!event) return "";
      return event[0] === "gap" ? "gap" : `${event[1]}${event[6] === 1 ? "" : `, ${event[6] * 100} %`}`;
    },
    get inLabel() {
      return this.label(this.start);
    },
    get outLabel() {
      return this.label(this.end);
    },
    get rangeWords() {
      const frames = this.end - this.start;
      const whole = frames === this.data.length ? "the whole timeline, " : "";
      return `${whole}${label(frames, this.data.nominal, this.data.drop)}, ${frames} frames, ${(frames / this.data.rate).toFixed(2)} s`;
    },
    frameOf(text) {
      if (/^\d+$/.test(text)) return Number(text);
      const parts = text.split(/[:;]/).map(Number);
      if (parts.length !== 4 || parts.some(Number.isNaN)) return null;
      // Labels are searched, so that drop-frame counting needs no second rule.
      const [hours, minutes, seconds, frames] = parts;
      const guess = (hours * 3600 + minutes * 60 + seconds) * this.data.nominal + frames - this.data.first;
      for (let frame = guess; frame >= guess - 2 * (hours * 54 + minutes + 2) - 2; frame -= 1) {
        if (this.label(frame).replaceAll(";", ":") === text.replaceAll(";", ":")) return frame;
        if (!this.data.drop) break;
      }
      return null;
    },
    typedIn(event) {
      const frame = this.frameOf(event.target.value.trim());
      if (frame !== null) this.put("start", frame);
      event.target.value = this.inLabel;
    },
    typedOut(event) {
      const frame = this.frameOf(event.target.value.trim());
      if (frame !== null) this.put("end", frame);
      event.target.value = this.outLabel;
    },
    showRange() {
      const range = this.data.ranges[this.$refs.deliverable?.value];
      if (range) [this.start, this.end] = range;
      this.draw();
    },
    submitForm(event) {
      event.target.form.submit();
    },

    // Sources.

    filterSources(event) {
      const words = event.target.value.toLowerCase();
      for (const row of this.$refs.sources?.children || []) row.hidden = !row.textContent.toLowerCase().includes(words);
    },
    showSource(event) {
      const number = Number(event.currentTarget.closest("tr").dataset.source);
      this.chosen = this.chosen === number ? -1 : number;
      for (const row of this.$refs.sources.children) {
        const chosen = Number(row.dataset.source) === this.chosen;
        row.setAttribute("aria-current", chosen);
        row.querySelector("button").setAttribute("aria-pressed", chosen);
      }
      for (const lane of this.data.lanes) {
        const first = lane.events.find((one) => one[5] === this.chosen);
        if (first) {
          this.head = first[2];
          break;
        }
      }
      this.draw();
    },

    // Drawing.

    draw() {
      const place = this.$refs.lanes;
      this.width = place.clientWidth;
      if (this.width < 200) return;
      const height = MARK + 6 + this.data.lanes.length * ROW + 18;
      const svg = make("svg", { width: this.width, height });
      const bottom = height - 18;
      svg.append(make("rect", { class: "range", x: this.x(this.start), y: 0, width: Math.max(this.x(this.end) - this.x(this.start), 1), height: bottom }));
      this.data.lanes.forEach((lane, index) => this.drawLane(svg, lane, MARK + 6 + index * ROW));
      for (const [name, frame] of this.data.marks) {
        const x = this.x(frame);
        svg.append(make("path", { class: "mark", d: `M${x - 4} 1h8v6l-4 5-4-5z` }));
        svg.append(make("text", { class: "quiet", x: x + 7, y: 10 }, name));
      }
      for (let step = 0; step <= 8; step += 1) {
        const frame = (this.data.length * step) / 8;
        const anchor = step === 8 ? "end" : step === 0 ? "start" : "middle";
        svg.append(make("text", { class: "fig", x: this.x(frame), y: height - 4, "text-anchor": anchor }, this.label(Math.round(frame))));
      }
      for (const [frame, name] of [[this.start, "in"], [this.end, "out"]]) {
        svg.append(make("line", { class: "edge", x1: this.x(frame), x2: this.x(frame), y1: 0, y2: bottom }, name));
      }
      const x = this.x(this.head + 0.5);
      svg.append(make("line", { class: "head-line", x1: x, x2: x, y1: 0, y2: bottom }));
      place.replaceChildren(svg);
    },
    drawLane(svg, lane, top) {
      svg.append(make("text", { x: 0, y: top + 15 }, lane.name));
      for (const [kind, name, start, end, weight, source] of lane.events) {
        const left = this.x(start);
        const width = Math.max(this.x(end) - left, 1);
        if (kind === "transition") {
          svg.append(make("path", { class: "transition", d: `M${left} ${top + ROW - 5}L${left + width} ${top + 1}` }));
          continue;
        }
        const state = kind === "gap" ? "gap" : ["clip", "clip noted", "clip troubled"][weight];
        const chosen = source >= 0 && source === this.chosen ? " chosen" : "";
        const box = make("rect", { class: state + chosen, x: left + 0.5, y: top, width: Math.max(width - 1, 1), height: ROW - 4, rx: 2 });
        box.append(make("title", {}, `${kind === "gap" ? "gap" : name}, ${this.label(start)} to ${this.label(end)}, ${end - start} frames`));
        svg.append(box);
        if (weight === 2 && width > 14) svg.append(make("path", { class: "trouble-mark", d: `M${left + 9} ${top + 4}l6 6-6 6-6-6z` }));
        const room = width - (weight === 2 ? 20 : 6);
        if (room > 30 && kind === "clip") {
          const says = name.length * 6 > room ? `${name.slice(0, Math.floor(room / 6.4))}…` : name;
          svg.append(make("text", { x: left + (weight === 2 ? 18 : 5), y: top + 14 }, says));
        }
      }
    },

    key(event) {
      if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, select, textarea")) return;
      const far = event.shiftKey ? 10 : 1;
      const does = {
        ArrowRight: () => this.put("head", this.head + far),
        ArrowLeft: () => this.put("head", this.head - far),
        Home: () => this.put("head", 0),
        End: () => this.put("head", this.data.length - 1),
        i: () => this.put("start", this.head),
        o: () => this.put("end", this.head + 1),
        x: () => {
          [this.start, this.end] = [0, this.data.length];
          this.draw();
        },
      }[event.key];
      if (!does) return;
      event.preventDefault();
      does();
    },
  }));
});
