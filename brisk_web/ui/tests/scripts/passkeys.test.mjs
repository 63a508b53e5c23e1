import assert from "node:assert/strict";
import { test } from "node:test";

import { why } from "../../static/ui/app/passkeys.js";

test("what came of asking a device is said in words", () => {
  assert.match(why({ name: "NotAllowedError" }), /took too long/);
  assert.match(why({ name: "InvalidStateError" }), /already/);
  assert.equal(why({ name: "DataError", message: "no slot" }), "Your browser could not do it: no slot");
});
