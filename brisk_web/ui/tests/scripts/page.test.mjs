import assert from "node:assert/strict";
import { test } from "node:test";

import { doKey, followWork, nextPlace, withValues } from "../../static/ui/app/page.js";

test("values are put into an address and empty ones are left out", () => {
  const address = "http://house/checks/1/?line=a&view=levels#x";
  assert.equal(withValues(address, { line: "b", frame: 0, view: null }).href, "http://house/checks/1/?line=b&frame=0#x");
  assert.equal(withValues(address, { line: "", view: undefined }).href, "http://house/checks/1/#x");
});

test("the next place is the nearest one on the side that is asked for", () => {
  const places = [40, 7, 7, 19];
  assert.equal(nextPlace(places, 7, 1), 19);
  assert.equal(nextPlace(places, 19, -1), 7);
  assert.equal(nextPlace(places, 40, 1), undefined);
  assert.equal(nextPlace(places, 7, -1), undefined);
});

const pressed = (key, more = {}) => {
  const event = { key, prevented: false, target: { matches: () => false, blur() {}, closest: () => null }, ...more };
  event.preventDefault = () => (event.prevented = true);
  return event;
};

test("a key does what it stands for, unless it is meant for a field or comes with another", () => {
  const done = [];
  const does = { a: () => done.push("a") };
  const own = pressed("a");
  doKey(own, does);
  assert.deepEqual([done, own.prevented], [["a"], true]);
  for (const event of [pressed("b"), pressed("a", { ctrlKey: true }), pressed("a", { target: { matches: () => true } })]) {
    doKey(event, does);
    assert.equal(event.prevented, false);
  }
  assert.deepEqual(done, ["a"]);
  let blurred = false;
  doKey(pressed("Escape", { target: { matches: () => true, blur: () => (blurred = true) } }), does);
  assert.ok(blurred);
});

test("work is followed until it is over, also past an answer that does not come", async (context) => {
  context.mock.timers.enable({ apis: ["setTimeout"] });
  const answers = [{ words: "1 of 2", share: 0.5 }, null, { words: "done", share: 1 }];
  context.mock.method(globalThis, "fetch", async () => {
    const state = answers.shift();
    if (!state) throw new TypeError("no network");
    return { json: async () => state };
  });
  const component = { timers: {} };
  const told = [];
  const settled = async () => { for (let turn = 0; turn < 10; turn += 1) await Promise.resolve(); };
  followWork(component, "/state", (state) => {
    told.push(component.progressWords);
    return state.share === 1;
  });
  await settled();
  assert.deepEqual([told, component.progressStyle], [["1 of 2"], { width: "50.0%" }]);
  context.mock.timers.tick(1000);
  await settled();
  assert.equal(component.progressWords, "no answer from the house, trying again");
  context.mock.timers.tick(1000);
  await settled();
  assert.deepEqual(told, ["1 of 2", "done"]);
  context.mock.timers.tick(5000);
  assert.equal(answers.length, 0);
});

test("single keys that are switched off leave arrows where they are announced, and the help", () => {
  const done = [];
  const does = { v: () => done.push("v"), ArrowRight: () => done.push("right"), "?": () => done.push("help") };
  globalThis.localStorage = { getItem: () => "off" };
  try {
    doKey(pressed("v"), does);
    doKey(pressed("ArrowRight"), does);
    assert.deepEqual(done, []);
    const lanes = { matches: () => false, closest: (selector) => (selector === "[role=application]" ? {} : null) };
    doKey(pressed("ArrowRight", { target: lanes }), does);
    doKey(pressed("v", { target: lanes }), does);
    doKey(pressed("?"), does);
    assert.deepEqual(done, ["right", "help"]);
  } finally {
    delete globalThis.localStorage;
  }
});

test("arrows in a toolbar move between its buttons, and other keys act as everywhere", () => {
  const done = [];
  const buttons = [0, 1, 2].map((number) => ({ focus: () => done.push(number) }));
  const toolbar = { querySelectorAll: () => buttons };
  const within = (number) => ({
    matches: () => false,
    closest: (selector) => ({ "[role=toolbar]": toolbar, button: buttons[number] })[selector] ?? null,
  });
  const does = { ArrowRight: () => done.push("right"), v: () => done.push("v") };
  doKey(pressed("ArrowRight", { target: within(0) }), does);
  doKey(pressed("ArrowRight", { target: within(2) }), does);
  doKey(pressed("ArrowLeft", { target: within(0) }), does);
  doKey(pressed("End", { target: within(0) }), does);
  doKey(pressed("v", { target: within(0) }), does);
  assert.deepEqual(done, [1, 0, 2, 2, "v"]);
});
