// Several numbers chosen at once: what is done to the shown one is done to the others too.

import { shapeEdits } from "./history.js";
import { choose, facts, onFacts } from "./session.js";

const SHARED = new Set(["set", "put-key", "beyond", "add-layer", "change-layer", "remove-layer", "move-layer", "put-layers", "use-recipe", "follow-recipe"]);
const mode = () => sessionStorage.getItem("lazzik-together") ?? "same";

const begins = (address) => address === facts.channel || address?.startsWith(`${facts.channel}#`);

shapeEdits((edits) => {
  if (!facts.also.length || mode() === "apart") return edits;
  const shared = (edit) => SHARED.has(edit.do) && begins(edit.address);
  if (!edits.some(shared)) return edits;
  const together = { do: "together", channels: [facts.channel, ...facts.also], edits: edits.filter(shared), how: mode() };
  return [together, ...edits.filter((edit) => !shared(edit))];
});

export const members = () => [facts.channel, ...facts.also];
export const alone = () => choose(facts.at, { also: [] });

// add a number to the choice or take it out; the shown one stays shown
export function toggle(address) {
  if (address === facts.channel) return;
  const also = facts.also.includes(address) ? facts.also.filter((other) => other !== address) : [...facts.also, address];
  choose(facts.at, { also });
}

// the same number of another object
const sameOf = (node) => `${node}/${facts.channel.split("#")[0].split("/")[1]}`;

export function listenToChoice(tree, strata) {
  tree.addEventListener("click", (event) => {
    const link = event.target.closest("a.object, a.channel");
    if (!link || !facts.channel || !(event.ctrlKey || event.metaKey || event.shiftKey)) return;
    event.preventDefault();
    event.stopPropagation();
    if (link.dataset.address) return toggle(link.dataset.address);
    const rows = [...tree.querySelectorAll("a.object")];
    const here = rows.findIndex((row) => row.dataset.node === facts.channel.split("/")[0]);
    if (!event.shiftKey || here < 0) return toggle(sameOf(link.dataset.node));
    // with Shift: every object from the shown one to this at the same depth
    const [from, to] = [here, rows.indexOf(link)].sort((a, b) => a - b);
    const depth = (row) => [...row.classList].find((name) => name.startsWith("depth-"));
    const between = rows.slice(from, to + 1).filter((row) => depth(row) === depth(link) && row !== rows[here]);
    choose(facts.at, { also: [...new Set([...facts.also, ...between.map((row) => sameOf(row.dataset.node))])] });
  }, true);
  const paint = () => { const select = document.getElementById("together"); if (select) select.value = mode(); };
  strata.addEventListener("change", (event) => {
    if (event.target.id === "together") sessionStorage.setItem("lazzik-together", event.target.value);
  });
  onFacts(paint);
  paint();
}
