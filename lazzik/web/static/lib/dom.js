// Reaching into the page. What has to be there is asked for by `one`, which says so when it is not.

const SVG = "http://www.w3.org/2000/svg";

/**
 * @template {Element} T
 * @typedef {new () => T} Kind a class of elements, such as HTMLInputElement
 */

/**
 * The first that a selector finds, if it is of a kind; null otherwise.
 * @template {Element} [T=HTMLElement]
 * @param {string} selector
 * @param {ParentNode} root
 * @param {Kind<T>} [kind]
 * @returns {T | null}
 */
export function maybe(selector, root = document, kind) {
  const found = root.querySelector(selector);
  return found instanceof (kind ?? HTMLElement) ? /** @type {T} */ (found) : null;
}

/**
 * The first that a selector finds. Throws if there is none of the kind.
 * @template {Element} [T=HTMLElement]
 * @param {string} selector
 * @param {ParentNode} root
 * @param {Kind<T>} [kind]
 * @returns {T}
 */
export function one(selector, root = document, kind) {
  const found = maybe(selector, root, kind);
  if (!found) throw new Error(`there is no ${selector} here`);
  return found;
}

/**
 * All that a selector finds and that are of a kind.
 * @template {Element} [T=HTMLElement]
 * @param {string} selector
 * @param {ParentNode} root
 * @param {Kind<T>} [kind]
 * @returns {T[]}
 */
export const all = (selector, root = document, kind) =>
  /** @type {T[]} */ ([...root.querySelectorAll(selector)].filter((item) => item instanceof (kind ?? HTMLElement)));

/**
 * What a selector finds where an event happened or around it, if it is of a kind.
 * @template {Element} [T=HTMLElement]
 * @param {Event | null} event
 * @param {string} selector
 * @param {Kind<T>} [kind]
 * @returns {T | null}
 */
export function over(event, selector, kind) {
  const found = event?.target instanceof Element ? event.target.closest(selector) : null;
  return found instanceof (kind ?? HTMLElement) ? /** @type {T} */ (found) : null;
}

/**
 * The field of a form by its name. Throws if there is none.
 * @param {HTMLFormElement} form
 * @param {string} name
 */
export function field(form, name) {
  const found = form.elements.namedItem(name);
  if (found instanceof HTMLInputElement || found instanceof HTMLSelectElement || found instanceof RadioNodeList) {
    return /** @type {HTMLInputElement} */ (found);
  }
  throw new Error(`the form has no field '${name}'`);
}

/**
 * A new element with some of its properties set.
 * @template {keyof HTMLElementTagNameMap} Name
 * @param {Name} name
 * @param {Partial<HTMLElementTagNameMap[Name]>} properties
 * @param {...(Node | string)} children
 * @returns {HTMLElementTagNameMap[Name]}
 */
export function element(name, properties = {}, ...children) {
  const item = Object.assign(document.createElement(name), properties);
  item.append(...children);
  return item;
}

/**
 * A new SVG element with its attributes.
 * @template {keyof SVGElementTagNameMap} Name
 * @param {Name} name
 * @param {Record<string, unknown>} attributes
 * @param {...(Node | string)} children
 * @returns {SVGElementTagNameMap[Name]}
 */
export function shape(name, attributes = {}, ...children) {
  const item = document.createElementNS(SVG, name);
  put(item, attributes);
  item.append(...children);
  return item;
}

/**
 * @param {Element} item
 * @param {Record<string, unknown>} attributes
 */
export function put(item, attributes) {
  for (const [key, value] of Object.entries(attributes)) item.setAttribute(key, String(value));
}

/**
 * What is done for every move of the pointer until its button is let go.
 * @param {(event: PointerEvent) => void} move
 * @param {() => void} done
 */
export function untilReleased(move, done = () => {}) {
  const stop = new AbortController();
  window.addEventListener("pointermove", move, { signal: stop.signal });
  window.addEventListener("pointerup", () => { stop.abort(); done(); }, { signal: stop.signal });
}
