// Whether pictures are drawn by graphics hardware, and what is drawn more simply where they are not.

const SOFTWARE = /swiftshader|llvmpipe|software|basic render/i;
const KEPT = "lazzik-smooth";

/** @type {boolean | null} */
let known = null;
export const hardware = () => (known ??= drawnByHardware());

function drawnByHardware() {
  const context = document.createElement("canvas").getContext("webgl2");
  const names = context?.getExtension("WEBGL_debug_renderer_info");
  const name = context && names ? context.getParameter(names.UNMASKED_RENDERER_WEBGL) : "";
  context?.getExtension("WEBGL_lose_context")?.loseContext();
  return !SOFTWARE.test(name);
}

/** Copies of a scatter that are drawn while one works: without graphics hardware thousands make every picture slow. */
export const mostCopies = () => (hardware() ? Infinity : 500);

/** Without graphics hardware smooth edges double the time of a picture; they can be asked for all the same. */
export function smoothEdges() {
  const wanted = localStorage.getItem(KEPT);
  return wanted ? wanted === "yes" : hardware();
}

/** Ask for the other, from the next page on. */
export const switchEdges = () => localStorage.setItem(KEPT, smoothEdges() ? "no" : "yes");
