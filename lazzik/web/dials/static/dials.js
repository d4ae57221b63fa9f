// The sheet of a dial: a new one, or one that is changed.

import { act } from "lazzik/lib/actions.js";
import { commit } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** @import { AddDial, ChangeDial } from "lazzik/lib/types.d.ts" */

/** What the page can do with dials. */
export function offerDials() {
  act({ name: "dial", keys: ["D"], run: () => sheet("dial-form"), label: "Add a dial" });
  sheetForm("dial-form", {
    land: (form, fields) => {
      const { dial } = form.dataset;
      const content = /** @type {Omit<AddDial, "do"> & Omit<ChangeDial, "do" | "dial">} */ (Object.fromEntries(fields));
      return commit([dial ? { do: "change-dial", dial, ...content } : { do: "add-dial", ...content }], { quiet: true });
    },
  });
}
