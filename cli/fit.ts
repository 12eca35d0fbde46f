import { readProjectFile } from '../core/formats/project-file';
import { flatten } from '../core/flatten/flatten';
import { experimentOf } from '../core/flatten/experiment';
import { libraryOfFile } from '../core/flatten/library';
import type { FlatModel } from '../core/flatten/flat-model';
import { atPlace, hasErrors, problem, type Problem } from '../core/language/diagnostics';
import { parseExpressionText, parseFile } from '../core/language/parse';
import { relaxUnits } from '../core/language/unit-check';
import { isRunnable, prepareRun } from '../core/run';
import { compile } from '../core/simulate/compile';
import type { Stimulus } from '../core/simulate/simulation';
import {
  coursesOf,
  fittable,
  followText,
  isStepwise,
  settingsOf,
  type Between,
  nominalOf,
  simulatedAt,
  type ColumnMap,
  type Course,
  type Fitted,
} from '../core/studies/fit-model';
import { fit as fitValues, type FitReport } from '../core/studies/fit';
import { readMeasured, type Measured } from '../core/studies/measured';
import { stopWith, type TextOf } from './model-text';
import { complain, print, readBytes } from './output';
import { projectTexts } from './run';
import { progress, readRanges } from './study-project';

export interface FitArguments {
  readonly class?: string;
  readonly setup?: string;
  readonly data: string;
  readonly map: readonly string[];
  readonly free: readonly string[];
  readonly shift?: string;
  readonly hold?: number;
  readonly seed?: number;
  readonly json?: boolean;
}

/** `zelvar fit`: 0 all values are decided, 1 some are not, 2 it could not be asked. */
export function fit(file: string, options: FitArguments): number {
  const stop = (message: string): number => {
    complain(`zelvar: ${message}`);
    return 2;
  };
  const ranges = readRanges(options.free);
  if (typeof ranges === 'string') return stop(ranges);
  if (ranges.length === 0) return stop('--free names what is to be found, such as --free friction=0:0.1');
  const maps: ColumnMap[] = [];
  for (const text of options.map) {
    const at = text.indexOf('=');
    if (at <= 0) return stop(`${text} is no map: write column=quantity`);
    maps.push({ column: text.slice(0, at).trim(), quantity: text.slice(at + 1).trim() });
  }
  const [bytes, dataBytes] = [readBytes(file), readBytes(options.data)];
  if (!bytes || !dataBytes) return 2;
  const { value: data, problem: unread } = readMeasured(dataBytes, options.data);
  if (!data) return stop(unread!.message);
  const ready = file.endsWith('.mo')
    ? ofClass(file, bytes, options, data, maps)
    : ofProject(file, bytes, options, data, maps);
  if (!ready) return 2;
  if ('errors' in ready) return stopWith(ready.errors, ready.textOf, options.json);
  const { fitted, outputs, left } = ready;
  const { value: indices, problem: wrong } = fittable(
    fitted,
    ranges.map((r) => r.name),
  );
  if (!indices) return stopWith([wrong!], ready.textOf, options.json);
  for (const r of data.remarks) complain(`zelvar: ${options.data}: ${r}`);
  if (left.length > 0) complain(`zelvar: ${options.data}: not compared: ${left.join(', ')}`);
  const nominal = nominalOf(fitted, indices);
  const shifts = options.shift === undefined ? [] : readRanges([`shift=${options.shift}`]);
  if (typeof shifts === 'string') return stop(shifts.replace('path=low:high', '--shift low:high'));
  if (shifts.length > 0 && ready.inputs.length > 0)
    return stop(
      `--shift: ${ready.inputs.map((c) => c.column).join(', ')} drives the model by the same clock; there is nothing to shift`,
    );
  const isStarted = outputs.every((o) => o.time[0] >= 0 || shifts.length > 0);
  if (!isStarted)
    return stop(`${options.data} has times before 0, when the model has not begun: --shift low:high moves it`);
  const watch = progress('runs', false);
  const free = [
    ...ranges.map((r, k) => ({ ...r, nominal: nominal[k] })),
    ...shifts.map((r) => ({ ...r, nominal: undefined })),
  ];
  const settings = { holdBack: options.hold ?? 0, seed: options.seed ?? 1, goOn: (n: number) => watch.goOn(n, 400) };
  let between: Between = 'straight';
  let report = fitValues(simulatedAt(fitted, indices, outputs, shifts[0]?.high), outputs, free, settings);
  // where an input jumps between two rows they do not tell when: what was measured does
  if (report && ready.inputs.some(isStepwise))
    for (const other of ['held', 'ahead'] as const) {
      const now = ready.driven(other);
      if (!now) continue;
      const near = free.map((f, k) => ({ ...f, nominal: report!.values[k].value }));
      const next = fitValues(simulatedAt(now, indices, outputs), outputs, near, { ...settings, isNear: true });
      if (next && squaresOf(next) < squaresOf(report)) {
        report = withDesign(next, report);
        between = other;
      }
    }
  if (!report)
    return stopWith(
      [problem('error', 'fit', 'With none of the values tried the model runs to the end of what was measured')],
      ready.textOf,
      options.json,
    );
  if (options.json) print(JSON.stringify({ ...asJson(report, ready.inputs), between }, null, 1));
  else tellReport(report, between);
  return report.notDecided.length > 0 ? 1 : 0;
}

/** Squares of all residuals, each column by how much it varies by itself. */
const squaresOf = (r: FitReport): number =>
  r.columns.reduce((s, c) => {
    const mean = c.measured.reduce((a, x) => a + x, 0) / c.measured.length;
    const spread = c.measured.reduce((a, x) => a + (x - mean) ** 2, 0) / c.measured.length;
    return s + c.rms ** 2 / (spread || 1);
  }, 0);
/** The second fit began where the first had ended: what was before and how many runs it took are those of both. */
const withDesign = (next: FitReport, first: FitReport): FitReport => ({
  ...next,
  runs: next.runs + first.runs,
  starts: first.starts,
  columns: next.columns.map((c, k) => ({ ...c, before: first.columns[k].before })),
});

interface Ready {
  readonly fitted: Fitted;
  /** The same with inputs that jump at rows. */
  driven(between: 'held' | 'ahead'): Fitted | undefined;
  readonly inputs: readonly Course[];
  readonly outputs: readonly Course[];
  readonly left: readonly string[];
  readonly textOf: TextOf;
}
interface Refused {
  readonly errors: readonly Problem[];
  readonly textOf: TextOf;
}

function ofClass(
  file: string,
  bytes: Uint8Array,
  options: FitArguments,
  data: Measured,
  maps: readonly ColumnMap[],
): Ready | Refused | undefined {
  if (options.class === undefined) {
    complain('zelvar: --class says which class of the text is meant');
    return undefined;
  }
  const text = new TextDecoder().decode(bytes).replace(/^\uFEFF/, '');
  const textOf: TextOf = (place) => (place === file ? { name: file, text } : undefined);
  const parsed = parseFile(text);
  const library = libraryOfFile(parsed.value, file);
  const parseProblems = atPlace(file, parsed.problems);
  if (hasErrors(parseProblems)) return { errors: parseProblems, textOf };
  const bare = flatten(library, options.class).model;
  const bareErrors = relaxUnits(bare.problems).filter((p) => p.severity === 'error');
  if (bareErrors.length > 0) return { errors: bareErrors, textOf };
  const { value: courses, problem: unfit } = coursesOf(data, maps, bare, options.data);
  if (!courses) return { errors: [unfit!], textOf };
  const className = options.class;
  const { tolerance = 1e-8 } = experimentOf(library, className);
  const prepared = (between: Between): Fitted | readonly Problem[] => {
    const jumping = between === 'straight' ? [] : courses.inputs.filter(isStepwise);
    const signals = courses.inputs
      .filter((c) => !jumping.includes(c))
      .map((c) => ({
        target: c.quantity,
        expr: parseExpressionText(followText({ ...c, unit: '' })).value,
        place: options.data,
      }));
    const made = flatten(library, className, { signals }).model;
    const model: FlatModel = { ...made, problems: relaxUnits(made.problems) };
    const { program, problems } = compile(model);
    if (!program) return problems.filter((p) => p.severity === 'error');
    return {
      program,
      model,
      options: {
        stop: 1,
        solver: 'auto',
        relative: tolerance,
        absolute: 1e-11,
        step: 1e-3,
        recordEvery: 1e-3,
        values: new Map(),
        stimulus: jumps(model, jumping, between),
      },
    };
  };
  const fitted = prepared('straight');
  if (!('program' in fitted)) return { errors: fitted, textOf };
  return {
    ...courses,
    textOf,
    fitted,
    driven: (between) => {
      const other = prepared(between);
      return 'program' in other ? other : undefined;
    },
  };
}

function ofProject(
  file: string,
  bytes: Uint8Array,
  options: FitArguments,
  data: Measured,
  maps: readonly ColumnMap[],
): Ready | Refused | undefined {
  const { value: project, problems: unread } = readProjectFile(bytes);
  for (const p of unread) complain(`zelvar: ${file}: ${p.message}`);
  if (!project) return undefined;
  const setup =
    options.setup === undefined && project.setups.length === 1
      ? project.setups[0]
      : project.setups.find((s) => s.name === options.setup);
  if (!setup) {
    complain(
      `zelvar: --setup says which setup the measured one is like: ${project.setups.map((s) => s.name).join(', ') || 'there is none'}`,
    );
    return undefined;
  }
  const textOf = projectTexts(project);
  const plain = { ...project, requirements: [] };
  const stop = data.time.at(-1)!;
  const bare = prepareRun(plain, { ...setup, stop });
  const errors = bare.problems.filter((p) => p.severity === 'error');
  if (!isRunnable(bare)) return { errors, textOf };
  const { value: courses, problem: unfit } = coursesOf(data, maps, bare.model, options.data);
  if (!courses) return { errors: [unfit!], textOf };
  const driven = new Set(courses.inputs.map((c) => c.quantity));
  const prepared = (between: Between): Fitted | readonly Problem[] => {
    const jumping = between === 'straight' ? [] : courses.inputs.filter(isStepwise);
    const made = prepareRun(plain, {
      ...setup,
      stop,
      endWhen: '',
      record: [],
      stimulus: [
        ...setup.stimulus.filter((row) => !driven.has(row.target)),
        ...courses.inputs.flatMap((c, k) =>
          jumping.includes(c)
            ? []
            : [{ id: `measured-${k}`, time: 0, kind: 'follow' as const, target: c.quantity, value: followText(c) }],
        ),
      ],
    });
    if (!isRunnable(made)) return made.problems.filter((p) => p.severity === 'error');
    const { model, program } = made;
    const stimulus = [...made.options.stimulus, ...jumps(model, jumping, between)].sort((x, y) => x.time - y.time);
    return { program, model, options: { ...made.options, stimulus } };
  };
  const fitted = prepared('straight');
  if (!('program' in fitted)) return { errors: fitted, textOf };
  return {
    ...courses,
    textOf,
    fitted,
    driven: (between) => {
      const other = prepared(between);
      return 'program' in other ? other : undefined;
    },
  };
}

const jumps = (model: FlatModel, inputs: readonly Course[], between: Between): readonly Stimulus[] =>
  between === 'straight'
    ? []
    : inputs.flatMap((c) => settingsOf(c, model.indexOf.get(c.quantity)!, between)).sort((x, y) => x.time - y.time);

const finite = (x: number | undefined): number | null => (x !== undefined && Number.isFinite(x) ? x : null);

const asJson = (r: FitReport, inputs: readonly Course[]): object => ({
  values: Object.fromEntries(
    r.values.map((v) => [
      v.name,
      {
        value: v.value,
        low: v.low,
        high: v.high,
        deviation: finite(v.deviation),
        decided: v.isDecided,
        atEdge: v.isAtEdge,
      },
    ]),
  ),
  residual: r.residual,
  columns: r.columns.map(({ quantity, unit, rms, heldBack, before, autocorrelation, isWhite }) => ({
    quantity,
    unit,
    rms,
    heldBack: finite(heldBack),
    before: finite(before),
    autocorrelation,
    white: isWhite,
  })),
  drivenBy: inputs.map((c) => c.quantity),
  correlation: Object.fromEntries(
    r.values.map((a, i) => [a.name, Object.fromEntries(r.values.map((b, j) => [b.name, r.correlation[i][j]]))]),
  ),
  notDecided: r.notDecided.flatMap((g) => g.names),
  because: r.notDecided.map((g) => g.why),
  runs: r.runs,
  starts: r.starts,
  settled: r.settled,
});

const short = (x: number): string => String(Number(x.toPrecision(5)));

function tellReport(r: FitReport, between: Between): void {
  for (const v of r.values)
    print(
      `${v.name} = ${short(v.value)}${v.isDecided ? `  (95 %: ${short(v.low)} to ${short(v.high)})` : '  (not decided)'}${v.isAtEdge ? '  at the edge of its range' : ''}`,
    );
  for (const g of r.notDecided) print(g.why);
  for (const c of r.columns)
    print(
      `${c.quantity}: residuals of ${short(c.rms)} ${c.unit}${c.before === undefined ? '' : `, ${short(c.before)} before`}${c.heldBack === undefined ? '' : `, ${short(c.heldBack)} where it was held back`}${c.isWhite ? '' : '; they hang together: the model does not explain all'}`,
    );
  if (between !== 'straight')
    print(
      `inputs that jump fit best ${between === 'held' ? 'as held until the next row' : 'as being there from the row before'}`,
    );
  print(
    `${r.runs} runs; ${r.starts.here} of ${r.starts.tried} starts came to this point${r.settled ? '' : '; it had not settled'}`,
  );
}
