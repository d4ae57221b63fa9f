// Long work as rows: how far it is, a button that stops it, and what it made.

import { post } from "./api.js";
import { element, maybe, one } from "./dom.js";
import { guard } from "./guard.js";

const OVER = ["done", "failed", "stopped"];

/**
 * @typedef {object} News how a job stands
 * @property {string} id
 * @property {string} label
 * @property {"waiting" | "running" | "done" | "failed" | "stopped"} state
 * @property {number} share of the work that is done, 0 to 1
 * @property {string} said
 * @property {string} [file] what it made can be fetched under this name
 * @property {string[]} [details]
 */

/** @param {News} news */
const row = (news) => {
  const bar = element("progress", { max: 1, value: 0 });
  bar.setAttribute("aria-label", news.label);
  const item = element("div", { className: "job", id: `job-${news.id}` },
    element("strong", { textContent: news.label }), bar, element("span", { className: "said faint" }),
    element("button", { type: "button", className: "btn btn-sm quiet", textContent: "Stop" }));
  (maybe("#jobs") ?? aside()).prepend(item);
  return item;
};

// where a page has no place of its own for them: over the sky of its stage, where no number or lane is covered
function aside() {
  const place = element("section", { id: "jobs", className: "jobs aside" });
  place.setAttribute("role", "status");
  (maybe("#stage") ?? document.body).append(place);
  return place;
}

/** @param {string[]} lines */
const details = (lines) => element("details", {}, element("summary", { textContent: "Track by track" }),
  element("ul", {}, ...lines.map((line) => element("li", { textContent: line }))));

/**
 * @param {HTMLElement} item
 * @param {News} news
 */
function show(item, news) {
  item.dataset.state = news.state;
  one("progress", item, HTMLProgressElement).value = news.share;
  const percent = news.state === "running" ? `${Math.floor(news.share * 100)} % ` : "";
  one(".said", item).textContent = `${percent}${news.said}`;
  if (!OVER.includes(news.state)) return;
  if (!news.file) return item.remove(); // whoever asked for it shows what came of it
  one("progress", item).remove();
  one("button", item).remove();
  if (news.details?.length) item.append(details(news.details));
  if (news.state !== "done") return;
  const link = element("a", { className: "btn btn-sm main-action", href: `/jobs/${news.id}/result`, textContent: "Download" });
  link.setAttribute("download", "");
  item.append(link);
  link.click();
}

/**
 * Follow a job until it is over.
 * @param {News} news
 * @param {() => void} stopped called when its button is pressed
 * @returns {Promise<News | null>} its last news; null if the server is gone
 */
export function followJob(news, stopped = () => {}) {
  const item = row(news);
  show(item, news);
  item.querySelector("button")?.addEventListener("click", async () => {
    stopped();
    await guard(() => post(`/jobs/${news.id}/stop`, {}), () => {}); // it may be over by now
  });
  if (OVER.includes(news.state)) return Promise.resolve(news);
  return new Promise((done) => {
    const events = new EventSource(`/jobs/${news.id}/events`);
    events.onmessage = (event) => {
      const now = JSON.parse(event.data);
      show(item, now);
      if (!OVER.includes(now.state)) return;
      events.close();
      done(now);
    };
    events.onerror = () => {
      if (events.readyState !== EventSource.CLOSED) return;
      show(item, { ...news, state: "failed", said: "Lazzik's server does not answer." });
      done(null);
    };
  });
}
