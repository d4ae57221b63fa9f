// Several numbers chosen at once: what is done to the shown one is done to the others too.

import { all, maybe, over } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { shapeEdits } from "./history.js";
import { arrived, choose } from "./session.js";

/** @import { Edit, Together } from "lazzik/lib/types.d.ts" */

const SHARED = new Set([
  "set", "put-key", "beyond", "add-layer", "change-layer", "remove-layer", "switch-layer", "swap-ends", "move-layer", "put-layers",
  "use-recipe", "follow-recipe",
]);
const KEPT = "lazzik-together";

/** How a change goes on the others: the same, by as much, or not at all ('apart'). */
const mode = () => sessionStorage.getItem(KEPT) ?? "same";

/** @param {Edit} edit @returns {edit is Together["edits"][number]} */
const isShared = (edit) => {
  const { channel } = store.facts;
  return SHARED.has(edit.do) && "address" in edit && (edit.address === channel || edit.address.startsWith(`${channel}#`));
};

/** @param {Edit[]} edits @returns {Edit[]} */
function onAll(edits) {
  const { channel, also } = store.facts;
  if (!also.length || mode() === "apart" || !edits.some(isShared)) return edits;
  const how = /** @type {Together["how"]} */ (mode());
  return [{ do: "together", channels: [channel, ...also], edits: edits.filter(isShared), how }, ...edits.filter((edit) => !isShared(edit))];
}

const OWN = /^(position|rotation|scale)\.[xyz]$/; // numbers that every object has

/** The objects that are chosen, the shown one first. */
export const chosenNodes = () => [...new Set([store.facts.at, ...store.facts.also].map((address) => address.split("/")[0]))];

/**
 * Choose objects: the number that is shown, of each of them, or one that every object has.
 * @param {string[]} nodes the first one is shown
 */
export function chooseNodes(nodes) {
  const [first, ...others] = nodes;
  if (first === undefined) return undefined;
  const shown = store.facts.channel.split("#")[0].split("/")[1] ?? "";
  const path = OWN.test(shown) ? shown : "rotation.z";
  return choose(`${first}/${path}`, { moving: false, also: others.map((node) => `${node}/${path}`) });
}

export const members = () => [store.facts.channel, ...store.facts.also];
export const alone = () => choose(store.facts.at, { also: [] });

/**
 * Add a number to the choice or take it out; the shown one stays shown.
 * @param {string} address
 */
function toggle(address) {
  const { channel, also, at } = store.facts;
  if (address === channel) return;
  choose(at, { also: also.includes(address) ? also.filter((other) => other !== address) : [...also, address] });
}

/** Three numbers that belong together come into the choice. @param {URLSearchParams} three */
function addAll(three) {
  const { channel, also, at } = store.facts;
  const added = [three.get("at") ?? "", ...three.getAll("also")].filter((address) => address !== channel);
  choose(at, { also: [...new Set([...also, ...added])] });
}

/**
 * The same number of another object: of a layer's number that of its own layer, never another one.
 * @param {string | undefined} node
 */
const sameOf = (node) => `${node}/${store.facts.channel.slice(store.facts.channel.indexOf("/") + 1)}`;

/** @param {HTMLElement} row */
const depth = (row) => [...row.classList].find((name) => name.startsWith("depth-"));

/**
 * @param {HTMLElement} tree
 * @param {HTMLElement} strata
 */
export function listenToChoice(tree, strata) {
  shapeEdits(onAll);
  tree.addEventListener("click", async (event) => {
    const link = over(event, "a.object, a.channel, .channel.whole a.name");
    if (!link || !store.facts.channel || !(event.ctrlKey || event.metaKey || event.shiftKey)) return;
    event.preventDefault();
    event.stopPropagation();
    await arrived(); // a plain press just before it says what it is added to
    const { channel, at, also } = store.facts;
    if (link.matches(".name")) return addAll(new URL(/** @type {HTMLAnchorElement} */ (link).href).searchParams);
    if (link.dataset.address) return toggle(link.dataset.address);
    const rows = all("a.object", tree);
    const here = rows.findIndex((row) => row.dataset.node === channel.split("/")[0]);
    if (!event.shiftKey || here < 0) return toggle(sameOf(link.dataset.node));
    // with Shift: every object from the shown one to this at the same depth
    const [from, to] = [here, rows.indexOf(link)].sort((a, b) => a - b);
    const between = rows.slice(from, to + 1).filter((row) => depth(row) === depth(link) && row !== rows[here]);
    choose(at, { also: [...new Set([...also, ...between.map((row) => sameOf(row.dataset.node))])] });
  }, true);
  const paint = () => {
    const select = maybe("#together", document, HTMLSelectElement);
    if (select) select.value = mode();
  };
  strata.addEventListener("change", (event) => {
    const select = over(event, "#together", HTMLSelectElement);
    if (select) sessionStorage.setItem(KEPT, select.value);
  });
  store.subscribe("facts", paint);
  paint();
}
