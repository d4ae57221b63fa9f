import assert from "node:assert/strict";
import { test } from "node:test";
import { Store } from "lazzik/lib/store.js";

test("a part that is set tells those who asked for it, and no one else", async () => {
  const store = new Store();
  /** @type {string[]} */
  const told = [];
  store.subscribe("frame", () => { told.push(`frame ${store.frame}`); });
  store.subscribe("facts", () => { told.push("facts"); });
  await store.set({ frame: 7 });
  await store.set({ revision: 3 });
  assert.deepEqual(told, ["frame 7"]);
  assert.equal(store.revision, 3);
});

test("each subscriber is done before the next one is called, and all of them before set is", async () => {
  const store = new Store();
  /** @type {string[]} */
  const told = [];
  store.subscribe("facts", async () => { await null; await null; told.push("slow"); });
  store.subscribe("facts", () => { told.push("quick"); });
  await store.set({ facts: { ...store.facts, at: "post/rotation.z" } });
  assert.deepEqual(told, ["slow", "quick"]);
});

test("what is set is there at once", () => {
  const store = new Store();
  store.set({ scene: "ridge", selection: new Map([["post/rotation.z", [4]]]) });
  assert.equal(store.url, "/scenes/ridge");
  assert.deepEqual(store.selection.get("post/rotation.z"), [4]);
});
