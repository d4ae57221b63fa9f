// Texts that are seen and lie on each other, or on what is dragged: pairs in words.
() => {
  const OVER = ".dropdown-menu, dialog, .feel, .first-steps, .pointed, .jobs.aside"; // what lies over the rest, for a while
  const boxes = [];
  const inside = (box, view) => box.right > view.left && box.left < view.right && box.bottom > view.top && box.top < view.bottom;
  const window_ = { left: 0, top: 0, right: innerWidth, bottom: innerHeight };
  // what is cut off by a frame around it is not seen
  const shownPart = (element, box) => {
    let view = { ...window_ };
    for (let above = element; above; above = above.parentElement) {
      const style = getComputedStyle(above);
      if (style.overflow !== "visible" || above.matches("svg")) {
        const frame = above.getBoundingClientRect();
        view = { left: Math.max(view.left, frame.left), top: Math.max(view.top, frame.top),
          right: Math.min(view.right, frame.right), bottom: Math.min(view.bottom, frame.bottom) };
      }
    }
    const part = { left: Math.max(box.left, view.left), top: Math.max(box.top, view.top),
      right: Math.min(box.right, view.right), bottom: Math.min(box.bottom, view.bottom) };
    return part.right - part.left > 2 && part.bottom - part.top > 2 ? part : null;
  };
  const seen = (element, box) => {
    const on = document.elementsFromPoint((box.left + box.right) / 2, (box.top + box.bottom) / 2);
    const blocks = on.find((each) => getComputedStyle(each).pointerEvents !== "none" || each === element);
    return !blocks || blocks === element || element.contains(blocks) || blocks.contains(element) || blocks.matches("input[type=range]");
  };
  const add = (element, box, words) => {
    const part = box.width > 0 && box.height > 0 && inside(box, window_) ? shownPart(element, box) : null;
    if (part && seen(element, part)) boxes.push({ element, over: element.closest(OVER), words: words.trim().slice(0, 40), ...part });
  };
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let text = walker.nextNode(); text; text = walker.nextNode()) {
    const element = text.parentElement;
    if (!text.textContent.trim() || !element || element.closest("script, style, option, .visually-hidden, [hidden], datalist, title")) continue;
    if (!element.checkVisibility({ visibilityProperty: true, opacityProperty: true })) continue;
    const range = document.createRange();
    range.selectNodeContents(text);
    for (const rect of range.getClientRects()) {
      // the ink of a line is less high than the line
      const shrink = rect.height * 0.16;
      add(element, new DOMRect(rect.x, rect.y + shrink, rect.width, rect.height - 2 * shrink), text.textContent);
    }
  }
  const pen = document.createElement("canvas").getContext("2d");
  for (const field of document.querySelectorAll("input:not([type=range], [type=color], [type=radio], [type=checkbox], [type=file], [type=hidden])")) {
    if (!field.checkVisibility({ visibilityProperty: true }) || field.closest(".visually-hidden")) continue;
    const style = getComputedStyle(field);
    pen.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
    const rect = field.getBoundingClientRect();
    const width = Math.min(pen.measureText(field.value || field.placeholder).width, rect.width);
    const high = parseFloat(style.fontSize);
    const left = style.textAlign === "right" || style.textAlign === "end" ? rect.right - width : rect.left;
    add(field, new DOMRect(left, rect.y + (rect.height - high) / 2, width, high), field.value || field.placeholder || "");
  }
  for (const slider of document.querySelectorAll("input[type=range]")) {
    if (!slider.checkVisibility({ visibilityProperty: true })) continue;
    const rect = slider.getBoundingClientRect();
    const share = (slider.value - slider.min) / (slider.max - slider.min || 1);
    add(slider, new DOMRect(rect.left + share * (rect.width - 7), rect.top, 7, rect.height), `handle of ${slider.ariaLabel}`);
  }
  const found = [];
  for (let i = 0; i < boxes.length; i++) {
    for (let j = i + 1; j < boxes.length; j++) {
      const [a, b] = [boxes[i], boxes[j]];
      if (a.element === b.element || a.over !== b.over) continue;
      const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
      const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
      if (across > 1.5 && down > 1.5) found.push(`${a.words} × ${b.words} (${Math.round(a.left)}, ${Math.round(a.top)})`);
    }
  }
  return found;
}
