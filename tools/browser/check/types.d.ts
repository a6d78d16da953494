// What our scripts rely on besides the browser: the libraries that are served with them, and what they put on
// elements themselves.
//
// Elements are looked up by selectors that templates keep, so what is found is taken for what the template has
// there; tests in a real browser hold the two together.

interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Element {
  closest(selectors: string): any;
}
interface Document {
  getElementById(id: string): any;
}
// Events of htmx carry what they carry; those of the browser come from an element of ours.
interface EventTarget {
  addEventListener(type: string, listener: (event: any) => void, options?: boolean | AddEventListenerOptions): void;
}
interface Document {
  addEventListener(type: string, listener: (event: any) => void, options?: boolean | AddEventListenerOptions): void;
}
interface ChildNode {
  readonly dataset: DOMStringMap;
}

declare const htmx: {
  process(place: Element): void;
  ajax(method: string, path: string, context: { values?: unknown; target?: string; swap?: string }): Promise<void>;
};
declare const Idiomorph: { morph(place: Element, html: string, options?: unknown): void };
interface Window {
  tallyInTurn(pattern: RegExp, target: string, rested?: (ok: boolean) => void): () => boolean;
}
declare const interact: (target: string) => any;
