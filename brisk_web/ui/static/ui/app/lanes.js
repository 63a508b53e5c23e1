// Draws the lanes of a check as SVG on one axis of frames. Knows nothing of the page around it.
import { make } from "./svg.js";

export const LABELS = 92; // width of the names on the left
const FOLDED = 18; // height of a lane that is folded
const STORE = "brisk-lanes"; // order and folds are remembered for the next check
// Every lane by its id: its height, whether there is anything to draw, and the method that draws it.
const LANES = {
  edit: [36, () => true, "drawEdit"],
  thumbs: [50, (data) => data.frames > 0, "drawThumbs"],
  captions: [52, (data) => data.captions?.length, "drawCaptions"],
  fields: [34, (data) => data.scan?.moments, "drawFields"],
  cadence: [46, (data) => data.scan?.marks, "drawCadence"],
  light: [34, (data) => data.scan?.marks, "drawLight"],
  levels: [56, (data) => data.scan?.low, "drawLevels"],
  bars: [40, (data) => data.scan?.edges, "drawBars"],
  blocks: [34, (data) => data.scan?.blocks?.some((one) => one), "drawBlocks"],
  loudness: [64, (data) => data.scan?.sound.length, "drawLoudness"],
  peak: [40, (data) => data.scan?.sound.length, "drawPeak"],
  phase: [40, (data) => data.scan?.sound.some((one) => one.phase.some((value) => value)), "drawPhase"],
  faults: [34, (data) => data.scan?.sound.length, "drawSoundFaults"],
  rate: [78, () => true, "drawRate"],
  buffer: [46, (data) => data.buffer.size, "drawBuffer"],
  types: [56, () => true, "drawTypes"],
  steps: [34, () => true, "drawSteps"],
  sound: [34, (data) => data.sound.length, "drawSound"],
};
export const HEIGHT = Object.fromEntries(Object.entries(LANES).map(([id, [height]]) => [id, height]));
const AXIS = 22;
const FOLDED_AT_FIRST = ["blocks", "bars", "buffer", "steps", "sound"];

const FOLDED_AT_FIRST_IN_ORDER = Object.keys(LANES).filter((id) => FOLDED_AT_FIRST.includes(id)).join();

const spellRate = (bits) => (bits >= 1e6 ? `${(bits / 1e6).toFixed(1)} Mb/s` : `${(bits / 1e3).toFixed(0)} kb/s`);

// A band between the smallest and the largest value of each column, as one path; a column is as wide as its share.
export const band = (columns, x, y) => {
  if (!columns.length) return "";
  const edge = (value, index) => `${x(index - 0.5)},${y(value)}L${x(index + 0.5)},${y(value)}`;
  const top = columns.map(([, high], index) => edge(high, index));
  const bottom = columns.map(([low], index) => `${x(index + 0.5)},${y(low)}L${x(index - 0.5)},${y(low)}`).reverse();
  return `M${top.join("L")}L${bottom.join("L")}Z`;
};

export class Lanes {
  constructor(box, label, nominal) {
    this.box = box;
    this.nominal = nominal; // frames that a timecode second counts
    this.label = label; // frame -> timecode
    this.svg = make("svg", { role: "img", "aria-label": "Lanes on one time axis" });
    this.table = document.createElement("table"); // what is drawn, for those who cannot see it
    const unseen = Object.assign(document.createElement("div"), { className: "sr-only" }); // a table does not clip itself
    unseen.append(this.table);
    box.append(this.svg, unseen);
    this.measure();
  }

  // Takes the width of the box; asked once a drawing, for the answer makes the browser lay the page out.
  measure() {
    this.width = Math.max(this.box.clientWidth, 300);
  }

  get room() {
    return this.width - LABELS;
  }

  frameAt(x) {
    const { start, end } = this.data;
    return Math.max(start, Math.min(end - 1, Math.floor(start + ((x - LABELS) / this.room) * (end - start))));
  }

  x(frame) {
    const { start, end } = this.data;
    return LABELS + ((frame - start) / (end - start)) * this.room;
  }

  // Order and folds, as somebody left them.

  arrangement() {
    let kept = {};
    try {
      kept = JSON.parse(localStorage.getItem(STORE)) || {};
    } catch {
      kept = {};
    }
    const known = Object.keys(LANES);
    const order = (kept.order || []).filter((id) => known.includes(id));
    return { order: [...order, ...known.filter((id) => !order.includes(id))], folded: this.folded || kept.folded || FOLDED_AT_FIRST };
  }

  // The folds as an address carries them: nothing where they are as at first.
  get foldsInAddress() {
    const folded = Object.keys(LANES).filter((id) => this.arrangement().folded.includes(id));
    return folded.join() === FOLDED_AT_FIRST_IN_ORDER ? null : folded.join(".") || "none";
  }

  // Takes the folds of an address over those that are remembered; unknown names are left out.
  foldAs(words) {
    if (words) this.folded = words.split(".").filter((id) => id in LANES);
  }

  keep(arrangement) {
    if (this.folded) this.folded = arrangement.folded;
    localStorage.setItem(STORE, JSON.stringify(arrangement));
    if (this.data) this.draw(this.data, this.spans || []);
  }

  fold(id) {
    const { order, folded } = this.arrangement();
    this.keep({ order, folded: folded.includes(id) ? folded.filter((one) => one !== id) : [...folded, id] });
  }

  // Puts a lane before the one that lies at a height.
  move(id, y) {
    const { order, folded } = this.arrangement();
    const target = this.places.find((one) => y < one.top + one.height)?.id;
    const rest = order.filter((one) => one !== id);
    rest.splice(target && target !== id ? rest.indexOf(target) : target ? order.indexOf(id) : rest.length, 0, id);
    this.keep({ order: rest, folded });
  }

  // Moves a lane before the one above it, or after the one below it, of those that are drawn.
  shift(id, by) {
    const { order, folded } = this.arrangement();
    const drawn = this.places.map((one) => one.id);
    const other = drawn[drawn.indexOf(id) + by];
    if (!other) return;
    const rest = order.filter((one) => one !== id);
    rest.splice(rest.indexOf(other) + (by > 0 ? 1 : 0), 0, id);
    this.keep({ order: rest, folded });
  }

  // The lanes that are drawn, in their order, by name.
  listed() {
    return this.places.map(({ id, folded, words: [name] }) => ({ id, folded, name }));
  }

  // The lanes in words: of which frames, and what stands beside each.
  describe({ start, end }) {
    this.table.replaceChildren();
    this.table.createCaption().textContent = `Lanes of frames ${start} to ${end - 1}, from ${this.label(start)} to ${this.label(end - 1)}`;
    for (const { words: [name, ...more] } of this.places) {
      const row = this.table.insertRow();
      const head = document.createElement("th");
      head.scope = "row";
      head.textContent = name;
      row.append(head);
      row.insertCell().textContent = more.join(", ");
    }
  }

  draw(data, spans) {
    this.data = data;
    this.spans = spans;
    this.measure();
    this.svg.replaceChildren();
    const { order, folded } = this.arrangement();
    const lanes = order.filter((id) => LANES[id][1](data));
    let top = AXIS;
    this.places = lanes.map((id) => {
      const place = { id, top, height: folded.includes(id) ? FOLDED : LANES[id][0], folded: folded.includes(id) };
      top += place.height;
      return place;
    });
    this.height = top;
    this.svg.setAttribute("viewBox", `0 0 ${this.width} ${top}`);
    this.svg.setAttribute("height", top);
    this.clip = make("clipPath", { id: "lane-room" });
    this.clip.append(make("rect", { x: LABELS, y: 0, width: this.room, height: top }));
    this.svg.append(this.clip);
    this.drawAxis(0, top);
    this.inside = make("g", { "clip-path": "url(#lane-room)" });
    this.svg.append(this.inside);
    for (const place of this.places) this.drawLane(place);
    this.describe(data);
    this.spanLayer = make("g", { "clip-path": "url(#lane-room)" });
    this.headLayer = make("g", { "clip-path": "url(#lane-room)" });
    this.svg.append(this.spanLayer, this.headLayer);
    this.drawSpans(spans);
  }

  // A lane draws itself into a room of its own height; a folded one keeps its name and what fits beside it.
  drawLane(place) {
    const [height, , method] = LANES[place.id];
    this.rule(place.top);
    this.names = [];
    const outer = this.inside;
    if (place.folded) {
      this.inside = make("g", { class: "folded", transform: `translate(0 ${place.top}) scale(1 ${(FOLDED - 4) / height})`, "clip-path": "none" });
      outer.append(this.inside);
      this[method](0, true);
    } else this[method](place.top, false);
    this.inside = outer;
    const label = make("g", { class: "lane-name", "data-lane": place.id });
    label.append(make("rect", { x: 0, y: place.top + 1, width: LABELS - 4, height: place.height - 1, class: "lane-grip" }));
    const [first, ...more] = place.words = this.names;
    label.append(make("text", { x: 0, y: place.top + (place.folded ? 13 : 15) }, place.folded ? `${first} …` : first));
    if (!place.folded) more.forEach((line, index) => label.append(make("text", { class: "quiet", x: 0, y: place.top + 29 + index * 13 }, line)));
    label.append(make("title", {}, "Click folds the lane, dragging moves it"));
    this.svg.append(label);
  }

  columnX(columns, start, end) {
    return (index) => this.x(start + ((index + 0.5) / columns.length) * (end - start));
  }

  rule(y) {
    this.svg.append(make("line", { class: "rule", x1: 0, x2: this.width, y1: y + 0.5, y2: y + 0.5 }));
  }

  name(text, ...more) {
    this.names = [text, ...more];
  }

  drawAxis(top, height) {
    const { start, end } = this.data;
    const seconds = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600].map((one) => one * this.nominal);
    const step = [1, 2, 5, 10, ...seconds].find((one) => (one / (end - start)) * this.room >= 92) || 7200 * this.nominal;
    for (let frame = Math.ceil(start / step) * step; frame < end; frame += step) {
      const x = this.x(frame);
      this.svg.append(make("line", { class: "rule", x1: x, x2: x, y1: top + 4, y2: height }));
      if (x < this.width - 76) this.svg.append(make("text", { class: "fig", x: x + 4, y: top + 14 }, this.label(frame)));
    }
  }

  drawEdit(top) {
    this.name("Edit");
    const { events, marks, length } = this.data.edit;
    if (!events.length) {
      this.inside.append(make("text", { class: "quiet", x: LABELS + 6, y: top + 20 }, "no timeline"));
      return;
    }
    for (const event of events) {
      const left = this.x(event.start);
      const wide = this.x(event.end) - left;
      if (left > this.width || left + wide < LABELS) continue;
      const box = make("rect", { class: event.kind === "gap" ? "gap" : "event", x: left, y: top + 12, width: Math.max(wide, 0.5), height: 20 });
      box.append(make("title", {}, `${event.name}, ${this.label(Math.round(event.start))}`));
      this.inside.append(box);
      if (event.start > 0) this.inside.append(make("line", { class: "cut", x1: left, x2: left, y1: top + 5, y2: top + 12 }));
      const text = wide / 6.2 >= event.name.length ? event.name : wide > 30 ? `${event.name.slice(0, Math.floor(wide / 6.2) - 1)}…` : "";
      if (text) this.inside.append(make("text", { x: Math.max(left, LABELS) + 4, y: top + 26 }, text));
    }
    for (const mark of marks) {
      const x = this.x(mark.at);
      const flag = make("path", { class: "mark", d: `M${x - 4} ${top + 2}h8l-4 6Z` });
      flag.append(make("title", {}, mark.name));
      this.inside.append(flag);
    }
    if (length !== null && length < this.data.frames) {
      const x = this.x(length);
      this.inside.append(make("line", { class: "limit", x1: x, x2: x, y1: top + 2, y2: this.height }));
      const before = x > this.width - 90;
      this.inside.append(make("text", { class: "limit-text", x: before ? x - 4 : x + 4, y: top + 10, "text-anchor": before ? "end" : "start" }, "end of range"));
    }
  }

  drawRate(top) {
    const { rates, limits, start, end, rates_end: ratesEnd } = this.data;
    const highest = rates.reduce((most, [, high]) => Math.max(most, high), 0);
    const lowest = rates.reduce((least, [low]) => Math.min(least, low), Infinity);
    this.name("Bit rate, 1 s", ...(rates.length ? [`to ${spellRate(highest)}`, `from ${spellRate(lowest)}`] : []));
    if (!rates.length) {
      this.inside.append(make("text", { class: "quiet", x: LABELS + 6, y: top + 20 }, "shorter than one second"));
      return;
    }
    // With limits the scale keeps to their neighbourhood, where a few percent decide; without it begins at zero.
    const bounds = Object.values(limits);
    const most = Math.max(highest, ...bounds, 1);
    const least = bounds.length ? Math.min(lowest, ...bounds) : 0;
    const room = bounds.length ? Math.max(most - least, most / 50) : most;
    const floor = Math.max(0, least - room * 0.35);
    const bound = most + room * 0.2;
    const y = (bits) => top + HEIGHT.rate - 4 - ((bits - floor) / (bound - floor)) * (HEIGHT.rate - 10);
    const last = Math.min(end, ratesEnd);
    const x = (index) => this.x(start + ((index + 0.5) / rates.length) * (last - start));
    const filled = rates.map(([, high]) => [floor, high]);
    this.inside.append(make("path", { class: "rate", opacity: 0.45, d: band(filled, x, y) }));
    const thick = (bound - floor) / 50;
    this.inside.append(make("path", { class: "rate", d: band(rates.map(([low, high]) => [low, Math.max(high, low + thick)]), x, y) }));
    const words = { peak: "most in one second", most: "most for the mean", least: "least for the mean" };
    for (const [kind, bits] of Object.entries(limits)) {
      this.inside.append(make("line", { class: "limit", x1: LABELS, x2: this.width, y1: y(bits), y2: y(bits) }));
      const above = kind !== "least";
      const at = kind === "peak" ? this.width - 6 : LABELS + 4;
      const place = { class: "limit-text", x: at, y: y(bits) + (above ? -3 : 11), "text-anchor": kind === "peak" ? "end" : "start" };
      this.inside.append(make("text", place, `${words[kind]} ${spellRate(bits)}`));
    }
  }

  drawTypes(top) {
    this.name("Picture types", "I, P, B by size");
    const { sizes, types, entries, start, end } = this.data;
    const bottom = top + HEIGHT.types - 4;
    const y = (bytes) => bottom - Math.sqrt(bytes / (this.data.largest_size || 1)) * (HEIGHT.types - 16);
    const step = this.room / sizes.length;
    if (types) {
      for (let index = 0; index < types.length; index += 1) {
        const kind = { I: "i", P: "p", B: "b" }[types[index]] || "x";
        const upper = y(sizes[index][1]);
        const frame = start + Math.floor((index / types.length) * (end - start));
        const left = this.x(start + (index / types.length) * (end - start));
        const gap = step > 4 ? 1 : 0;
        const bar = make("rect", { class: `type-${kind}`, x: left, y: upper, width: Math.max(step - gap, 0.6), height: bottom - upper });
        bar.append(make("title", {}, `${types[index]}, ${sizes[index][1]} bytes, frame ${frame}`));
        this.inside.append(bar);
      }
    } else {
      const x = (index) => this.x(start + ((index + 0.5) / sizes.length) * (end - start));
      this.inside.append(make("path", { class: "type-p", d: band(sizes, x, y) }));
    }
    for (const entry of entries) {
      const x = this.x(entry);
      this.inside.append(make("line", { class: "gop", x1: x, x2: x, y1: top + 3, y2: top + 9 }));
    }
  }

  // The bits that a decoder's buffer still holds after each frame; below the floor the frame comes too late.
  drawBuffer(top) {
    const { size, rate, given, left, least } = this.data.buffer;
    this.name("Buffer", given ? "as the spec gives" : "as coded");
    const { start, end } = this.data;
    const floor = Math.min(0, least);
    const y = (bits) => top + HEIGHT.buffer - 4 - ((bits - floor) / (size - floor || 1)) * (HEIGHT.buffer - 14);
    const x = (index) => this.x(start + ((index + 0.5) / left.length) * (end - start));
    this.inside.append(make("path", { class: "buffer", d: band(left.map(([, high]) => [floor, high]), x, y) }));
    if (floor < 0) {
      for (const [index, [low]] of left.entries()) {
        if (low < 0) this.inside.append(make("line", { class: "late", x1: x(index), x2: x(index), y1: y(0), y2: y(low) }));
      }
      this.inside.append(make("line", { class: "limit", x1: LABELS, x2: this.width, y1: y(0), y2: y(0) }));
    }
    const words = `${(size / 1e6).toFixed(1)} Mb at ${spellRate(rate)}${floor < 0 ? ", runs empty" : ""}`;
    this.inside.append(make("text", { class: floor < 0 ? "limit-text" : "quiet", x: LABELS + 4, y: top + 11 }, words));
  }

  // Time from each frame to the next; a constant rate is a flat line at one frame period.
  drawSteps(top) {
    const { steps, period, start, end } = this.data;
    const highest = steps.reduce((most, [, high]) => Math.max(most, high), period);
    const lowest = steps.reduce((least, [low]) => Math.min(least, low), period);
    const flat = highest - lowest <= period / 20;
    const spell = (micro) => `${(micro / 1000).toFixed(1)} ms`;
    this.name("Frame steps", flat ? spell(period) : `${spell(lowest)}–${spell(highest)}`);
    const bound = Math.max(highest, period * 2);
    const y = (micro) => top + HEIGHT.steps - 4 - (micro / bound) * (HEIGHT.steps - 8);
    const x = (index) => this.x(start + ((index + 0.5) / steps.length) * (end - start));
    const thick = bound / 24;
    this.inside.append(make("path", { class: flat ? "step" : "step uneven", d: band(steps.map(([low, high]) => [low - thick, high + thick]), x, y) }));
  }

  drawSound(top) {
    const { sound, sound_tracks: tracks, start, end } = this.data;
    this.name("Sound packets", tracks > sound.length ? `${sound.length} of ${tracks} tracks` : `${tracks} ${tracks === 1 ? "track" : "tracks"}`);
    const high = (HEIGHT.sound - 8) / sound.length;
    sound.forEach((track, row) => {
      if (!track.length) return;
      const most = track.reduce((sum, [, value]) => Math.max(sum, value), 1);
      const bottom = top + 4 + high * (row + 1);
      const y = (bytes) => bottom - (bytes / most) * (high - 2);
      const x = (index) => this.x(start + ((index + 0.5) / track.length) * (end - start));
      this.inside.append(make("path", { class: "sound", d: band(track.map(([, value]) => [0, value]), x, y) }));
    });
  }

  drawSpans(spans) {
    this.spanLayer.replaceChildren();
    for (const span of spans) {
      const left = this.x(span.start);
      this.spanLayer.append(make("rect", { class: "span", x: left, y: 18, width: Math.max(this.x(span.end) - left, 3), height: this.height - 18 }));
    }
  }

  drawHead(frame) {
    this.headLayer.replaceChildren();
    const x = this.x(frame + 0.5);
    this.drawSaid?.(frame, x);
    this.headLayer.append(make("line", { class: "head-line", x1: x, x2: x, y1: 10, y2: this.height }));
    this.headLayer.append(make("path", { class: "head", d: `M${x - 5} 0h10v8l-5 6l-5 -6Z` }));
  }
}
