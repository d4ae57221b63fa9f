// What a drag asks for: one answer at a time, and the newest next.

import assert from "node:assert/strict";
import test from "node:test";
import { store } from "lazzik/lib/store.js";
import { Previews } from "lazzik/studio/previews.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */

/** @typedef {{ value: number, answer: (status?: number) => Promise<void> }} Sent on its way to a server that answers when it is told to */

/** @type {Sent[]} */
let sent = [];
Object.assign(globalThis, {
  MessagePack: { decode: (/** @type {Uint8Array} */ [value]) => value },
  fetch: (/** @type {string} */ _url, /** @type {{ body: string }} */ options) => new Promise((resolve) => {
    const { edits: [{ value }] } = JSON.parse(options.body);
    const answer = async (status = 200) => {
      const content = status === 200 ? Uint8Array.of(value) : JSON.stringify({ error: `not ${value}` });
      resolve(new Response(content, { status }));
      for (let turn = 0; turn < 5; turn++) await new Promise((go) => { setImmediate(go); }); // what was promised is kept by then
    };
    sent.push({ value, answer });
  }),
});
/** @param {number} value @returns {Edit[]} */
const to = (value) => [{ do: "set", address: "post/rotation.z", value }];

/** @param {(content: any) => void} show @param {((sentence: string) => void) | null} [problem] */
async function begun(show, problem = null) {
  await store.set({ scene: "one", revision: 3 });
  sent = [];
  const previews = new Previews(show);
  previews.begin(problem);
  return previews;
}

test("one is on its way at a time, and what came between is left out", async () => {
  /** @type {number[]} */
  const drawn = [];
  const previews = await begun((value) => drawn.push(value));
  for (const value of [1, 2, 3]) previews.push(to(value));
  assert.deepEqual(sent.map(({ value }) => value), [1]);
  await sent[0].answer();
  await sent[1].answer();
  assert.deepEqual([drawn, sent.length, previews.running], [[1, 3], 2, false]);
});

test("what comes once a drag has ended is not drawn", async () => {
  /** @type {number[]} */
  const drawn = [];
  const previews = await begun((value) => drawn.push(value));
  previews.push(to(1));
  previews.push(to(2));
  previews.end();
  await sent[0].answer();
  assert.deepEqual([drawn, sent.length, previews.running], [[], 1, false]);
});

test("a value that is refused is told of, and the next one is asked for", async () => {
  /** @type {(number | string)[]} */
  const told = [];
  const previews = await begun((value) => told.push(value), (sentence) => told.push(sentence));
  previews.push(to(1));
  previews.push(to(2));
  await sent[0].answer(422);
  await sent[1].answer();
  assert.deepEqual([told, previews.running], [["not 1", 2, ""], false]);
});

test("where drawing fails, the next value is seen all the same", async () => {
  /** @type {number[]} */
  const drawn = [];
  const previews = await begun((value) => {
    if (value === 1) throw new TypeError("it could not be drawn");
    drawn.push(value);
  });
  previews.next = to(1);
  const failed = assert.rejects(previews.run(), TypeError);
  await sent[0].answer();
  await failed;
  previews.push(to(2));
  await sent[1].answer();
  assert.deepEqual(drawn, [2]);
});
