import assert from "node:assert/strict";
import { test } from "node:test";
import { store } from "lazzik/lib/store.js";
import { colourEdits, shares } from "lazzik/objects/colours.js";

globalThis.sessionStorage ??= /** @type {Storage} */ (/** @type {unknown} */ ({ getItem: () => null }));

test("a colour is three shares of one", () => {
  assert.deepEqual(shares("#ff8000"), [1, 0.502, 0]);
});

test("a part that has keys gets one at the playhead, the others are set", async () => {
  await store.set({ frame: 12 });
  assert.deepEqual(colourEdits("post/look.color", "#00ff00", [false, true, false]), [
    { do: "set", address: "post/look.color.r", value: 0 },
    { do: "put-key", address: "post/look.color.g", frame: 12, value: 1 },
    { do: "set", address: "post/look.color.b", value: 0 },
  ]);
});
