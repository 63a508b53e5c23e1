// Drawings of the page Against the master: the map of file time against master time, and the level curve.
import { make } from "./svg.js";
import { label } from "./timecode.js";

export class FrameMap {
  constructor(place, data, seek) {
    this.place = place;
    this.data = data;
    this.slope = ratioOf(data.map.slope);
    this.seek = seek;
    this.left = 62;
    this.bottom = 20;
    let held = false;
    const under = (event) => this.frameAt(event.clientX - this.place.getBoundingClientRect().left);
    place.addEventListener("pointerdown", (event) => {
      held = true;
      place.setPointerCapture(event.pointerId);
      seek(under(event));
    });
    place.addEventListener("pointermove", (event) => held && seek(under(event)));
    place.addEventListener("pointerup", () => (held = false));
    new ResizeObserver(() => this.draw()).observe(place);
  }

  // The frame of the master that a frame of the file shows; null for one that is not in it.
  masterOf(frame) {
    const alone = this.data.map.alone.find(([at]) => at === frame);
    if (alone && alone[2] !== null) return alone[2];
    const stretch = this.data.map.stretches.find(([start, end]) => frame >= start && frame < end);
    return stretch ? placeOf(frame, this.slope, stretch) : null;
  }
  frameAt(x) {
    const share = (x - this.left) / Math.max(this.width - this.left - 8, 1);
    return Math.round(share * (this.data.file.frames - 1));
  }
  x(frame) {
    return this.left + (frame / Math.max(this.data.file.frames, 1)) * (this.width - this.left - 8);
  }
  y(frame) {
    return (this.height - this.bottom) * (1 - frame / Math.max(this.data.master.frames, 1)) + 2;
  }
  label(side, frame) {
    return label(side.first + Math.round(frame), side.nominal, side.drop);
  }

  draw() {
    this.width = this.place.clientWidth;
    this.height = this.place.clientHeight;
    if (this.width < 100 || this.height < 60) return;
    const svg = make("svg", { width: this.width, height: this.height });
    this.drawGrid(svg);
    const { map, master, ordered } = this.data;
    for (const [start, end] of map.holes) {
      const top = this.y(end);
      svg.append(make("rect", { class: "hole", x: this.left, y: top, width: this.width - this.left - 8, height: Math.max(this.y(start) - top, 2) }));
      const names = this.data.shots.filter((one) => one.start < end && one.end > start).map((one) => `${one.number} ${one.name}`);
      const says = `${names.length === 1 ? `shot ${names[0]}` : `${end - start} frames`} nowhere in the file`;
      if (this.y(start) - top > 11) svg.append(make("text", { class: "hole-text", x: this.left + 6, y: (top + this.y(start)) / 2 + 4 }, says));
    }
    if (ordered && (ordered[0] > 0 || ordered[1] < master.frames)) {
      const top = this.y(ordered[1]);
      svg.append(make("rect", { class: "range", x: this.left, y: top, width: this.width - this.left - 8, height: this.y(ordered[0]) - top }));
    }
    const exchanged = this.data.shots.filter((one) => one.state === "swapped" || one.state === "sped");
    for (const stretch of map.stretches) {
      const [start, end] = stretch;
      const [from, to] = [start, end].map((frame) => this.y(placeOf(frame, this.slope, stretch)));
      const line = { x1: this.x(start), y1: from, x2: this.x(end), y2: to };
      const astray = exchanged.some((one) => one.file_start < end && one.file_end > start);
      svg.append(make("line", { class: astray ? "run astray" : "run", ...line }));
    }
    for (const [frame, , place] of map.alone) {
      if (place !== null) svg.append(make("circle", { class: "alone", cx: this.x(frame), cy: this.y(place), r: 3 }));
    }
    this.head = make("line", { class: "head-line", y1: 0, y2: this.height - this.bottom + 4 });
    svg.append(this.head);
    this.place.replaceChildren(svg);
    this.drawHead(this.frame || 0);
  }
  drawGrid(svg) {
    const steps = 5;
    for (let step = 0; step <= steps; step += 1) {
      const across = (this.data.file.frames * step) / steps;
      const up = (this.data.master.frames * step) / steps;
      svg.append(make("line", { class: "rule", x1: this.x(across), x2: this.x(across), y1: 2, y2: this.y(0) }));
      svg.append(make("line", { class: "rule", x1: this.left, x2: this.width - 8, y1: this.y(up), y2: this.y(up) }));
      const anchor = step === steps ? "end" : step ? "middle" : "start";
      svg.append(make("text", { class: "fig", x: this.x(across), y: this.height - 5, "text-anchor": anchor }, this.label(this.data.file, across)));
      svg.append(make("text", { class: "fig", x: 0, y: Math.max(this.y(up), 10) }, this.label(this.data.master, up).slice(3)));
    }
  }
  drawHead(frame) {
    this.frame = frame;
    if (!this.head) return;
    const x = this.x(frame + 0.5);
    this.head.setAttribute("x1", x);
    this.head.setAttribute("x2", x);
  }
}

// The frame of the master that a frame of a stretch shows; its speed stands last where it is another than the rest's.
export const placeOf = (frame, slope, [, , offset, speed = 1]) => frame * slope * speed + offset;

export const ratioOf = (text) => {
  const [above, below] = text.split("/").map(Number);
  return above / below;
};

// Luma of the file over luma of the master, both 8-bit narrow range.
export const drawCurve = (place, curve) => {
  const size = 180;
  const left = 26;
  const at = (value) => (value / 255) * size;
  const svg = make("svg", { width: size + left + 4, height: size + 30 });
  svg.append(make("rect", { class: "plot", x: left, y: 0, width: size, height: size }));
  for (const value of [16, 235]) {
    svg.append(make("line", { class: "rule", x1: left + at(value), x2: left + at(value), y1: 0, y2: size }));
    svg.append(make("line", { class: "rule", x1: left, x2: left + size, y1: size - at(value), y2: size - at(value) }));
    svg.append(make("text", { class: "fig", x: left + at(value), y: size + 12, "text-anchor": "middle" }, value));
    svg.append(make("text", { class: "fig", x: left - 4, y: size - at(value) + 4, "text-anchor": "end" }, value));
  }
  svg.append(make("line", { class: "even", x1: left, y1: size, x2: left + size, y2: 0 }));
  const points = curve.points.map(([one, other]) => `${left + at(one)},${size - at(other)}`).join(" ");
  svg.append(make("polyline", { class: "measured", points }));
  svg.append(make("text", { class: "quiet", x: left + size / 2, y: size + 26, "text-anchor": "middle" }, "luma of the master"));
  place.replaceChildren(svg);
};
