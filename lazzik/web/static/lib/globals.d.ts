// What the shipped libraries put on the page, as far as it is used here.

declare const MessagePack: { decode(bytes: Uint8Array): any };

interface MorphOptions {
  ignoreActiveValue?: boolean;
  callbacks?: {
    beforeNodeMorphed?: (old: Node) => boolean;
    beforeAttributeUpdated?: (name: string, element: Element) => boolean;
  };
}
declare const Idiomorph: { morph(old: Element, next: Element, options?: MorphOptions): void };

declare const htmx: { process(element: Element): void };

interface HtmxEvent extends Event {
  detail: { elt: HTMLElement; xhr: XMLHttpRequest };
}

interface DocumentEventMap {
  "htmx:afterRequest": HtmxEvent;
}

interface Window {
  /** What is on the page, for measuring it from outside. */
  lazzik?: Record<string, unknown>;
}
