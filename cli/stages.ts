import { readProjectFile } from '../core/formats/project-file';
import type { Project } from '../core/project/project';
import { stepProgramOf } from '../core/stepcode/controller';
import { stages as all } from '../core/stepcode/stage';
import type { StagedRun } from '../core/run/staged';
import type { StepProgram } from '../core/stepcode/step-program';
import { compareStageRuns, runStages, type StagePair } from '../core/studies/compare-stages';
import { harnessColumns } from '../core/stepcode/write-harness';
import { hostCompiler, stepOnHost } from './host';
import { stopWith } from './model-text';
import { complain, print, readBytes } from './output';
import { projectTexts } from './run';

export interface StagesArguments {
  readonly setup: string;
  readonly part: string;
  readonly stages?: string;
  readonly tolerance?: number;
  readonly json?: boolean;
}

interface Profile {
  readonly unit: string;
  readonly functions: readonly {
    readonly name: string;
    readonly calls: number;
    readonly min: number;
    readonly mean: number;
    readonly max: number;
  }[];
}

const known = [...all, 'host'] as const;

/** `zelvar stages`: 0 they are the same within the tolerance, 1 they are not, 2 it could not be asked. */
export function compareStages(file: string, options: StagesArguments): number {
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const { value: project, problems } = readProjectFile(bytes);
  for (const p of problems) complain(`zelvar: ${file}: ${p.message}`);
  if (!project) return 2;
  const setup = project.setups.find((s) => s.name === options.setup);
  if (!setup) {
    complain(
      `zelvar: ${project.name} has no setup "${options.setup}"; it has ${project.setups.map((s) => s.name).join(', ') || 'none'}`,
    );
    return 2;
  }
  const wanted = options.stages?.split(',').map((s) => s.trim()) ?? [...known];
  const unknown = wanted.find((s) => !known.includes(s as (typeof known)[number]));
  if (unknown !== undefined) {
    complain(`zelvar: there is no stage ${unknown}; there are ${known.join(', ')}`);
    return 2;
  }
  // what the host is compared with is the code
  const needed = all.filter((s) => wanted.includes(s) || (s === 'code' && wanted.includes('host')));
  const { value: runs, problems: wrong } = runStages(project, setup, options.part, needed);
  if (!runs) return stopWith(wrong, projectTexts(project), options.json);
  const broken = runs.flatMap(({ run }) => run.run.simulation.problem ?? []);
  if (broken.length > 0) return stopWith(broken, projectTexts(project), options.json);
  const order = runs.filter((r) => wanted.includes(r.stage));
  const pairs: StagePair[] = order
    .slice(1)
    .flatMap((b, k) => compareStageRuns(order[k], b, options.part, options.tolerance ?? 1e-3));
  const profile: Record<string, Profile> = {};
  if (wanted.includes('host')) {
    const host = onHost(project, options, runs.find((r) => r.stage === 'code')!.run);
    if (typeof host === 'string') {
      complain(`zelvar: host: ${host}`);
      if (options.stages !== undefined) return 2;
    } else {
      pairs.push(...host.pairs);
      profile.host = host.profile;
    }
  }
  if (options.json) print(JSON.stringify({ part: options.part, setup: setup.name, pairs, profile }, null, 1));
  else tell(pairs, profile);
  return pairs.some((p) => !p.same) ? 1 : 0;
}

/** The generated C on the inputs the code had, step by step: there is nothing between them but the compiler. */
function onHost(
  project: Project,
  { part }: StagesArguments,
  { prepared, parts: [staged] }: StagedRun,
): { readonly pairs: readonly StagePair[]; readonly profile: Profile } | string {
  const compiler = hostCompiler();
  if (compiler === undefined) return 'not available: install a C compiler, such as gcc';
  const typeName = prepared.model.parts.find((p) => p.name === part)!.typeName;
  const { program } = stepProgramOf(
    project,
    project.types.find((t) => t.name === typeName)!,
  );
  if (!program) return 'there is no code';
  const column = byName(staged.program, harnessColumns(staged.program, ['input']));
  const inputs = harnessColumns(program, ['input']).map((slot) => column.get(keyOf(program, slot))!);
  if (staged.isChanged()) return 'not available: parameters get other values during this run';
  const slotOf = byName(program, [...program.slots.keys()]);
  const begins = new Map(
    [...staged.begins].flatMap(([slot, value]) => {
      const own = slotOf.get(keyOf(staged.program, slot));
      return own === undefined ? [] : [[own, value] as const];
    }),
  );
  const host = stepOnHost(
    program,
    compiler,
    staged.inputs.map((row) => inputs.map((k) => row[k])),
    begins,
  );
  if (typeof host === 'string') return host;
  const shown = byName(staged.program, staged.shown);
  const pairs = host.slots.flatMap((slot, k): StagePair[] => {
    const other = shown.get(keyOf(program, slot));
    if (other === undefined) return [];
    const { name, role } = program.slots[slot];
    const values = staged.results.map((row) => row[other]);
    let first: StagePair['first'] = null;
    let largest: StagePair['largest'] = null;
    values.forEach((a, n) => {
      const b = host.results[n]?.[k] ?? NaN;
      if (a === b || (Number.isNaN(a) && Number.isNaN(b))) return;
      const time = n * program.period;
      first ??= { time, a, b };
      if (!largest || Math.abs(a - b) > largest.difference) largest = { time, difference: Math.abs(a - b) };
    });
    const quantity = role === 'output' ? `${part}.${name}` : `${part}.${name} (kept)`;
    return [{ a: 'code', b: 'host', quantity, same: first === null, first, largest }];
  });
  return {
    pairs,
    profile: { unit: 'ns', functions: [{ name: `${program.name}_step`, ...host.time }] },
  };
}

const keyOf = ({ slots }: StepProgram, slot: number): string => `${slots[slot].role} ${slots[slot].name}`;
const byName = (program: StepProgram, slots: readonly number[]): ReadonlyMap<string, number> =>
  new Map(slots.map((slot, k) => [keyOf(program, slot), k]));

function tell(pairs: readonly StagePair[], profile: Readonly<Record<string, Profile>>): void {
  for (const [a, b] of [...new Set(pairs.map((p) => `${p.a} ${p.b}`))].map((x) => x.split(' '))) {
    const own = pairs.filter((p) => p.a === a && p.b === b);
    const different = own.filter((p) => !p.same);
    print(
      `${a} and ${b}: ${different.length === 0 ? `the same in ${own.length} quantities` : `${different.length} of ${own.length} quantities differ`}`,
    );
    for (const p of different)
      print(
        `  ${p.quantity}${p.first ? `: first at ${p.first.time} s, ${p.first.b} instead of ${p.first.a}` : ''}${p.largest ? `; at most by ${Number(p.largest.difference.toPrecision(4))}` : ''}`,
      );
  }
  for (const [stage, { unit, functions }] of Object.entries(profile))
    for (const f of functions)
      print(
        `${stage}: ${f.name} ${f.calls} times, ${f.min} to ${f.max} ${unit}, ${Number(f.mean.toPrecision(4))} ${unit} on average`,
      );
}
