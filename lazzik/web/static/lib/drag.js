// Following a pointer from where it went down.

const SLACK = 3; // pixels within which a press is no drag

/**
 * @typedef {object} Drag
 * @property {(dx: number, dy: number, event: PointerEvent) => void} move by so many pixels since the press
 * @property {(moved: boolean) => unknown} [done] it was let go
 * @property {() => unknown} [gaveUp] Escape was pressed
 */

/**
 * Follow a pointer until it is let go, or given up with Escape.
 * @param {PointerEvent} event the press
 * @param {Drag} drag
 */
export function follow(event, { move, done, gaveUp }) {
  event.preventDefault();
  const { clientX, clientY, pointerId } = event;
  let moved = false;
  const stop = new AbortController();
  const { signal } = stop;
  const grip = document.body;
  window.addEventListener("pointermove", (next) => {
    if (next.pointerId !== pointerId) return;
    if (!moved && Math.hypot(next.clientX - clientX, next.clientY - clientY) < SLACK) return;
    moved = true;
    move(next.clientX - clientX, next.clientY - clientY, next);
  }, { signal });
  const finish = () => { stop.abort(); grip.classList.remove("dragging"); done?.(moved); };
  window.addEventListener("pointerup", finish, { signal });
  window.addEventListener("pointercancel", finish, { signal });
  window.addEventListener("keydown", (next) => {
    if (next.key !== "Escape") return;
    next.preventDefault();
    stop.abort();
    grip.classList.remove("dragging");
    gaveUp?.();
  }, { signal, capture: true });
  grip.classList.add("dragging");
}
