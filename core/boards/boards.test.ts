import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { buildFor } from '@/server/build-image';
import { hostCompiler } from '@/server/step-on-host';
import { compiledHere } from '@/cli/compiled';
import { tubeCapper } from '@/samples/tube-capper';
import { emptyProject, newType, type Project, type Quantity } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { stagedRun } from '../run/staged';
import { stepProgramOf } from '../stepcode/controller';
import type { Line } from '../pins/channels';
import type { NumberKind } from '../stepcode/number-kinds';
import type { RunningStep } from '../stepcode/running-step';
import type { StepProgram } from '../stepcode/step-program';
import { withStages, type StageText } from '../stepcode/stage';
import { createStep } from '../stepcode/write-js';
import { writeC } from '../stepcode/write-c';
import { compareCompiled } from '../studies/compare-stages';
import { chartOf, messages, randomParts } from '../testing/random-charts';
import { programOf } from '../testing/step-program';
import { anyProgram, kept, programWith, withFewerBits } from '../testing/random-numbers';
import { chart, quantity, state, transition } from '../testing/run-project';
import { boards, boardNamed } from './board';
import { isSameSource, linesOn, readImage, sourceOf } from './board-image';
import { readElf } from './elf';
import { functionsOf, misfits, stepOnBoard } from './step-on-board';
import { fromBuilt, nothingBuilt } from './built-steps';
import { readLayout } from './target';
import { boardsHere as here, eachBoard as each, isBoardHere } from '../testing/boards-here';
import { expectSame } from '../testing/same-values';

/** What needs a compiler that is not here is told, and left out. */
const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const capper = (): StepProgram => stepProgramOf(tubeCapper, type).program!;

const on = (program: StepProgram, stage: StageText): RunningStep => {
  const [kind, board = ''] = stage.split(':');
  const made = compiledHere(program, kind === 'host' ? undefined : boardNamed(board));
  if (typeof made === 'string') throw new Error(made);
  return made.create();
};
/** Any inputs, the same for both; the first slot in which they are not equal. */
function firstDifference(program: StepProgram, a: RunningStep, b: RunningStep, steps: number, seed: number): string {
  let state = seed;
  const random = (): number => {
    state = (Math.imul(state, 1664525) + 1013904223) | 0;
    return (state >>> 8) / 2 ** 24;
  };
  const of = (...roles: string[]): number[] =>
    program.slots.flatMap((s, k) => (roles.includes(s.role) && s.size === 0 ? [k] : []));
  a.init();
  b.init();
  for (let n = 0; n < steps; n++) {
    for (const k of of('input')) {
      const { type: t, is } = program.slots[k];
      const x =
        t === 'f32'
          ? Math.fround(80 * random() - 20)
          : t === 'bool'
            ? Number(random() < 0.5)
            : is === 'messages'
              ? Number(random() < 0.1)
              : Math.floor(10 * random());
      a.write(k, x);
      b.write(k, x);
    }
    a.step();
    b.step();
    for (const k of of('output', 'part'))
      if (!Object.is(a.read(k), b.read(k)))
        return `${program.slots[k].name} after step ${n}: ${a.read(k)} and ${b.read(k)}`;
  }
  return '';
}

const fewerBits = (): StepProgram => {
  const types = tubeCapper.types.map((t) => (t === type ? withFewerBits(t) : t));
  return stepProgramOf(
    { ...tubeCapper, types },
    types.find((t) => t.name === type.name)!,
  ).program!;
};
test('numbers of fewer bits are the same in a process of this machine', () => {
  const program = fewerBits();
  const run = on(program, 'host');
  expect(firstDifference(program, run, createStep(program), 1000, 5)).toBe('');
  const kept = program.slots.map((_, k) => run.keep(k));
  const again = on(program, 'host');
  again.init();
  kept.forEach((value, k) => again.restore(k, value));
  expect(program.slots.map((_, k) => again.read(k))).toEqual(program.slots.map((_, k) => run.read(k)));
});
test('a process of this machine goes the same steps as the code, forth and back', () => {
  const program = capper();
  const run = on(program, 'host');
  expect(firstDifference(program, run, createStep(program), 1000, 7)).toBe('');
  // what was kept is put back
  const kept = program.slots.map((_, k) => run.keep(k));
  const again = on(program, 'host');
  again.init();
  kept.forEach((value, k) => again.restore(k, value));
  for (let n = 0; n < 20; n++) {
    run.step();
    again.step();
  }
  expect(program.slots.map((_, k) => again.keep(k))).toEqual(program.slots.map((_, k) => run.keep(k)));
  expect(run.profile!().functions[0].calls).toBe(1020);
});

each('%s', (id, board) => {
  test('numbers of fewer bits are the same as in the code, bit for bit, and take less', () => {
    const program = fewerBits();
    const run = on(program, `board:${id}`);
    expect(firstDifference(program, run, createStep(program), 1000, 4)).toBe('');
    fc.assert(
      fc.property(anyProgram, fc.integer(), ({ f, quantities }, seed) => {
        const some = programWith(quantities, [`y = ${f.text}`, `s = delayBy(s) + 0.05 * (${f.text})`]);
        expect(firstDifference(some, on(some, `board:${id}`), createStep(some), 200, seed)).toBe('');
      }),
      { numRuns: Number(process.env.RUNS ?? 3) },
    );
    // a loop with proportional and integral part
    const cycles = (number: NumberKind): number => {
      const limited = (name: string, role: Quantity['role'], range: string, value = '0') =>
        kept(name, role, number, `-${range}`, range, value);
      const loop = programWith(
        [
          limited('wanted', 'input', '40'),
          limited('speed', 'input', '40'),
          limited('gain', 'parameter', '4', '0.25'),
          limited('part', 'output', '24'),
          limited('voltage', 'output', '24'),
        ],
        [
          'part = max(-12, min(12, delayBy(part) + 0.02 * gain * (wanted - speed)))',
          'voltage = max(-12, min(12, gain * (wanted - speed) + part))',
        ],
      );
      const there = on(loop, `board:${id}`);
      expect(firstDifference(loop, there, createStep(loop), 300, 2)).toBe('');
      return there.profile!().functions[0].mean;
    };
    expect(cycles('fixed16') / cycles('usual')).toBeLessThan(0.75);
  });
  test('the controller of the capper does the same as the code, bit for bit', () => {
    const program = capper();
    const run = on(program, `board:${id}`);
    expect(firstDifference(program, run, createStep(program), 1500, 3)).toBe('');
    const { functions, stack, unit, note } = run.profile!();
    expect(unit).toBe('cycles');
    expect(functions[0]).toEqual(expect.objectContaining({ name: 'CapperControl_step', calls: 1500 }));
    const [step] = functions;
    expect(step.min).toBeLessThan(step.mean);
    expect(step.mean).toBeLessThan(step.max);
    expect(run.seconds!()).toBeGreaterThanOrEqual(step.min / board.clock);
    // what is called inside is within it
    for (const f of functions.slice(1))
      if (f.name !== 'CapperControl_init') expect(f.max).toBeLessThanOrEqual(step.max);
    expect(stack).toBeGreaterThan(40);
    expect(stack).toBeLessThan(600);
    expect(note === '').toBe(board.cyclesAre === 'exact');
    expect(note.includes('the first runs all')).toBe(board.cores > 1);
  });
  test('the image is read as the tools of its compiler read it', () => {
    const built = buildFor(capper(), board);
    if (typeof built === 'string') throw new Error(built);
    const folder = mkdtempSync(join(tmpdir(), 'zelvar-elf-'));
    try {
      writeFileSync(join(folder, 'image.elf'), built.elf);
      const tool = (name: string, file = 'image.elf'): string =>
        spawnSync(board.compiler.replace(/gcc$/, name), [file], { cwd: folder, encoding: 'utf8' }).stdout;
      const sizes = (file: string) => {
        const [text, data, bss] = tool('size', file).trim().split('\n')[1].trim().split(/\s+/).map(Number);
        return { text, data, bss };
      };
      expect(built.image.sizes).toEqual(sizes('image.elf'));
      // with something of each kind
      writeFileSync(
        join(folder, 'kinds.c'),
        'int kept[3] = {1, 2, 3}; int blank[5] = {0}; const char said[7] = "abc";\nint f(void) { return kept[1]; }\n',
      );
      expect(spawnSync(board.compiler, ['-c', 'kinds.c', '-o', 'kinds.o'], { cwd: folder }).status).toBe(0);
      const kinds = readElf(new Uint8Array(readFileSync(join(folder, 'kinds.o'))));
      if (typeof kinds === 'string') throw new Error(kinds);
      expect(kinds.sizes).toEqual(sizes('kinds.o'));
      expect(kinds.sizes.data).toBeGreaterThan(5);
      expect(kinds.symbols.get('kept')!.bytes![0]).toBe(1);
      expect(kinds.symbols.get('blank')!.bytes).toBeUndefined();
      const named = tool('nm')
        .trim()
        .split('\n')
        .map((l) => l.split(' '))
        .filter((l) => l.length === 3 && /^[tTbBdD]$/.test(l[1]));
      expect(named.length).toBeGreaterThan(20);
      for (const [value, kind, name] of named) {
        const found = built.image.symbols.get(name);
        // functions of this chip have their mode in the lowest bit
        const address = found && (found.kind === 'function' && board.chip !== 'avr8' ? found.value & ~1 : found.value);
        if (/^[tT]$/.test(kind) && name.startsWith('$')) continue;
        expect([name, address]).toEqual([name, parseInt(value, 16)]);
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
  test('any chart does', () => {
    let seed = 1;
    fc.assert(
      fc.property(randomParts(['when n >= 3']), (p) => {
        const program = programOf(chartOf(p));
        expect(messages.length).toBeGreaterThan(0);
        expect(firstDifference(program, on(program, `board:${id}`), createStep(program), 1000, seed++)).toBe('');
      }),
      { numRuns: Number(process.env.RUNS ?? 4) },
    );
  });
  test('parameters are given before, values are kept and put back', () => {
    const program = capper();
    const [gain] = program.slots.flatMap((s, k) => (s.name === 'speedGain' ? [k] : []));
    const [a, b, c] = [on(program, `board:${id}`), on(program, `board:${id}`), createStep(program)];
    for (const r of [a, b, c]) {
      r.init();
      r.write(gain, 0.125);
    }
    for (let n = 0; n < 60; n++) for (const r of [a, c]) r.step();
    program.slots.forEach((_, k) => b.restore(k, a.keep(k)));
    for (let n = 0; n < 20; n++) for (const r of [a, b, c]) r.step();
    const all = (r: RunningStep) =>
      program.slots.map((s, k) => (s.role === 'local' || s.role === 'constant' ? 0 : r.keep(k)));
    expect(all(b)).toEqual(all(a));
    expect(all(c)).toEqual(all(a));
    expect(a.read(gain)).toBe(0.125);
    // every element of what has several
    for (const [k, s] of program.slots.entries()) {
      if (s.size === 0 || s.role !== 'part') continue;
      const list = Array.from({ length: s.size }, (_, j) => (s.list >= 0 ? j % 3 : j + 1));
      a.restore(k, list);
      expect(a.keep(k)).toEqual(list);
    }
    expect(program.slots.some((s) => s.size > 0 && s.role === 'part')).toBe(true);
  });
});

const inStage = (project: Project, text: StageText, stop: number) => {
  const setup = { ...project.setups[0], stop };
  const prepared = prepareRun(
    project,
    withStages(setup, new Map([['ctrl', text]])),
    undefined,
    undefined,
    compiledHere,
  );
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  return { run, prepared };
};
const cap13 = ({ run }: ReturnType<typeof inStage>) => run.findings().find((f) => f.key === 'CAP-13')!;

(here.length === boards.length ? test : test.skip)(
  'how long a step takes decides a requirement, on a board only',
  () => {
    expect(cap13(inStage(tubeCapper, 'code', 0.05))).toEqual(
      expect.objectContaining({
        verdict: 'undecided',
        reason: 'How long a step of ctrl takes is known where it runs on a board',
      }),
    );
    // inputs in memory: nothing but the step takes time
    const bare = { ...tubeCapper, types: tubeCapper.types.map((t) => ({ ...t, channels: [] })) };
    const [small, large] = boards.map((b) => inStage(bare, `board:${b.id}`, 2));
    expect(cap13(small).verdict).toBe('fails');
    expect(cap13(large).verdict).toBe('holds');
    // the longest step is what is missing to the limit, and more
    const slowest = small.run.steps[0].profile()!.functions[0].max / 16e6;
    expect(cap13(small).margin).toBeCloseTo(0.4 - slowest * 1e3, 6);
    const recording = small.run.recorder.take();
    const column = recording.columns.find((c) => c.name === 'ctrl.stepTime')!;
    expect(Math.max(...column.values.slice(0, recording.rows))).toBeCloseTo(slowest, 9);
    expect(small.run.steps[0].overruns()).toBe(0);
    // what comes out does so once the step is done
    for (let k = 1; k < recording.rows; k++)
      if (column.values[k] !== column.values[k - 1])
        expectSame(Math.abs((recording.time[k] % 0.001) - column.values[k]) < 5e-10, true, () => [recording.time[k]]);
    // the other verdicts are those of the design
    const designed = inStage(tubeCapper, 'designed', 2).run.findings();
    for (const f of large.run.findings())
      if (!/CAP-1[36]/.test(f.key))
        expect([f.key, f.verdict]).toEqual([f.key, designed.find((d) => d.key === f.key)!.verdict]);
    // with its pins: measuring takes the small one so long that some steps are not done in time
    const [slow, quick] = boards.map((b) => inStage(tubeCapper, `board:${b.id}`, 2));
    expect([slow.run.steps[0].overruns() > 0, quick.run.steps[0].overruns()]).toEqual([true, 0]);
    const late = slow.run.recorder.take();
    const counted = late.columns.find((c) => c.name === 'ctrl.overruns')!.values.slice(0, late.rows);
    expect([counted[0], counted.at(-1)]).toEqual([0, slow.run.steps[0].overruns()]);
    const times = quick.run.recorder.take();
    const steps = times.columns.find((c) => c.name === 'ctrl.stepTime')!;
    const [read, write] = ['board_pins_read', 'board_pins_write'].map((n) =>
      quick.run.steps[0].profile()!.functions.find((f) => f.name === n)!,
    );
    const around = (read.min + write.min) / 125e6;
    for (let k = 1; k < times.rows; k++)
      if (steps.values[k] !== steps.values[k - 1])
        expectSame((times.time[k] % 0.001) - steps.values[k] >= around - 1e-9, true, () => [times.time[k]]);
    for (const f of quick.run.findings())
      if (!/CAP-16/.test(f.key))
        expect([f.key, f.verdict]).toEqual([f.key, large.run.findings().find((d) => d.key === f.key)!.verdict]);
  },
);

(isBoardHere('larch32') ? test : test.skip)('a loose wire is found by what it does', () => {
  const at = (name: string) => {
    const setup = tubeCapper.setups.find((s) => s.name === name)!;
    const { value } = stagedRun(tubeCapper, setup, new Map([['ctrl', 'board:larch32' as const]]), {
      compiledSteps: compiledHere,
    });
    value!.run.simulation.advance(Infinity);
    const [{ losses }] = value!.parts;
    return [value!.run.findings().find((f) => f.key === 'CAP-05')!.verdict, losses()];
  };
  expect(at('Guard')).toEqual(['holds', []]);
  expect(at('Loose guard wire')).toEqual(['fails', [{ line: 'guardSwitch', beyond: 0, lost: 1, counts: 0 }]]);
});

/** Steps that take longer than there is time for. */
(isBoardHere('larch8') ? test : test.skip)('a step that is not done in time takes the place of the next ones', () => {
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [
      {
        ...newType('t', 'T'),
        parts: [{ id: 'c', name: 'ctrl', type: 'k', changes: [], note: '', place: null }],
      },
      {
        ...newType('k', 'K'),
        software: "0.05 'ms'",
        quantities: [quantity('n', '0', { type: 'Integer' }), quantity('x', '', { role: 'output' })],
        physics: 'equation x = sin(cos(sin(n + 0.1)) + exp(-0.01*n));',
        charts: [
          chart(
            'count',
            [state('A')],
            [transition('A', 'A', "every 0.05 'ms'", { internal: true, effect: 'n := n + 1;' })],
          ),
        ],
      },
    ],
    setups: [],
  };
  const setup = {
    ...tubeCapper.setups[0],
    id: 's',
    stop: 0.01,
    changes: [],
    stimulus: [],
    panel: '',
    sequences: [],
    tracks: [],
    loopsWhen: '',
    recordEvery: 1e-4,
  };
  const { value, problems } = stagedRun(project, setup, new Map([['ctrl', 'board:larch8']]), {
    compiledSteps: compiledHere,
  });
  expect(problems).toEqual([]);
  value!.run.simulation.advance(Infinity);
  const [part] = value!.parts;
  const { calls, mean } = part.profile()!.functions[0];
  expect(mean).toBeGreaterThan(0.05e-3 * 16e6);
  expect(part.overruns()).toBeGreaterThan(100);
  expect(calls + part.overruns()).toBeGreaterThanOrEqual(199);
  // the last one may go on after the end
  expect(calls + part.overruns()).toBeLessThanOrEqual(202 + mean / (0.05e-3 * 16e6));
});

test('what is compiled is compared with the code step by step, and what differs is named', () => {
  const { value } = stagedRun(tubeCapper, { ...tubeCapper.setups[0], stop: 1 }, new Map([['ctrl', 'code']]), {
    keepSteps: true,
  });
  const [code] = value!.parts;
  const program = capper();
  // nothing compared is not the same
  expect(compareCompiled(code, program, createStep(program), 'host')).toBeUndefined();
  value!.run.simulation.advance(Infinity);
  const same = compareCompiled(code, program, createStep(program), 'host')!;
  expect(same.length).toBeGreaterThan(20);
  expect(same.filter((p) => !p.same)).toEqual([]);
  // one that counts in another way
  const plain = createStep(program);
  const [voltage] = program.slots.flatMap((s, k) => (s.name === 'voltage' && s.role === 'output' ? [k] : []));
  const off = compareCompiled(
    code,
    program,
    { ...plain, read: (k) => plain.read(k) + (k === voltage ? 0.5 : 0) },
    'host',
  )!;
  expect(off.filter((p) => !p.same).map((p) => p.quantity)).toEqual(['ctrl.voltage']);
  expect(off.find((p) => !p.same)!.largest!.difference).toBeCloseTo(0.5, 6);
});

test('what is no image, or does not fit, is told', () => {
  expect(readElf(new Uint8Array(10))).toBe('This is no ELF file');
  expect(readElf(new Uint8Array(100))).toBe('This is no ELF file');
  const head = new Uint8Array(60);
  head.set([0x7f, 0x45, 0x4c, 0x46, 2, 1]);
  expect(readElf(head)).toContain('32 bits');
  head.set([0x7f, 0x45, 0x4c, 0x46, 1, 1]);
  new DataView(head.buffer).setUint32(32, 5000, true);
  new DataView(head.buffer).setUint16(48, 3, true);
  expect(readElf(head)).toBe('This ELF file is cut off');
  expect(readLayout(capper(), new Uint8Array(8))).toContain('does not fit');
  expect(boardNamed('LARCH 8')?.id).toBe('larch8');
  expect(stagedRun(tubeCapper, tubeCapper.setups[0], new Map([['ctrl', 'board:pine']])).problems[0].message).toContain(
    'There is no board pine; there are larch8, larch32',
  );
  for (const board of here) {
    const built = buildFor(capper(), board);
    if (typeof built === 'string') throw new Error(built);
    expect(misfits(built.image, board)).toEqual([]);
    const { text, data, bss } = built.image.sizes;
    expect(misfits(built.image, { ...board, flash: text + data - 1 })[0]).toContain('do not fit');
    expect(misfits(built.image, { ...board, memory: data + bss - 1 })[0]).toContain('do not fit');
    expect(misfits(built.image, { ...board, memory: data + bss + 2 })[0]).toContain('left for the stack');
    // cut anywhere it is refused, or read as what is left of it, but never a crash
    fc.assert(
      fc.property(fc.integer({ min: 0, max: built.elf.length - 1 }), (n) => void readElf(built.elf.slice(0, n))),
      { numRuns: 60 },
    );
    const other = boards.find((b) => b !== board)!;
    expect(stepOnBoard(capper(), { ...built, functions: [] }, other)).toBe('This image is for another chip');
  }
  expect(functionsOf(writeC(capper()).source)[0]).toMatch(/^CapperControl_(init|step)$/);
});

test('without its compiler a board is not available, and says what to install', () => {
  const board = { ...boards[0], compiler: 'no-such-compiler' };
  expect(buildFor(capper(), board)).toBe('Larch 8 is not available here: install gcc-avr avr-libc');
  expect(hostCompiler()).toBeDefined();
});

/** Any volts at the pins: what a step reads there, the code is given; the first slot in which they are not equal then. */
function onPins(program: StepProgram, run: RunningStep, lines: readonly Line[], steps: number): string {
  const code = createStep(program);
  run.init();
  code.init();
  const of = (...roles: string[]): number[] =>
    program.slots.flatMap((s, k) => (roles.includes(s.role) && s.size === 0 ? [k] : []));
  for (let n = 0; n < steps; n++) {
    for (const [k, l] of lines.entries())
      if (l.direction === 'in')
        run.pins!.set(l.name, l.kind === 'analog' ? (n * (k + 1)) % 4 : (n >> (k % 6)) % 2 ? 0 : 5);
    run.step();
    for (const k of of('input')) code.write(k, run.read(k));
    code.step();
    for (const k of of('output', 'part'))
      if (!Object.is(run.read(k), code.read(k))) return `${program.slots[k].name} after step ${n}`;
  }
  return '';
}

test('the images that are shipped are of the demo as it is', () => {
  const program = capper();
  for (const board of boards) {
    const text = readFileSync(join(__dirname, `../../public/images/CapperControl-${board.id}.json`), 'utf8');
    const image = readImage(JSON.parse(text))!;
    const lines = linesOn(type, board);
    expect([image.board, isSameSource(image.source, sourceOf(program, board, lines))]).toEqual([board.id, true]);
    const imaged = fromBuilt({ ...nothingBuilt, images: [image] });
    const made = imaged(program, board, lines);
    if (typeof made === 'string') throw new Error(made);
    expect(onPins(program, made.create(), lines, 200)).toBe('');
    // for no other board, and for no other code
    const other = boards.find((b) => b !== board)!;
    expect(imaged(program, other, lines)).toContain('There is no image of CapperControl, as it is now');
    const changed = { ...program, period: 0.002 };
    expect(isSameSource(sourceOf(changed, board, lines), sourceOf(program, board, lines))).toBe(false);
    expect(imaged(changed, board, lines)).toContain('as it is now');
    // nor for other pins
    const elsewhere = type.channels.map((c) => (c.name === 'startKey' ? { ...c, debounce: 9 } : c));
    expect(imaged(program, board, linesOn({ ...type, channels: elsewhere }, board))).toContain('as it is now');
    expect(imaged(program, undefined)).toContain('There is no compiled C of CapperControl, as it is now');
  }
  expect(readImage({ board: 'larch8', source: '', elf: '?', layout: [] })).toBeUndefined();
  expect(readImage(null)).toBeUndefined();
});
