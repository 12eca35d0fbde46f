import { newSignalLine, newSignalSheet, type Project } from '../project/project';
import { signalBlocks } from '../signals/catalogue';
import { offersFor } from '../signals/offers';
import { shownFormulas, shownOutput } from '../testing/block-responses';
import { projectOf, quantity, row, runProject } from '../testing/run-project';
import { stepProgramOf } from './controller';
import type { StepProgram } from './step-program';
import { createStep } from './write-js';

/** Sampled sheets do in steps what the simulator does at ticks, as far as single precision goes. */

const every = 0.05;
const course = "sin(3 'rad/s'*time) + 0.4*cos(11 'rad/s'*time)";
const courseAt = (t: number): number => Math.sin(3 * t) + 0.4 * Math.cos(11 * t);

function projectWith(lines: readonly string[], rhythm = String(every)): Project {
  const sheet = { ...newSignalSheet('s', 'S'), every: rhythm, lines: lines.map((t, k) => newSignalLine(`l${k}`, t)) };
  return projectOf(
    {
      quantities: [
        quantity('u', '', { role: 'input' }),
        quantity('gain', '2', { role: 'parameter' }),
        quantity('y', '', { role: 'output' }),
      ],
      signals: [sheet],
    },
    { stop: 6, recordEvery: every, stimulus: [row('follow', 0, 'u', course)] },
  );
}

function lowered(project: Project, period?: number): StepProgram | string {
  const { program, problems } = stepProgramOf(project, project.types[0], period);
  return program ?? problems.map((p) => p.message).join('; ');
}

/** `y` after each tick, by both. */
function courses(
  project: Project,
  program: StepProgram,
  steps: number,
  perTick = 1,
): readonly (readonly [number, number])[] {
  const done = runProject(project);
  const run = createStep(program);
  const slot = (name: string, role: string): number =>
    program.slots.findIndex((s) => s.name === name && s.role === role);
  run.init();
  return Array.from({ length: steps }, (_, k): readonly [number, number] => {
    const t = (k * every) / perTick;
    if (slot('u', 'input') >= 0) run.write(slot('u', 'input'), courseAt(t));
    run.step();
    return [run.read(slot('y', 'output')), done.at('y', t + every / perTick / 2)];
  });
}
const largest = (pairs: readonly (readonly [number, number])[]): number => {
  const size = Math.max(1e-3, ...pairs.map(([, b]) => Math.abs(b)));
  return Math.max(...pairs.map(([a, b]) => (Number.isNaN(a) !== Number.isNaN(b) ? Infinity : Math.abs(a - b) / size)));
};

/** What a step cannot do yet, by block. */
const refused: Readonly<Record<string, string>> = {
  'sampled noise': '2147483647, which has more digits than single precision, cannot be put into code',
};
/** Where the formula that shows a block would run away. */
const calmer: Readonly<Record<string, string>> = {
  stateFeedback: 'stateFeedback(#1, A = [-1], B = {1}, C = {1}, K = {1}, L = {0.5})',
};

describe('every block of sampled sheets', () => {
  const blocks = signalBlocks().sampled;
  const offers = offersFor({ every: String(every) }).filter((o) => blocks.has(o.title) && !o.key.startsWith('op '));
  test.each(offers.map((o) => [o.key, o] as const))('%s', (key, offer) => {
    const block = blocks.get(offer.title)!;
    const first = block.takes.find((t) => !t.isParameter);
    const driver = first?.type === 'Boolean' ? '(u > 0.2)' : 'u';
    const formula = (calmer[block.name] ?? shownFormulas[key] ?? shownFormulas[block.name] ?? offer.formula)
      .replace(/#\d/g, driver)
      // a course that comes from outside, and no moments that lie on ticks
      .replace(block.name === 'noise' ? /$^/ : /noise\(\)|sin\([^()]*\)/g, 'u')
      .replace(/time ([<>]) ([\d.]+)/g, 'u $1 0.3*$2');
    const output = shownOutput[block.name];
    const value =
      output !== undefined ? `out.${output}` : block.givesType === 'Boolean' ? 'if out then 1 else 0' : 'out';
    const project = projectWith([`out = ${formula}`, `y = ${value}`]);
    const program = lowered(project);
    if (typeof program === 'string') return expect({ [key]: program }).toEqual({ [key]: refused[key] });
    expect(refused[key]).toBeUndefined();
    expect(largest(courses(project, program, 100))).toBeLessThan(2e-4);
  });
});

test('sheets of two rhythms: the slower one is worked out in every fourth step, and held', () => {
  const sheet = (id: string, rhythm: string, lines: readonly string[]) => ({
    ...newSignalSheet(id, id),
    every: rhythm,
    lines: lines.map((t, k) => newSignalLine(`${id}${k}`, t)),
  });
  const project = projectOf(
    {
      quantities: [quantity('u', '', { role: 'input' }), quantity('y', '', { role: 'output' })],
      signals: [
        sheet('Fast', String(every), ['sum = integrate(u)', 'y = sum + 10*slow']),
        sheet('Slow', String(4 * every), ['slow = lag(u, T = 0.5)']),
      ],
    },
    { stop: 6, recordEvery: every, stimulus: [row('follow', 0, 'u', course)] },
  );
  const program = lowered(project);
  if (typeof program === 'string') throw new Error(program);
  expect(program.period).toBe(every);
  expect(largest(courses(project, program, 100))).toBeLessThan(2e-4);
  const other = lowered({
    ...project,
    types: project.types.map((t) => ({
      ...t,
      signals: t.signals.map((s) => (s.name === 'Slow' ? { ...s, every: '0.07' } : s)),
    })),
  });
  expect(other).toContain('ticks at no whole number of steps');
});

test('what a text counts when something rises is counted once in the step behind', () => {
  const project = projectOf(
    {
      quantities: [
        quantity('u', '', { role: 'input' }),
        quantity('count', '0', { type: 'Integer' }),
        quantity('y', '', { role: 'output' }),
      ],
      physics: 'equation when u > 0.3 then count = pre(count) + 1; end when; y = 2*count + 1;',
      signals: [{ ...newSignalSheet('s', 'S'), every: String(every), lines: [newSignalLine('z', 'other = u')] }],
    },
    { stop: 6, recordEvery: every, stimulus: [row('follow', 0, 'u', course)] },
  );
  const program = lowered(project);
  if (typeof program === 'string') throw new Error(program);
  const done = runProject(project);
  const run = createStep(program);
  const slot = (name: string, role: string): number =>
    program.slots.findIndex((s) => s.name === name && s.role === role);
  run.init();
  const counts = Array.from({ length: 120 }, (_, k) => {
    run.write(slot('u', 'input'), courseAt(k * every));
    run.step();
    return [run.read(slot('y', 'output')), done.at('y', k * every)];
  });
  for (const [own, wanted] of counts) expect(own).toBe(wanted);
  expect(counts.at(-1)![0]).toBe(5);
});
