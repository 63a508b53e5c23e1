// The lanes of a full scan: what the pictures and the sound show. They are methods of Lanes, in a file of their own.
import { HEIGHT, LABELS, Lanes } from "./lanes.js";
import { make } from "./svg.js";

const THUMB = 80; // least width of one small picture in the lane
const TILE = 96; // width of one small picture in the image that holds them all

// A band between the smallest and the largest value of each column; columns without a value leave a gap.
const band = (columns, x, y) => {
  const pieces = [];
  let run = [];
  const close = () => {
    if (run.length) {
      const top = run.map(([index, [, high]]) => `${x(index - 0.5)},${y(high)}L${x(index + 0.5)},${y(high)}`);
      const bottom = run.map(([index, [low]]) => `${x(index + 0.5)},${y(low)}L${x(index - 0.5)},${y(low)}`).reverse();
      pieces.push(`M${top.join("L")}L${bottom.join("L")}Z`);
    }
    run = [];
  };
  columns.forEach((value, index) => {
    if (value) run.push([index, value]);
    else close();
  });
  close();
  return pieces.join("");
};

const draws = {
  path(name, columns, x, y, thick = 0) {
    if (!columns?.length) return;
    const thickened = columns.map((one) => one && [one[0] - thick, one[1] + thick]);
    this.inside.append(make("path", { class: name, d: band(thickened, x, y) }));
  },

  boxes(name, places, top, height, words) {
    for (const [start, end] of places || []) {
      const left = this.x(start);
      const box = make("rect", { class: name, x: left, y: top, width: Math.max(this.x(end) - left, 1.5), height });
      box.append(make("title", {}, `${words}, frames ${start} to ${end - 1}`));
      this.inside.append(box);
    }
  },

  limit(y, words) {
    this.inside.append(make("line", { class: "limit", x1: LABELS, x2: this.width, y1: y, y2: y }));
    if (words) this.inside.append(make("text", { class: "limit-text", x: this.width - 6, y: y - 3, "text-anchor": "end" }, words));
  },

  // One picture of each stretch: those that the scan kept where each stretch has one, else of the middles, and then the
  // strip is one image that shows through as many windows.
  drawThumbs(top) {
    this.name("Pictures", "along time");
    const count = Math.max(1, Math.min(24, Math.floor(this.room / THUMB)));
    const { start, end } = this.data;
    const frames = Array.from({ length: count }, (_, at) => Math.min(end - 1, Math.floor(start + ((at + 0.5) / count) * (end - start))));
    const wide = this.room / count;
    const box = (at) => ({ x: LABELS + at * wide + 1, y: top + 2, width: wide - 2, height: HEIGHT.thumbs - 4 });
    const kept = frames.map((frame, at) => this.keptNear(frame, start + (at / count) * (end - start), start + ((at + 1) / count) * (end - start)));
    if (kept.every((frame) => frame !== null)) {
      this.inside.append(...kept.map((frame, at) => make("image", { href: `${this.addresses.small}${frame}.jpg`, ...box(at) })));
      return;
    }
    const href = `${this.addresses.strip}?width=${TILE}&frames=${frames.join(",")}`;
    const high = Math.round(TILE / this.addresses.shape);
    for (let at = 0; at < count; at += 1) {
      const tile = make("svg", {
        ...box(at),
        viewBox: `${at * TILE} 0 ${TILE} ${high}`, preserveAspectRatio: "xMidYMid meet",
      });
      tile.append(make("image", { href, x: 0, y: 0, width: TILE * count, height: high, preserveAspectRatio: "none" }));
      this.inside.append(tile);
    }
  },

  // The frame nearest to one, within a stretch, of which the scan kept a picture.
  keptNear(frame, from, to) {
    const inside = this.addresses.kept.filter((one) => one >= from && one < to);
    return inside.length ? inside.reduce((best, one) => (Math.abs(one - frame) < Math.abs(best - frame) ? one : best)) : null;
  },

  drawFields(top) {
    const { moments } = this.data.scan;
    const words = { one: "one moment", top: "two moments, top first", bottom: "two moments, bottom first" };
    const there = Object.keys(words).filter((kind) => moments[kind]);
    this.name("Fields", there.length ? words[there.length > 1 ? there.sort((a, b) => this.length(moments[b]) - this.length(moments[a]))[0] : there[0]].replace("two moments, ", "two, ") : "not told");
    const rows = { one: 0, top: 1, bottom: 2 };
    const high = (HEIGHT.fields - 8) / 3;
    for (const kind of there) this.boxes(`moment-${kind}`, moments[kind], top + 4 + rows[kind] * high, high - 1, words[kind]);
  },

  length(places) {
    return places.reduce((sum, [start, end]) => sum + end - start, 0);
  },

  // How much changes from picture to picture, with marks for pictures that repeat, are blended, or are missing.
  drawCadence(top) {
    const { change, marks, cuts } = this.data.scan;
    const { start, end } = this.data;
    const named = ["repeat", "blend", "drop"].filter((kind) => marks[kind].length);
    const words = { repeat: "repeats", blend: "blended", drop: "missing" };
    this.name("Motion", named.length ? named.map((kind) => words[kind]).join(", ") : "steady");
    const most = Math.max(4, ...change.map((one) => (one ? one[1] : 0)));
    const x = this.columnX(change, start, end);
    const y = (value) => top + HEIGHT.cadence - 3 - Math.sqrt(value / most) * (HEIGHT.cadence - 18);
    this.path("motion", change.map((one) => one && [0, one[1]]), x, y);
    for (const cut of cuts) this.inside.append(make("line", { class: "cut", x1: this.x(cut), x2: this.x(cut), y1: top + 3, y2: top + 11 }));
    this.boxes("tick-blend", marks.blend, top + 3, 7, "blended");
    this.boxes("tick-repeat", marks.repeat, top + 3, HEIGHT.cadence - 6, "shows the previous picture again");
    this.boxes("tick-drop", marks.drop, top + 3, HEIGHT.cadence - 6, "a picture before it may be missing");
  },

  drawLight(top) {
    const { marks } = this.data.scan;
    const named = ["black", "freeze", "flash", "missing"].filter((kind) => marks[kind].length);
    const words = { black: "black", freeze: "freezes", flash: "flashes", missing: "not decodable" };
    this.name("Black, freezes", named.length ? named.map((kind) => words[kind]).join(", ") : "none");
    for (const kind of named) this.boxes(`tick-${kind}`, marks[kind], top + 5, HEIGHT.light - 10, words[kind]);
  },

  drawLevels(top) {
    const { low, high, outside } = this.data.scan;
    const { start, end } = this.data;
    this.name("Luma", "0 to 255", "16 and 235");
    const y = (value) => top + HEIGHT.levels - 3 - (value / 255) * (HEIGHT.levels - 6);
    const x = this.columnX(low, start, end);
    this.path("levels", low.map((one, index) => one && high[index] && [one[0], high[index][1]]), x, y);
    for (const value of [16, 235]) this.limit(y(value));
    const worst = Math.max(0, ...outside.map((one) => (one ? one[1] : 0)));
    if (worst >= 0.01) this.inside.append(make("text", { class: "quiet", x: LABELS + 4, y: top + HEIGHT.levels / 2 + 4 }, `up to ${worst.toFixed(worst < 1 ? 2 : 1)} % of a picture outside`));
  },

  drawBars(top) {
    const { edges, lines } = this.data.scan;
    const { start, end } = this.data;
    this.name("Lit lines", `0 to ${lines}`);
    const y = (value) => top + 3 + (value / (lines || 1)) * (HEIGHT.bars - 6);
    const x = this.columnX(edges.top, start, end);
    this.path("lit", edges.top.map((one, index) => one && edges.bottom[index] && [one[0], edges.bottom[index][1]]), x, y);
  },

  drawBlocks(top) {
    const { blocks } = this.data.scan;
    const { start, end } = this.data;
    const most = Math.max(...blocks.map((one) => (one ? one[1] : 1)));
    this.name("Blocks", `up to ${most.toFixed(2)}`);
    const y = (value) => top + HEIGHT.blocks - 3 - (Math.max(value - 0.9, 0) / Math.max(most - 0.9, 0.6)) * (HEIGHT.blocks - 8);
    this.path("motion", blocks.map((one) => one && [0.9, one[1]]), this.columnX(blocks, start, end), y);
  },

  soundX(track, columns) {
    return (index) => this.x(track.from + ((index + 0.5) / columns.length) * (track.to - track.from));
  },

  drawLoudness(top) {
    const { sound, loudness_target: target } = this.data.scan;
    const track = sound[0];
    this.name("Loudness", "0.4 s and 3 s", target ? `asked ${((target[0] + target[1]) / 2).toFixed(0)} LUFS` : "LUFS");
    const y = (value) => top + 3 + ((-10 - Math.max(-60, Math.min(value, -10))) / 50) * (HEIGHT.loudness - 6);
    if (target) this.inside.append(make("rect", { class: "target", x: LABELS, width: this.room, y: y(target[1]), height: Math.max(y(target[0]) - y(target[1]), 2) }));
    this.path("momentary", track.momentary, this.soundX(track, track.momentary), y, 0.5);
    this.path("short", track.short, this.soundX(track, track.short), y, 0.5);
    for (const value of [-23, -40]) this.inside.append(make("text", { class: "fig", x: this.width - 4, y: y(value) + 3, "text-anchor": "end" }, value));
  },

  drawPeak(top) {
    const track = this.data.scan.sound[0];
    const most = Math.max(-120, ...track.true_peak.map((one) => (one ? one[1] : -120)));
    this.name("True peak", most > -120 ? `${most.toFixed(1)} dBTP` : "silent");
    const y = (value) => top + 3 + ((3 - Math.max(-45, value)) / 48) * (HEIGHT.peak - 6);
    this.path("momentary", track.true_peak.map((one) => one && [-45, one[1]]), this.soundX(track, track.true_peak), y);
    this.limit(y(-1), "−1");
  },

  drawPhase(top) {
    const track = this.data.scan.sound.find((one) => one.phase.some((value) => value));
    this.name("Phase", "+1 alike, −1 turned");
    const y = (value) => top + HEIGHT.phase / 2 - value * (HEIGHT.phase / 2 - 4);
    this.inside.append(make("line", { class: "rule", x1: LABELS, x2: this.width, y1: y(0), y2: y(0) }));
    this.path("short", track.phase, this.soundX(track, track.phase), y, 0.05);
  },

  drawSoundFaults(top) {
    const { places } = this.data.scan;
    const words = { silence: "silence", dropout: "dropouts", click: "clicks", clipping: "clipping" };
    const named = Object.keys(words).filter((kind) => places.some((one) => one.kind === kind));
    this.name("Sound faults", named.length ? named.map((kind) => words[kind]).join(", ") : "none");
    for (const { kind, track, start, end } of places) {
      const left = this.x(start);
      const box = make("rect", { class: `tick-${kind}`, x: left, y: top + 5, width: Math.max(this.x(end) - left, 1.5), height: HEIGHT.faults - 10 });
      box.append(make("title", {}, `${words[kind]}, track ${track}`));
      this.inside.append(box);
    }
  },
};

Object.assign(Lanes.prototype, draws);
