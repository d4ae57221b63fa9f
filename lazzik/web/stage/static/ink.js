// The theme's colours, for what is drawn in three dimensions.

import { Color, SRGBColorSpace } from "three";

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

/** A colour as a canvas holds it, for what is drawn without a light. @param {Color} color @returns {[red: number, green: number, blue: number]} */
export function shown(color) {
  const { r, g, b } = color.getRGB({ r: 0, g: 0, b: 0 }, SRGBColorSpace);
  return [r, g, b];
}

/** Another theme has others. */
export const forgetInks = () => inks.clear();
