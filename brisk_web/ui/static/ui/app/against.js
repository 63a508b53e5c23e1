// The page Against the master: one playhead, four ways to compare; both are kept in the address.
import { FrameMap, drawCurve } from "./map.js";
import { doKey, followWork, nextPlace, remember, showKeys } from "./page.js";

document.addEventListener("alpine:init", () => {
  const WAYS = ["wipe", "difference", "turn", "shape"];
  const TURN = 600; // milliseconds that each picture stands when both are shown in turn
  const FRAME_PAUSE = 90; // a held key steps faster than pictures can be decoded; the last one counts

  Alpine.data("against", () => ({
    data: null,
    frame: 0,
    shown: -1,
    way: "wipe",
    split: 50,
    turned: false,
    dragging: false,
    progressWords: "in queue",
    progressStyle: { width: "0%" },
    timers: {},

    init() {
      const told = document.getElementById("page-data");
      if (!told) {
        const waiting = this.$root.querySelector("[data-poll]");
        if (waiting) this.poll(waiting.dataset.poll);
        return;
      }
      this.data = JSON.parse(told.textContent);
      if (!this.data.found) return;
      const address = new URLSearchParams(location.search);
      if (WAYS.includes(address.get("way"))) this.way = address.get("way");
      this.map = Alpine.raw(new FrameMap(this.$refs.map, this.data, (frame) => this.seek(frame)));
      this.map.draw();
      if (this.data.curve) drawCurve(this.$refs.curve, this.data.curve);
      this.seek(address.has("frame") ? Number(address.get("frame")) : this.firstPlace());
      this.markWay();
    },
    destroy() {
      for (const timer of Object.values(this.timers)) clearTimeout(timer);
    },
    firstPlace() {
      const first = this.$root.querySelector(".told[data-frame]:not([data-frame=''])");
      return first ? Number(first.dataset.frame) : 0;
    },

    // The playhead.

    seek(frame) {
      this.frame = Math.max(0, Math.min(this.data.file.frames - 1, Math.round(frame) || 0));
      this.map.drawHead(this.frame);
      clearTimeout(this.timers.picture);
      this.timers.picture = setTimeout(() => (this.shown = this.frame), this.shown < 0 ? 0 : FRAME_PAUSE);
      this.markShot();
      this.remember();
    },
    get place() {
      if (!this.data?.found) return null;
      const place = this.map.masterOf(this.shown < 0 ? this.frame : this.shown);
      return place === null ? null : Math.max(0, Math.min(this.data.master.frames - 1, Math.round(place)));
    },
    get ownUrl() {
      return this.shown < 0 ? null : `${this.data.file.frame}${this.shown}.jpg`;
    },
    get otherUrl() {
      return this.shown < 0 || this.place === null ? null : `${this.data.master.frame}${this.place}.jpg`;
    },
    get ownLabel() {
      return this.data?.found ? this.map.label(this.data.file, this.frame) : "";
    },
    get otherLabel() {
      return this.place === null ? "nowhere" : this.map.label(this.data.master, this.place);
    },
    get curveWords() {
      if (!this.data?.curve) return "too flat to tell";
      const { gain, offset, blue, red } = this.data.curve;
      const colour = Math.max(Math.abs(blue), Math.abs(red)) > 1 ? `; blue ${blue.toFixed(1)}, red ${red.toFixed(1)}` : "";
      return `gain ${gain.toFixed(3)}, offset ${offset > 0 ? "+" : ""}${offset.toFixed(1)}${colour}`;
    },

    // Shots, sentences, worst frames.

    markShot() {
      let at = -1;
      this.data.shots.forEach((one, index) => {
        if (one.file_start !== null && this.frame >= one.file_start && this.frame < one.file_end) at = index;
      });
      this.shot = at;
      for (const row of this.$refs.shots?.children || []) {
        const chosen = Number(row.dataset.shot) === at;
        row.setAttribute("aria-current", chosen);
        row.querySelector("button").setAttribute("aria-pressed", chosen);
        if (chosen) row.scrollIntoView({ block: "nearest" });
      }
    },
    chooseShot(event) {
      const one = this.data.shots[Number(event.currentTarget.closest("tr").dataset.shot)];
      if (one.file_start !== null) this.seek((one.file_start + one.file_end) / 2);
    },
    stepShot(by) {
      const there = this.data.shots.filter((one) => one.file_start !== null);
      const next = nextPlace(there.map((one) => one.file_start), this.frame, by);
      if (next !== undefined) this.seek(next);
    },
    chooseSentence(event) {
      const frame = event.currentTarget.dataset.frame;
      if (frame && this.map) this.seek(Number(frame));
    },
    stepWorst(by) {
      const worst = this.data.worst.map(([frame]) => frame);
      if (!worst.length) return;
      const at = worst.indexOf(this.frame);
      this.seek(worst[at < 0 ? 0 : (at + by + worst.length) % worst.length]);
    },
    nextWorst() {
      this.stepWorst(1);
    },
    previousWorst() {
      this.stepWorst(-1);
    },

    // Ways to compare.

    chooseWay(event) {
      this.compareBy(event.currentTarget.dataset.way);
    },
    compareBy(way) {
      this.way = way;
      this.markWay();
      this.remember();
    },
    markWay() {
      for (const button of this.$root.querySelectorAll("[data-way]")) {
        button.setAttribute("aria-pressed", button.dataset.way === this.way);
      }
      this.$refs.box.classList.toggle("differs", this.way === "difference");
      clearTimeout(this.timers.turn);
      this.turned = false;
      if (this.way !== "turn") return;
      const turn = () => {
        this.turned = !this.turned;
        this.timers.turn = setTimeout(turn, TURN);
      };
      turn();
    },
    get wiping() {
      return this.way === "wipe" && this.place !== null;
    },
    get shaping() {
      return this.way === "shape" && Boolean(this.data?.geometry) && this.place !== null;
    },
    get ownName() {
      return this.way === "shape" ? "what is left of it" : "this file";
    },
    get ownNamed() {
      return this.way !== "difference" && !(this.way === "turn" && this.turned);
    },
    get otherNamed() {
      return this.place !== null && (this.way === "wipe" || (this.way === "turn" && this.turned) || this.way === "shape");
    },
    get ownStyle() {
      if (this.place === null) return {};
      if (this.way === "wipe") return { clipPath: `inset(0 ${100 - this.split}% 0 0)` };
      if (this.way === "turn") return { visibility: this.turned ? "hidden" : "visible" };
      if (this.way === "shape") return { visibility: "hidden" };
      return {};
    },
    get wipeStyle() {
      return { left: `${this.split}%` };
    },
    get shapeStyle() {
      if (!this.shaping) return {};
      const box = this.$refs.box;
      const [wide, high] = this.data.master.size;
      const [left, top, width, height] = this.data.geometry.visible;
      const scale = Math.min(box.clientWidth / wide, box.clientHeight / high);
      const [across, down] = [(box.clientWidth - wide * scale) / 2, (box.clientHeight - high * scale) / 2];
      return {
        left: `${across + left * scale}px`, top: `${down + top * scale}px`,
        width: `${width * scale}px`, height: `${height * scale}px`,
      };
    },
    grab(event) {
      if (this.way !== "wipe") return;
      event.preventDefault();
      this.dragging = true;
      this.$refs.box.setPointerCapture(event.pointerId);
      this.drag(event);
    },
    drag(event) {
      if (!this.dragging) return;
      const box = this.$refs.box.getBoundingClientRect();
      this.split = Math.max(0, Math.min(100, ((event.clientX - box.left) / box.width) * 100));
    },
    moveWipe(by) {
      if (this.way === "wipe") this.split = Math.max(0, Math.min(100, this.split + by));
    },
    letGo() {
      this.dragging = false;
    },

    remember() {
      remember(this.timers, () => ({ frame: this.frame, way: this.way === "wipe" ? null : this.way }));
    },
    poll(address) {
      followWork(this, address, (state) => {
        if (!state.active) location.reload();
        return !state.active;
      });
    },

    key(event) {
      if (!this.data?.found || this.$refs.keys.open) return;
      const far = event.shiftKey ? 10 : 1;
      doKey(event, {
        ArrowRight: () => this.seek(this.frame + far),
        ArrowLeft: () => this.seek(this.frame - far),
        ArrowDown: () => this.stepShot(1),
        ArrowUp: () => this.stepShot(-1),
        Home: () => this.seek(0),
        End: () => this.seek(this.data.file.frames - 1),
        "]": () => this.stepWorst(1),
        "[": () => this.stepWorst(-1),
        w: () => this.compareBy("wipe"),
        d: () => this.compareBy("difference"),
        t: () => this.compareBy("turn"),
        s: () => this.compareBy("shape"),
        ".": () => this.moveWipe(5),
        ",": () => this.moveWipe(-5),
        "?": () => showKeys(this.$refs.keys),
      });
    },
  }));
});
