// The Check page: one chosen line, one playhead, one window of the lanes; all three are kept in the address.
import "./caption_lane.js";
import { Lanes } from "./lanes.js";
import { doKey, followWork, nextPlace, remember, showKeys } from "./page.js";
import "./scan_lanes.js";
import { label } from "./timecode.js";

document.addEventListener("alpine:init", () => {
  const TURN = 500; // milliseconds that a field stands when both are shown in turn
  const FRAME_PAUSE = 90; // a held key steps faster than pictures can be decoded; the last one counts
  const SMALLEST_WINDOW = 1; // frames
  const STORE = "brisk-failing-first";
  const VIEWS = ["picture", "fields", "levels", "area", "difference", "alpha"]; // in the order of the key
  const FIELD_VIEWS = ["top-field", "bottom-field"];

  Alpine.data("check", () => ({
    data: {},
    line: "",
    frame: 0,
    shown: -1,
    filter: "",
    failingFirst: true,
    window: [0, 0],
    lanes: null,
    pictureState: "",
    pictureFine: true,
    view: "picture",
    inTurn: false,
    playing: false,
    clipState: "",
    captions: null, // tracks of captions on frames, fetched once
    samplesWords: "",
    samplesAt: [0, 0],
    progressWords: "",
    progressStyle: { width: "0%" },
    timers: {},

    init() {
      this.data = JSON.parse(document.getElementById("page-data").textContent);
      this.failingFirst = localStorage.getItem(STORE) !== "no";
      const address = new URLSearchParams(location.search);
      this.window = this.windowOf(address);
      this.frame = this.shown = this.data.frames ? this.within(this.data.begin) : -1; // the page came with its picture
      this.$nextTick(() => {
        const { picture } = this.$refs; // one that failed before anybody listened
        if (picture?.complete && !picture.naturalWidth) this.pictureFailed();
      });
      if (this.data.frames && !this.$refs.picture.complete) this.pictureState = "decoding";
      this.filter = address.get("only") || "";
      if ([...VIEWS, ...FIELD_VIEWS].includes(address.get("view"))) this.view = address.get("view");
      this.markView();
      const first = [...this.data.lines].sort((one, other) => one.order - other.order)[0];
      const wanted = this.data.lines.find((one) => one.id === address.get("line")) || first;
      this.arrange();
      if (wanted) this.show(wanted.id, false);
      if (this.data.frames) this.startLanes();
      if (this.data.active) this.poll();
      this.$watch("filter", () => {
        this.arrange();
        this.remember();
      });
      this.$watch("failingFirst", (value) => {
        localStorage.setItem(STORE, value ? "yes" : "no");
        this.arrange();
      });
    },

    destroy() {
      for (const timer of Object.values(this.timers)) clearTimeout(timer);
      this.resizer?.disconnect();
    },

    // The ledger.

    blocks() {
      return [...this.$refs.lines.querySelectorAll(".ledger-block")];
    },
    buttons() {
      return [...this.$refs.lines.querySelectorAll(".ledger-line")].filter((one) => !one.hidden);
    },
    arrange() {
      const words = this.filter.toLowerCase();
      const order = Object.fromEntries(this.data.lines.map((one, index) => [one.id, [one.order, index]]));
      const rank = (id) => (this.failingFirst ? order[id][0] * 1000 : 0) + order[id][1];
      for (const block of this.blocks()) {
        const lines = [...block.querySelectorAll(".ledger-line")];
        lines.sort((one, other) => rank(one.dataset.line) - rank(other.dataset.line));
        for (const line of lines) line.hidden = !line.textContent.toLowerCase().includes(words);
        block.append(...lines);
        block.hidden = lines.every((one) => one.hidden);
      }
      const worst = (block) => Math.min(...[...block.querySelectorAll(".ledger-line")].map((one) => rank(one.dataset.line)));
      const blocks = this.blocks().sort((one, other) => worst(one) - worst(other));
      if (blocks.length) this.$refs.lines.append(...blocks);
    },
    chooseLine(event) {
      const line = event.target.closest(".ledger-line");
      if (line) this.show(line.dataset.line, true);
    },
    chooseGroup(event) {
      const block = this.blocks().find((one) => one.dataset.group === event.currentTarget.dataset.group);
      const line = block?.querySelector(".ledger-line:not([hidden])");
      if (line) this.show(line.dataset.line, true);
    },
    show(id, move) {
      this.line = id;
      for (const button of this.$refs.lines.querySelectorAll(".ledger-line")) {
        const chosen = button.dataset.line === id;
        button.setAttribute("aria-current", chosen);
        if (chosen) button.scrollIntoView({ block: "nearest" });
      }
      for (const card of this.$root.querySelectorAll("[data-evidence]")) card.hidden = card.dataset.evidence !== id;
      const spans = this.spans();
      if (move && spans.length) this.seek(spans[0].start);
      if (this.lanes?.data) this.lanes.drawSpans(spans);
      this.remember();
    },
    spans() {
      return this.data.lines.find((one) => one.id === this.line)?.spans || [];
    },
    stepLine(by, onlyOpen) {
      const buttons = this.buttons();
      const outcome = Object.fromEntries(this.data.lines.map((one) => [one.id, one.outcome]));
      let at = buttons.findIndex((one) => one.dataset.line === this.line);
      for (let tried = 0; tried < buttons.length; tried += 1) {
        at = (at + by + buttons.length) % buttons.length;
        if (!onlyOpen || outcome[buttons[at].dataset.line] !== "pass") break;
      }
      if (buttons[at]) this.show(buttons[at].dataset.line, true);
    },

    // The playhead.

    within(frame) {
      return Math.max(0, Math.min(this.data.frames - 1, Math.round(frame) || 0));
    },
    seek(frame, quietly) {
      if (!this.data.frames) return;
      this.frame = this.within(frame);
      const [start, end] = this.window;
      if (this.frame < start || this.frame >= end) this.look(this.frame - (end - start) / 2, end - start);
      else if (this.lanes?.data) this.lanes.drawHead(this.frame);
      clearTimeout(this.timers.picture);
      this.timers.picture = setTimeout(() => {
        if (this.shown !== this.frame) this.pictureState = "decoding";
        this.shown = this.frame;
      }, this.shown < 0 ? 0 : FRAME_PAUSE);
      if (!quietly) this.remember();
    },
    get frameUrl() {
      return this.shown < 0 ? null : `${this.data.frame}${this.shown}.jpg?view=${this.view}`;
    },
    // The small picture that the scan kept of this very frame, until the exact one has come.
    get keptUrl() {
      const there = this.view === "picture" && this.pictureState === "decoding" && this.data.kept.includes(this.shown);
      return there ? `${this.data.small}${this.shown}.jpg` : null;
    },
    get keptClass() {
      return this.keptUrl ? "is-above" : "hidden"; // the former picture stands until the next one has come
    },
    chooseView(event) {
      this.lookAs(event.currentTarget.dataset.view);
    },
    lookAs(view) {
      if (view === this.view) return;
      if (!FIELD_VIEWS.includes(view)) this.stopTurns();
      this.view = view;
      this.pictureState = "decoding";
      this.markView();
      this.remember();
    },
    markView() {
      for (const button of this.$root.querySelectorAll("[data-view]")) {
        const chosen = FIELD_VIEWS.includes(this.view) ? "fields" : this.view;
        button.setAttribute("aria-pressed", button.dataset.view === chosen);
      }
    },

    // Single samples under the pointer, with their code values.

    async tellSamples(event) {
      if (this.view !== "picture" && this.view !== "area") return;
      const image = this.$refs.picture;
      const box = image.getBoundingClientRect();
      const scale = Math.min(box.width / image.naturalWidth, box.height / image.naturalHeight);
      const left = box.left + (box.width - image.naturalWidth * scale) / 2;
      const top = box.top + (box.height - image.naturalHeight * scale) / 2;
      const [wide, high] = this.data.size;
      const x = Math.round(((event.clientX - left) / (image.naturalWidth * scale)) * wide);
      const y = Math.round(((event.clientY - top) / (image.naturalHeight * scale)) * high);
      if (x >= 0 && y >= 0 && x < wide && y < high) await this.readSamples(x, y);
    },
    tellMiddle() {
      if (this.data.frames && (this.view === "picture" || this.view === "area")) this.readSamples(...this.data.size.map((one) => Math.floor(one / 2)));
    },
    // Arrows move over the picture while the samples are shown.
    moveSamples(event) {
      const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!step) return;
      event.preventDefault();
      const far = event.shiftKey ? 64 : 8;
      this.readSamples(...this.samplesAt.map((at, axis) => Math.max(0, Math.min(this.data.size[axis] - 1, at + step[axis] * far))));
    },
    async readSamples(x, y) {
      this.samplesAt = [x, y];
      this.samplesWords = "reading samples";
      this.$refs.samples.replaceChildren();
      if (!this.$refs.samplesBox.open) this.$refs.samplesBox.showModal();
      const answer = await (await fetch(`${this.data.frame}${this.frame}.json?x=${x}&y=${y}`)).json();
      if (x !== this.samplesAt[0] || y !== this.samplesAt[1]) return; // another place was asked for meanwhile
      if (answer.error) {
        this.samplesWords = answer.error;
        return;
      }
      this.samplesWords = `frame ${this.frame}, from column ${answer.x}, line ${answer.y}, ${answer.bits} bit`;
      this.$refs.samples.append(...Object.entries(answer.planes).flatMap(([plane, rows]) => this.sampleTable(plane, rows, answer.bits)));
    },
    sampleTable(plane, rows, bits) {
      const head = document.createElement("h3");
      head.textContent = { luma: "Luma", blue: "Blue difference", red: "Red difference", alpha: "Alpha" }[plane];
      const table = document.createElement("table");
      table.className = "samples";
      for (const row of rows) {
        const line = table.insertRow();
        for (const value of row) {
          const cell = line.insertCell();
          cell.textContent = value;
          const shade = (value / (2 ** bits - 1)) * 255;
          if (plane === "luma") {
            cell.style.backgroundColor = `rgb(${shade} ${shade} ${shade})`;
            cell.style.color = shade > 128 ? "#000" : "#fff";
          }
        }
      }
      return [head, table];
    },
    closeSamples() {
      this.$refs.samplesBox.close();
    },

    // A few seconds that play.

    play() {
      if (!this.data.frames) return;
      this.playing = !this.playing;
      if (this.playing) this.clipState = "making a copy that plays";
    },
    get clipUrl() {
      return this.playing ? `${this.data.clip}${this.frame}.webm` : null;
    },
    get playWords() {
      return this.playing ? "Stop" : "Play";
    },
    clipReady() {
      this.clipState = "";
    },
    clipFailed() {
      if (this.playing) this.clipState = "this stretch cannot be played";
    },

    // One field on or back: each frame is its earlier field, then its later one.

    stepField(by) {
      this.stopTurns();
      const order = this.data.fieldOrder === "bottom" ? ["bottom-field", "top-field"] : ["top-field", "bottom-field"];
      const at = order.indexOf(this.view);
      const next = at < 0 ? 0 : at + by;
      if (next < 0 || next > 1) {
        const frame = this.within(this.frame + by);
        if (frame === this.frame) return;
        this.seek(frame);
      }
      this.lookAs(order[at < 0 ? 0 : (next + 2) % 2]);
    },

    // Both fields of one frame in turn: what jumps to and fro was caught at two moments.

    turnFields() {
      if (!this.data.frames) return;
      if (this.inTurn) {
        this.lookAs("fields");
        return;
      }
      const still = window.matchMedia("(prefers-reduced-motion: reduce)").matches; // then each press turns once
      this.inTurn = !still;
      const turn = () => {
        this.lookAs(this.view === FIELD_VIEWS[0] ? FIELD_VIEWS[1] : FIELD_VIEWS[0]);
        if (!still) this.timers.turn = setTimeout(turn, TURN);
      };
      turn();
    },
    stopTurns() {
      this.inTurn = false;
      clearTimeout(this.timers.turn);
    },
    get turnPressed() {
      return String(this.inTurn);
    },

    // Faults: the places of the chosen line, or of all lines that do not pass.

    stepFault(by) {
      const own = this.spans();
      const open = this.data.lines.filter((one) => one.outcome !== "pass").flatMap((one) => one.spans);
      const next = nextPlace((own.length ? own : open).map((one) => one.start), this.frame, by);
      if (next !== undefined) this.seek(next);
    },
    seekTo(event) {
      const place = event.target.closest("[data-at]");
      if (place) this.seek(Number(place.dataset.at));
    },
    nextFault() {
      this.stepFault(1);
    },
    previousFault() {
      this.stepFault(-1);
    },
    // From caption to caption, whatever its track.
    stepCaption(by) {
      const starts = (this.captions || []).flatMap((track) => track.captions.map(([start]) => start));
      const next = nextPlace(starts, this.frame, by);
      if (next !== undefined) this.seek(next);
    },
    pictureLoaded() {
      this.pictureState = "";
      this.pictureFine = true;
    },
    async pictureFailed() {
      if (this.shown < 0) return;
      this.pictureFine = false;
      this.pictureState = "this frame cannot be shown";
      const wanted = this.shown;
      const answer = await fetch(this.frameUrl);
      const says = answer.headers.get("Content-Type")?.startsWith("text/plain") ? await answer.text() : "";
      if (wanted === this.shown && says) this.pictureState = says;
    },
    get timecode() {
      return this.data.frames ? this.label(this.frame) : "";
    },
    label(frame) {
      return label(this.data.first + frame, this.data.nominal, this.data.drop);
    },
    remember() {
      remember(this.timers, () => ({
        line: this.line,
        frame: this.data.frames ? this.frame : null,
        view: this.view === "picture" ? null : this.view,
        only: this.filter,
        folded: this.lanes ? this.lanes.foldsInAddress : new URLSearchParams(location.search).get("folded"),
        ...this.windowInAddress(),
      }));
    },

    // The stretch that the lanes show: frames FROM-TO, left out where it is the whole file.
    windowInAddress() {
      const [start, end] = this.window;
      return { shown: start === 0 && end === this.data.frames ? null : `${start}-${end}` };
    },
    windowOf(address) {
      const [start, end] = (address.get("shown") || "").split("-").map(Number);
      const sound = Number.isInteger(start) && Number.isInteger(end) && start >= 0 && end > start && end <= this.data.frames;
      return sound ? [start, end] : [0, this.data.frames];
    },

    // A step that the page offers, by its key; nothing where it offers none.
    take(key) {
      this.$root.querySelector(`a[data-key="${key}"]`)?.click();
    },

    // The lanes.

    arrangeLanes() {
      if (!this.lanes?.data) return;
      this.listLanes();
      this.$refs.lanesBox.showModal();
    },
    // Every lane with its name: folding and moving it without a pointer.
    listLanes(focused) {
      const rows = this.lanes.listed().map(({ id, name, folded }) => {
        const row = document.createElement("tr");
        const label = document.createElement("label");
        label.className = "flex items-center gap-2";
        const box = Object.assign(document.createElement("input"), { type: "checkbox", checked: !folded });
        box.dataset.lane = `${id} unfold`;
        box.addEventListener("change", () => this.changeLanes(() => this.lanes.fold(id), box.dataset.lane));
        label.append(box, name);
        row.insertCell().append(label);
        for (const [words, by] of [["Up", -1], ["Down", 1]]) {
          const button = Object.assign(document.createElement("button"), { type: "button", className: "small-button", textContent: words });
          button.dataset.lane = `${id} ${words}`;
          button.setAttribute("aria-label", `${name}: ${words.toLowerCase()}`);
          button.addEventListener("click", () => this.changeLanes(() => this.lanes.shift(id, by), button.dataset.lane));
          row.insertCell().append(button);
        }
        return row;
      });
      this.$refs.lanesList.replaceChildren(...rows);
      if (focused) this.$refs.lanesList.querySelector(`[data-lane="${focused}"]`)?.focus();
    },
    changeLanes(act, focused) {
      act();
      this.lanes.drawHead(this.frame);
      this.listLanes(focused);
      this.remember();
    },

    startLanes() {
      this.$refs.lanes.replaceChildren();
      const lanes = new Lanes(this.$refs.lanes, (frame) => this.label(frame), this.data.nominal);
      lanes.addresses = { strip: this.data.strip, small: this.data.small, kept: this.data.kept, shape: this.data.shape };
      lanes.foldAs(new URLSearchParams(location.search).get("folded"));
      this.lanes = Alpine.raw(lanes);
      let held = false;
      let named = null; // the lane whose name is held, and the height at which it was taken
      lanes.svg.addEventListener("pointerdown", (event) => {
        const name = event.target.closest(".lane-name");
        lanes.svg.setPointerCapture(event.pointerId);
        if (name) named = { id: name.dataset.lane, y: event.clientY };
        else {
          held = true;
          this.seek(this.under(event));
        }
      });
      lanes.svg.addEventListener("pointermove", (event) => held && this.seek(this.under(event)));
      lanes.svg.addEventListener("pointerup", (event) => {
        held = false;
        if (!named) return;
        const { id, y } = named;
        named = null;
        if (Math.abs(event.clientY - y) < 6) lanes.fold(id);
        else lanes.move(id, event.clientY - lanes.svg.getBoundingClientRect().top);
        lanes.drawHead(this.frame);
        this.remember();
      });
      lanes.svg.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
      this.resizer = new ResizeObserver(() => this.fetchLanes());
      this.resizer.observe(this.$refs.lanes);
    },
    under(event) {
      return this.lanes.frameAt(event.clientX - this.lanes.svg.getBoundingClientRect().left);
    },
    wheel(event) {
      event.preventDefault();
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        const [start, end] = this.window;
        this.look(start + (((event.deltaX || event.deltaY) / 700) * (end - start)), end - start);
      } else this.zoom(event.deltaY > 0 ? 1.25 : 0.8, this.under(event));
    },
    zoom(factor, around) {
      const [start, end] = this.window;
      const size = Math.max(SMALLEST_WINDOW, Math.min(this.data.frames, Math.round((end - start) * factor)));
      this.look(around - ((around - start) / (end - start)) * size, size);
    },
    look(start, size) {
      const room = Math.min(size, this.data.frames);
      const from = Math.round(Math.max(0, Math.min(start, this.data.frames - room)));
      this.window = [from, from + room];
      this.fetchLanes();
      this.remember();
    },
    fetchLanes() {
      if (!this.lanes) return;
      clearTimeout(this.timers.lanes);
      this.timers.lanes = setTimeout(async () => {
        const [start, end] = this.window;
        this.lanes.measure();
        const width = Math.round(this.lanes.room);
        this.captions ??= this.data.captions ? (await (await fetch(this.data.captions)).json()).tracks : [];
        const answer = await fetch(`${this.data.lanes}?start=${start}&end=${end}&width=${width}`);
        if (!answer.ok || !this.lanes) return;
        const found = await answer.json();
        if (start !== this.window[0] || end !== this.window[1]) return; // the eye has moved on
        found.captions = Alpine.raw(this.captions); // plain, for it is read again with each drawing
        this.lanes.draw(found, this.spans());
        this.lanes.drawHead(this.frame);
      }, 30);
    },

    // While the file is read.

    poll() {
      followWork(this, this.data.state, async (state) => {
        const over = state.judgedAt !== this.data.judgedAt || !state.active;
        if (over) await this.fetchAnew();
        return over;
      });
    },
    async fetchAnew() {
      const answer = await fetch(location.href);
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      const fresh = page.getElementById("check");
      if (fresh) this.$root.replaceWith(fresh);
    },

    // Keys.

    key(event) {
      if (document.querySelector("dialog[open]")) return;
      const far = event.shiftKey ? 10 : 1;
      doKey(event, {
        ArrowDown: () => this.stepLine(1),
        ArrowUp: () => this.stepLine(-1),
        n: () => this.stepLine(1, true),
        N: () => this.stepLine(-1, true),
        ArrowRight: () => this.seek(this.frame + far),
        ArrowLeft: () => this.seek(this.frame - far),
        Home: () => this.seek(0),
        End: () => this.seek(this.data.frames - 1),
        "+": () => this.zoom(0.5, this.frame),
        "=": () => this.zoom(0.5, this.frame),
        "-": () => this.zoom(2, this.frame),
        0: () => this.look(0, this.data.frames),
        "]": () => this.stepFault(1),
        "[": () => this.stepFault(-1),
        p: () => this.play(),
        ".": () => this.stepField(1),
        ",": () => this.stepField(-1),
        t: () => this.turnFields(),
        c: () => this.stepCaption(1),
        C: () => this.stepCaption(-1),
        v: () => this.lookAs(VIEWS[(VIEWS.indexOf(this.view) + 1) % (VIEWS.length - (this.data.alpha ? 0 : 1))]),
        x: () => this.tellMiddle(),
        l: () => this.arrangeLanes(),
        b: () => this.$refs.poster?.requestSubmit(),
        a: () => this.take("a"),
        w: () => this.take("w"),
        s: () => this.take("s"),
        r: () => this.take("r"),
        h: () => this.take("h"),
        "/": () => this.$refs.filter.focus(),
        "?": () => showKeys(this.$refs.keys),
      });
    },
  }));
});
