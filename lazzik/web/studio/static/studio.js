// The studio, put together: panels, stage, strata and time, and the actions that work on all of them.

import { act, actions, pressed } from "lazzik/lib/actions.js";
import { floats, packed, Refused } from "lazzik/lib/api.js";
import { maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { offerAims } from "lazzik/aim/aim.js";
import { AirPanel } from "lazzik/air/air.js";
import { AirHandles } from "lazzik/air/handles.js";
import { Breath } from "lazzik/air/breath.js";
import { offerDials } from "lazzik/dials/dials.js";
import { drawBeads } from "lazzik/keys/beads.js";
import { channelAddress, chooseAll, deskOpen, keysChanged, putKey, removeKeys } from "lazzik/keys/chosen.js";
import { copy, paste } from "lazzik/keys/clipboard.js";
import { Desk } from "lazzik/keys/desk.js";
import { Hands } from "lazzik/keys/hands.js";
import { listenToColours } from "lazzik/objects/colours.js";
import { listenToHanging } from "lazzik/objects/hang.js";
import { offerMarks } from "lazzik/marks/marks.js";
import { offerObjects } from "lazzik/objects/objects.js";
import { offerObjectRecipes } from "lazzik/object_recipes/object_recipes.js";
import { offerKeeping } from "lazzik/shelf/shelf.js";
import { offerRecipes } from "lazzik/recipes/recipes.js";
import { CopyBrush, offerScatters } from "lazzik/scatter/scatter.js";
import { offerSheaves } from "lazzik/sheaves/sheaves.js";
import { offerShapeBake } from "lazzik/shape/bake.js";
import { ShapeForm } from "lazzik/shape/form.js";
import { offerCycles } from "lazzik/stack/cycles.js";
import { listenToFormulas } from "lazzik/stack/formula.js";
import { listenToKnobs, paintSliders } from "lazzik/stack/knobs.js";
import { offerLayers } from "lazzik/stack/layers.js";
import { listenToOrder } from "lazzik/stack/order.js";
import { offerStagger } from "lazzik/stack/stagger.js";
import { Strata } from "lazzik/stack/strata.js";
import { drawWindows, listenToWindows } from "lazzik/stack/windows.js";
import { RunPanel } from "lazzik/carried/runpanel.js";
import { offerCloth, PinBrush } from "lazzik/cloth/cloth.js";
import { offerEmitters } from "lazzik/emitter/emitter.js";
import { drawOverLife, listenToOverLife } from "lazzik/emitter/overlife.js";
import { listenToBox } from "lazzik/stage/box.js";
import { autoKeys, Gizmo } from "lazzik/stage/gizmo.js";
import { mostCopies } from "lazzik/stage/copies.js";
import { Crowds } from "lazzik/stage/crowds.js";
import { switchEdges } from "lazzik/stage/hardware.js";
import { Runs } from "lazzik/stage/runs.js";
import { keepPictures, pictureOf } from "lazzik/stage/picture.js";
import { namePointed } from "lazzik/stage/pointed.js";
import { begunStage } from "lazzik/stage/stage.js";
import { Surfaces } from "lazzik/stage/surfaces.js";
import { offerViews } from "lazzik/stage/views.js";
import { offerTime } from "lazzik/timeline/steps.js";
import { wholeRange } from "lazzik/timeline/timeaxis.js";
import { Transport } from "lazzik/timeline/transport.js";
import { PICTURE, shootWith } from "lazzik/versions/keeping.js";
import { changesShowOn } from "./change.js";
import { alone, chooseNodes, chosenNodes, listenToChoice } from "./choice.js";
import { listenToDivider } from "./divider.js";
import { offerHelp } from "./help.js";
import { onChange, settled } from "./history.js";
import { listenToNames } from "./names.js";
import { Previews } from "./previews.js";
import { recalledFrame, remember } from "./remembered.js";
import { arrived, choose, chosenNode, factsIn, minding, refresh, whileAsked } from "./session.js";
import { sheet } from "./sheets.js";
import { offerSteps } from "./steps.js";
import { listenToTree } from "./tree.js";

const NO_PATH = new Float32Array(0);
const PATH_WITHIN = 250; // milliseconds that the first picture of the stage waits for the path

await store.set({ facts: factsIn(document) });
minding();
remember();

const work = one("#work");
const tree = one("#tree");
const note = one("#stage-note");
const canvas = one("#canvas", document, HTMLCanvasElement);

const stage = begunStage(canvas, note);
stage?.keepPictures();
let geometry = "";

/** @param {string} key of the geometry that the stage is to hold */
async function showGeometry(key) {
  if (!stage || key === geometry) return;
  geometry = key;
  await stage.load(`${store.url}/rest.glb?${key}`);
  crowds?.attach();
  runs?.attach();
}

// asked for before all else is put together; what is wrong with it is said where its motion is asked for, and it with that
const atRest = showGeometry(one("#stage").dataset.geometry ?? "").catch(() => { geometry = ""; });
const surfaces = stage && new Surfaces(stage);
const strata = new Strata();
const transport = new Transport();
const gizmo = stage && new Gizmo(stage);
const previews = new Previews((content) => {
  if (content.carried) return runs?.preview(content.carried);
  stage?.setMotion(content.motion, store.facts.first);
  if (content.points) surfaces?.preview(content.points);
  crowds?.preview(content.crowds);
  if (content.strata) stage?.setPath(floats(content.strata.path));
  stage?.drawWaiting(); // before the curves: what draws works beside the page, which waits for it at the end of the frame
  if (content.strata) strata.set(content.strata);
  if (content.gusts) airPanel.show(content.gusts);
});

strata.drawn = () => {
  drawWindows(strata);
  if (!strata.holding) drawBeads(strata);
  transport.place();
};
store.subscribe("frame", () => {
  stage?.show(store.frame);
  surfaces?.show(store.frame);
  crowds?.show(store.frame);
  runs?.show(store.frame);
});

/** @param {any} content curves as the server sends them */
function show(content) {
  stage?.setPath(floats(content.path));
  stage?.begin();
  stage?.drawWaiting(); // before the curves: what draws works beside the page
  strata.set(content);
}

/**
 * Where curves are asked for, of the state that is shown: a step that is on its way may take the number away.
 * @param {string} address
 * @param {string[]} also
 */
function curvesAt(address, also) {
  const asked = new URLSearchParams({ address, revision: String(store.facts.revision) });
  for (const other of also) asked.append("also", other);
  return `${store.url}/curves?${asked}`;
}

/** @type {{ url: string, content: Promise<any> } | null} curves that were asked for beside the panels of another number */
let early = null;
whileAsked(({ at, also }) => {
  const [address] = at.split("#");
  if (at === store.facts.at || !address.includes(".")) return;
  const url = curvesAt(address, also);
  early = { url, content: packed(url) };
  early.content.catch(() => {}); // what is wrong with it is said where it is shown
});

async function fetchCurves() {
  if (!channelAddress()) {
    stage?.setPath(NO_PATH);
    return strata.draw(); // what lies over the same time: blocks of sheaves
  }
  const { facts } = store;
  const url = curvesAt(channelAddress(), facts.also);
  const { strata: content } = await (early?.url === url ? early.content : packed(url));
  early = null;
  if (facts === store.facts) show(content); // otherwise another number is shown by now, with curves of its own
}

/** @param {number | null} since the revision whose motion is there */
async function fetchMotion(since = null) {
  if (!stage) return;
  const content = await packed(`${store.url}/motion${since === null ? "" : `?since=${since}`}`);
  stage.setMotion(content.motion, content.from);
  await showGeometry(content.geometry);
  surfaces?.know(content.shaped, content.reshaped);
  if (since === null && content.revision < store.revision) await fetchMotion(content.revision); // a step came meanwhile
}

const knowCrowds = () => guard(async () => {
  const { scatters, revision, last } = store.facts;
  await crowds?.know(scatters, revision, last);
  copyBrush?.say();
});

const knowRuns = () => guard(async () => {
  await runs?.know(store.facts.carried, store.facts.revision);
});

// the chosen row in the tree, in sight
/** @type {string | null} */
let shownNode = null;
function showChosen() {
  if (shownNode === chosenNode()) return;
  shownNode = chosenNode();
  // with its numbers, as far as there is room for them
  maybe("#tree li:has(> .object.chosen)")?.scrollIntoView({ block: "nearest" });
  maybe("#tree .object.chosen")?.scrollIntoView({ block: "nearest" });
}

// the open layer or deformer with its numbers, in sight
/** @type {string | undefined} */
let openLane;
function showOpen() {
  const lane = maybe(".lane.chosen", work);
  if (lane?.id === openLane) return;
  openLane = lane?.id;
  maybe("#strip", work)?.scrollIntoView({ block: "nearest" });
  lane?.scrollIntoView({ block: "nearest" }); // if there is not room for both, its curve counts more
}

const range = () => [store.facts.first, store.facts.last, store.facts.fps].join();
const shownRange = range();

listenToKnobs(work);
listenToKnobs(tree);
listenToTree(tree);
listenToChoice(tree, work);
listenToFormulas(work);
listenToWindows(work, strata);
listenToOrder(work);
listenToDivider(work);
listenToHanging(tree);
listenToColours([tree, work], stage);
listenToNames();
if (stage) listenToBox(stage, chooseNodes);
if (stage) namePointed(stage);
new Hands(work, strata);
store.subscribe("selection", () => drawBeads(strata));
const form = new ShapeForm(work, stage);
const desk = new Desk(work, strata);
const airPanel = new AirPanel(stage);
const airHandles = stage && new AirHandles(stage);
const breath = stage && new Breath(stage);
const crowds = stage && new Crowds(stage, store.url, { most: mostCopies });
const runs = stage && new Runs(stage, store.url);
const runPanel = runs && new RunPanel(runs, transport);
listenToOverLife(work);
const copyBrush = stage && crowds && new CopyBrush(stage, crowds);
const pinBrush = stage && new PinBrush(stage);
offerLayers();
offerCycles(paintSliders);
offerStagger();
offerShapeBake();
offerObjects();
offerDials();
offerAims();
offerSheaves();
offerScatters();
offerEmitters();
offerCloth();
offerTime(transport);
offerMarks(transport, { changes: true });
offerRecipes();
offerObjectRecipes();
offerKeeping();
act({ name: "keep-look", run: () => sheet("keep-form", { sort: "material", part: chosenNode() }), label: "Keep the look of the object on the shelf" });
offerSteps();
shootWith(() => (stage ? pictureOf(stage, PICTURE) : null));
offerHelp();
offerViews(stage, chosenNodes);

store.subscribe("facts", async () => {
  // another range or rate changes the ruler and every clock: the page is drawn anew
  if (range() !== shownRange) return location.reload();
  paintSliders();
  stage?.select(chosenNode());
  showChosen();
  showOpen();
  form.changed();
  gizmo?.show(chosenNode());
  stage?.setAim(store.facts.aim);
  airHandles?.show(store.facts.air.field);
  breath?.changed();
  copyBrush?.changed();
  pinBrush?.changed();
  drawOverLife();
  runPanel?.changed();
  knowCrowds();
  knowRuns();
  await airPanel.changed();
  await fetchCurves();
  await keysChanged();
});
onChange((since) => Promise.all([refresh(), fetchMotion(since)]));
changesShowOn({ previews, strata, stage, surfaces, back: () => Promise.all([refresh(), fetchMotion()]) });

// links that lead to another address change the panels and leave the page
document.addEventListener("click", async (event) => {
  const link = over(event, "a[data-panels]", HTMLAnchorElement);
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const asked = new URL(link.href).searchParams;
  const moving = link.dataset.moving ? { moving: link.dataset.moving === "true" } : {};
  const also = asked.has("also") ? { also: asked.getAll("also") } : {};
  await choose(asked.get("at") ?? store.facts.at, { ...moving, ...also });
});
window.addEventListener("popstate", () => {
  const asked = new URLSearchParams(location.search);
  refresh({ at: asked.get("at") ?? "", also: asked.getAll("also"), moving: asked.get("moving") === "true" });
});

// a press on the stage that is no drag chooses the object under it
/** @type {[x: number, y: number] | null} */
let pressedAt = null;
canvas.addEventListener("pointerdown", (event) => { pressedAt = [event.clientX, event.clientY]; });
canvas.addEventListener("pointerup", (event) => {
  if (!pressedAt || Math.hypot(event.clientX - pressedAt[0], event.clientY - pressedAt[1]) > 4) return;
  const id = stage?.pick(event.clientX, event.clientY);
  const row = id && maybe(`#row-${CSS.escape(id)} > a`);
  if (row) row.click();
  else if (id) choose(`${id}/rotation.z`, { moving: false });
});

// what can be added is the same for every number: panels that come anew leave it out, and it is put in as it is opened
document.addEventListener("show.bs.dropdown", ({ target }) => {
  const list = /** @type {HTMLElement} */ (target).parentElement?.querySelector("[data-kinds]:not(:has([data-act^=add-]))");
  if (!(list instanceof HTMLElement)) return;
  const kinds = /** @type {HTMLTemplateElement} */ (one(`#${list.dataset.kinds}`));
  list.prepend(kinds.content.cloneNode(true));
});

// Escape closes what is open first, and only then ends a choice of several
let closes = false;
window.addEventListener("keydown", (event) => {
  if (event.key === "Escape") closes = Boolean(document.querySelector(".feel, .dropdown-menu.show, dialog[open], .dragging"));
}, true);

act(
  { name: "key", keys: ["K"], run: () => putKey(store.frame), label: "Put a key at the playhead" },
  { name: "remove-keys", keys: ["Delete"], run: removeKeys, label: "Remove the chosen keys" },
  { name: "layer", keys: ["L"], run: () => (maybe("#add-layer") ?? maybe("#add-deformer"))?.click(), label: "Add a layer or a deformer" },
  { name: "shape", keys: ["S"], run: () => choose(`${chosenNode()}/shape`), label: "The shape of the chosen object" },
  { name: "isolate", keys: ["I"], run: () => pressed("isolate", stage?.isolate(chosenNode())), label: "Look at the chosen object alone" },
  { name: "why", keys: ["W"], run: () => sheet("why", { at: store.facts.at }), label: "Why does it not show?" },
  { name: "fit", keys: ["F"], run: () => { wholeRange(); strata.fitValues(); }, label: "Fit the view to the range and all values" },
  { name: "choose-keys", keys: ["Ctrl+A"], run: () => { desk.toggle(true); chooseAll(); }, label: "Choose all keys" },
  { name: "auto-key", keys: ["Q"], run: () => pressed("auto-key", autoKeys(true)), label: "Put keys by themselves while posing" },
  { name: "move-handles", keys: ["M"], run: () => gizmo?.toggle("move"), label: "Move the chosen object on the stage" },
  { name: "turn-handles", keys: ["T"], run: () => gizmo?.toggle("turn"), label: "Turn the chosen object on the stage" },
  { name: "snap", keys: ["N"], run: () => pressed("snap", gizmo?.toggleSnap()), label: "Snap moves and turns on the stage" },
  {
    name: "poses", keys: ["B"], label: "Poses and clips",
    run: () => sheet("poses", { at: channelAddress() || store.facts.at, also: store.facts.also, frame: store.frame }),
  },
  { name: "copy-layer", keys: ["Ctrl+C"], run: () => copy(false), label: "Copy the chosen keys, layer or deformer" },
  { name: "copy-stack", keys: ["Ctrl+Shift+C"], run: () => copy(true), label: "Copy the whole stack, or all deformers" },
  { name: "paste", keys: ["Ctrl+V"], run: () => paste("on-top"), label: "Paste keys at the playhead, layers on top, deformers on the chosen objects" },
  { name: "paste-instead", run: () => paste("instead"), label: "Paste layers or deformers in the place of those that are there" },
  { name: "seams", run: () => sheet("seams"), label: "Check all seams" },
  { name: "alone", keys: ["Escape"], run: backOut, label: "Close the key desk, or choose the shown number alone" },
  { name: "path", keys: ["P"], run: () => pressed("path", stage?.togglePath()), label: "Show the path of the chosen object" },
  { name: "shadows", run: () => stage?.toggleShadows(), label: "Shadows on the stage, or none" },
  { name: "smooth", run: () => { switchEdges(); location.reload(); }, label: "Smooth or plain edges on the stage" },
  { name: "sheet", run: openSheet },
  { name: "go", run: (button) => { button?.closest("dialog")?.close(); return choose(button?.dataset.go ?? ""); } },
  { name: "example", run: putExample },
);

// Escape leaves one thing at a time: what is open closes by itself, then the desk, then a choice of several ends
function backOut() {
  if (closes) return;
  if (deskOpen()) desk.toggle(false);
  else if (store.facts.also.length) alone();
}

/** @param {HTMLElement | null} button whose data says which, and what it is asked for */
function openSheet(button) {
  const { act: _, sheet: name = "", ...asked } = button?.dataset ?? {};
  return sheet(name, asked);
}

/** An example goes into the formula, where it can be changed. @param {HTMLElement | null} button */
function putExample(button) {
  button?.closest("dialog")?.close();
  const field = maybe("[data-formula] input", document, HTMLInputElement);
  if (!field) return;
  field.value = button?.dataset.formulaExample ?? "";
  field.focus();
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

document.addEventListener("theme", () => stage?.dress());
paintSliders();
showChosen();
showOpen();
transport.go(recalledFrame());
// what is added is stored, and then opened
const allShown = () => settled().then(arrived).then(() => true);
window.lazzik = { actions, previews, transport, stage, strata, surfaces, crowds, runs, choose, gizmo, settled: allShown };
// the objects before all their motion: at rest they stand as on the first frame, on another as their motion has them there
async function showFirst() {
  const frame = Math.round(store.frame);
  if (stage && frame !== store.facts.first) stage.setMotion((await packed(`${store.url}/motion?from=${frame}&to=${frame}`)).motion, frame);
  await fetchCurves();
  if (desk.wanted()) desk.toggle(true);
  await keysChanged();
}
/** Once the frame that the page is making is seen; at once where nobody looks. @returns {Promise<void>} */
const frameSeen = () => new Promise((go) => { if (document.hidden) go(); else requestAnimationFrame(() => setTimeout(go)); });
try {
  stage?.select(chosenNode());
  // one first picture, with the path, and not two: of thousands of objects each takes as long as all before it
  if (stage) stage.early = true;
  atRest.then(() => setTimeout(() => stage?.begin(), PATH_WITHIN));
  await Promise.all([showFirst().finally(() => stage?.begin()), atRest]);
  document.body.dataset.seen = "true";
  await frameSeen(); // what works out the motion of thousands would hold up what draws them
  await fetchMotion();
  form.changed();
  gizmo?.show(chosenNode());
  stage?.setAim(store.facts.aim);
  airHandles?.show(store.facts.air.field);
  breath?.changed();
  copyBrush?.changed();
  pinBrush?.changed();
  drawOverLife();
  runPanel?.changed();
  knowCrowds();
  knowRuns();
  await airPanel.changed();
  pressed("auto-key", autoKeys());
  if (stage) note.textContent = "";
  if (stage) keepPictures(stage, Number(one("#stage").dataset.pictured), () => transport.playing !== null || strata.holding);
  document.body.dataset.ready = "true";
} catch (error) {
  if (!(error instanceof Refused)) throw error;
  note.textContent = error.message;
  toast(error.message, ["Try again", () => location.reload()]);
}
