import assert from "node:assert/strict";
import { test } from "node:test";

import { label } from "../../static/ui/app/timecode.js";

test("labels without dropping count every frame", () => {
  for (const [frames, nominal, says] of [
    [0, 25, "00:00:00:00"],
    [24, 25, "00:00:00:24"],
    [25, 25, "00:00:01:00"],
    [900000, 25, "10:00:00:00"],
    [2160000, 25, "00:00:00:00"],
    [99, 100, "00:00:00:99"],
    [119, 120, "00:00:00:119"],
  ]) assert.equal(label(frames, nominal, false), says);
});

test("drop-frame leaves out two labels a minute, and none each tenth (SMPTE ST 12-1)", () => {
  for (const [frames, says] of [
    [0, "00:00:00;00"],
    [1799, "00:00:59;29"],
    [1800, "00:01:00;02"],
    [3597, "00:01:59;29"],
    [3598, "00:02:00;02"],
    [17981, "00:09:59;29"],
    [17982, "00:10:00;00"],
    [19781, "00:10:59;29"],
    [19782, "00:11:00;02"],
    [107892, "01:00:00;00"],
    [2589407, "23:59:59;29"],
  ]) assert.equal(label(frames, 30, true), says);
});

test("at 60 a second four labels a minute are left out", () => {
  for (const [frames, says] of [[3599, "00:00:59;59"], [3600, "00:01:00;04"], [35964, "00:10:00;00"]]) {
    assert.equal(label(frames, 60, true), says);
  }
});

test("every drop-frame label of an hour is met once, in order", () => {
  const met = Array.from({ length: 107892 }, (_, frame) => label(frame, 30, true));
  assert.equal(new Set(met).size, met.length);
  assert.deepEqual([...met].sort(), met);
  assert.ok(!met.some((says) => /:\d[1-9]:00;0[01]$/.test(says)));
});
