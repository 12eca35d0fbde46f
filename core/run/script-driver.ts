import type { FlatModel } from '../flatten/flat-model';
import type { Observation, ObservedValue } from '../flatten/flatten';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { readScript, type ReadScript } from '../scripts/read-script';
import { createScriptRun, type ScriptReport, type ScriptState, type ScriptWorld } from '../scripts/script-run';
import type { Driver, Outside } from '../simulate/simulation';
import type { PartInSteps } from '../stepcode/stage';
import { insideOf } from './inside';
import { messageTarget, settable, unheardMessage } from './assemble';
import { readSetValue } from './set-value';

/** A script that goes along with a run, as it is read: what it looks at is watched. */
export interface ScriptSource {
  /** Address of its text. */
  readonly place: string;
  readonly read: ReadScript;
  readonly observers: readonly Observation[];
  readonly problems: readonly Problem[];
}

/** The same in a model: what conditions and their sides are, and what is done from outside. */
export interface PreparedScript {
  readonly read: ReadScript;
  readonly conditions: readonly number[];
  /** Of a comparison, by condition: its sides that are no plain numbers. */
  readonly sides: readonly (readonly Side[])[];
  /** By number of a step. */
  readonly actions: ReadonlyMap<number, Outside>;
}

interface Side {
  readonly variable: number;
  readonly unit: string;
  readonly text: string;
}

const comparisons: ReadonlySet<string> = new Set(['<', '<=', '>', '>=', '==', '<>']);

/** `inside`: the part in which its names are looked up, where that is not the whole that runs. */
export function scriptSource(text: string, place: string, inside = ''): ScriptSource {
  const plain = readScript(text);
  const read = inside === '' ? plain : readInside(plain, inside);
  const observers = read.conditions.flatMap(({ expr, start }, k): Observation[] => {
    const at = { place: `${place}/${start}` };
    const sides =
      expr.kind === 'binary' && comparisons.has(expr.op)
        ? [expr.left, expr.right].flatMap((side, j) =>
            side.kind === 'number' ? [] : [{ ...at, name: `$script ${k} ${j}`, expr: side }],
          )
        : [];
    return [{ ...at, name: `$script ${k}`, expr, stops: true }, ...sides];
  });
  return { place, read, observers, problems: atPlace(place, read.problems) };
}

/** Names of a part as those of the whole it is in. */
const readInside = (read: ReadScript, part: string): ReadScript => ({
  ...read,
  conditions: read.conditions.map((c) => ({ ...c, expr: insideOf(c.expr, part) })),
  steps: read.steps.map((s) => (s.kind === 'set' || s.kind === 'send' ? { ...s, target: `${part}.${s.target}` } : s)),
});

/** Problems of what a script looks at have the places of its text. */
const inText = (p: Problem, { place, read }: ScriptSource): Problem => {
  const start = Number(p.place?.slice(place.length + 1));
  const found = read.conditions.find((c) => c.start === start);
  return {
    ...p,
    place,
    span: { start: start + (p.span?.start ?? 0), end: start + (p.span?.end ?? found?.text.length ?? 0) },
  };
};

export function prepareScript(
  source: ScriptSource,
  model: FlatModel,
  observed: ReadonlyMap<string, ObservedValue>,
  steps: readonly PartInSteps[],
): { readonly script: PreparedScript; readonly problems: readonly Problem[] } {
  const { read, place } = source;
  const problems: Problem[] = [...source.problems];
  for (const p of model.problems) if (p.place?.startsWith(`${place}/`)) problems.push(inText(p, source));
  const wrong = (at: { readonly start: number; readonly end: number }, message: string, code = 'script'): void =>
    void problems.push({ ...problem('error', code, message, { start: at.start, end: at.end }), place });
  const conditions = read.conditions.map((c, k): number => {
    const found = observed.get(`$script ${k}`);
    if (!found) {
      // what is wrong with it is told, or it is nothing that can be looked at
      if (!model.problems.some((p) => p.place === `${place}/${c.start}`))
        wrong({ start: c.start, end: c.start + c.text.length }, `${c.text} is no condition: one is true or false`);
      return -1;
    }
    if (model.variables[found.index].type !== 'Boolean')
      wrong({ start: c.start, end: c.start + c.text.length }, `${c.text} is a number: a condition is true or false`);
    return found.index;
  });
  const sides = read.conditions.map(({ text, expr }, k) =>
    [0, 1].flatMap((j): Side[] => {
      const found = observed.get(`$script ${k} ${j}`);
      if (!found || expr.kind !== 'binary') return [];
      const { start, end } = (j === 0 ? expr.left : expr.right).span;
      return [{ variable: found.index, unit: found.unitName ?? '', text: text.slice(start, end) }];
    }),
  );
  const actions = new Map<number, Outside>();
  read.steps.forEach((s, k) => {
    if (s.kind === 'set') {
      const variable = settable(model, s.target, steps);
      if (typeof variable !== 'number') return wrong(s, variable.message, variable.code);
      const given = readSetValue(s.value, model.variables[variable]);
      for (const p of given.problems) wrong(s, p.message, p.code);
      if (given.value !== undefined) actions.set(k, { kind: 'set', variable, value: given.value });
    }
    if (s.kind === 'send') {
      const target = messageTarget(model, s.target);
      if (!target) return wrong(s, `${s.target} does not name a part and a message, such as ctrl.start`);
      const unheard = unheardMessage(model, target.part, target.message);
      // a test that sends what nobody hears tests nothing
      if (unheard) return wrong(s, unheard);
      actions.set(k, { kind: 'send', ...target, args: s.args });
    }
    return undefined;
  });
  return { script: { read, conditions, sides, actions }, problems };
}

export interface ScriptDriver extends Driver {
  readonly state: ScriptState;
  report(ended: boolean): ScriptReport;
}

export function createScriptDriver(
  { read, conditions, sides, actions }: PreparedScript,
  saved?: ScriptState,
): ScriptDriver {
  const run = createScriptRun(read, saved);
  const world = (values: Float64Array): ScriptWorld => ({
    holds: (k) => values[conditions[k]] !== 0,
    says: (k) =>
      sides[k]
        .map(
          ({ variable, unit, text }) => `${text} was ${Number(values[variable].toPrecision(5))}${unit && ` ${unit}`}`,
        )
        .join(', '),
  });
  return {
    state: run.state,
    nextTime: run.nextTime,
    look: (time, values) => run.step(time, world(values)).flatMap((s) => actions.get(read.steps.indexOf(s)) ?? []),
    isOver: () => run.state.endedAt !== undefined,
    report: run.report,
  };
}
