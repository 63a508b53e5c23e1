// Levels of a mix and of what its stems leave, along time.
import { make } from "./svg.js";

document.addEventListener("alpine:init", () => {
  const HEIGHT = 150;
  const LEFT = 46; // room for the scale
  const FOOT = 18;
  const FLOOR = -100; // dBFS
  const SCALE = [0, -20, -40, -60, -80];
  const CURVES = ["mix", "left", "best"];

  Alpine.data("stemChoices", () => ({
    words: "",
    isWanted() {
      return this.$el.dataset.name.includes(this.words.toLowerCase());
    },
  }));

  Alpine.data("stemLane", () => ({
    init() {
      this.data = JSON.parse(document.getElementById("stem-data").textContent);
      this.resizer = new ResizeObserver(() => this.draw());
      this.resizer.observe(this.$refs.lane);
    },
    destroy() {
      this.resizer?.disconnect();
    },
    draw() {
      const wide = Math.max(this.$refs.lane.clientWidth, 260);
      const { lane, length, worst } = this.data;
      const svg = make("svg", { viewBox: `0 0 ${wide} ${HEIGHT}`, height: HEIGHT, width: wide });
      const x = (seconds) => LEFT + (seconds / length) * (wide - LEFT);
      const y = (level) => 4 + (Math.max(level, FLOOR) / FLOOR) * (HEIGHT - FOOT - 4);
      for (const level of SCALE) {
        svg.append(make("line", { class: "rule", x1: LEFT, x2: wide, y1: y(level), y2: y(level) }));
        svg.append(make("text", { x: LEFT - 6, y: y(level) + 4, "text-anchor": "end" }, level));
      }
      const step = [1, 2, 5, 10, 30, 60, 300, 600, 1800].find((one) => ((wide - LEFT) * one) / length >= 60) || 3600;
      for (let at = 0; at < length; at += step) svg.append(make("text", { x: x(at), y: HEIGHT - 4 }, `${at} s`));
      CURVES.forEach((name, column) => {
        const points = lane.map((row, index) => `${x(((index + 0.5) / lane.length) * length).toFixed(1)},${y(row[column]).toFixed(1)}`);
        svg.append(make("polyline", { class: `curve-${name}`, points: points.join(" ") }));
      });
      if (!this.data.right) svg.append(make("line", { class: "worst", x1: x(worst.at), x2: x(worst.at), y1: 4, y2: HEIGHT - FOOT }));
      this.$refs.lane.replaceChildren(svg);
    },
  }));
});
