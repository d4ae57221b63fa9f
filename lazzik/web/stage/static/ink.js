// The theme's colours, for what is drawn in three dimensions.

import { Color } from "three";

/** @type {Map<string, Color>} asking for a style lays the page out again, so each is asked for once a theme */
const inks = new Map();

/**
 * A colour of the style sheet.
 * @param {string} name such as --pine
 * @returns {Color}
 */
export function ink(name) {
  const known = inks.get(name);
  if (known) return known;
  const found = new Color(getComputedStyle(document.documentElement).getPropertyValue(name).trim());
  inks.set(name, found);
  return found;
}

/** Another theme has others. */
export const forgetInks = () => inks.clear();
