// What every page with a time axis can do with time.

import { act } from "lazzik/lib/actions.js";
import { store } from "lazzik/lib/store.js";
import { zoom } from "./timeaxis.js";

/** @import { Transport } from "./transport.js" */

const CLOSER = 0.7; // times less in view

/** @param {Transport} transport */
export function offerTime(transport) {
  act(
    { name: "play", keys: ["Space"], run: () => transport.toggle(), label: "Play or pause" },
    { name: "back", keys: ["ArrowLeft"], run: () => transport.go(store.frame - 1), label: "One frame back" },
    { name: "on", keys: ["ArrowRight"], run: () => transport.go(store.frame + 1), label: "One frame on" },
    { name: "first", keys: ["Home"], run: () => transport.go(store.facts.first), label: "To the first frame" },
    { name: "last", keys: ["End"], run: () => transport.go(store.facts.last), label: "To the last frame" },
    { name: "closer", keys: ["+", "="], run: () => zoom(CLOSER, store.frame), label: "Zoom the time in, about the playhead" },
    { name: "wider", keys: ["-"], run: () => zoom(1 / CLOSER, store.frame), label: "Zoom the time out" },
  );
}
