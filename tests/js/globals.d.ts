// What scripts reach by selectors that the templates guarantee, and what htmx puts into the page.
declare const htmx: any;
declare class AudioWorkletProcessor {
  port: MessagePort;
}
declare function registerProcessor(name: string, processor: unknown): void;

interface Event {
  detail: any;
  newState: string;
}
interface EventTarget {
  closest(selector: string): any;
  matches: any;
  id: any;
  value: any;
  name: string;
  open: any;
  method: string;
  dataset: any;
}
interface Node {
  contains(other: any): boolean;
}
interface Element {
  dataset: any;
  value: any;
  defaultValue: string;
  hidden: any;
  elements: any;
  style: any;
  focus(options?: FocusOptions): void;
  blur(): void;
  click(): void;
  select(): void;
  showPopover(): void;
  hidePopover(): void;
}
interface HTMLFormControlsCollection {
  [name: string]: any;
}
interface HTMLElement {
  checked: boolean;
  disabled: boolean;
  selectionStart: number;
  selectionEnd: number;
  setRangeText(text: string, start?: number, end?: number, mode?: string): void;
  requestSubmit(): void;
}
