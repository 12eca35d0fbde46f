import { parseFile, parseModificationText } from '../core/language/parse';
import { atPlace, hasErrors, type Problem } from '../core/language/diagnostics';
import { flatten } from '../core/flatten/flatten';
import type { FlatModel } from '../core/flatten/flat-model';
import { libraryOfFile, type ClassLibrary } from '../core/flatten/library';
import { nearestName } from '../core/language/nearest';
import { readSetValue } from '../core/run/set-value';
import { compile } from '../core/simulate/compile';
import { createRecorder } from '../core/simulate/recording';
import { wordOf } from '../core/simulate/configurations';
import { createSimulation } from '../core/simulate/simulation';
import { experimentOf } from '../core/flatten/experiment';
import { relaxUnits } from '../core/language/unit-check';
import type { RunArguments } from './options';
import {
  complain,
  formatProblem,
  print,
  problemAsJson,
  readBytes,
  readSettings,
  unknownColumns,
  writeCsv,
} from './output';

/** `zelvar simulate`: 0 the run reached its end, 2 it could not. */
export function simulate(file: string, options: RunArguments & { readonly class: string }): number {
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const text = new TextDecoder().decode(bytes).replace(/^\uFEFF/, '');
  const textOf = (place: string): { name: string; text: string } | undefined =>
    place === file ? { name: file, text } : undefined;
  const parsed = parseFile(text);
  const settings = readSettings(options.set);
  if (!settings) return 2;
  const library = libraryOfFile(parsed.value, file);
  const parseProblems = atPlace(file, parsed.problems);
  const stopWith = (problems: readonly Problem[]): number => {
    for (const p of problems) complain(formatProblem(p, textOf));
    if (options.json)
      print(JSON.stringify({ status: 'failed', problems: problems.map((p) => problemAsJson(p, textOf)) }, null, 1));
    return 2;
  };
  if (hasErrors(parseProblems)) return stopWith(parseProblems);
  const given = withSettings(library, options.class, settings);
  if (!given) return 2;
  const { model, starts } = given;
  // units that do not fit are worth a warning here; they do not keep a text from running
  const relaxed = { ...model, problems: relaxUnits(model.problems) };
  const { program, problems } = compile(relaxed);
  if (!program) return stopWith([...parseProblems, ...problems]);
  const { aliases, states } = program.solvable;
  const determined = [...starts.keys()].find(
    (k) => model.variables[k].kind === 'continuous' && !states.includes(aliases.get(k)?.index ?? k),
  );
  if (determined !== undefined) {
    complain(`zelvar: ${model.variables[determined].name} follows from the equations and cannot be set`);
    return 2;
  }
  if (unknownColumns(model, options.record).length > 0) return 2;
  const experiment = experimentOf(library, options.class);
  const stop = options.stop ?? experiment.stop ?? 1;
  const recorder = createRecorder(model, options.record, { aliases: program.solvable.aliases, moving: program.moving });
  const simulation = createSimulation(
    program,
    {
      stop,
      solver: options.solver ?? 'auto',
      relative: options.rtol ?? experiment.tolerance ?? 1e-6,
      absolute: options.atol ?? Math.min(1e-9, (options.rtol ?? experiment.tolerance ?? 1e-6) * 1e-3),
      step: options.step ?? experiment.interval ?? stop / 500,
      recordEvery: options.step ?? experiment.interval ?? stop / 500,
      values: starts,
      stimulus: [],
    },
    recorder,
  );
  simulation.advance(Infinity);
  const recording = recorder.take();
  if (options.out && !writeCsv(options.out, recording)) return 2;
  const report = simulation.report();
  const all = [...problems, ...simulation.warnings, ...(simulation.problem ? [simulation.problem] : [])];
  if (options.json) {
    const last = recording.rows - 1;
    const final = Object.fromEntries(
      recording.columns.map((c) => [
        c.name,
        c.kind === 'literal' || c.kind === 'states'
          ? wordOf(c, c.values[last]) || null
          : c.kind === 'boolean'
            ? c.values[last] !== 0
            : c.values[last],
      ]),
    );
    print(
      JSON.stringify(
        {
          class: options.class,
          status: simulation.status,
          time: simulation.time,
          rows: recording.rows,
          counts: simulation.counts,
          solver: {
            implicit: report.implicit,
            limiting: report.limiting,
            advice: report.advice,
            switching: report.switching,
            spent: report.spent,
          },
          final,
          problems: all.map((p) => problemAsJson(p, textOf)),
        },
        null,
        1,
      ),
    );
  } else {
    for (const p of all) complain(formatProblem(p, textOf));
    const { counts } = simulation;
    print(
      `${options.class}: ${simulation.status} at t = ${simulation.time} s, ${counts.steps} steps, ${counts.rejected} rejected, ${counts.evaluations} evaluations, ${counts.events} events`,
    );
    if (report.limiting.length > 0 && counts.steps > 100)
      print(
        `  steps set by ${report.limiting.map((x) => `${x.name} (${Math.round(x.share * 100)} %)`).join(', ')}${report.implicit ? '; implicit in the end' : ''}`,
      );
    if (report.switching.length > 0 && counts.events > 100)
      print(`  switched: ${report.switching.map((x) => `${x.text} (${x.times} times)`).join(', ')}`);
    for (const a of report.advice) print(`  ${a}`);
  }
  return simulation.status === 'finished' ? 0 : 2;
}

/**
 * The model with some values changed: those of parameters are put into it, as they may decide what it is made of; those of elements of
 * arrays and of all that moves are given to the run. Undefined where one has no place or no value, which has been told.
 */
function withSettings(
  library: ClassLibrary,
  name: string,
  settings: readonly { readonly name: string; readonly value: string }[],
): { readonly model: FlatModel; readonly starts: ReadonlyMap<number, number> } | undefined {
  const plain = flatten(library, name).model;
  const refuse = (message: string): undefined => void complain(`zelvar: ${message}`);
  const isMade = (s: { readonly name: string }): boolean => {
    const index = plain.indexOf.get(s.name);
    return (
      !s.name.includes('[') && (index === undefined || ['parameter', 'constant'].includes(plain.variables[index].kind))
    );
  };
  for (const s of settings) {
    if (plain.indexOf.has(s.name) || (isMade(s) && [...plain.indexOf.keys()].some((n) => n.startsWith(`${s.name}[`))))
      continue;
    const near = nearestName(s.name, plain.indexOf.keys());
    return refuse(`${name} has no ${s.name}${near ? `; did you mean ${near}?` : ''}`);
  }
  const made = settings.filter(isMade);
  const changes = parseModificationText(made.map((s) => `${s.name} = ${s.value}`).join(', '));
  if (changes.problems.length > 0)
    return refuse(`--set ${made.map((s) => s.name).join(', ')}: ${changes.problems[0].message}`);
  const model =
    made.length > 0
      ? flatten(library, name, { changes: [{ modification: changes.value, place: '--set' }] }).model
      : plain;
  const starts = new Map<number, number>();
  for (const s of settings.filter((x) => !isMade(x))) {
    const index = model.indexOf.get(s.name);
    if (index === undefined) return refuse(`with the other values ${name} has no ${s.name}`);
    const { value, problems } = readSetValue(s.value, model.variables[index]);
    if (value === undefined) return refuse(`--set ${s.name}: ${problems[0].message}`);
    starts.set(index, value);
  }
  return { model, starts };
}
