import { takesMessage } from '../behaviour/chart-structure';
import { parameterValues } from '../analysis/parameters';
import { evaluate } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import type { FlattenResult, Observation, Signal } from '../flatten/flatten';
import { atPlace, hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { parseExpressionText } from '../language/parse';
import type { Setup } from '../project/project';
import { isGiven, type PartInSteps } from '../stepcode/stage';
import { recordable } from '../simulate/recording';
import type { Stimulus } from '../simulate/simulation';
import { readSetValue } from './set-value';

/**
 * What a setup asks of the model it runs. There is one reading of it, for the check of the project and for the start of a run: what
 * a run would refuse, the check has told.
 */
export interface SetupTexts {
  /** Its end condition, and when loops are looked at, as something to be watched. */
  readonly observers: readonly Observation[];
  readonly signals: readonly Signal[];
  readonly problems: readonly Problem[];
}

/** The formulas of a setup. `prefix` keeps the names of several setups apart. */
export function readSetupTexts(setup: Setup, prefix = ''): SetupTexts {
  const place = `setup/${setup.id}`;
  const problems: Problem[] = [];
  const read = (text: string, at: string) => {
    if (text.trim() === '') return undefined;
    const parsed = parseExpressionText(text);
    problems.push(...atPlace(at, parsed.problems));
    return hasErrors(parsed.problems) ? undefined : parsed.value;
  };
  const ends = read(setup.endWhen, `${place}/endWhen`);
  const looks = read(setup.loopsWhen, `${place}/loopsWhen`);
  const signals = setup.stimulus.flatMap((row): Signal[] => {
    if (row.kind !== 'follow') return [];
    const at = `${place}/stimulus/${row.id}`;
    if (row.value.trim() === '')
      problems.push({ ...problem('error', 'missing', `${row.target} follows no formula`), place: `${at}/value` });
    const expr = read(row.value, `${at}/value`);
    return expr ? [{ target: row.target, expr, place: at }] : [];
  });
  return {
    observers: [
      ...(ends ? [{ name: `${prefix}$end`, expr: ends, place: `${place}/endWhen`, stops: true }] : []),
      ...(looks ? [{ name: `${prefix}$loops`, expr: looks, place: `${place}/loopsWhen`, stops: true }] : []),
    ],
    signals,
    problems,
  };
}

/** A setup as numbers of a model. */
export interface SetupValues {
  /** Start values by variable; those of constants and parameters are in the model already. */
  readonly values: ReadonlyMap<number, number>;
  readonly stimulus: readonly Stimulus[];
  readonly startIn: ReadonlyMap<number, readonly number[]>;
  /** Names of what is recorded; undefined for everything. */
  readonly record: readonly string[] | undefined;
  readonly endWhen: number | undefined;
  readonly loopsWhen: number | undefined;
  readonly problems: readonly Problem[];
}

/** Whether a changed value is one of a constant or parameter: these are part of the model. */
export const isFixedChange = (flat: FlattenResult, name: string): boolean => {
  const index = flat.model.indexOf.get(name);
  const kind = index === undefined ? undefined : flat.model.variables[index].kind;
  return kind === 'parameter' || kind === 'constant' || (kind === undefined && hasElements(flat.model, name));
};

/** What is wrong with values of constants and parameters, as far as the model need not be made with them to know. */
export const fixedProblems = (setup: Setup, flat: FlattenResult): Problem[] =>
  setup.changes.flatMap((c) => {
    const index = isFixedChange(flat, c.name) ? flat.model.indexOf.get(c.name) : undefined;
    if (index === undefined) return [];
    const { problems } = readSetValue(c.value, flat.model.variables[index]);
    // other parameters may stand in them
    return atPlace(
      `setup/${setup.id}/change/${c.id}/value`,
      problems.filter((p) => p.code !== 'not-known'),
    );
  });

const hasElements = (model: FlatModel, name: string): boolean =>
  [...model.indexOf.keys()].some((n) => n.startsWith(`${name}[`));

/**
 * Changed values of constants and parameters as numbers of a model that has been made without them; undefined where one of them is
 * more than a number.
 */
export function readFixedValues(setup: Setup, flat: FlattenResult): ReadonlyMap<number, number> | undefined {
  const values = new Map<number, number>();
  for (const c of setup.changes) {
    if (!isFixedChange(flat, c.name)) continue;
    const index = flat.model.indexOf.get(c.name);
    const variable = index === undefined ? undefined : flat.model.variables[index];
    // what a constant is may stand in anything; a text is none of the numbers of a run
    if (index === undefined || variable?.kind !== 'parameter' || variable.type === 'String' || variable.isFinal)
      return undefined;
    const { value } = readSetValue(c.value, variable);
    if (value === undefined) return undefined;
    values.set(index, value);
  }
  // what leaves its limits is told where the model is made
  return values.size === 0 || areWithin(flat.model, values) ? values : undefined;
}

/** Whether all quantities stay inside their limits with given values of parameters, as far as these are numbers. */
export function areWithin(model: FlatModel, given: ReadonlyMap<number, number>): boolean {
  const known = parameterValues(model, given);
  return model.variables.every(({ kind, start, min, max }, k) => {
    if (!min && !max) return true;
    const isFixed = kind === 'constant' || kind === 'parameter';
    const value = isFixed ? known(k) : start ? evaluate(start, known) : NaN;
    return !(min && value < evaluate(min, known)) && !(max && value > evaluate(max, known));
  });
}

export function readSetupValues(setup: Setup, flat: FlattenResult, prefix = ''): SetupValues {
  const { model } = flat;
  const problems: Problem[] = [];
  const values = new Map<number, number>();
  for (const c of setup.changes) {
    const at = `setup/${setup.id}/change/${c.id}`;
    if (isFixedChange(flat, c.name)) continue;
    const index = model.indexOf.get(c.name);
    if (index === undefined) {
      problems.push(unknownPath(model, c.name, `${at}/name`));
      continue;
    }
    const read = readSetValue(c.value, model.variables[index]);
    problems.push(...atPlace(`${at}/value`, read.problems));
    if (read.value !== undefined) values.set(index, read.value);
  }
  const record = readRecord(setup, model, problems);
  checkRows(setup, record?.length ?? recordable(model).length, problems);
  const stimulus = readStimulus(setup, model, problems);
  const startIn = readStartIn(setup, model, problems);
  return {
    values,
    stimulus,
    startIn,
    record,
    endWhen: flat.observed.get(`${prefix}$end`)?.index,
    loopsWhen: flat.observed.get(`${prefix}$loops`)?.index,
    problems,
  };
}

/** What fits into the memory of a browser: rows of a recording, and values in all of its columns. */
const mostRows = 20_000_000;
const mostValues = 200_000_000;

/** Says how often a setup could record instead, where it would keep more than fits. */
function checkRows(setup: Setup, columns: number, problems: Problem[]): void {
  const rows = setup.stop / setup.recordEvery;
  const most = Math.min(mostRows, mostValues / Math.max(1, columns));
  if (rows <= most) return;
  const interval = readableInterval(setup.stop / 10_000);
  problems.push({
    ...problem(
      'error',
      'too-many-rows',
      `${setup.name} would record ${rows > 1e9 ? 'more than a thousand million' : Math.round(rows).toLocaleString('en-GB')} rows of ${columns} values up to ${setup.stop} s, and at most ${Math.floor(most).toLocaleString('en-GB')} fit: record every ${interval} s, fewer values, or a shorter time`,
    ),
    place: `setup/${setup.id}/recordEvery`,
  });
}

/** The next larger interval of one digit: 1, 2 or 5 times a power of ten. */
function readableInterval(seconds: number): string {
  const power = 10 ** Math.floor(Math.log10(seconds));
  const digit = [1, 2, 5, 10].find((d) => d * power >= seconds * (1 - 1e-9)) ?? 10;
  return String(Number((digit * power).toPrecision(1)));
}

/** Names that were looked for, with what is most like them. */
const likenesses = new WeakMap<FlatModel, Map<string, string | undefined>>();
const mostLooked = 40;

function likeName(model: FlatModel, name: string): string | undefined {
  const known = likenesses.get(model) ?? new Map<string, string | undefined>();
  likenesses.set(model, known);
  // after so many wrong names the next one needs no proposal
  if (!known.has(name) && known.size < mostLooked) known.set(name, nearestName(name, model.indexOf.keys()));
  return known.get(name);
}

function unknownPath(model: FlatModel, name: string, place: string): Problem {
  return { ...unknownName(model, name), place };
}
function unknownName(model: FlatModel, name: string): Problem {
  const near = likeName(model, name);
  return problem('error', 'unknown-name', `${model.name} has no ${name}${near ? `; did you mean ${near}?` : ''}`);
}

type InSteps = readonly Pick<PartInSteps, 'name'>[];

/** Whether a quantity is what a part that goes in steps works out or keeps: those are its own. */
export const followsFromSteps = (
  { model, steps }: { readonly model: FlatModel; readonly steps: InSteps },
  variable: number,
): boolean =>
  steps.some(({ name }) => model.variables[variable].name.startsWith(`${name}.`) && !isGiven(model, name, variable));

/** Number of a quantity that can be given a value while a run goes on, or why there is none. `steps`: parts that go in steps in it. */
export function settable(model: FlatModel, name: string, steps: InSteps = []): number | Problem {
  const index = model.indexOf.get(name);
  if (index === undefined) return unknownName(model, name);
  const { kind } = model.variables[index];
  const why = followsFromSteps({ model, steps }, index)
    ? 'is worked out in steps'
    : kind === 'continuous' || kind === 'discrete'
      ? 'follows from the equations'
      : undefined;
  return why === undefined
    ? index
    : problem('error', 'not-settable', `${name} ${why} and cannot be set; inputs and parameters can`);
}

/** Names a setup records; undefined for everything. */
function readRecord(setup: Setup, model: FlatModel, problems: Problem[]): readonly string[] | undefined {
  if (setup.record.length === 0) return undefined;
  const known = recordable(model);
  return setup.record.flatMap((name, k) => {
    const found = known.filter((x) => x === name || x.startsWith(`${name}.`) || x.startsWith(`${name}[`));
    if (found.length === 0)
      problems.push({
        ...problem('error', 'unknown-name', `${model.name} has no ${name} to record`),
        place: `setup/${setup.id}/record/${k}`,
      });
    return found;
  });
}

/** Charts and the states they start in, from full names. */
function readStartIn(setup: Setup, model: FlatModel, problems: Problem[]): Map<number, number[]> {
  const chosen = new Map<number, number[]>();
  setup.startIn.forEach((name, k) => {
    const c = model.charts.findIndex((x) => name.startsWith(`${x.name}.`));
    const wanted = c < 0 ? '' : name.slice(model.charts[c].name.length + 1);
    const state =
      c < 0
        ? -1
        : model.charts[c].structure.states.findIndex((s) => s.path === wanted || s.path.endsWith(`.${wanted}`));
    if (state < 0)
      problems.push({
        ...problem('error', 'unknown-state', `${model.name} has no state ${name}; it is written like ctrl.mode.Ready`),
        place: `setup/${setup.id}/startIn/${k}`,
      });
    else chosen.set(c, [...(chosen.get(c) ?? []), state]);
  });
  return chosen;
}

function readStimulus(setup: Setup, model: FlatModel, problems: Problem[]): Stimulus[] {
  return setup.stimulus.flatMap((row): Stimulus[] => {
    const place = `setup/${setup.id}/stimulus/${row.id}`;
    if (row.kind === 'follow') return [];
    if (row.kind === 'set') {
      const index = settable(model, row.target);
      if (typeof index !== 'number') {
        problems.push({ ...index, place });
        return [];
      }
      const read = readSetValue(row.value, model.variables[index]);
      problems.push(...atPlace(`${place}/value`, read.problems));
      return read.value === undefined ? [] : [{ time: row.time, kind: 'set', variable: index, value: read.value }];
    }
    const target = messageTarget(model, row.target);
    if (!target) {
      problems.push({
        ...problem('error', 'unknown-part', `${row.target} does not name a part and a message, such as ctrl.start`),
        place,
      });
      return [];
    }
    const unheard = unheardMessage(model, target.part, target.message);
    if (unheard) problems.push({ ...problem('warning', 'unheard', unheard), place });
    return [{ time: row.time, kind: 'send', part: target.part, message: target.message, args: [] }];
  });
}

/** Says that nothing in a part waits for a message, and what may have been meant. */
export function unheardMessage(model: FlatModel, part: number, message: string): string | undefined {
  const heard = model.charts
    .filter((c) => c.part === part)
    .flatMap((c) => c.structure.transitions.flatMap((t) => t.triggers.filter((g) => g.kind === 'message')));
  if (heard.some((g) => takesMessage(g, message)) || message.includes('.')) return undefined;
  const near = nearestName(
    message,
    heard.map((g) => g.message),
  );
  return `Nothing in ${model.parts[part].name || model.name} waits for ${message}${near ? `; did you mean ${near}?` : ''}`;
}

/** `ctrl.start`: the part and the message. A lone name is a message to the root. */
export function messageTarget(model: FlatModel, path: string): { part: number; message: string } | undefined {
  const dot = path.lastIndexOf('.');
  const partName = dot < 0 ? '' : path.slice(0, dot);
  const part = model.parts.findIndex((p) => p.name === partName);
  if (part >= 0) return { part, message: path.slice(dot + 1) };
  // a procedure is started by a message of two words
  const control = /^(?:(.*)\.)?([^.]+\.(?:start|stop))$/.exec(path);
  const owner = control ? model.parts.findIndex((p) => p.name === (control[1] ?? '')) : -1;
  return control &&
    owner >= 0 &&
    model.charts.some((c) => c.part === owner && c.isProcedure && c.name.split('.').at(-1) === control[2].split('.')[0])
    ? { part: owner, message: control[2] }
    : undefined;
}
