import * as Comlink from 'comlink';
import ELK from 'elkjs/lib/elk.bundled.js';

export interface LayoutNode {
  readonly id: string;
  readonly width: number;
  readonly height: number;
  readonly children?: readonly LayoutNode[];
  readonly x?: number;
  readonly y?: number;
  readonly layoutOptions?: Readonly<Record<string, string>>;
}
export interface LayoutGraph extends LayoutNode {
  readonly edges: readonly {
    readonly id: string;
    readonly sources: readonly string[];
    readonly targets: readonly string[];
    readonly labels?: readonly { text: string; width: number; height: number }[];
  }[];
}

const elk = new ELK();
const api = {
  layout: (graph: LayoutGraph): Promise<LayoutNode> => elk.layout(structuredClone(graph)) as Promise<LayoutNode>,
};
export type LayoutApi = typeof api;
Comlink.expose(api);
