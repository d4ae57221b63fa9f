// What the page for review carries: its versions, and the packs that they are put together from.

/**
 * @typedef {object} Version
 * @property {string} name
 * @property {number} fps
 * @property {number} first
 * @property {number} last
 * @property {string[]} left what is left out, in words
 * @property {number} head the pack that has its glTF as text
 * @property {[pack: number, from: number, length: number][]} pieces of its buffer, in order
 */

/** @template {HTMLElement} [T=HTMLElement] @param {string} what @param {new () => T} [kind] @returns {T} */
export function one(what, kind = /** @type {new () => T} */ (/** @type {unknown} */ (HTMLElement))) {
  const found = document.querySelector(what);
  if (!(found instanceof kind)) throw new Error(`${what} is not there`);
  return found;
}

/** @param {string} what @returns {HTMLElement[]} */
export const all = (what) => [...document.querySelectorAll(what)].map((found) => /** @type {HTMLElement} */ (found));

/** @type {{ scene: string, versions: Version[] }} */
export const content = JSON.parse(one("#content").textContent ?? "");

/** @type {Map<number, Promise<Uint8Array<ArrayBuffer>>>} */
const packs = new Map();

/** A pack, read when it is first asked for. @param {number} number */
export function pack(number) {
  const known = packs.get(number) ?? unpacked(one(`#pack-${number}`).textContent ?? "");
  packs.set(number, known);
  return known;
}

/** Bytes that were compressed (gzip, RFC 1952) and written as text (base64, RFC 4648). @param {string} text */
async function unpacked(text) {
  const bytes = Uint8Array.from(atob(text.trim()), (letter) => letter.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}
