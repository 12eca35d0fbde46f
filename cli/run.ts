import { hasErrors } from '../core/language/diagnostics';
import type { Setup } from '../core/project/project';
import { createRun, isRunnable, prepareRun, type RequirementFinding } from '../core/run';
import { readStage, stages, stageText, withStages, type StagesOfParts, type StageText } from '../core/stepcode/stage';
import type { DoneInSteps } from '../core/stepcode/step-driver';
import { compiledHere } from './compiled';
import type { RunArguments } from './options';
import { projectTexts, readSetup } from './read-project';
import { complain, formatProblem, print, problemAsJson, readSettings, unknownColumns, writeCsv } from './output';

export interface ProjectRunArguments extends RunArguments {
  readonly setup: string;
  readonly stage?: readonly string[];
  readonly wire?: readonly string[];
  readonly serial?: readonly string[];
  readonly hear?: readonly string[];
}

/** `zelvar run`: 0 all hold, 1 one fails, 2 could not run. Undecided requirements do not fail a run. */
export function run(file: string, options: ProjectRunArguments): number {
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const { project, setup: chosen } = found;
  const changes = readSettings(options.set);
  if (!changes) return 2;
  const setup = changedSetup(chosen, changes, options);
  const textOf = projectTexts(project);
  const inSteps = readStages(options.stage ?? []);
  const wires = readWires(options.wire ?? []);
  const lines = readSerial(options.serial ?? []);
  if (!inSteps || !wires || !lines) return 2;
  const asked = {
    ...withStages(setup, inSteps),
    wires: wiresWith(setup, wires),
    serial: [...setup.serial.filter((s) => !lines.some((l) => l.part === s.part)), ...lines],
    heard: [...new Set([...setup.heard, ...(options.hear ?? [])])],
  };
  const prepared = prepareRun(project, asked, undefined, undefined, compiledHere);
  if (!isRunnable(prepared)) {
    for (const p of prepared.problems) complain(formatProblem(p, textOf));
    if (options.json)
      print(
        JSON.stringify({ status: 'failed', problems: prepared.problems.map((p) => problemAsJson(p, textOf)) }, null, 1),
      );
    return 2;
  }
  if (unknownColumns(prepared.model, options.record).length > 0) return 2;
  const execution = createRun(prepared, { record: options.record });
  const started = performance.now();
  execution.simulation.advance(Infinity);
  const seconds = (performance.now() - started) / 1000;
  const { status, problem, warnings, time, counts } = execution.simulation;
  const findings = execution.findings();
  const sequences = execution.sequences();
  const recording = execution.recorder.take();
  if (options.out && !writeCsv(options.out, recording)) return 2;
  const problems = [...prepared.problems, ...warnings, ...(problem ? [problem] : [])];
  if (options.json) {
    print(
      JSON.stringify(
        {
          project: project.name,
          setup: setup.name,
          status,
          time,
          rows: recording.rows,
          counts,
          seconds,
          requirements: findings.map(({ key, verdict, margin, unit, worstAt, failsSince, reason }) => ({
            id: key,
            verdict,
            margin: margin ?? null,
            unit,
            worstAt: worstAt ?? null,
            failsSince: failsSince ?? null,
            reason,
          })),
          steps: prepared.steps.map(({ name, stage, board }, k) => ({
            part: name,
            stage,
            board,
            overruns: execution.steps[k].overruns(),
            profile: execution.steps[k].profile() ?? null,
            line: execution.steps[k].line() ?? null,
            losses: execution.steps[k].losses(),
            numbers: execution.steps[k].fits(),
          })),
          sequences: sequences.map((s) => ({ name: s.name, verdict: s.report.verdict, rows: s.report.rows })),
          problems: problems.map((p) => problemAsJson(p, textOf)),
        },
        null,
        1,
      ),
    );
  } else {
    for (const p of problems) complain(formatProblem(p, textOf));
    for (const f of findings) print(findingLine(f));
    for (const s of sequences) print(`${s.name}: ${s.report.verdict}, ${s.report.why}`);
    for (const [k, { name }] of prepared.steps.entries()) tellSteps(name, execution.steps[k]);
    const count = (v: string): number => findings.filter((f) => f.verdict === v).length;
    print(
      `${setup.name}: ${count('holds')} hold, ${count('fails')} fail, ${count('undecided')} undecided; t = ${time} s, ${counts.steps} steps, ${counts.events} events`,
    );
  }
  if (status === 'failed' || hasErrors(prepared.problems)) return 2;
  return findings.some((f) => f.verdict === 'fails') || sequences.some((s) => s.report.verdict === 'failed') ? 1 : 0;
}

/** `part=stage`, each; undefined where one is none. */
function readStages(texts: readonly string[]): StagesOfParts | undefined {
  const found = new Map<string, StageText>();
  for (const text of texts) {
    const [, part, said] = /^\s*([^=]+?)\s*=\s*(\S+)\s*$/.exec(text) ?? [];
    const stage = said === undefined ? undefined : readStage(said);
    if (part === undefined || !stage) {
      complain(`zelvar: --stage is part=stage, with a stage of ${stages.join(', ')} or board:name, not "${text}"`);
      return undefined;
    }
    found.set(part, stageText(stage));
  }
  return found;
}

type Wire = Setup['wires'][number];
/** A wire as it is said here: one that is sound takes a fault away. */
interface SaidWire extends Omit<Wire, 'fault'> {
  readonly fault: Wire['fault'] | 'sound';
}
const faults = ['loose', 'noisy', 'low', 'high', 'crossed', 'sound'] as const;
const faultNamed = (text: string): (typeof faults)[number] | undefined => faults.find((f) => f === text);

/** `part.channel=fault` or `part.channel=other channel`, each; undefined where one is none. */
function readWires(texts: readonly string[]): readonly SaidWire[] | undefined {
  const found: SaidWire[] = [];
  for (const text of texts) {
    const [, part, channel, said] = /^\s*([^=]+)\.([^=.\s]+)\s*=\s*(\S+)\s*$/.exec(text) ?? [];
    if (said === undefined) {
      complain(
        `zelvar: --wire is part.channel=fault, with a fault of loose, noisy, low, high, crossed or sound, the channel it is swapped with, or pin:channel for a jumper to the pin of one that leads out, not "${text}"`,
      );
      return undefined;
    }
    const fault = faultNamed(said);
    const [, from] = /^pin:(.+)$/.exec(said) ?? [];
    if (from !== undefined) found.push({ part, channel, fault: 'joined', other: from });
    else found.push({ part, channel, fault: fault ?? 'swapped', other: fault ? '' : said });
  }
  return found;
}

/** `part=bits per second`, and after how many steps something is told; undefined where one is none. */
function readSerial(texts: readonly string[]): Setup['serial'] | undefined {
  const found: Setup['serial'][number][] = [];
  for (const text of texts) {
    const [, part, baud, every = '10', noise = '0'] =
      /^\s*([^=]+?)\s*=\s*(\d+)(?::(\d+))?(?::([\d.e-]+))?\s*$/.exec(text) ?? [];
    if (part === undefined || !(Number(every) >= 1 && Number(every) <= 255) || !(Number(noise) <= 1)) {
      complain(
        `zelvar: --serial is part=bits per second, with :steps from telling to telling (10) and :chance of a byte to be damaged (0) behind it, not "${text}"`,
      );
      return undefined;
    }
    found.push({ part, baud: Number(baud), every: Number(every), noise: Number(noise) });
  }
  return found;
}

/** Channels whose wire it is. */
const endsOf = ({ fault, channel, other }: Wire): readonly string[] =>
  fault === 'swapped' ? [channel, other] : [channel];

/** Wires of a setup, those that are said anew as they are said. */
function wiresWith(setup: Setup, said: readonly SaidWire[]): Setup['wires'] {
  const isSaid = (wire: Wire): boolean => said.some((s) => s.part === wire.part && endsOf(wire).includes(s.channel));
  return [
    ...setup.wires.filter((w) => !isSaid(w)),
    ...said.flatMap(({ fault, ...w }) => (fault === 'sound' ? [] : [{ ...w, fault }])),
  ];
}

/** What of the steps of a part did not go as it should have. */
function tellSteps(part: string, did: DoneInSteps): void {
  const overruns = did.overruns();
  if (overruns > 0) print(`${part}: ${overruns} steps left out, as the one before was not done in time`);
  const line = did.line();
  if (line)
    print(
      `${part}: ${line.received} tellings over its line, ${line.lost} lost, ${line.broken} broken; ${Math.round(100 * line.load)} % of what it can carry`,
    );
  for (const { line, lost, beyond, counts } of did.losses()) {
    if (lost > 0) print(`${part}.${line}: ${lost} ${lost === 1 ? 'message' : 'messages'} did not arrive`);
    if (counts > 0) print(`${part}.${line}: ${counts} counts missed, as its edges came too fast`);
    if (beyond > 0) print(`${part}.${line}: beyond its range in ${beyond} steps`);
  }
  for (const { quantity, beyond, drift } of did.fits()) {
    if (beyond > 0) print(`${part}.${quantity}: ${beyond} times beyond what it is kept in`);
    if (drift !== 0) print(`${part}.${quantity}: rounding has added up to ${Number(drift.toPrecision(3))}`);
  }
}

function changedSetup(setup: Setup, changes: readonly { name: string; value: string }[], options: RunArguments): Setup {
  const names = new Set(changes.map((c) => c.name));
  return {
    ...setup,
    changes: [
      ...setup.changes.filter((c) => !names.has(c.name)),
      ...changes.map((c, k) => ({ id: `given-${k}`, ...c })),
    ],
    stop: options.stop ?? setup.stop,
    solver: options.solver ?? setup.solver,
    relative: options.rtol ?? setup.relative,
    absolute: options.atol ?? setup.absolute,
    step: options.step ?? setup.step,
    recordEvery: options.step ?? setup.recordEvery,
  };
}

const short = (x: number): string => String(Number(x.toPrecision(4)));

function findingLine(f: RequirementFinding): string {
  const unit = f.unit ? ` ${f.unit}` : '';
  const since = f.failsSince === undefined ? '' : `, since t = ${short(f.failsSince)} s`;
  const margin =
    f.margin === undefined
      ? ''
      : f.verdict === 'fails'
        ? ` by ${short(-f.margin)}${unit}`
        : `  margin ${short(f.margin)}${unit}`;
  const at = f.worstAt === undefined || f.margin === undefined ? '' : `  (worst at t = ${short(f.worstAt)} s)`;
  return `${f.key.padEnd(8)} ${f.verdict}${margin}${since}${at}${f.verdict === 'undecided' ? `  ${f.reason}` : ''}`;
}
