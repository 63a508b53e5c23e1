import assert from "node:assert/strict";
import { test } from "node:test";

import {
  CONDITION_WORDS, fieldsOf, freeId, freshCondition, moved, parted, steps, toCell, toText, toValue, withField,
} from "../../static/ui/app/spec_values.js";

test("what stands in a field means what its kind asks", () => {
  for (const [text, kind, value] of [
    ["25", "rate", 25], ["29.97", "rate", "29.97"], ["30000/1001", "rate", "30000/1001"], ["4.1", "text", "4.1"],
    [" 8 ", "count", 8], ["-1.5", "number", -1.5], ["50 Mb/s", "bit/s", "50 Mb/s"], ["16:9", "ratio", "16:9"],
    ["1920x1080", "size", "1920x1080"], ["yes", "yes or no", true], ["No", "yes or no", false], ["maybe", "yes or no", "maybe"],
    ["a, b", "list of text", ["a", "b"]], ["2", "length", 2], ["2 s", "length", "2 s"],
  ]) assert.deepEqual(toValue(text, kind), value, text);
});

test("what is in a document is written into a field as a person would", () => {
  assert.equal(toText([1920, 1080], "size"), "1920×1080");
  assert.equal(toText([24, "30000/1001"], "rate"), "24, 30000/1001");
  assert.equal(toText(["1920×1080", "1280×720"], "size"), "1920×1080, 1280×720"); // two sizes, not one
  assert.equal(toText([[1920, 1080], [1280, 720]], "size"), "1920×1080, 1280×720");
  assert.equal(toText(null), "");
  assert.equal(toText(false), "false");
});

test("a list of sizes that is left as it stands means what it meant", () => {
  const [field] = fieldsOf("one_of", "size");
  for (const sizes of [["1920×1080"], ["1920×1080", "1280×720"], ["1920×1080", "1280×720", "960×540"]]) {
    assert.deepEqual(withField({ one_of: sizes }, field, toText(sizes, "size")), { one_of: sizes });
  }
});

test("a cell of a table is a value or several", () => {
  assert.equal(toCell("25", "rate"), 25);
  assert.deepEqual(toCell("4:3, 16:9", "ratio"), ["4:3", "16:9"]);
  assert.equal(toCell("", "rate"), "");
});

test("each condition that has a name has fields that fill it", () => {
  for (const name of Object.keys(CONDITION_WORDS)) {
    const fresh = freshCondition(name, { id: "picture.size", kind: "size", choices: [] });
    assert.equal(parted(fresh)[0], name);
    for (const field of fieldsOf(name, "size")) {
      const filled = withField(fresh, field, "7 s");
      assert.equal(parted(filled)[0], name);
      assert.notDeepEqual(filled, fresh, `${name} ${field.label}`);
    }
  }
});

test("fields fill their own place only", () => {
  const [least, most] = fieldsOf("between", "number");
  assert.deepEqual(withField(withField({ between: ["", ""] }, least, "1"), most, "2"), { between: [1, 2] });
  const [head] = fieldsOf("only_at_ends", "spans");
  assert.deepEqual(withField({ only_at_ends: { head: "2 s", tail: "3 s" } }, head, ""), { only_at_ends: { tail: "3 s" } });
  const [several] = fieldsOf("one_of", "count");
  assert.deepEqual(withField({ one_of: [] }, several, "1, 2,"), { one_of: [1, 2] });
});

test("ids are made from characteristics and never twice", () => {
  assert.equal(freeId("picture.frame_rate", []), "frame-rate");
  assert.equal(freeId("picture.frame_rate", ["frame-rate", "frame-rate-2"]), "frame-rate-3");
  assert.equal(freeId("???", []), "line");
});

test("rows move by one place and not beyond the ends", () => {
  assert.deepEqual(moved(["a", "b", "c"], 1, -1), ["b", "a", "c"]);
  assert.deepEqual(moved(["a", "b"], 1, 1), ["a", "b"]);
});

test("steps are taken back and again; a new one drops those that were taken back", () => {
  const done = steps("a");
  done.take("b");
  done.take("b");
  done.take("c");
  assert.equal(done.back(), "b");
  assert.equal(done.back(), "a");
  assert.equal(done.back(), null);
  assert.equal(done.again(), "b");
  done.take("d");
  assert.equal(done.canAgain, false);
  assert.equal(done.back(), "b");
});

test("no condition is read from what is none", () => {
  assert.deepEqual(parted({ equals: 1, one_of: [] }), ["", null]);
  assert.deepEqual(parted("x"), ["", null]);
  assert.deepEqual(parted(null), ["", null]);
});
