// Talking to the server. Every refusal arrives as a Refused with a sentence for the person.

export class Refused extends Error {
  constructor(status, sentence, where = "", head = null) {
    super(sentence);
    Object.assign(this, { status, where, head });
  }
}

async function asked(url, options) {
  let response;
  try {
    response = await fetch(url, options);
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Refused(0, "Lazzik's server does not answer. What was saved is safe; try again once it runs.");
  }
  if (response.ok) return response;
  const told = await response.json().catch(() => ({}));
  throw new Refused(response.status, told.error ?? "The server could not do that.", told.where, told.head);
}

const body = (value) => ({ method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(value) });

export const post = async (url, value) => (await asked(url, body(value))).json();
// a file, taken as an asset of the scene's
export async function upload(file) {
  const content = new FormData();
  content.append("file", file);
  const scene = location.pathname.split("/")[2];
  return (await asked(`/scenes/${scene}/assets`, { method: "POST", body: content })).json();
}
export const form = async (url, content) => (await asked(url, { method: "POST", body: content })).json();
export const text = async (url) => (await asked(url)).text();
export const packed = async (url, value) =>
  MessagePack.decode(new Uint8Array(await (await asked(url, value && body(value))).arrayBuffer()));

// raw bytes of a message as numbers; copied, since they need not lie on a multiple of four
export const floats = (bytes) => new Float32Array(bytes.slice().buffer);
