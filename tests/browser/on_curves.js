// Labels of the result that lie on one of its curves.
() => {
  const { strata } = window.lazzik;
  if (!strata?.data || !strata.resultScale) return [];
  const svg = document.querySelector("svg[data-lane=result]");
  const height = svg.clientHeight - 14;
  const { low, high } = strata.resultScale;
  const y = (value) => 7 + height - ((value - low) / (high - low)) * height;
  const { from, perFrame, result, base, also } = strata.data;
  const rows = [result, base, ...also.map((other) => other.result)];
  return [...svg.querySelectorAll("text")].filter((text) => {
    const box = text.getBBox();
    for (let x = box.x; x <= box.x + box.width; x += 1) {
      const place = Math.round((strata.frameAt(x) - from) * perFrame);
      // the ink of a line is less high than the line
      if (rows.some((row) => y(row[place]) > box.y + 2 && y(row[place]) < box.y + box.height - 2)) return true;
    }
    return false;
  }).map((text) => text.textContent);
}
