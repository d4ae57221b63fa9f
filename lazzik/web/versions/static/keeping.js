// Keeping what is now as a version, and trying something with a way back: on every page of a scene.

import { act } from "lazzik/lib/actions.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { guard } from "lazzik/lib/guard.js";
import { send } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** Of a version's picture, twice as large as it is shown. */
export const PICTURE = /** @type {const} */ ([168, 90]);

/** @typedef {() => Promise<Blob | null> | null} Shoot makes a picture of what is now, if there is a stage that shows it */

/** @type {Shoot} */
let shoot = () => null;

/**
 * How a version's picture is made on this page.
 * @param {Shoot} how
 */
export const shootWith = (how) => { shoot = how; };

/** What the page can do with versions. */
export function offerVersions() {
  // the stage still shows what is kept: it follows once the answer is taken
  /** @param {any} answer */
  const pictured = async (answer) => {
    const body = answer.version === undefined ? null : await shoot();
    // a version without a picture is as good a version
    if (body) await fetch(`${store.url}/versions/${answer.version}/picture?of=${answer.of}`, { method: "PUT", body }).catch(() => {});
    return answer;
  };
  /** @param {string} what @param {string} said */
  const leave = (what, said) => guard(async () => {
    const { version } = /** @type {any} */ (await send(what, {}, pictured));
    if (version !== undefined) toast(said);
  });
  act(
    { name: "keep-version", keys: ["Ctrl+S"], run: () => sheet("versions/keep"), label: "Keep what is now as a version" },
    { name: "try", run: () => sheet("versions/try"), label: "Try something, with a way back" },
    { name: "return", run: () => leave("versions/return", "What was tried is kept as a version."), label: "Return from what is being tried" },
    { name: "stay", run: () => leave("versions/stay", "It is kept as a version, and work goes on with it."), label: "Go on with what is being tried" },
  );
  sheetForm("keep-version", {
    land: (_, fields) => send("versions", { name: fields.get("name"), note: fields.get("note") }, pictured),
  });
  sheetForm("try-out", { land: (_, fields) => send("versions/try", { name: fields.get("name") }, pictured) });
}
