// Whether pictures are drawn by graphics hardware, and what is drawn more simply where they are not.

const SOFTWARE = /swiftshader|llvmpipe|software|basic render/i;
const KEPT = "lazzik-smooth";
const RENDERER = "lazzik-renderer"; // its name, as long as the tab is open: to ask for it takes a context of its own

/** @type {boolean | null} */
let known = null;
export const hardware = () => (known ??= !SOFTWARE.test(rendererName()));

/** What the browser calls its renderer; '' where it does not tell. */
function rendererName() {
  const told = sessionStorage.getItem(RENDERER);
  if (told !== null) return told;
  const context = document.createElement("canvas").getContext("webgl2");
  const names = context?.getExtension("WEBGL_debug_renderer_info");
  const name = context && names ? String(context.getParameter(names.UNMASKED_RENDERER_WEBGL)) : "";
  context?.getExtension("WEBGL_lose_context")?.loseContext();
  sessionStorage.setItem(RENDERER, name);
  return name;
}

/** Without graphics hardware smooth edges double the time of a picture; they can be asked for all the same. */
export function smoothEdges() {
  const wanted = localStorage.getItem(KEPT);
  return wanted ? wanted === "yes" : hardware();
}

/** Ask for the other, from the next page on. */
export const switchEdges = () => localStorage.setItem(KEPT, smoothEdges() ? "no" : "yes");
