import { tubeCapper } from '@/samples/tube-capper';
import {
  emptyProject,
  newPart,
  newRequirement,
  newSetup,
  newSignalLine,
  newSignalSheet,
  newType,
  type Project,
  type Setup,
} from '../project/project';
import { valueAt } from '../simulate/recording';
import { createRun, prepareRun, type Run } from '../run';
import { checkProduct } from '../run/prepare';
import { stagedRun, type StagedRun } from '../run/staged';
import { chart, quantity, state, transition } from '../testing/run-project';
import { ownStages, type MakeCompiled, type Stage, type StageText } from './stage';
import { createStep } from './write-js';

const runOf = (project: Project, setup: Setup, chosen: Readonly<Record<string, Stage>>): StagedRun => {
  const { value, problems } = stagedRun(project, setup, new Map(Object.entries(chosen)), { keepSteps: true });
  if (!value) throw new Error(problems.map((p) => `${p.place}: ${p.message}`).join('; '));
  value.run.simulation.advance(Infinity);
  expect(value.run.simulation.problem).toBeUndefined();
  return value;
};
const told = (project: Project, setup: Setup, chosen: Readonly<Record<string, Stage>>): string =>
  stagedRun(project, setup, new Map(Object.entries(chosen)))
    .problems.map((p) => p.message)
    .join('; ');
const reader = ({ run }: StagedRun) => {
  const recording = run.recorder.take();
  return (name: string, t: number): number => {
    const column = recording.columns.find((c) => c.name === name);
    if (!column) throw new Error(`There is no ${name}`);
    return valueAt(recording, column, t)!;
  };
};

/** A lag of 0.5 s whose controller works every 10 ms: u = gain (1 - x), while it is switched on. */
const T = 0.01;
const loop = (more: Partial<Setup> = {}, others: Partial<Project> = {}): Project => ({
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [
        { ...newPart('a', 'plant', 'plant') },
        { ...newPart('b', 'ctrl', 'ctrl') },
        { ...newPart('c', 'desk', 'desk') },
      ],
      links: [
        { id: 'l1', carries: '', from: 'plant.x', to: 'ctrl.x' },
        { id: 'l2', carries: '', from: 'ctrl.u', to: 'plant.u' },
        { id: 'l3', carries: '', from: 'desk.out', to: 'ctrl.in' },
        { id: 'l4', carries: '', from: 'ctrl.back', to: 'desk.in' },
      ],
    },
    {
      ...newType('plant', 'Plant'),
      quantities: [quantity('u', '', { role: 'input' }), quantity('x', '0', { role: 'output' })],
      physics: 'equation 0.5*der(x) = u - x;',
    },
    {
      ...newType('ctrl', 'Ctrl'),
      quantities: [
        quantity('x', '', { role: 'input' }),
        quantity('u', '', { role: 'output' }),
        quantity('gain', '4', { role: 'parameter' }),
        quantity('level', '0'),
      ],
      signals: [
        {
          ...newSignalSheet('s', 'S'),
          every: String(T),
          lines: [newSignalLine('z', 'u = if in(mode.On) then gain*(level - x) else 0')],
        },
      ],
      charts: [
        chart(
          'mode',
          [state('Off'), state('On', { entry: 'send ready(at = level) to back;' })],
          [
            transition('Off', 'On', 'message go(to)', { effect: 'level := to;' }),
            transition('On', 'Off', "after 1 's'"),
          ],
        ),
      ],
      ports: [
        { id: 'i', name: 'in', accepts: ['go'], sends: [], note: '' },
        { id: 'o', name: 'back', accepts: [], sends: ['ready'], note: '' },
      ],
    },
    {
      ...newType('desk', 'Desk'),
      charts: [
        chart(
          'says',
          [state('Quiet'), state('Asked'), state('Told')],
          [
            transition('Quiet', 'Asked', "after 0.2037 's'", { effect: 'send go(to = 0.75) to out;' }),
            transition('Asked', 'Told', 'message ready(at)'),
          ],
        ),
      ],
      ports: [
        { id: 'i', name: 'in', accepts: ['ready'], sends: [], note: '' },
        { id: 'o', name: 'out', accepts: [], sends: ['go'], note: '' },
      ],
    },
  ],
  setups: [{ ...newSetup('s', 'S'), stop: 2, recordEvery: 0.002, ...more }],
  ...others,
});

describe('a loop of a plant and a controller that works at ticks', () => {
  /** The plant exactly from tick to tick; on from the tick after the message came until a second later. */
  const expected = (gain: number): ((k: number) => readonly [number, number]) => {
    const decay = Math.exp(-T / 0.5);
    const all: (readonly [number, number])[] = [];
    let x = 0;
    for (let k = 0; k <= 200; k++) {
      // the message comes at 0.2037 s, and is seen at tick 21
      const u = k >= 21 && k < 121 ? gain * (0.75 - x) : 0;
      all.push([x, u]);
      x = u + (x - u) * decay;
    }
    return (k) => all[k];
  };
  test.each(['sampled', 'code'] as const)('%s: as the difference equation has it, held in between', (stage) => {
    const project = loop();
    const at = reader(runOf(project, project.setups[0], { ctrl: stage }));
    const wanted = expected(4);
    const digits = stage === 'sampled' ? 8 : 5;
    for (let k = 0; k < 200; k += 3) {
      expect(at('plant.x', k * T)).toBeCloseTo(wanted(k)[0], digits);
      for (const part of [0.1, 0.9]) expect(at('ctrl.u', (k + part) * T)).toBeCloseTo(wanted(k)[1], digits);
    }
    expect([at('ctrl.mode', 0.205), at('ctrl.mode', 0.215), at('ctrl.mode', 1.205), at('ctrl.mode', 1.215)]).toEqual([
      at('ctrl.mode', 0),
      at('ctrl.mode', 1),
      at('ctrl.mode', 1),
      at('ctrl.mode', 0),
    ]);
    // the answer has come to the desk
    expect(at('desk.says', 0.209)).not.toBe(at('desk.says', 0.211));
    expect(at('ctrl.level', 1)).toBeCloseTo(0.75, digits);
  });
  test('a value that the setup changes is that of the code', () => {
    const project = loop({ changes: [{ id: 'c', name: 'ctrl.gain', value: '7' }] });
    const at = reader(runOf(project, project.setups[0], { ctrl: 'code' }));
    const wanted = expected(7);
    for (let k = 0; k < 200; k += 7) expect(at('plant.x', k * T)).toBeCloseTo(wanted(k)[0], 5);
  });
  test('values that change during the run, and starts of what is kept', () => {
    const project = loop({
      stimulus: [{ id: 'r', time: 0.505, kind: 'set', target: 'ctrl.gain', value: '7' }],
      changes: [{ id: 'c', name: 'ctrl.level', value: '0.2' }],
    });
    const run = runOf(project, project.setups[0], { ctrl: 'sampled' });
    const at = reader(run);
    expect(at('ctrl.level', 0.1)).toBe(0.2);
    expect(run.parts[0].isChanged()).toBe(true);
    const decay = Math.exp(-T / 0.5);
    let x = 0;
    for (let k = 0; k < 130; k++) {
      const u = k >= 21 && k < 121 ? (k > 50 ? 7 : 4) * (0.75 - x) : 0;
      expect(at('plant.x', k * T)).toBeCloseTo(x, 8);
      x = u + (x - u) * decay;
    }
  });
  test('what a setup does that steps would not follow is told', () => {
    const set = loop({ stimulus: [{ id: 'r', time: 0.5, kind: 'set', target: 'ctrl.level', value: '1' }] });
    expect(told(set, set.setups[0], { ctrl: 'code' })).toContain('ctrl.level');
    const begun = loop({ startIn: ['ctrl.mode.On'] });
    expect(told(begun, begun.setups[0], { ctrl: 'code' })).toBe(
      'The setup says where ctrl.mode starts: a part in steps begins at its beginning',
    );
  });
  test('what came in and out is kept, step by step', () => {
    const project = loop();
    const { parts, run, prepared } = runOf(project, project.setups[0], { ctrl: 'code' });
    const [part] = parts;
    const number = (name: string): number => prepared.model.parts.findIndex((p) => p.name === name);
    // who has sent what to whom is told as of any part
    expect(
      run.recorder.take().messages.map((m) => [m.message, m.sender, m.receivers, m.args.map((a) => a.value)]),
    ).toEqual([
      ['go', number('desk'), [number('ctrl')], [0.75]],
      ['ready', number('ctrl'), [number('desk')], [0.75]],
    ]);
    // what other charts take is theirs, whatever stands before them
    const says = prepared.model.charts.findIndex((c) => c.name === 'desk.says');
    expect(says).toBe(1);
    expect(run.recorder.take().transitions.map((t) => [t.chart, t.transition])).toEqual([
      [says, 0],
      [says, 1],
    ]);
    expect(part.inputs.length).toBe(201);
    const message = part.program.slots.filter((s) => s.role === 'input').findIndex((s) => s.name === 'go');
    expect(part.inputs.flatMap((r, k) => (r[message] !== 0 ? [[k, r[message]]] : []))).toEqual([[21, 1]]);
  });
  test('a run goes on from a moment as it went', () => {
    const { prepared } = runOf(loop(), loop().setups[0], { ctrl: 'code' });
    const story = (run: Run): string =>
      JSON.stringify(run.recorder.take().columns.map((c) => [c.name, [...c.values].slice(-300)]));
    for (const at of [0, 0.1234, 0.2038, 0.5, 1.2037]) {
      const first = createRun(prepared);
      first.simulation.advance(at);
      const moment = first.keep();
      first.simulation.advance(Infinity);
      const wanted = story(first);
      for (let twice = 0; twice < 2; twice++) {
        const again = createRun(prepared, {
          from: { state: moment.state, recorder: first.recorder.fork(moment.mark, false) },
        });
        again.simulation.advance(Infinity);
        expect(story(again)).toBe(wanted);
      }
    }
  });
  test('the setup says in which stages its parts go', () => {
    const project = loop({ stages: [{ part: 'ctrl', stage: 'sampled', board: '' }] });
    const [setup] = project.setups;
    expect(prepareRun(project, setup).steps.map((s) => [s.name, s.stage])).toEqual([['ctrl', 'sampled']]);
    expect(reader(runOf(project, setup, {}))('plant.x', 0.5)).toBe(
      reader(runOf(loop(), setup, { ctrl: 'sampled' }))('plant.x', 0.5),
    );
    const gone = prepareRun(project, { ...setup, stages: [{ part: 'ctlr', stage: 'code', board: '' }] });
    expect(gone.program).toBeUndefined();
    expect(gone.problems).toContainEqual(expect.objectContaining({ place: 'setup/s/stages/0/part' }));
  });
  test('what has gone into the steps as a number is not another one in the product', () => {
    const inner = (value: string, more: Partial<Setup> = {}): Project => {
      const project = loop(more);
      const change = value === '' ? [] : [{ id: 'c', name: 'amp.k', value }];
      return {
        ...project,
        types: [
          ...project.types.map((t) =>
            t.id === 'top'
              ? { ...t, parts: t.parts.map((p) => (p.name === 'ctrl' ? { ...p, changes: change } : p)) }
              : t.id === 'ctrl'
                ? {
                    ...t,
                    quantities: [...t.quantities, quantity('twice', '', { role: 'output' })],
                    parts: [newPart('k', 'amp', 'amp')],
                    physics: 'equation amp.u = x; twice = amp.y;',
                  }
                : t,
          ),
          {
            ...newType('amp', 'Amp'),
            quantities: [
              quantity('u', '', { role: 'input' }),
              quantity('y', '', { role: 'output' }),
              quantity('k', '2', { role: 'parameter' }),
            ],
            physics: 'equation y = k*u;',
          },
        ],
      };
    };
    const plain = inner('');
    expect(told(plain, plain.setups[0], { ctrl: 'code' })).toBe('');
    expect(told(inner('2'), plain.setups[0], { ctrl: 'code' })).toBe('');
    expect(told(inner('3'), plain.setups[0], { ctrl: 'code' })).toContain(
      'ctrl.amp.k has another value where the part is used',
    );
    const [set] = inner('', { changes: [{ id: 'c', name: 'ctrl.amp.k', value: '5' }] }).setups;
    expect(told(plain, set, { ctrl: 'code' })).toContain('ctrl.amp.k');
    const [later] = inner('', {
      stimulus: [{ id: 'r', time: 0.5, kind: 'set', target: 'ctrl.amp.k', value: '1' }],
    }).setups;
    expect(told(plain, later, { ctrl: 'code' })).toContain('ctrl.amp.k');
  });
  test('the time between steps is what the part type says, where it is software', () => {
    const software = (every: string): Project => {
      const project = loop();
      return { ...project, types: project.types.map((t) => (t.id === 'ctrl' ? { ...t, software: every } : t)) };
    };
    const periodIn = (project: Project): number =>
      runOf(project, project.setups[0], { ctrl: 'code' }).parts[0].program.period;
    expect(periodIn(software(''))).toBe(0.01);
    expect(periodIn(software("5 'ms'"))).toBe(0.005);
    expect(periodIn(software("0.01 's'/4"))).toBe(0.0025);
    const wrong = (every: string): string =>
      checkProduct(software(every))
        .problems.flatMap((p) => (p.place === 'type/ctrl/software' ? [`${p.place}: ${p.message}`] : []))
        .join('; ');
    expect(wrong("5 'ms'")).toBe('');
    for (const every of ['0', "-1 's'", 'gain', 'x'])
      expect(wrong(every)).toContain('type/ctrl/software: The time between');
    expect(wrong("3 'kg'")).toContain('needs a time');
    expect(wrong('3 +')).toContain('type/ctrl/software');
    expect(wrong('nothing')).toContain('nothing');
    expect(told(software('gain'), loop().setups[0], { ctrl: 'code' })).toContain('The time between');
    // a sheet that is faster than the steps cannot keep its rhythm
    expect(told(software("0.02 's'"), loop().setups[0], { ctrl: 'code' })).not.toBe('');
  });
  test('what the steps do not tell is not taken for something', () => {
    // half of what comes in is only worked out where somebody uses it
    const inner = (more: Partial<Project> = {}, reads = ''): Project => {
      const project = loop({}, more);
      return {
        ...project,
        types: project.types.map((t) =>
          t.id === 'ctrl'
            ? { ...t, quantities: [...t.quantities, quantity('half', '')], physics: 'equation half = 0.5*x;' }
            : t.id === 'desk' && reads !== ''
              ? { ...t, quantities: [...t.quantities, quantity('seen', '')], physics: reads }
              : t,
        ),
      };
    };
    const compiled: MakeCompiled = (program) => ({ create: () => createStep(program) });
    const requirements = [{ ...newRequirement('r', 'R-1', ''), formula: 'ctrl.half < 2' }];
    const project = inner({ requirements });
    const [setup] = project.setups;
    const found = (stage: StageText): readonly string[] => {
      const { value, problems } = stagedRun(project, setup, new Map([['ctrl', stage]]), { compiledSteps: compiled });
      if (!value) throw new Error(problems.map((p) => p.message).join('; '));
      value.run.simulation.advance(Infinity);
      const [f] = value.run.findings();
      return [f.verdict, f.reason, String(value.run.recorder.take().columns.some((c) => c.name === 'ctrl.half'))];
    };
    expect(found('code').slice(0, 1)).toEqual(['holds']);
    expect(found('code')[2]).toBe('true');
    // compiled code leaves out what nobody needs
    expect(found('host')).toEqual(['undecided', 'ctrl.half is not told by the steps of ctrl', 'false']);
    // the end of a run may not rest on it
    const ending = { ...setup, endWhen: 'ctrl.half > 0.1' };
    const told = stagedRun(project, ending, new Map([['ctrl', 'host']]), { compiledSteps: compiled }).problems;
    expect(told.map((p) => [p.place, p.message])).toEqual([
      ['setup/s/stages/0/part', expect.stringContaining('ctrl.half is used in')],
    ]);
  });
  test('what cannot go in steps is told', () => {
    const project = loop();
    expect(told(project, project.setups[0], { ctlr: 'code' })).toBe('There is no part ctlr; did you mean ctrl?');
    expect(told(project, project.setups[0], { plant: 'code' })).toContain('not marked as software');
  });
});

test('the capper does the same in all stages, its controller at the next tick', () => {
  const [setup] = tubeCapper.setups;
  const runs = ownStages.map((stage) => runOf(tubeCapper, setup, { ctrl: stage }));
  const verdicts = runs.map(({ run }) => run.findings().map((f) => `${f.key} ${f.verdict}`));
  const loops = tubeCapper.requirements.find((r) => r.key === 'CAP-16')!;
  expect(loops.text).toContain('margin');
  for (const v of verdicts.slice(1))
    expect(v).toEqual(verdicts[0].map((x) => (x.startsWith('CAP-16') ? 'CAP-16 undecided' : x)));
  const changes = runs.map(({ run }) => {
    const recording = run.recorder.take();
    const column = recording.columns.find((c) => c.name === 'ctrl.mode')!;
    const found: { time: number; mode: string }[] = [];
    for (let k = 0; k < recording.rows; k++) {
      const mode = column.configurations![column.values[k]].map((s) => column.literals[s]).join('+');
      if (mode !== found.at(-1)?.mode) found.push({ time: recording.time[k], mode });
    }
    return found;
  });
  const [designed, ...inSteps] = changes;
  for (const other of inSteps) {
    expect(other.map((c) => c.mode)).toEqual(designed.map((c) => c.mode));
    other.forEach(({ time }, k) => {
      expect(time - designed[k].time).toBeGreaterThan(-1e-9);
      // each goes on from what came late before
      expect(time - designed[k].time).toBeLessThan(0.001 * (k + 1));
      expect(Math.abs(time * 1000 - Math.round(time * 1000))).toBeLessThan(1e-6);
    });
  }
});
