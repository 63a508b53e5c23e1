import assert from "node:assert/strict";
import { test } from "node:test";

import { nearest } from "../../static/ui/app/directions.js";

const place = (name, x, y) => ({ name, area: { x, y, width: 10, height: 10 } });
const menu = place("menu", 0, 0);
const film = place("film", 100, 0);
const short = place("short", 100, 50);
const far = place("far", 200, 0);
const all = [menu, film, short, far];

test("the nearest in a direction, what lies aside counting double", () => {
  assert.equal(nearest(menu, all, "right"), film);
  assert.equal(nearest(film, all, "right"), far);
  assert.equal(nearest(film, all, "down"), short);
  assert.equal(nearest(short, all, "up"), film);
  assert.equal(nearest(far, all, "left"), film);
});

test("nothing where nothing lies that way, and never itself", () => {
  assert.equal(nearest(menu, all, "left"), undefined);
  assert.equal(nearest(menu, all, "up"), undefined);
  assert.equal(nearest(menu, [menu], "right"), undefined);
  assert.equal(nearest(menu, [menu, place("on top", 0, 0)], "down"), undefined);
});
