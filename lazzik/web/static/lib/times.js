// Times as a person says them, in their own time.

const DAY = 24 * 3600 * 1000;
const HOUR = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const DATE = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long" });

/** @param {Date} moment */
const midnight = (moment) => new Date(moment.getFullYear(), moment.getMonth(), moment.getDate()).getTime();

/**
 * 'today, 14:20', 'yesterday, 17:02', '3 May, 09:15', '3 May 2024'.
 * @param {Date} moment
 * @param {Date} now
 */
export function toldTime(moment, now = new Date()) {
  const days = Math.round((midnight(now) - midnight(moment)) / DAY);
  if (days === 0) return `today, ${HOUR.format(moment)}`;
  if (days === 1) return `yesterday, ${HOUR.format(moment)}`;
  return moment.getFullYear() === now.getFullYear()
    ? `${DATE.format(moment)}, ${HOUR.format(moment)}` : `${DATE.format(moment)} ${moment.getFullYear()}`;
}

/** Say all times of a part of the page so. @param {ParentNode} part */
export function tellTimes(part = document) {
  for (const time of part.querySelectorAll("time[datetime]")) {
    time.textContent = toldTime(new Date(time.getAttribute("datetime") ?? ""));
  }
}
