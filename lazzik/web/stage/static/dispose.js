// Letting go of what the graphics card holds. Nothing else frees it: what is only dropped stays there.

// all geometries and materials of an item and what is below it; none of them may be in use elsewhere
export function dispose(item) {
  item?.traverse(({ geometry, material }) => {
    geometry?.dispose();
    for (const each of [material].flat()) each?.dispose();
  });
}

// what a geometry has of its own; the attributes that it shares with another one, and its index if that is shared, stay
export function disposeOwn(geometry, shared) {
  for (const name of shared) {
    if (name === "index") geometry.setIndex(null);
    else geometry.deleteAttribute(name);
  }
  geometry.dispose();
}
