import { deserialize, serialize } from 'node:v8';

/** What browsers have and jsdom lacks. */
class NoObserver {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
Object.assign(globalThis, {
  ResizeObserver: globalThis.ResizeObserver ?? NoObserver,
  structuredClone: globalThis.structuredClone ?? ((x: unknown): unknown => deserialize(serialize(x))),
});
Element.prototype.scrollIntoView ??= () => undefined;
window.matchMedia ??= ((query: string) => ({
  matches: false,
  media: query,
  addEventListener: () => undefined,
  removeEventListener: () => undefined,
})) as unknown as typeof window.matchMedia;
// texts are not laid out here
Range.prototype.getClientRects ??= () => [] as unknown as DOMRectList;
Range.prototype.getBoundingClientRect ??= () => new DOMRect();
