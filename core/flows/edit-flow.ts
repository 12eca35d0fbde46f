import type { Edit } from '../project/edit';
import type { Flow, FlowLine, Procedure } from '../project/project';
import { readLine, takesLines } from '../lines/flow-line';

/** Changes of a flow's lines, as edits: the drawing and the lines use the same ones. */

/** Whatever holds lines: a use flow or a procedure, with the address of the list it stands in. */
export interface LineHolder {
  readonly id: string;
  readonly lines: readonly FlowLine[];
  /** Use flows where it is left out. */
  readonly list?: string;
}

const lines = (flow: LineHolder, next: readonly FlowLine[]): Edit => ({
  kind: 'update',
  list: flow.list ?? 'flow',
  id: flow.id,
  changes: { lines: next },
});

const indexOf = (flow: LineHolder, id: string): number => flow.lines.findIndex((l) => l.id === id);

/** A line and everything that stands inside it: [from, to). */
export function blockOf(flow: LineHolder, id: string): readonly [from: number, to: number] {
  const from = indexOf(flow, id);
  if (from < 0) return [0, 0];
  let to = from + 1;
  while (to < flow.lines.length && flow.lines[to].depth > flow.lines[from].depth) to++;
  return [from, to];
}

/** A new line after another one; inside it where it takes lines, at the end of the flow where there is none. */
export function insertAfter(
  flow: LineHolder,
  id: string | undefined,
  line: { readonly id: string; readonly text: string },
): Edit {
  const from = id === undefined ? -1 : indexOf(flow, id);
  if (from < 0) return lines(flow, [...flow.lines, { ...line, depth: 0 }]);
  const above = flow.lines[from];
  const { kind } = readLine(above.text);
  const depth = takesLines.has(kind) ? above.depth + 1 : above.depth;
  const at = takesLines.has(kind) ? from + 1 : blockOf(flow, above.id)[1];
  return lines(flow, [...flow.lines.slice(0, at), { ...line, depth }, ...flow.lines.slice(at)]);
}

/** A new line before another one, as deep as it is. */
export function insertBefore(flow: LineHolder, id: string, line: { readonly id: string; readonly text: string }): Edit {
  const at = indexOf(flow, id);
  return lines(flow, [
    ...flow.lines.slice(0, at),
    { ...line, depth: flow.lines[at]?.depth ?? 0 },
    ...flow.lines.slice(at),
  ]);
}

/** A branch beside the one of a choice, or a lane beside one of those that go on together. */
export function addBranch(flow: LineHolder, id: string, newId: () => string): Edit {
  const [from, to] = blockOf(flow, id);
  const { depth, text } = flow.lines[from];
  const { kind } = readLine(text);
  const heads: Readonly<Record<string, string>> = { if: 'else if ', 'else-if': 'else if ', lane: 'lane ' };
  if (kind === 'together')
    return lines(flow, [
      ...flow.lines.slice(0, to),
      { id: newId(), depth: depth + 1, text: 'lane ' },
      { id: newId(), depth: depth + 2, text: 'step' },
      ...flow.lines.slice(to),
    ]);
  return lines(flow, [
    ...flow.lines.slice(0, to),
    { id: newId(), depth, text: heads[kind] ?? 'else' },
    { id: newId(), depth: depth + 1, text: 'step' },
    ...flow.lines.slice(to),
  ]);
}

export function removeBlock(flow: LineHolder, id: string): Edit {
  const [from, to] = blockOf(flow, id);
  return lines(flow, [...flow.lines.slice(0, from), ...flow.lines.slice(to)]);
}

/** Moves a line with everything inside it before another one (`undefined`: to the end), as deep as that one. */
export function moveBlock(flow: LineHolder, id: string, before: string | undefined): Edit | undefined {
  const [from, to] = blockOf(flow, id);
  const block = flow.lines.slice(from, to);
  if (block.some((l) => l.id === before)) return undefined;
  const rest = [...flow.lines.slice(0, from), ...flow.lines.slice(to)];
  const at = before === undefined ? rest.length : rest.findIndex((l) => l.id === before);
  if (at < 0 || block.length === 0) return undefined;
  const depth = before === undefined ? 0 : rest[at].depth;
  const shift = depth - block[0].depth;
  return lines(flow, [
    ...rest.slice(0, at),
    ...block.map((l) => ({ ...l, depth: l.depth + shift })),
    ...rest.slice(at),
  ]);
}

/** One step up or down among its neighbours. */
export function shiftBlock(flow: LineHolder, id: string, direction: -1 | 1): Edit | undefined {
  const [from, to] = blockOf(flow, id);
  const { depth } = flow.lines[from];
  if (direction === 1) {
    if (to >= flow.lines.length || flow.lines[to].depth < depth) return undefined;
    const [, end] = blockOf(flow, flow.lines[to].id);
    return lines(flow, [
      ...flow.lines.slice(0, from),
      ...flow.lines.slice(to, end),
      ...flow.lines.slice(from, to),
      ...flow.lines.slice(end),
    ]);
  }
  let above = from - 1;
  while (above >= 0 && flow.lines[above].depth > depth) above--;
  if (above < 0 || flow.lines[above].depth < depth) return undefined;
  return lines(flow, [
    ...flow.lines.slice(0, above),
    ...flow.lines.slice(from, to),
    ...flow.lines.slice(above, from),
    ...flow.lines.slice(to),
  ]);
}

/** Further right or left, with everything inside. */
export function indentBlock(flow: LineHolder, id: string, by: -1 | 1): Edit | undefined {
  const [from, to] = blockOf(flow, id);
  const { depth } = flow.lines[from];
  const most = from === 0 ? 0 : flow.lines[from - 1].depth + 1;
  if (depth + by < 0 || depth + by > most) return undefined;
  return lines(
    flow,
    flow.lines.map((l, k) => (k >= from && k < to ? { ...l, depth: l.depth + by } : l)),
  );
}

/** Puts a line and what is inside it into a repeat, an abort zone or a choice. */
export function wrapBlock(flow: LineHolder, id: string, head: { readonly id: string; readonly text: string }): Edit {
  const [from, to] = blockOf(flow, id);
  const { depth } = flow.lines[from];
  return lines(flow, [
    ...flow.lines.slice(0, from),
    { ...head, depth },
    ...flow.lines.slice(from, to).map((l) => ({ ...l, depth: l.depth + 1 })),
    ...flow.lines.slice(to),
  ]);
}

/** What stands in a branch (or a single line) becomes one of its own, which is called in its place. */
export function extractBlock(
  flow: LineHolder,
  id: string,
  line: string,
  name: string,
  entry: (lines: readonly FlowLine[]) => Flow | Procedure,
): Edit {
  const [from, to] = blockOf(flow, id);
  const isHead = takesLines.has(readLine(flow.lines[from].text).kind) && to > from + 1;
  const start = isHead ? from + 1 : from;
  const block = flow.lines.slice(start, to);
  const { depth } = block[0];
  const call: FlowLine = { id: line, depth, text: `call ${name}` };
  const made = entry(block.map((l) => ({ ...l, depth: l.depth - depth })));
  return {
    kind: 'batch',
    label: 'Make one of its own',
    edits: [
      { kind: 'insert', list: flow.list ?? 'flow', entry: made },
      lines(flow, [...flow.lines.slice(0, start), call, ...flow.lines.slice(to)]),
    ],
  };
}
