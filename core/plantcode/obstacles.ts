import type { Block, SolvableModel, TornBlock } from '../analysis/solvable-model';
import { isRelation, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, Origin } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';

const kept: Partial<Record<FlatExpr['op'], string>> = {
  pre: 'what was before an event',
  sample: 'a rhythm of its own',
  delay: 'what was some time ago',
  terminal: 'the end of a run',
};

/** Whether equations are linear in what they are solved for, whichever branches are taken, and hold all the time. */
function isLinear(block: TornBlock & Pick<Block, 'only'>): boolean {
  if (!block.linear || block.only !== undefined) return false;
  const unknowns = new Set([...block.tears, ...block.inner.map((x) => x.target)].map((u) => `${u.kind}${u.index}`));
  let isFree = true;
  const holdsOne = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => void (found ||= (x.op === 'var' || x.op === 'der') && unknowns.has(`${x.op}${x.index}`)));
    return found;
  };
  for (const { value } of [...block.inner, ...block.residuals])
    walk(value, (x) => {
      if (kept[x.op] !== undefined) isFree = false;
      if ((isRelation(x.op) || x.op === 'not' || x.op === 'and' || x.op === 'or') && holdsOne(x)) isFree = false;
      if ((x.op === 'fn' || x.op === 'table') && holdsOne(x)) isFree = false;
      if (x.op === 'if' && holdsOne(x.c)) isFree = false;
    });
  return isFree;
}

/** Equations that need what is worked out behind them only, or at events in another way: the simulator holds it in between. */
function early(blocks: SolvableModel['blocks']): readonly FlatEquation[] {
  const nameOf = ({ kind, index }: { readonly kind: 'var' | 'der'; readonly index: number }): string => kind + index;
  const open = new Set(
    blocks
      .flatMap((b) => (b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)]))
      .map(nameOf),
  );
  return blocks.flatMap((b) => {
    const own = b.kind === 'assign' ? [b] : [...b.inner, ...b.residuals];
    const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
    // what is solved together may need itself
    if (b.kind === 'torn') targets.forEach((t) => open.delete(nameOf(t)));
    const found = own.flatMap(({ value, equation }) => {
      let isEarly = b.only !== undefined;
      walk(value, (x) => void (isEarly ||= (x.op === 'var' || x.op === 'der') && open.has(x.op + x.index)));
      return isEarly ? [equation] : [];
    });
    targets.forEach((t) => open.delete(nameOf(t)));
    return found.slice(0, 1);
  });
}

/** What keeps a model from being assignments and rates alone, each at its place. */
export function obstaclesOf(solvable: SolvableModel): readonly Problem[] {
  const { model } = solvable;
  const found: Problem[] = [];
  const tell = (message: string, place: string, origin?: Origin): number =>
    found.push({ ...problem('error', 'not-explicit', message, origin?.span), place: origin?.place ?? place });
  for (const chart of model.charts)
    tell(`${chart.name} goes from state to state: only equations are put into a unit`, chart.place);
  for (const { does, origin } of model.actions)
    if (does.kind !== 'assert')
      tell(
        `"${origin.text}" happens at an event: only equations that hold all the time are put into a unit`,
        '',
        origin,
      );
  // what charts set is told by them
  for (const v of model.charts.length > 0 ? [] : model.variables)
    if (v.kind === 'assigned')
      tell(`${v.name} is set at events: only equations that hold all the time are put into a unit`, v.place);
  if (solvable.invariants.length > 0)
    tell(
      `"${solvable.invariants[0].origin.text}" ties states to each other: a unit that only follows their rates would drift away from it`,
      '',
      solvable.invariants[0].origin,
    );
  for (const equation of [...early(solvable.blocks), ...early(solvable.initialBlocks)])
    tell(
      `"${equation.origin.text.replace(/;\s*$/, '')}" is in a loop that goes through what changes at events only: which branch holds is known to the simulator, not to a unit`,
      '',
      equation.origin,
    );
  for (const block of [...solvable.blocks, ...solvable.initialBlocks]) {
    if (block.kind === 'torn') {
      if (isLinear(block)) continue;
      const [first] = [...block.residuals, ...block.inner];
      const names = block.tears.map((u) =>
        u.kind === 'der' ? `der(${model.variables[u.index].name})` : model.variables[u.index].name,
      );
      const count = block.residuals.length + block.inner.length;
      const text = first.equation.origin.text.replace(/;\s*$/, '');
      tell(
        count === 1
          ? `"${text}" does not say ${names[0]} by what is known already`
          : `${names.join(' and ')} follow${names.length === 1 ? 's' : ''} from ${count} equations that have to be solved together, "${text}" among them, and not by straight lines`,
        '',
        first.equation.origin,
      );
      continue;
    }
    const { equation, value } = block;
    if (equation.isWhen === true) {
      tell(
        `"${equation.origin.text}" happens at an event: only equations that hold all the time are put into a unit`,
        '',
        equation.origin,
      );
      continue;
    }
    const needs = new Set<string>();
    walk(value, (x) => void (kept[x.op] !== undefined && needs.add(kept[x.op]!)));
    const [what] = needs;
    if (what !== undefined)
      tell(`"${equation.origin.text}" needs ${what}, which a unit does not keep`, '', equation.origin);
  }
  if (solvable.startEquations.length > 0)
    tell(
      `The start of "${solvable.startEquations[0].origin.text}" has to be solved for`,
      '',
      solvable.startEquations[0].origin,
    );
  return [...new Map(found.map((p) => [`${p.place}|${p.message}`, p])).values()];
}
