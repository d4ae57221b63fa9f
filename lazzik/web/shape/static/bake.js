// The sheet on which a shape is baked: worked out as a job, which ends when the sheet is closed.

import { post } from "lazzik/lib/api.js";
import { field, one } from "lazzik/lib/dom.js";
import { followJob } from "lazzik/lib/jobs.js";
import { result, send } from "lazzik/studio/history.js";
import { onClosed, sheetForm } from "lazzik/studio/sheets.js";

/** @import { News } from "lazzik/lib/jobs.js" */

/** What a job that was begun from a sheet led to; it ends when the sheet is closed. @param {News} news */
export async function worked(news) {
  const over = new AbortController();
  onClosed(() => post(`/jobs/${news.id}/stop`, {}), over.signal);
  const last = await followJob(news);
  over.abort();
  return result(news, last);
}

/** What the page can do with it. */
export function offerShapeBake() {
  sheetForm("shape-bake-form", {
    prepare: (form) => field(form, "how").addEventListener("change", () => {
      one("[data-tolerance]", form).hidden = field(form, "how").value === "frames";
    }),
    land: (form, fields) => {
      const number = (/** @type {string} */ name) => Number(fields.get(name));
      const content = { node: form.dataset.node, how: fields.get("how"), first: number("first"), last: number("last"), tolerance: number("tolerance") / 1000 };
      return send("bake-shape", content, worked);
    },
  });
}
