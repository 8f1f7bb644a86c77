// What the page's scripts may take for granted of events and elements: an event on a page of ours comes from an element of HTML,
// and an element found by a selector is one. Nothing here exists when a script runs; `tsc` reads it (bin/test).
interface EventTarget {
  closest(selector: string): HTMLInputElement;
  matches(selector: string): boolean;
  querySelector(selector: string): HTMLInputElement;
  readonly dataset: DOMStringMap;
  readonly type: string;
  readonly id: string;
  value: string;
  checked: boolean;
  files: FileList;
  elements: HTMLFormControlsCollection;
  later: number;
  setPointerCapture(pointer: number): void;
}
interface ParentNode {
  querySelector(selector: string): HTMLInputElement;
  querySelectorAll(selector: string): NodeListOf<HTMLInputElement>;
}
interface Element {
  setAttribute(name: string, value: string | number | boolean): void;  // the browser writes it as text
}
interface HTMLInputElement {
  close(): void;  // of a dialog that was found by its selector
  later: number;  // a nudge that waits for the next one
}
interface HTMLFormControlsCollection {
  to: HTMLInputElement;
}
interface HTMLElement {
  player: any;
  run: any;  // of the element <clinamen-scene>
}
interface Window {
  Clinamen: {mount(run: Element): any; mountAll(): void};
}
interface Document {
  getElementById(id: string): any;
}
interface Event {
  readonly detail: any;  // of htmx's events
}
declare const htmx: {ajax(verb: string, path: string, context: object): Promise<void>; process(element: Element): void; trigger(element: Element, name: string): void};
