import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { newCase, newType, type Chart, type PartType, type Project } from '../project/project';
import { runCase } from '../proof/run-case';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { withStages, type StageText } from '../stepcode/stage';
import { procedure, procedureValue as value } from '../testing/procedures';
import { chartOf, messages, randomParts, script } from '../testing/random-charts';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { itemsOf, together, type Came } from './came';
import { planOf } from './plan-of';

/** A part type alone that goes a step every so many seconds. */
const alone = (type: Partial<PartType>, every = '0.001'): { project: Project; type: PartType } => {
  const project = projectOf({});
  const own: PartType = {
    ...newType('t-ctrl', 'Ctrl'),
    software: `${every} 's'`,
    ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }],
    ...type,
  };
  return { project: { ...project, types: [...project.types, own] }, type: own };
};
const cameOf = (project: Project, type: PartType, text: string, stage?: StageText): Came => {
  const of = { ...newCase('a', 'A'), alone: type.id, stop: 60, script: text };
  const done = runCase(project, of, { stage, isCounted: true });
  if (!done.came || done.verdict === 'not run') throw new Error(done.why);
  return done.came;
};
const told = (project: Project, type: PartType, came: Came, isCovered: boolean): string[] =>
  itemsOf(planOf(project, type), came).flatMap((i) => (i.hasCome === isCovered ? [`${i.kind} ${i.text}`] : []));

test('any chart comes through the same in the simulator and in steps, whatever happens to it', () => {
  fc.assert(
    fc.property(
      randomParts(['when n >= 3', 'when flag and hot', 'rises hot', 'changes hot']),
      script,
      (parts, said) => {
        const { project, type } = alone({
          charts: [chartOf(parts)],
          quantities: [quantity('hot', 'false', { role: 'input', type: 'Boolean' })],
        });
        // no time of a chart ends just when a message comes
        const text = said
          .map((m, k) => `wait ${k === 0 ? 0.3136 : 0.337} 's'; ${m === '' ? `set hot = ${k % 2 === 0}` : `send ${m}`}`)
          .join('\n');
        const of = { ...newCase('a', 'A'), alone: type.id, stop: 60, script: `${text}\nwait 0.011 's'` };
        const [designed, sampled, code] = ([undefined, 'sampled', 'code'] as const).map((stage) =>
          runCase(project, of, { stage, isCounted: true }),
        );
        // a chart without an end stops the simulator, and is given up by steps
        if (designed.problems.length > 0 || designed.why !== '') return;
        expect([sampled.why, code.why]).toEqual(['', '']);
        expect(sampled.came).toEqual(designed.came);
        expect(code.came).toEqual(designed.came);
      },
    ),
    { numRuns: Number(process.env.RUNS ?? 60) },
  );
});

const door: Chart = chart(
  'door',
  [state('Shut', { initial: true }), state('Open'), state('Locked')],
  [
    transition('Shut', 'Open', 'message a', { guard: 'hot and (near or not cold)' }),
    transition('Open', 'Shut', 'message b'),
    transition('Shut', 'Locked', 'message c'),
  ],
);
const inputs = ['hot', 'near', 'cold'].map((name) => quantity(name, 'false', { role: 'input', type: 'Boolean' }));
const doorway = alone({ charts: [door], quantities: inputs });

test.each<StageText | undefined>([undefined, 'sampled', 'code'])(
  'states, transitions and conditions are counted as they come, in the stage %s',
  (stage) => {
    const one = (hot: boolean, near: boolean, cold: boolean): string =>
      `set hot = ${hot}; set near = ${near}; set cold = ${cold}; wait 0.01 's'; send a; wait 0.01 's'; send b; wait 0.01 's'`;
    const { project, type } = doorway;
    const first = cameOf(project, type, one(true, true, true), stage);
    expect(told(project, type, first, false)).toEqual([
      'entered Locked',
      'taken Shut → Locked on c',
      'outcome hot and (near or not cold): false',
      'condition hot decides hot and (near or not cold)',
      'condition near decides hot and (near or not cold)',
      'condition cold decides hot and (near or not cold)',
    ]);
    // not near, and cold: near alone decides
    const second = together([first, cameOf(project, type, one(true, false, true), stage)]);
    expect(told(project, type, second, false)).toEqual([
      'entered Locked',
      'taken Shut → Locked on c',
      'condition hot decides hot and (near or not cold)',
      'condition cold decides hot and (near or not cold)',
    ]);
    const third = together([
      second,
      cameOf(project, type, `${one(true, false, false)}; ${one(false, true, true)}`, stage),
    ]);
    const items = itemsOf(planOf(project, type), third);
    expect(told(project, type, third, false)).toEqual(['entered Locked', 'taken Shut → Locked on c']);
    expect(items.flatMap((i) => (i.pair ? [i.pair.by] : []))).toEqual(['unique cause', 'unique cause', 'unique cause']);
  },
);

test.each<StageText | undefined>([undefined, 'sampled', 'code'])(
  'rounds of loops are told apart by how many there were, in the stage %s',
  (stage) => {
    const main = procedure(
      'work',
      'repeat rounds times\n  y := y + 1\n  wait 5 ms\nrepeat until y >= 3\n  y := y + 1\n  wait 5 ms\nwait 10 ms',
      { main: true, values: [value('n')] },
    );
    const { project, type } = alone({
      procedures: [main],
      quantities: [
        quantity('y', '0', { role: 'output' }),
        quantity('rounds', '0', { role: 'parameter', type: 'Integer' }),
      ],
    });
    const rounds = (n: number): string[] => {
      const given: Project = {
        ...project,
        types: project.types.map((t) =>
          t.id !== type.id
            ? t
            : { ...t, quantities: t.quantities.map((q) => (q.name === 'rounds' ? { ...q, value: `${n}` } : q)) },
        ),
      };
      const came = cameOf(given, type, "wait 0.5 's'", stage);
      return itemsOf(planOf(given, type), came).flatMap((i) => (i.kind === 'rounds' && i.hasCome ? [i.text] : []));
    };
    expect(rounds(0)).toEqual(['no round', 'more rounds']);
    expect(rounds(1)).toEqual(['one round', 'more rounds']);
    expect(rounds(2)).toEqual(['more rounds', 'one round']);
    expect(rounds(9)).toEqual(['more rounds', 'one round']);
  },
);

test.each<StageText | undefined>([undefined, 'sampled', 'code'])(
  'each time a loop is gone through its rounds are counted anew, in the stage %s',
  (stage) => {
    const main = procedure('work', 'repeat 3 times\n  repeat 1 times\n    y := y + 1\n    wait 5 ms', { main: true });
    const { project, type } = alone({ procedures: [main], quantities: [quantity('y', '0', { role: 'output' })] });
    const came = cameOf(project, type, "wait 0.5 's'", stage);
    const rounds = itemsOf(planOf(project, type), came).filter((i) => i.kind === 'rounds' && i.hasCome);
    expect(rounds.map((i) => `${i.of.place.split('/').at(-1)} ${i.text}`).sort()).toEqual([
      'l0 more rounds',
      'l1 one round',
    ]);
  },
);

test('the same decision twice in one text is two', () => {
  const twice = chart(
    'c',
    [state('A', { initial: true }), state('B')],
    [
      transition('A', 'B', 'message a', {
        effect: 'if hot then n := 1; end if; if near then n := 2; end if; if hot then n := 3; end if;',
      }),
    ],
  );
  const { project, type } = alone({
    charts: [twice],
    quantities: [...inputs, quantity('n', '0', { type: 'Integer' })],
  });
  const items = itemsOf(planOf(project, type), cameOf(project, type, "wait 0.01 's'; send a; wait 0.01 's'"));
  expect(items.filter((i) => i.kind === 'outcome').map((i) => `${i.text} ${i.hasCome}`)).toEqual(
    ['hot', 'near', 'hot'].flatMap((name) => [`${name}: true false`, `${name}: false true`]),
  );
  expect(new Set(items.map((i) => i.key)).size).toBe(items.length);
});

test('a rise with something beside it is a decision; a rise alone is how a when is written out', () => {
  const { project, type } = alone({
    quantities: [
      ...inputs,
      quantity('go', 'false', { role: 'output', type: 'Boolean' }),
      quantity('up', 'false', { role: 'output', type: 'Boolean' }),
    ],
    physics: 'go = hot and not pre(hot) and near;\nup = hot and not pre(hot);',
  });
  const { decisions } = planOf(project, type);
  expect(decisions.map((d) => d.text)).toEqual(['hot and not pre(hot) and near']);
});

test('what is solved together is told like everything else, and a sheet comes to the same ways in all stages', () => {
  const of = tubeCapper.cases.find((c) => c.name === 'Stop in every state of a cap')!;
  const words = (stage?: StageText): Record<string, readonly number[]> => {
    const { came } = runCase(tubeCapper, of, { stage, isCounted: true });
    return Object.fromEntries(
      Object.entries(came!.words).filter(([key]) => key.includes('/signals/') || key.includes('|wanted_rateLimit|')),
    );
  };
  const designed = words();
  expect(Object.keys(designed).filter((k) => k.includes('speed-turning'))).toHaveLength(3);
  expect(Object.keys(designed).filter((k) => k.includes('rateLimit'))).toHaveLength(2);
  expect(words('code')).toEqual(words('sampled'));
  // what is solved is a little above or below a bound that steps are at
  for (const [key, seen] of Object.entries(words('sampled')))
    expect(designed[key]).toEqual(expect.arrayContaining([...seen]));
  expect(Object.keys(words('sampled'))).toEqual(Object.keys(designed));
});

test.each<readonly [string, StageText | undefined]>([
  ['Careful', undefined],
  ['Careful', 'code'],
  ['Spindle on the bench', undefined],
])('a run is the same whether it is counted or not: %s in the stage %s', (name, stage) => {
  const found = tubeCapper.setups.find((s) => s.name === name)!;
  const setup = { ...withStages(found, new Map(stage ? [['ctrl', stage]] : [])), stop: 4 };
  const rows = (isCounted: boolean) => {
    const prepared = prepareRun(tubeCapper, setup, undefined, undefined, undefined, { isCounted });
    if (!isRunnable(prepared)) throw new Error(prepared.problems[0]?.message);
    const run = createRun(prepared);
    run.simulation.advance(Infinity);
    expect(run.came() !== undefined).toBe(isCounted);
    return { recording: run.recorder.take(), counts: run.simulation.counts };
  };
  const [without, counted] = [rows(false), rows(true)];
  expect(counted.counts).toEqual(without.counts);
  expect(counted.recording).toEqual(without.recording);
});
