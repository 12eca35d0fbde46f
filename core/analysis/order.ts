/**
 * Strongly connected components in an order in which each depends only on earlier ones (Tarjan 1972), without recursion.
 * `needs(k)` lists the nodes that node k depends on.
 */
export function dependencyOrder(count: number, needs: (k: number) => readonly number[]): number[][] {
  const index = new Int32Array(count).fill(-1);
  const low = new Int32Array(count);
  const onStack = new Uint8Array(count);
  const stack: number[] = [];
  const components: number[][] = [];
  let counter = 0;
  const frames: { node: number; edges: readonly number[]; at: number }[] = [];
  const open = (node: number): void => {
    index[node] = low[node] = counter++;
    stack.push(node);
    onStack[node] = 1;
    frames.push({ node, edges: needs(node), at: 0 });
  };
  for (let root = 0; root < count; root++) {
    if (index[root] >= 0) continue;
    open(root);
    while (frames.length > 0) {
      const frame = frames[frames.length - 1];
      if (frame.at < frame.edges.length) {
        const next = frame.edges[frame.at++];
        if (index[next] < 0) open(next);
        else if (onStack[next]) low[frame.node] = Math.min(low[frame.node], index[next]);
        continue;
      }
      frames.pop();
      const { node } = frame;
      if (frames.length > 0) {
        const above = frames[frames.length - 1].node;
        low[above] = Math.min(low[above], low[node]);
      }
      if (low[node] === index[node]) {
        const component: number[] = [];
        for (;;) {
          const member = stack.pop()!;
          onStack[member] = 0;
          component.push(member);
          if (member === node) break;
        }
        components.push(component.reverse());
      }
    }
  }
  return components;
}
