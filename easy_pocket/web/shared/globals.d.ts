// For the type checker: what our pages hold, beyond what a browser promises.

import type { Page } from "./page.js";

declare global {
  /** An element of our pages: looked for because it is there, and asked for what a field, a list or a file chooser has. */
  type Piece = HTMLInputElement & {
    dataset: Record<string, string>;
    files: FileList;
    parentElement: Piece;
    selectedOptions: HTMLCollectionOf<HTMLOptionElement>;
    options: HTMLOptionsCollection;
    selected: boolean;
    href: string;
    pathname: string;
    width: number;
    height: number;
    getContext(kind: "2d"): CanvasRenderingContext2D;
    disabled: boolean;
  };

  /** An event of our pages: those of pointer, key, wheel and drag are looked at by the same handlers. */
  type PageEvent = Event &
    Omit<PointerEvent, keyof Event> &
    Omit<KeyboardEvent, keyof PointerEvent> &
    Omit<WheelEvent, keyof PointerEvent> &
    Omit<DragEvent, keyof PointerEvent> & { readonly target: Piece; readonly currentTarget: Piece; detail: any; readonly dataTransfer: DataTransfer };

  // Elements that are looked for are there, and may be asked for what a field has.
  interface ParentNode {
    querySelector<E extends Element = Piece>(selectors: string): E;
    querySelectorAll<E extends Element = Piece>(selectors: string): NodeListOf<E>;
  }
  interface Element {
    setAttribute(name: string, value: string | number | boolean): void;
    closest<E extends Element = Piece>(selectors: string): E;
  }
  interface HTMLCanvasElement {
    getContext(kind: "2d", settings?: CanvasRenderingContext2DSettings): CanvasRenderingContext2D;
  }
  interface EventTarget {
    addEventListener(type: string, listener: (event: PageEvent) => unknown, options?: boolean | AddEventListenerOptions): void;
  }
  interface Document {
    addEventListener(type: string, listener: (event: PageEvent) => unknown, options?: boolean | AddEventListenerOptions): void;
  }
  interface HTMLElement {
    addEventListener(type: string, listener: (event: PageEvent) => unknown, options?: boolean | AddEventListenerOptions): void;
  }
  interface Window {
    addEventListener(type: string, listener: (event: PageEvent) => unknown, options?: boolean | AddEventListenerOptions): void;
    easyPocket: Page;
    htmx: any;
    Alpine: any;
    Idiomorph: any;
  }
  const htmx: any;
  const Alpine: any;
  const Idiomorph: any;
}
