import type { Block, SolvableModel } from '../analysis/solvable-model';
import { createSubstitution, walk, type FlatExpr } from '../flatten/flat-expression';

/**
 * What event iteration has to look at. A tick is a variable that is true at the instants of one `sample` and false at all others. Where nothing
 * asks for more of ticks than whether they come to hold, they last for one pass of the iteration: then what is set at a tick takes one pass,
 * and one more shows that nothing else follows.
 */
export interface EventPasses {
  readonly blocks: readonly Block[];
  /** Ticks last for one pass. */
  readonly prompt: boolean;
  /** By variable: 1 where something rests on its value before. Others may change without another pass. */
  readonly former: Uint8Array;
}

export function eventPasses(solvable: SolvableModel): EventPasses {
  const { model, blocks } = solvable;
  const ticks = new Set(
    blocks.flatMap((b) =>
      b.kind === 'assign' && b.target.kind === 'var' && b.value.op === 'sample' ? [b.target.index] : [],
    ),
  );
  const isTick = (x: FlatExpr): x is Extract<FlatExpr, { op: 'var' }> => x.op === 'var' && ticks.has(x.index);
  const isNotBefore = (x: FlatExpr, k: number): boolean => x.op === 'not' && x.a.op === 'pre' && x.a.index === k;
  // a tick that comes to hold is a tick
  const isEdge = (x: FlatExpr): FlatExpr | undefined => {
    if (x.op !== 'and') return undefined;
    if (isTick(x.a) && isNotBefore(x.b, x.a.index)) return x.a;
    return isTick(x.b) && isNotBefore(x.a, x.b.index) ? x.b : undefined;
  };
  const prompt = createSubstitution(isEdge);
  const former = new Uint8Array(model.variables.length);
  const prompted = ticks.size === 0 ? blocks : blocks.map((b) => mapBlock(b, prompt));
  // charts look at values when the equations have settled: what a tick is then, they could not see
  if (model.charts.length > 0 && ticks.size > 0 && readsPlainly(blocks, isEdge, isTick))
    return { blocks, former: former.fill(1), prompt: false };
  let samples = 0;
  let ofTicks = 0;
  /** What is nobody's business stays: expressions in whatever holds them. */
  const look = (of: unknown, inCharts: boolean): void => {
    if (typeof of !== 'object' || of === null || ArrayBuffer.isView(of)) return;
    if (of instanceof Map || of instanceof Set) return of.forEach((x) => look(x, inCharts));
    const { op, index } = of as { readonly op?: string; readonly index?: number };
    if (op === 'pre' && index !== undefined) {
      former[index] = 1;
      if (ticks.has(index)) ofTicks++;
    }
    if (op === 'sample') samples++;
    if (inCharts && op === 'var' && index !== undefined && ticks.has(index)) ofTicks++;
    for (const x of Object.values(of)) look(x, inCharts);
  };
  for (const b of prompted)
    look(b.kind === 'assign' ? b.value : [b.inner.map((x) => x.value), b.residuals.map((x) => x.value)], false);
  look(
    model.actions.map((a) => [a.guard, a.does]),
    true,
  );
  look(
    model.charts.map((c) => [c.entry, c.do, c.exit, c.period, c.transitions]),
    true,
  );
  const isPrompt = ticks.size > 0 && ofTicks === 0 && samples === ticks.size;
  return isPrompt ? { blocks: prompted, prompt: true, former } : { ...formerOf(blocks, former), prompt: false };
}

/** Without prompt ticks whatever changes is followed by another pass. */
const formerOf = (blocks: readonly Block[], former: Uint8Array): Pick<EventPasses, 'blocks' | 'former'> => ({
  blocks,
  former: former.fill(1),
});

/** Whether something asks for more of a tick than that it comes to hold. */
function readsPlainly(
  blocks: readonly Block[],
  isEdge: (x: FlatExpr) => FlatExpr | undefined,
  isTick: (x: FlatExpr) => boolean,
): boolean {
  let found = false;
  const visit = (e: FlatExpr): void =>
    walk(e, (x) => {
      if (isEdge(x)) return true;
      found ||= isTick(x);
      return found;
    });
  for (const b of blocks) {
    if (b.kind === 'assign') visit(b.value);
    else for (const x of [...b.inner, ...b.residuals]) visit(x.value);
  }
  return found;
}

function mapBlock(b: Block, f: (e: FlatExpr) => FlatExpr): Block {
  if (b.kind === 'assign') {
    const value = f(b.value);
    return value === b.value ? b : { ...b, value };
  }
  // loops are known by their object
  const all = [...b.inner, ...b.residuals];
  if (all.every((x) => f(x.value) === x.value)) return b;
  return {
    ...b,
    inner: b.inner.map((x) => ({ ...x, value: f(x.value) })),
    residuals: b.residuals.map((x) => ({ ...x, value: f(x.value) })),
  };
}
