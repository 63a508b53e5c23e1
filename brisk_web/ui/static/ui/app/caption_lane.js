// The lane of captions: a block for each, those with a fault notched, and the text that stands at the playhead.
import { LABELS, Lanes } from "./lanes.js";
import { make } from "./svg.js";

const BLOCK = 15; // height of a block
const ROW = 16; // height of a row of blocks; the rest of the lane is for the text at the playhead
const MOST_ROWS = 2;
const LETTER = 6.1; // width of a letter in a block
const LEAST_FOR_TEXT = 26;

Object.assign(Lanes.prototype, {
  drawCaptions(top, folded) {
    const tracks = this.data.captions;
    const faults = tracks.reduce((sum, track) => sum + track.captions.filter(([, , , , says]) => says.length).length, 0);
    this.name("Captions", ...(folded ? [] : [faults ? `${faults} with faults` : "no faults"]));
    const { start, end } = this.data;
    tracks.slice(0, MOST_ROWS).forEach((track, row) => {
      const y = top + 3 + row * ROW;
      let last = -1; // captions that fall on one column are drawn once
      for (const [first, after, text, line, says, outcome] of track.captions) {
        if (after <= start || first >= end) continue;
        const left = this.x(first);
        const wide = Math.max(this.x(after) - left - 1, 1);
        if (Math.round(left) === last && wide <= 1 && !says.length) continue;
        last = Math.round(left);
        const block = make("rect", { class: `caption ${outcome}`, x: left, y, width: wide, height: BLOCK });
        block.append(make("title", {}, [`${track.name}, ${line}`, text, ...says].join("\n")));
        this.inside.append(block);
        if (says.length) this.inside.append(make("path", { class: `notch ${outcome}`, d: `M${left} ${y}h${Math.min(wide, 7)}l-${Math.min(wide, 7)} 7Z` }));
        const whole = text.replaceAll("\n", " / ");
        const room = Math.floor((wide - 8) / LETTER);
        if (wide > LEAST_FOR_TEXT) this.inside.append(make("text", { x: Math.max(left, LABELS) + 5, y: y + 11 }, whole.length <= room ? whole : `${whole.slice(0, Math.max(room - 1, 0))}…`));
      }
    });
  },

  // What is said at the playhead, beside it.
  drawSaid(frame, x) {
    const place = this.places?.find((one) => one.id === "captions");
    if (!place || place.folded) return;
    const y = place.top + 3 + Math.min(this.data.captions.length, MOST_ROWS) * ROW + 12;
    const said = this.data.captions.flatMap((track) => track.captions.filter(([first, after]) => first <= frame && frame < after).map(([, , text]) => text));
    const words = said.length ? said.join("  |  ").replaceAll("\n", " / ") : "no caption here";
    const before = x > LABELS + this.room / 2;
    this.headLayer.append(make("text", { class: said.length ? "said" : "quiet", x: before ? x - 7 : x + 7, y, "text-anchor": before ? "end" : "start" }, words));
  },
});
