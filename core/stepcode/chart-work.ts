import { type ChartStructure, type TriggerNode } from '../behaviour/chart-structure';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatChart, FlatStatement } from '../flatten/flat-model';
import { Refusal, set, type Builder } from './builder';
import { lowerExpression, stepsIn, type Names } from './lower-expression';
import { type Region, type Regions } from './regions';
import { type StepExpr, type StepInstruction } from './step-program';

/** Messages and ends that charts wait for, by number from 1. */
export interface Events {
  /** Numbers of all that a trigger by message takes. */
  taking(trigger: TriggerNode): readonly number[];
  numberOf(name: string): number;
  done(chart: number, state: number): number;
  constant(event: number): StepExpr;
  /** Their names. */
  readonly list: number;
}

/** What charts ask of what is around them. */
export interface Surroundings {
  readonly events: Events;
  names(place: string): Names;
  /** Something is sent. */
  send(statement: Extract<FlatStatement, { kind: 'send' }>, names: Names): readonly StepInstruction[];
  /** What has not been sent yet is taken back. */
  cancel(message: string): readonly StepInstruction[];
  /** A message of its own waits to be looked at. */
  post(event: number): readonly StepInstruction[];
  /** That something has just risen or changed. */
  moment(condition: FlatExpr, kind: 'rises' | 'changes', place: string): StepExpr;
}

export interface Clock {
  readonly slot: number;
  readonly kind: TriggerNode['kind'];
  readonly delay: FlatExpr | undefined;
  readonly place: string;
}

export interface Work {
  readonly b: Builder;
  readonly around: Surroundings;
  readonly chart: FlatChart;
  readonly number: number;
  readonly s: ChartStructure;
  readonly regions: Regions;
  /** By transition and trigger. */
  readonly clocks: readonly (readonly (Clock | undefined)[])[];
  /** What a place of return leads to: a value of its region. */
  readonly memory: ReadonlyMap<number, number>;
  readonly leaving: Map<number, number>;
  readonly entering: Map<number, number>;
  readonly starting: Map<number, number>;
  /** Slot that says that the chart has come to its end; -1 where it cannot. */
  readonly ended: number;
}

export const placeOf = (w: Work, state: number): string => w.b.model.variables[w.chart.active[state]].place;
export const slotOf = (w: Work, r: Region): StepExpr => w.b.read(r.slot);

// --- texts

export function statements(w: Work, list: readonly FlatStatement[], place: string): readonly StepInstruction[] {
  const names = w.around.names(place);
  return w.b.piece(place, [], () =>
    list.flatMap((x): readonly StepInstruction[] => {
      switch (x.kind) {
        case 'assign': {
          const to = names.value(x.target);
          if (to.op !== 'slot') return names.refuse(`${w.b.model.variables[x.target].name}, which is set here,`);
          return [set(to.slot, lowerExpression(x.value, to.type, names), x.origin.place)];
        }
        case 'send':
          return w.around.send(x, names);
        case 'cancel':
          return w.around.cancel(x.message);
        case 'if':
          return [
            {
              op: 'if',
              from: place,
              branches: x.branches.map((branch) => ({
                when: lowerExpression(branch.condition, 'bool', names),
                body: statements(w, branch.body, place),
              })),
              otherwise: statements(w, x.otherwise, place),
            },
          ];
      }
    }),
  );
}

export const effectOf = (w: Work, t: number): readonly StepInstruction[] => [
  ...noted(w.chart.points?.took[t], w.chart.transitions[t].origin.place),
  ...statements(w, w.chart.transitions[t].effect, `${w.chart.transitions[t].origin.place}/effect`),
];

/** Tells of a point that has been reached, where that is counted. */
export const noted = (point: number | undefined, from: string): readonly StepInstruction[] =>
  point === undefined || point < 0 ? [] : [{ op: 'note', point, from }];

export function steps(w: Work, delay: FlatExpr | undefined, place: string): StepExpr {
  if (!delay) throw new Refusal('How long is not said', place);
  return stepsIn(delay, w.b.period, w.around.names(place));
}
