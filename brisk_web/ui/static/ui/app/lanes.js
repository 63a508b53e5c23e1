// Draws the lanes of a check as SVG on one axis of frames. Knows nothing of the page around it.
(() => {
  const SVG = "http://www.w3.org/2000/svg";
  const LABELS = 92; // width of the names on the left
  const LANES = { axis: 22, edit: 36, rate: 78, buffer: 46, types: 56, steps: 34, sound: 34 };

  const make = (name, attributes, text) => {
    const node = document.createElementNS(SVG, name);
    for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
    if (text !== undefined) node.textContent = text;
    return node;
  };
  const spellRate = (bits) => (bits >= 1e6 ? `${(bits / 1e6).toFixed(1)} Mb/s` : `${(bits / 1e3).toFixed(0)} kb/s`);

  // A band between the smallest and the largest value of each column, as one path; a column is as wide as its share.
  const band = (columns, x, y) => {
    if (!columns.length) return "";
    const edge = (value, index) => `${x(index - 0.5)},${y(value)}L${x(index + 0.5)},${y(value)}`;
    const top = columns.map(([, high], index) => edge(high, index));
    const bottom = columns.map(([low], index) => `${x(index + 0.5)},${y(low)}L${x(index - 0.5)},${y(low)}`).reverse();
    return `M${top.join("L")}L${bottom.join("L")}Z`;
  };

  class Lanes {
    constructor(box, label, nominal) {
      this.box = box;
      this.nominal = nominal; // frames that a timecode second counts
      this.label = label; // frame -> timecode
      this.svg = make("svg", { role: "img", "aria-label": "Lanes on one time axis" });
      box.append(this.svg);
    }

    get width() {
      return Math.max(this.box.clientWidth, 300);
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

    draw(data, spans) {
      this.data = data;
      this.svg.replaceChildren();
      const lanes = [
        ["axis", (top) => this.drawAxis(top, height)],
        ["edit", (top) => this.drawEdit(top)],
        ["rate", (top) => this.drawRate(top)],
        ["buffer", data.buffer.size && ((top) => this.drawBuffer(top))],
        ["types", (top) => this.drawTypes(top)],
        ["steps", (top) => this.drawSteps(top)],
        ["sound", data.sound.length && ((top) => this.drawSound(top))],
      ].filter(([, draw]) => draw);
      const height = lanes.reduce((sum, [name]) => sum + LANES[name], 0);
      this.height = height;
      this.svg.setAttribute("viewBox", `0 0 ${this.width} ${height}`);
      this.svg.setAttribute("height", height);
      this.clip = make("clipPath", { id: "lane-room" });
      this.clip.append(make("rect", { x: LABELS, y: 0, width: this.room, height }));
      this.inside = make("g", { "clip-path": "url(#lane-room)" });
      this.svg.append(this.clip);
      this.svg.append(this.inside);
      let top = 0;
      for (const [name, draw] of lanes) {
        draw(top);
        top += LANES[name];
      }
      this.spanLayer = make("g", {});
      this.headLayer = make("g", {});
      this.inside.append(this.spanLayer, this.headLayer);
      this.drawSpans(spans);
    }

    rule(y) {
      this.svg.append(make("line", { class: "rule", x1: 0, x2: this.width, y1: y + 0.5, y2: y + 0.5 }));
    }

    name(y, text, ...more) {
      this.svg.append(make("text", { x: 0, y: y + 15 }, text));
      more.forEach((line, index) => this.svg.append(make("text", { class: "quiet", x: 0, y: y + 29 + index * 13 }, line)));
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
      this.rule(top);
      this.name(top, "Edit");
      const { events, marks, length } = this.data.edit;
      if (!events.length) {
        this.svg.append(make("text", { class: "quiet", x: LABELS + 6, y: top + 20 }, "no timeline"));
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
      this.rule(top);
      const { rates, limits, start, end, rates_end: ratesEnd } = this.data;
      const highest = rates.reduce((most, [, high]) => Math.max(most, high), 0);
      const lowest = rates.reduce((least, [low]) => Math.min(least, low), Infinity);
      this.name(top, "Bit rate, 1 s", ...(rates.length ? [`to ${spellRate(highest)}`, `from ${spellRate(lowest)}`] : []));
      if (!rates.length) {
        this.svg.append(make("text", { class: "quiet", x: LABELS + 6, y: top + 20 }, "shorter than one second"));
        return;
      }
      // With limits the scale keeps to their neighbourhood, where a few percent decide; without it begins at zero.
      const bounds = Object.values(limits);
      const most = Math.max(highest, ...bounds, 1);
      const least = bounds.length ? Math.min(lowest, ...bounds) : 0;
      const room = bounds.length ? Math.max(most - least, most / 50) : most;
      const floor = Math.max(0, least - room * 0.35);
      const bound = most + room * 0.2;
      const y = (bits) => top + LANES.rate - 4 - ((bits - floor) / (bound - floor)) * (LANES.rate - 10);
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
      this.rule(top);
      this.name(top, "Pictures", "I, P, B by size");
      const { sizes, types, entries, start, end } = this.data;
      const bottom = top + LANES.types - 4;
      const y = (bytes) => bottom - Math.sqrt(bytes / (this.data.largest_size || 1)) * (LANES.types - 16);
      const step = this.room / sizes.length;
      if (types) {
        for (let index = 0; index < types.length; index += 1) {
          const kind = { I: "i", P: "p", B: "b" }[types[index]] || "x";
          const upper = y(sizes[index][1]);
          const left = this.x(start + index);
          const gap = step > 4 ? 1 : 0;
          const bar = make("rect", { class: `type-${kind}`, x: left, y: upper, width: Math.max(step - gap, 0.6), height: bottom - upper });
          bar.append(make("title", {}, `${types[index]}, ${sizes[index][1]} bytes, frame ${start + index}`));
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
      this.rule(top);
      const { size, rate, given, left, least } = this.data.buffer;
      this.name(top, "Buffer", given ? "as the spec gives" : "as coded");
      const { start, end } = this.data;
      const floor = Math.min(0, least);
      const y = (bits) => top + LANES.buffer - 4 - ((bits - floor) / (size - floor || 1)) * (LANES.buffer - 14);
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
      this.rule(top);
      const { steps, period, start, end } = this.data;
      const highest = steps.reduce((most, [, high]) => Math.max(most, high), period);
      const lowest = steps.reduce((least, [low]) => Math.min(least, low), period);
      const flat = highest - lowest <= period / 20;
      const spell = (micro) => `${(micro / 1000).toFixed(1)} ms`;
      this.name(top, "Frame steps", flat ? spell(period) : `${spell(lowest)}–${spell(highest)}`);
      const bound = Math.max(highest, period * 2);
      const y = (micro) => top + LANES.steps - 4 - (micro / bound) * (LANES.steps - 8);
      const x = (index) => this.x(start + ((index + 0.5) / steps.length) * (end - start));
      const thick = bound / 24;
      this.inside.append(make("path", { class: flat ? "step" : "step uneven", d: band(steps.map(([low, high]) => [low - thick, high + thick]), x, y) }));
    }

    drawSound(top) {
      this.rule(top);
      const { sound, sound_tracks: tracks, start, end } = this.data;
      this.name(top, "Sound packets", tracks > sound.length ? `${sound.length} of ${tracks} tracks` : `${tracks} ${tracks === 1 ? "track" : "tracks"}`);
      const high = (LANES.sound - 8) / sound.length;
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
      this.headLayer.append(make("line", { class: "head-line", x1: x, x2: x, y1: 10, y2: this.height }));
      this.headLayer.append(make("path", { class: "head", d: `M${x - 5} 0h10v8l-5 6l-5 -6Z` }));
    }
  }

  window.Lanes = Lanes;
})();
