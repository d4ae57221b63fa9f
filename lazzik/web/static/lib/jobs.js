// Long work as rows: how far it is, a button that stops it, and what it made.

import { post, Refused } from "./api.js";

const OVER = ["done", "failed", "stopped"];

const row = (news) => {
  const item = document.createElement("div");
  item.className = "job";
  item.id = `job-${news.id}`;
  const label = Object.assign(document.createElement("strong"), { textContent: news.label });
  const bar = Object.assign(document.createElement("progress"), { max: 1, value: 0 });
  bar.setAttribute("aria-label", news.label);
  const said = Object.assign(document.createElement("span"), { className: "said faint" });
  const stop = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-sm quiet", textContent: "Stop" });
  item.append(label, bar, said, stop);
  (document.getElementById("jobs") ?? aside()).prepend(item);
  return item;
};

// where a page has no place of its own for them
function aside() {
  const place = Object.assign(document.createElement("section"), { id: "jobs", className: "jobs aside" });
  place.setAttribute("role", "status");
  document.body.append(place);
  return place;
}

const details = (lines) => {
  const all = document.createElement("details");
  const list = document.createElement("ul");
  for (const line of lines) list.append(Object.assign(document.createElement("li"), { textContent: line }));
  all.append(Object.assign(document.createElement("summary"), { textContent: "Track by track" }), list);
  return all;
};

function show(item, news) {
  item.dataset.state = news.state;
  item.querySelector("progress").value = news.share;
  const percent = news.state === "running" ? `${Math.floor(news.share * 100)} % ` : "";
  item.querySelector(".said").textContent = `${percent}${news.said}`;
  if (!OVER.includes(news.state)) return;
  if (!news.file) return item.remove(); // whoever asked for it shows what came of it
  item.querySelector("progress").remove();
  item.querySelector("button").remove();
  if (news.details?.length) item.append(details(news.details));
  if (news.state !== "done") return;
  const link = Object.assign(document.createElement("a"), { className: "btn btn-sm main-action", href: `/jobs/${news.id}/result`, textContent: "Download" });
  link.setAttribute("download", "");
  item.append(link);
  link.click();
}

// follow a job; resolves with its last news. `stopped` is called when its button is pressed
export function follow(news, stopped = () => {}) {
  const item = row(news);
  show(item, news);
  item.querySelector("button").addEventListener("click", async () => {
    stopped();
    try { await post(`/jobs/${news.id}/stop`, {}); } catch (error) { if (!(error instanceof Refused)) throw error; }
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
