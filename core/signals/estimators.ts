import type { CallExpr, Expr } from '../language/ast';
import { printExpression } from '../language/print';
import { walkExpression } from '../language/walk';
import type { UnitContext } from '../language/unit-check';
import { describeUnit, divideUnits, sameUnit, unitOrUndefined, type Unit } from '../language/units';
import type { PartType } from '../project/document';
import { signalBlocks } from './catalogue';
import { readLines, type BlockLine } from './sheet-lines';
import { resultUnit, unitIn } from './sheet-units';

/** Lines of signal sheets that learn while they run. */
export interface Estimator {
  readonly kind: 'leastSquares' | 'kalman';
  readonly name: string;
  readonly line: BlockLine;
  /** What is measured. */
  readonly measured: Expr | undefined;
  /** What each unknown value of `leastSquares` is multiplied by; undefined where the list is not written out. */
  readonly regressors: readonly Expr[] | undefined;
  /** What the values are called: by their regressors, or `state 1`. */
  label(k: number): string;
}

/** What each of them is, by the names of the blocks. */
const kinds: ReadonlyMap<string, Estimator['kind']> = new Map([
  ['leastSquares', 'leastSquares'],
  ['kalman', 'kalman'],
  ['extendedKalman', 'kalman'],
]);
const argument = (call: CallExpr, k: number, name: string): Expr | undefined =>
  call.args[k] ?? call.named.find((n) => n.name === name)?.value;

export function estimatorsOf(type: PartType): readonly Estimator[] {
  return type.signals.flatMap((sheet) =>
    readLines(type, sheet, []).flatMap((line): Estimator[] => {
      const { expr } = line;
      const kind = expr.kind === 'call' ? kinds.get(expr.callee) : undefined;
      if (expr.kind !== 'call' || !kind) return [];
      const list = kind === 'leastSquares' ? argument(expr, 1, 'x') : undefined;
      const regressors = list?.kind === 'array' && !list.matrix ? list.elements : undefined;
      return [
        {
          kind,
          name: line.name,
          line,
          measured: argument(expr, 0, 'y'),
          regressors,
          label: (k) =>
            regressors?.[k]
              ? `of ${printExpression(regressors[k])}`
              : kind === 'kalman'
                ? `state ${k + 1}`
                : `value ${k + 1}`,
        },
      ];
    }),
  );
}

/** A line that tells of a change. */
export interface Detector {
  readonly name: string;
  /** Names of its alarm and of when the change began, as far as it tells that. */
  readonly alarm: string;
  readonly since: string | undefined;
}

/** Detectors with the outputs they have beside a truth. */
const detectors: ReadonlyMap<string, Pick<Detector, 'alarm' | 'since'>> = new Map([
  ['cusum', { alarm: '.alarm', since: '.since' }],
  ['likelihoodRatio', { alarm: '.alarm', since: undefined }],
  ['leavesRange', { alarm: '', since: undefined }],
]);

export function detectorsOf(type: PartType): readonly Detector[] {
  return type.signals.flatMap((sheet) =>
    readLines(type, sheet, []).flatMap(({ name, expr }): Detector[] => {
      const kind = expr.kind === 'call' ? detectors.get(expr.callee) : undefined;
      return kind ? [{ name, alarm: name + kind.alarm, since: kind.since && name + kind.since }] : [];
    }),
  );
}

/** Units of the values: that of what is measured by that of each regressor, as far as both are known; '' where not. */
export function unitsOfValues(
  { kind, measured, regressors }: Estimator,
  unitOf: (name: string) => string | undefined,
): readonly string[] {
  if (kind !== 'leastSquares' || !measured) return [];
  const context: UnitContext = {
    unitOf: (ref) => unitOf(ref.parts.map((p) => p.name).join('.')),
    unitOfResult(call) {
      const block = signalBlocks().sampled.get(call.callee);
      return block && resultUnit(block, (k) => call.args[k] && unitIn(context, call.args[k]));
    },
  };
  const read = (e: Expr): Unit | undefined => unitOrUndefined(unitIn(context, e));
  const y = read(measured);
  return (regressors ?? []).map((e) => {
    const x = read(e);
    if (!x || !y) return '';
    const unit = divideUnits(y, x);
    const text = describeUnit(unit);
    const again = unitOrUndefined(text);
    return again && sameUnit(again, unit) ? text : '';
  });
}

/** Names on which its regressors and what is measured depend: what a model of it could give. Those of regressors come first. */
export function namesBehind(type: PartType, { line, measured, regressors }: Estimator): readonly string[] {
  const lines = new Map(readLines(type, line.sheet, []).map((l) => [l.name, l]));
  const found = new Set<string>();
  const seen = new Set<string>();
  const visit = (e: Expr): void => {
    eachName(e, (name) => {
      const own = lines.get(name);
      if (!own) found.add(name);
      else if (!seen.has(name)) {
        seen.add(name);
        visit(own.expr);
      }
    });
  };
  for (const e of [...(regressors ?? []), ...(measured ? [measured] : [])]) visit(e);
  const fixed = new Set(
    type.quantities.filter((q) => q.role === 'parameter' || q.role === 'constant').map((q) => q.name),
  );
  return [...seen, ...found].filter((n) => !fixed.has(n) && n !== 'time');
}

/** Plain names in an expression; names of what iterates inside it are left out. */
export function eachName(e: Expr, visit: (name: string) => void): void {
  const own = new Set<string>();
  walkExpression(e, (x) => {
    if (x.kind === 'comprehension') for (const i of x.iterators) own.add(i.name);
    if (x.kind === 'ref' && !own.has(x.parts[0].name)) visit(x.parts.map((p) => p.name).join('.'));
  });
}
