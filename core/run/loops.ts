import { closedBandwidth, linearReport } from '../linear/linear-report';
import type { FlatModel } from '../flatten/flat-model';
import { knownName, loopOperators, type LoopTerm } from '../requirements/loop-terms';
import type { Program } from '../program/program';
import type { Driver, Outside, Simulation } from '../simulate/simulation';

/** What a run is asked of loops, as numbers of its model. */
export interface PreparedLoops {
  /** Variable that says when they are looked at; undefined where the setup does not. */
  readonly when: number | undefined;
  readonly terms: readonly { readonly term: LoopTerm; readonly value: number; readonly known: number }[];
}

/** Each term as the values the model is given from outside. */
export const givenValues = (terms: readonly LoopTerm[]) =>
  terms.flatMap((t) => [
    { name: t.name, type: 'Real' as const, unit: t.unit },
    { name: knownName(t), type: 'Boolean' as const, unit: '' },
  ]);

export const prepareLoops = (
  terms: readonly LoopTerm[],
  model: FlatModel,
  when: number | undefined,
): PreparedLoops => ({
  when,
  terms: terms.flatMap((term) => {
    const [value, known] = [model.indexOf.get(term.name), model.indexOf.get(knownName(term))];
    return value === undefined || known === undefined ? [] : [{ term, value, known }];
  }),
});

/** What was seen of a term at a moment. */
export interface Look {
  readonly time: number;
  /** Undefined where it could not be looked at, and why. */
  readonly value: number | undefined;
  readonly why: string;
}

/** What the looking remembers. */
export interface LoopState {
  was: boolean;
  /** By term. */
  readonly looks: Look[][];
}

export interface LoopDriver extends Driver {
  readonly state: LoopState;
}

const mostLooks = 1000;

/** Stands for what has no end where a number has to be finite. */
const endless = 1e300;
export const isEndless = (x: number | undefined): boolean => x !== undefined && Math.abs(x) >= endless / 1e9;
const finite = (x: number): number => Math.max(-endless, Math.min(endless, x));

/** Looks at loops each time its condition comes to hold, and hands what it sees to the run. */
export function createLoopDriver(
  { when, terms }: PreparedLoops,
  program: Program,
  simulation: () => Simulation,
  saved?: LoopState,
): LoopDriver {
  const state: LoopState = saved ?? { was: false, looks: terms.map(() => []) };
  return {
    state,
    nextTime: () => Infinity,
    look(time, values) {
      if (when === undefined) return [];
      const now = values[when] !== 0;
      const isNew = now && !state.was;
      state.was = now;
      if (!isNew) return [];
      return terms.flatMap(({ term, value, known }, k): Outside[] => {
        const seen = seeLoop(term, program, simulation());
        if (state.looks[k].length < mostLooks) state.looks[k].push({ time, ...seen });
        return [
          { kind: 'set', variable: value, value: finite(seen.value ?? 0) },
          { kind: 'set', variable: known, value: seen.value === undefined ? 0 : 1 },
        ];
      });
    },
  };
}

/** A term as it is around the moment at which a simulation stands. */
export function seeLoop(term: LoopTerm, program: Program, simulation: Simulation): Omit<Look, 'time'> {
  const { from, to } = term;
  const isWay = to !== undefined;
  const { value: r, problems } = linearReport(
    program,
    simulation,
    isWay ? { from, to } : { from, to: from, open: from },
  );
  if (!r) return { value: undefined, why: problems[0]?.message ?? 'There is no linear model of it' };
  const seen = (value: number): Omit<Look, 'time'> =>
    Number.isNaN(value) ? { value: undefined, why: 'Nothing comes back there' } : { value, why: '' };
  const broken = (value: number): Omit<Look, 'time'> => ({ value, why: 'The closed loop does not hold' });
  const open: Omit<Look, 'time'> = {
    value: undefined,
    why: 'Whether the closed loop holds cannot be told: delays inside',
  };
  if ((isWay && term.kind === 'bandwidth' ? r.isStable : r.closedHolds) === undefined) return open;
  switch (term.kind) {
    case 'phaseMargin': {
      if (r.closedHolds) return seen(r.phaseMargin);
      return broken(Number.isFinite(r.phaseMargin) ? -Math.abs(r.phaseMargin) : -Math.PI);
    }
    case 'gainMargin':
      return r.closedHolds ? seen(r.gainMargin) : broken(r.gainMargin < 1 ? r.gainMargin : 0);
    case 'delayMargin':
      return r.closedHolds ? seen(r.delayMargin) : broken(0);
    case 'bandwidth': {
      if (!(isWay ? r.isStable : r.closedHolds))
        return { value: undefined, why: 'It does not hold: it has no bandwidth' };
      const w = isWay ? r.bandwidth : closedBandwidth(r);
      return seen(term.unit === 'Hz' ? w / (2 * Math.PI) : w);
    }
  }
}

const degrees = 180 / Math.PI;

/** What was seen of a term, in words: the last few moments. */
export function tellLooks(term: LoopTerm, looks: readonly Look[]): string {
  const what = `${loopOperators[term.kind]!.words} at ${term.to === undefined ? term.from : `${term.to} from ${term.from}`}`;
  if (looks.length === 0) return `The loop was not looked at in this run: ${what} is not known`;
  const one = ({ time, value, why }: Look): string => {
    const at = `at ${Number(time.toPrecision(6))} s`;
    if (value === undefined) return `${at} it could not be looked at (${why})`;
    const [amount, unit] = term.unit === 'rad' ? [value * degrees, 'deg'] : [value, term.unit];
    const text = Number.isFinite(amount) ? `${Number(amount.toPrecision(4))}${unit ? ` ${unit}` : ''}` : 'without end';
    return `${text} ${at}${why ? ` (${why.toLowerCase()})` : ''}`;
  };
  const shown = looks.length > 4 ? [...looks.slice(0, 2), ...looks.slice(-2)] : looks;
  const parts = shown.map(one);
  if (looks.length > 4) parts.splice(2, 0, `${looks.length - 4} more`);
  return `${what[0].toUpperCase()}${what.slice(1)}: ${parts.join(', ')}`;
}
