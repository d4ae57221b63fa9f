// What a drag asks for: one answer at a time, the newest next, and the next one before the last is drawn.

import assert from "node:assert/strict";
import test from "node:test";
import { store } from "lazzik/lib/store.js";
import { Previews } from "lazzik/studio/previews.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */

/**
 * @typedef {object} Sent what is on its way to a server that answers when it is told to
 * @property {number} value
 * @property {(...parts: object[]) => Promise<void>} answer so much of its answer
 * @property {() => Promise<void>} end no more of it comes
 * @property {(sentence: string) => void} refuse
 */

/** @type {Sent[]} */
let sent = [];
const heard = () => new Promise((go) => { setImmediate(go); }); // all promises are kept by then

/** Behind its length, as the server sends it. @param {object} part */
function message(part) {
  const content = new TextEncoder().encode(JSON.stringify(part));
  const whole = new Uint8Array(4 + content.length);
  new DataView(whole.buffer).setUint32(0, content.length, true);
  whole.set(content, 4);
  return whole;
}

Object.assign(globalThis, {
  MessagePack: { decode: (/** @type {Uint8Array} */ bytes) => JSON.parse(new TextDecoder().decode(bytes)) },
  fetch: (/** @type {string} */ _url, /** @type {{ body: string }} */ options) => new Promise((resolve) => {
    const { edits: [{ value }] } = JSON.parse(options.body);
    const stream = new TransformStream(undefined, undefined, { highWaterMark: 100 });
    const [writer, response] = [stream.writable.getWriter(), new Response(stream.readable)];
    /** @type {Sent["answer"]} */
    const answer = async (...parts) => {
      resolve(response);
      const bytes = Buffer.concat(parts.map(message));
      const middle = Math.floor(bytes.length / 2); // it comes as the wire cuts it
      for (const piece of [bytes.subarray(0, 3), bytes.subarray(3, middle), bytes.subarray(middle)]) await writer.write(new Uint8Array(piece));
      await heard();
    };
    const end = async () => { await writer.close(); await heard(); };
    const refuse = async (/** @type {string} */ sentence) => {
      resolve(new Response(JSON.stringify({ error: sentence }), { status: 422 }));
      await heard();
    };
    sent.push({ value, answer, end, refuse });
  }),
});
const curve = (/** @type {number} */ value) => ({ curve: value, more: true });
const stage = (/** @type {number} */ value) => ({ stage: value, more: false });
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

test("a part is drawn as it comes, and while the last one is, the next value is on its way; what came between is left out", async () => {
  /** @type {[drawn: object, asked: number[]][]} */
  const drawn = [];
  const previews = await begun((content) => drawn.push([content, sent.map((each) => each.value)]));
  for (const value of [1, 2, 3]) previews.push(to(value));
  assert.deepEqual(sent.map(({ value }) => value), [1], "one at a time");
  await sent[0].answer(curve(1));
  assert.deepEqual(drawn.pop(), [curve(1), [1]]);
  assert.equal(previews.times.length, 0);
  await sent[0].answer(stage(1));
  assert.deepEqual(drawn.pop(), [stage(1), [1, 3]]);
  assert.equal(previews.times.length, 1);
  await sent[0].end();
  await sent[1].answer(curve(3), stage(3));
  assert.deepEqual(drawn.map(([content]) => content), [curve(3), stage(3)]);
  await sent[1].end();
  assert.equal(previews.running, false);
});

test("what comes once a drag has ended is not drawn", async () => {
  /** @type {object[]} */
  const drawn = [];
  const previews = await begun((content) => drawn.push(content));
  previews.push(to(1));
  previews.push(to(2));
  await sent[0].answer(curve(1));
  previews.end();
  await sent[0].answer(stage(1));
  await sent[0].end();
  assert.deepEqual([drawn, sent.length, previews.running], [[curve(1)], 1, false]);
});

test("a value that is refused, at once or in a later part, is told of, and the next one is asked for", async () => {
  /** @type {(object | string)[]} */
  const told = [];
  const previews = await begun((content) => told.push(content), (sentence) => told.push(sentence));
  previews.push(to(1));
  previews.push(to(2));
  await sent[0].refuse("not 1");
  await sent[1].answer(curve(2), { refused: "not 2" });
  previews.push(to(3));
  await sent[2].answer(stage(3));
  await sent[2].end();
  assert.deepEqual(told, ["not 1", curve(2), "not 2", stage(3), ""]);
  assert.equal(previews.running, false);
});

test("where drawing fails, the next value is seen all the same", async () => {
  /** @type {object[]} */
  const drawn = [];
  const previews = await begun((content) => {
    if (content.stage === 1) throw new TypeError("it could not be drawn");
    drawn.push(content);
  });
  previews.next = to(1);
  const failed = assert.rejects(previews.run(), TypeError);
  await sent[0].answer(stage(1));
  await failed;
  previews.push(to(2));
  await sent[1].answer(stage(2));
  assert.deepEqual(drawn, [stage(2)]);
});
