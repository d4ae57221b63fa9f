// Talking to the server. Every refusal arrives as a Refused with a sentence for the person.

export class Refused extends Error {
  /**
   * @param {number} status of the answer; 0 if there was none
   * @param {string} sentence
   * @param {string} where what was wrong: a field or an address
   * @param {number | null} head the revision that is there by now, where an older one was named
   */
  constructor(status, sentence, where = "", head = null) {
    super(sentence);
    this.status = status;
    this.where = where;
    this.head = head;
  }
}

/**
 * @param {string} url
 * @param {RequestInit} [options]
 */
async function asked(url, options) {
  let response;
  try {
    response = await fetch(url, options);
  } catch (error) {
    if (error instanceof Error && error.name === "AbortError") throw error;
    throw new Refused(0, "Lazzik's server does not answer. What was saved is safe; try again once it runs.");
  }
  if (response.ok) return response;
  const told = await response.json().catch(() => ({}));
  throw new Refused(response.status, told.error ?? "The server could not do that.", told.where, told.head);
}

/** @param {unknown} value @returns {RequestInit} */
const body = (value) => ({ method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(value) });

/**
 * @param {string} url
 * @param {unknown} value sent as JSON
 */
export const post = async (url, value) => (await asked(url, body(value))).json();

/**
 * A file, taken as an asset of the scene's.
 * @param {File} file
 * @returns {Promise<{ asset: string, label: string }>}
 */
export async function upload(file) {
  const content = new FormData();
  content.append("file", file);
  const scene = location.pathname.split("/")[2];
  return (await asked(`/scenes/${scene}/assets`, { method: "POST", body: content })).json();
}

/** @param {string} url @param {FormData} content */
export const form = async (url, content) => (await asked(url, { method: "POST", body: content })).json();

/** A page part that the server makes of what is sent. @param {string} url @param {FormData} content */
export const written = async (url, content) => (await asked(url, { method: "POST", body: content })).text();

/** @param {string} url */
export const text = async (url) => (await asked(url)).text();

/**
 * A page part of the server's, as a document of its own.
 * @param {string} url
 */
export const part = async (url) => new DOMParser().parseFromString(await text(url), "text/html");

/**
 * Values with arrays in them; with something to send, it is sent.
 * @param {string} url
 * @param {unknown} [value]
 * @returns {Promise<any>}
 */
export const packed = async (url, value) =>
  MessagePack.decode(new Uint8Array(await (await asked(url, value ? body(value) : undefined)).arrayBuffer()));

/**
 * Raw bytes of a message as numbers; copied, since they need not lie on a multiple of four.
 * @param {Uint8Array} bytes
 */
export const floats = (bytes) => new Float32Array(bytes.slice().buffer);
