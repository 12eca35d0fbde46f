import {
  emptyProject,
  newQuantity,
  newRequirement,
  newSetup,
  newStudy,
  newType,
  type Project,
  type Study,
} from '../project/project';
import { documentTexts } from '../project/texts';
import { applyEdit } from '../editing/edits';
import { answerCrossings, answerStudy, atStudy, factsOf, type StudyAnswer, type Workplace } from './answer';
import { createRun, isRunnable, prepareRun } from '../run';
import { fitTaskOf } from './answer-fit';
import type { FitWorker } from './fit-together';
import { messageDifference, type KeptRun } from './answer-compare';
import { differenceTrack } from './difference-track';
import { howBroken } from './goal';
import { inThisThread, spreadOver } from './many';
import type { Measured } from './measured';
import { momentOf } from './moment-of';
import {
  doneRows,
  emptyTable,
  failuresOf,
  marginOf,
  partOf,
  problemOf,
  putOutcome,
  putPart,
  tableFor,
  toldOf,
  valuesOf,
  verdictOf,
} from './run-table';
import { createRunner, type Runner, type RunOutcome } from './runner';
import { readStudy, studyMark, studyProblems } from './study';

/** x' = -k x from x0: x(1) = x0 exp(-k); R-1 wants it at or below 0.3 then. `n` copies are made of nothing else. */
const project = (studies: readonly Partial<Study>[] = [], more: Partial<Project> = {}): Project => ({
  ...emptyProject('p', 'P'),
  root: 'tank',
  types: [
    {
      ...newType('tank', 'Tank'),
      quantities: [
        { ...newQuantity('q-k', 'k'), role: 'parameter', value: '1', unit: '1/s' },
        { ...newQuantity('q-n', 'n'), role: 'parameter', type: 'Integer', value: '2' },
        { ...newQuantity('q-x', 'x'), value: '1', unit: 'm' },
        { ...newQuantity('q-u', 'u'), role: 'input', value: '0', unit: 'm/s' },
      ],
      physics: 'equation\n  der(x) = -k*x + u;',
    },
    { ...newType('other', 'Other'), quantities: [{ ...newQuantity('q-z', 'z'), role: 'parameter', value: '3' }] },
  ],
  requirements: [
    { ...newRequirement('r1', 'R-1', ''), formula: "atEnd(x <= 0.3 'm')" },
    { ...newRequirement('r2', 'R-2', ''), formula: "x <= 1.5 'm'" },
  ],
  setups: [
    { ...newSetup('s1', 'One'), stop: 1 },
    { ...newSetup('s2', 'Slow'), stop: 1, changes: [{ id: 'c', name: 'k', value: '0.5' }] },
    { ...newSetup('s3', 'Other'), stop: 1, root: 'other' },
  ],
  studies: studies.map((s, k) => ({ ...newStudy(`y${k}`, `Study ${k}`, s.kind ?? 'vary'), ...s })),
  ...more,
});
const values = (of: Readonly<Record<string, string>>): Study['values'] =>
  Object.entries(of).map(([name, range], k) => ({ id: `w${k}`, name, range }));
const aim = (formula: string, sense: Study['aims'][number]['sense'] = 'told') => ({
  id: `i-${formula}`,
  name: '',
  sense,
  formula,
});

const here = (workers = 0): Workplace => {
  let made: Runner | undefined;
  return {
    make(question) {
      const answer = createRunner(question);
      made = answer.value;
      return answer;
    },
    start: async (question) =>
      workers === 0
        ? inThisThread(made!)
        : spreadOver(
            Array.from({ length: workers }, () => {
              const own = createRunner(question).value!;
              return { run: async (asked) => asked.map((a) => own.run(a)) };
            }),
          ),
  };
};
async function answer(p: Project, k = 0, workers = 0): Promise<StudyAnswer> {
  const { value, problems } = await answerStudy(p, p.studies[k], here(workers), { goOn: () => true });
  if (!value) throw new Error(problems.map((x) => x.message).join('; '));
  return value;
}
const told = (p: Project): readonly (readonly [string | undefined, string])[] =>
  studyProblems(p).map((x) => [x.place, x.message]);

describe('what a study asks', () => {
  test('everything that is wrong is told at its place', () => {
    expect(told(project([{ values: values({ k: '1:2' }) }]))).toEqual([
      ['study/y0/value/w0/range', 'A range is from:to:count, such as 8:14:13'],
    ]);
    expect(told(project([{ values: values({ k: 'gauss(1, 2)' }) }]))[0][1]).toContain(
      'There is normal(mean, deviation)',
    );
    expect(told(project([{ values: values({ k: '' }) }]))[0]).toEqual([
      'study/y0/value/w0/range',
      'Which values? Such as 8:14:13, or 8, 10, 12, or normal(10, 0.5)',
    ]);
    expect(told(project([{ kind: 'best', values: values({ k: '2:1' }), aims: [aim('x', 'low')] }]))).toEqual([
      ['study/y0/value/w0/range', 'The second number is above the first'],
    ]);
    expect(told(project([{ kind: 'best', values: values({ k: '1:2' }) }]))).toEqual([
      ['study/y0', 'What is to be as low or as high as it can be?'],
    ]);
    expect(told(project([{ kind: 'breaks', values: values({ k: '1:2' }) }]))[0]).toEqual([
      'study/y0/requirement',
      'Which requirement is to be broken?',
    ]);
    expect(
      told(
        project([
          { kind: 'breaks', requirement: 'gone', messages: [{ id: 'm', target: 'a', value: '', from: 2, to: 1 }] },
        ]),
      ),
    ).toEqual([
      ['study/y0/requirement', 'The requirement is gone: choose another one'],
      ['study/y0/message/m/to', 'The span ends after it begins'],
    ]);
    expect(told(project([{ setup: 'gone', values: values({ k: '1:2:3' }) }]))).toEqual([
      ['study/y0/setup', 'The setup it runs is gone: choose another one'],
    ]);
    expect(told(project([{ kind: 'fit', values: values({ k: '1:2' }) }]))).toEqual([
      ['study/y0', 'What was measured? Bring a recording as CSV'],
    ]);
    expect(told(project([{ kind: 'compare', setups: ['s1'] }]))).toEqual([
      ['study/y0', 'Two are needed: setups that are run, runs that are kept, or recordings'],
    ]);
    expect(told(project([{ aims: [aim('margin(R-1)')], values: values({ k: '1:2:3' }) }]))[0][1]).toBe(
      'Margins of requirements are told anyway',
    );
    expect(told(project([{ values: values({ k: '0:1:1000001' }) }]))[0][1]).toContain('more than 1,000,000 runs');
    // nothing is filled in yet: nothing is wrong
    expect(told(project([{}]))).toEqual([]);
  });
  test('names it cannot have are told at their rows once it is asked', () => {
    const at = (of: Partial<Study>) => {
      const p = project([of]);
      return factsOf(p, p.studies[0]).problems.map((x) => [x.place, x.message]);
    };
    expect(at({ values: values({ k: '1:2:3', ks: '1:2:3' }) })).toEqual([
      ['study/y0/value/w1/name', 'Tank has no ks; did you mean k?'],
    ]);
    expect(at({ values: values({ n: '1, 2.5' }) })).toEqual([
      ['study/y0/value/w0/range', 'n takes whole numbers only'],
    ]);
    expect(at({ kind: 'matters', values: values({ n: '1:3' }) })[0]).toEqual([
      'study/y0/value/w0/range',
      'n takes whole numbers: it has no share over a range',
    ]);
    expect(at({ values: values({ k: '1:2:3' }), aims: [aim('x'), aim('y')] })[0][0]).toBe('study/y0/aim/i-y/formula');
    expect(
      at({ kind: 'best', values: values({ k: '1:2' }), aims: [aim('margin(R-1)', 'low'), aim('y', 'high')] })[0][0],
    ).toBe('study/y0/aim/i-y/formula');
    expect(
      at({ kind: 'breaks', requirement: 'r1', messages: [{ id: 'm', target: 'x', value: '2', from: 0, to: 1 }] }),
    ).toEqual([
      ['study/y0/message/m/target', 'x follows from the equations and cannot be set; inputs and parameters can'],
    ]);
    expect(
      atStudy(project([{ values: values({ k: '1' }) }]).studies[0], { severity: 'error', code: 'a', message: 'b' }),
    ).toEqual({
      severity: 'error',
      code: 'a',
      message: 'b',
    });
    const p = project([{ setup: 's2', values: values({ k: '1:2:3', x: '1:2:3' }) }]);
    expect(factsOf(p, p.studies[0]).value).toMatchObject({ units: ['1/s', 'm'], nominal: [0.5, 1], requirements: 2 });
  });
  test('its names follow when something is renamed, in what its own setup runs', () => {
    const p = project([
      { values: values({ k: '1:2:3' }), aims: [aim('x + k')] },
      { setup: 's3', values: values({ z: '1:2:3' }) },
      { kind: 'best', aims: [aim('margin(R-1)', 'low')], values: values({ k: '1:2' }) },
    ]);
    expect(documentTexts(p, new Set(['studies'])).map((t) => [t.place, t.scope, t.text])).toEqual([
      ['study/y0/value/w0/name', 'tank', 'k'],
      ['study/y0/aim/i-x + k/formula', 'tank', 'x + k'],
      ['study/y1/value/w0/name', 'other', 'z'],
      ['study/y2/value/w0/name', 'tank', 'k'],
    ]);
    const renamed = applyEdit(p, { kind: 'rename', list: 'type/tank/quantity', id: 'q-k', name: 'decay' }).project;
    expect(renamed.studies[0].values[0].name).toBe('decay');
    expect(renamed.studies[0].aims[0].formula).toBe('x + decay');
    // another setup is run: the names are looked up there
    const moved = applyEdit(p, { kind: 'update', list: 'setup', id: 's1', changes: { root: 'other' } }).project;
    expect(documentTexts(moved, new Set(['studies']))[0].scope).toBe('other');
    expect(
      applyEdit(p, { kind: 'update', list: 'study', id: 'y0', changes: { holdBack: 2 } }).refused?.message,
    ).toContain('between 0 and 0.9');
  });
  test('its mark is that of what it asks, not of how it is called', () => {
    const [s] = project([{ values: values({ k: '1:2:3' }), aims: [aim('x')] }]).studies;
    expect(studyMark({ ...s, name: 'Other', note: 'so', aims: [{ ...s.aims[0], name: 'way' }] })).toBe(studyMark(s));
    expect(studyMark({ ...s, runs: 7 })).not.toBe(studyMark(s));
    expect(studyMark({ ...s, values: values({ k: '1:2:4' }) })).not.toBe(studyMark(s));
  });
});

describe('what comes of it', () => {
  test('varied: a table by columns with the design beside it, and where the verdict changes', async () => {
    const p = project([{ setup: 's2', values: values({ k: '0.5:2.5:5' }), aims: [aim('x')] }]);
    const { found, runs, setup } = await answer(p);
    if (found.kind !== 'vary') throw new Error(found.kind);
    expect([runs, setup]).toEqual([5, 'Slow']);
    const { table, design } = found;
    expect(doneRows(table)).toHaveLength(5);
    for (const row of doneRows(table)) {
      const [k] = valuesOf(table, row);
      expect(toldOf(table, row, 0)).toBeCloseTo(Math.exp(-k), 6);
      expect(marginOf(table, row, 0)).toBeCloseTo(0.3 - Math.exp(-k), 6);
      expect(verdictOf(table, row, 0)).toBe(Math.exp(-k) <= 0.3 ? 'holds' : 'fails');
    }
    expect(design && toldOf(design, 0, 0)).toBeCloseTo(Math.exp(-0.5), 6);
    const { value: crossings } = await answerCrossings(p, p.studies[0], table, here(), { goOn: () => true });
    expect(crossings).toHaveLength(1);
    expect(crossings![0].holdsAt).toBeCloseTo(-Math.log(0.3), 5);
    expect(crossings![0].told[0]).toBeCloseTo(0.3, 5);
    // what is told there is told of the side that holds, on which side the search came to lie whatever
    for (const range of ['0.5:2.5:5', '0.5:2.6:4', '0.7:2.1:3']) {
      const q = project([{ values: values({ k: range }), aims: [aim("if x <= 0.3 'm' then 1 else 0")] }]);
      const { found: of } = await answer(q);
      if (of.kind !== 'vary') throw new Error(of.kind);
      const { value } = await answerCrossings(q, q.studies[0], of.table, here(), { goOn: () => true });
      expect(value!.map((c) => c.told)).toEqual([[1]]);
    }
  });
  test('a result that is the same but for rounding has no shares', async () => {
    const p = project([
      { kind: 'matters', values: values({ k: '0.5:2', x: '0.5:1' }), runs: 80, aims: [aim('(x*3)/x'), aim('x')] },
    ]);
    const { found } = await answer(p);
    if (found.kind !== 'matters') throw new Error(found.kind);
    expect(found.found.results.map((r) => r.name)).toEqual(expect.arrayContaining(['x']));
    expect(found.found.results.map((r) => r.name)).not.toContain('(x*3)/x');
  });
  test('the same from one thread and from two, for every kind', async () => {
    const p = project([
      { values: values({ k: 'normal(1, 0.2)', x: 'uniform(0.5, 1)' }), runs: 24, aims: [aim('x')] },
      { kind: 'matters', values: values({ k: '0.5:2', x: '0.5:1' }), runs: 80 },
      { kind: 'best', values: values({ k: '0.1:3' }), aims: [aim('x', 'high')], runs: 60 },
      { kind: 'best', values: values({ k: '0.1:3', u: '0:1' }), aims: [aim('k', 'low'), aim('x', 'low')], runs: 60 },
      { kind: 'breaks', requirement: 'r1', values: values({ k: '1:3', x: '0.2:1' }), runs: 40 },
    ]);
    for (const k of p.studies.keys()) expect((await answer(p, k, 2)).found).toEqual((await answer(p, k)).found);
  });
  test('best and breaks come to what a closed form says; two aims to a border', async () => {
    const p = project([
      { kind: 'best', values: values({ k: '0.1:3' }), aims: [aim('x', 'high')], runs: 100 },
      { kind: 'best', values: values({ k: '0.1:3' }), aims: [aim('margin(R-1)', 'high')], runs: 100 },
      { kind: 'breaks', requirement: 'r1', values: values({ k: '1.3:3', x: '0.2:0.9' }), runs: 60 },
      {
        kind: 'breaks',
        requirement: 'r2',
        values: values({ k: '0.5:3' }),
        messages: [{ id: 'm', target: 'u', value: '9', from: 0.1, to: 0.9 }],
        runs: 60,
      },
      { kind: 'best', values: values({ k: '0.1:3' }), aims: [aim('k', 'low'), aim('x', 'low')], runs: 120 },
      { kind: 'best', values: values({ k: '0.1:3' }), aims: [aim('k', 'low'), aim('1 - x', 'high')], runs: 120 },
    ]);
    const best = (await answer(p, 0)).found;
    // x falls with k, and R-1 wants it at or below 0.3
    expect(best.kind === 'best' && best.found.value).toBeCloseTo(0.3, 2);
    expect(best.kind === 'best' && best.found.isAllowed).toBe(true);
    expect(best.kind === 'best' && best.found.design.value).toBeCloseTo(Math.exp(-1), 6);
    const margin = (await answer(p, 1)).found;
    expect(margin.kind === 'best' && margin.found.value).toBeCloseTo(0.3 - Math.exp(-3), 5);
    expect(margin.kind === 'best' && margin.found.unit).toBe('m');
    const lowest = (await answer(p, 2)).found;
    if (lowest.kind !== 'breaks') throw new Error(lowest.kind);
    expect(lowest.found.isBroken).toBe(false);
    expect(lowest.found.lowest.finding.margin).toBeCloseTo(0.3 - 0.9 * Math.exp(-1.3), 3);
    expect(lowest.found.lowest.values).toEqual([expect.closeTo(1.3, 3), expect.closeTo(0.9, 3)]);
    const broken = (await answer(p, 3)).found;
    if (broken.kind !== 'breaks') throw new Error(broken.kind);
    expect(broken.found.isBroken).toBe(true);
    // k goes back to its design: the input alone breaks it
    expect(broken.found.simplest!.values).toEqual([1]);
    expect(broken.found.simplest!.finding.failsSince).toBeGreaterThan(broken.found.simplest!.times[0]);
    const border = (await answer(p, 4)).found;
    if (border.kind !== 'border') throw new Error(border.kind);
    expect(border.found.points.length).toBeGreaterThan(10);
    for (const {
      aims: [k, x],
      isAllowed,
    } of border.found.points) {
      expect(x).toBeCloseTo(Math.exp(-k), 5);
      expect(isAllowed).toBe(true);
      expect(k).toBeGreaterThan(-Math.log(0.3) - 1e-3);
    }
    // as large as can be had is told as it is, and finds the same
    const high = (await answer(p, 5)).found;
    if (high.kind !== 'border') throw new Error(high.kind);
    expect(high.found.points.length).toBeGreaterThan(10);
    expect(Math.max(...high.found.points.map((q) => q.aims[1]))).toBeGreaterThan(0.9);
    for (const { aims } of high.found.points) expect(aims[1]).toBeCloseTo(1 - Math.exp(-aims[0]), 5);
  });
  test('a recording is fitted: two of them together, each in its own time', async () => {
    const csv = (x0: number, shift: number): string =>
      `time,level [cm]\n${Array.from({ length: 40 }, (_, k) => {
        const t = 0.02 * k;
        return `${t},${100 * x0 * Math.exp(-1.7 * (t + shift))}`;
      }).join('\n')}\n`;
    const columns = ['a', 'b'].map((recording) => ({ id: recording, recording, column: 'level', quantity: 'x' }));
    const p = project(
      [
        { kind: 'fit', values: values({ k: '0.1:5', x: '0.1:3' }), recordings: ['a'], columns, holdBack: 0.25 },
        { kind: 'fit', values: values({ k: '0.1:5' }), recordings: ['a', 'b'], columns, shift: '0:0.4' },
        { kind: 'fit', values: values({ k: '0.1:5' }), recordings: ['c'], columns: [] },
        { kind: 'fit', values: values({ k: '0.1:5', nope: '0:1' }), recordings: ['a'], columns },
      ],
      {
        recordings: [
          { id: 'a', name: 'First', note: '', text: csv(1, 0) },
          { id: 'b', name: 'Second', note: '', text: csv(1, 0.25) },
          { id: 'c', name: 'Broken', note: '', text: 'time,level\n0,1\n1,two\n2,3\n' },
        ],
      },
    );
    const one = (await answer(p, 0)).found;
    if (one.kind !== 'fit') throw new Error(one.kind);
    expect(one.found.report.values.map((v) => v.value)).toEqual([expect.closeTo(1.7, 4), expect.closeTo(1, 4)]);
    expect(one.found.units).toEqual(['1/s', 'm']);
    expect(one.found.nominal).toEqual([1, 1]);
    expect(one.found.report.columns[0].heldBack).toBeLessThan(1e-4);
    expect(one.found.report.columns[0].designed).toHaveLength(40);
    expect(one.found.report.columns[0].correlogram[0]).toBe(1);
    const two = (await answer(p, 1)).found;
    if (two.kind !== 'fit') throw new Error(two.kind);
    // runs done by others, that are ready a little later, find the same to the last digit
    for (const [k, alone] of [one, two].entries()) {
      let [asked, done] = [0, 0];
      const worker = (): FitWorker => {
        const made = fitTaskOf(p, p.studies[k], readStudy(p, p.studies[k]).value!);
        if (!('task' in made)) throw new Error('It cannot be fitted');
        return {
          async run(between, values) {
            done++;
            await new Promise((resolve) => setTimeout(resolve, done % 3));
            return made.task.simulated(between)?.at(values);
          },
        };
      };
      const workers = [worker(), worker()];
      const others = () => (asked++ < 3 ? [] : workers);
      const { value } = await answerStudy(p, p.studies[k], { ...here(), startFit: () => others }, { goOn: () => true });
      if (value?.found.kind !== 'fit') throw new Error('It was not fitted');
      expect(value.found.found.report).toEqual(alone.found.report);
      expect(done).toBeGreaterThan(20);
    }
    expect(two.found.report.values.map((v) => [v.name, v.value])).toEqual([
      ['k', expect.closeTo(1.7, 2)],
      ['shift of recording 1', expect.closeTo(0, 2)],
      ['shift of recording 2', expect.closeTo(0.25, 2)],
    ]);
    const problems = async (k: number) =>
      (await answerStudy(p, p.studies[k], here(), { goOn: () => true })).problems.map((x) => [x.place, x.message]);
    expect(await problems(2)).toEqual([
      ['recording/c', 'Broken: level at 1 s is "two", which is no number, among numbers'],
    ]);
    expect(await problems(3)).toEqual([['study/y3', 'Tank has no nope']]);
  });
  test('setups and recordings are compared: tracks, verdicts, alignment', async () => {
    const p = project(
      [
        { kind: 'compare', setups: ['s1', 's2'], tolerance: [{ relative: 1e-3, absolute: 0, time: 0 }] },
        {
          kind: 'compare',
          setups: ['s1'],
          recordings: ['a'],
          columns: [{ id: 'c', recording: 'a', column: 'level', quantity: 'x' }],
          tolerance: [{ relative: 1e-4, absolute: 0, time: 0 }],
          alignAt: "x < 0.8 'm'",
        },
        { kind: 'compare', setups: ['s1', 's2'], alignAt: 'x > 7' },
        ...['-0.2', '0.2'].map((shift): Partial<Study> => ({
          kind: 'compare',
          setups: ['s1'],
          recordings: ['a'],
          columns: [{ id: 'c', recording: 'a', column: 'level', quantity: 'x' }],
          tolerance: [{ relative: 1e-3, absolute: 0, time: 0 }],
          shift,
          // left over from when it asked something else
          values: values({ nope: '1:2' }),
        })),
      ],
      {
        recordings: [
          {
            id: 'a',
            name: 'Late',
            note: '',
            text: `time,level [m]\n${Array.from({ length: 1200 }, (_, k) => `${k / 1000},${k < 200 ? 1 : Math.exp(-(k / 1000 - 0.2))}`).join('\n')}\n`,
          },
        ],
      },
    );
    const runs = (await answer(p, 0)).found;
    if (runs.kind !== 'compare') throw new Error(runs.kind);
    const [x] = runs.found.comparisons[0].columns.filter((c) => c.name === 'x');
    expect(x.same).toBe(false);
    expect(x.difference).toBeCloseTo(Math.exp(-0.5) - Math.exp(-1), 5);
    expect(x.at).toBeCloseTo(1, 6);
    expect(runs.found.sides.map((s) => s.findings[0].margin)).toEqual([
      expect.closeTo(0.3 - Math.exp(-1), 5),
      expect.closeTo(0.3 - Math.exp(-0.5), 5),
    ]);
    const measured = (await answer(p, 1)).found;
    if (measured.kind !== 'compare') throw new Error(measured.kind);
    expect(measured.found.sides[1].moved).toBeCloseTo(-0.2, 4);
    expect(measured.found.comparisons[0].columns).toMatchObject([{ name: 'x', same: true }]);
    // moved earlier by what it is late it is the same; moved later not
    for (const [k, same] of [
      [3, true],
      [4, false],
    ] as const) {
      const { found } = await answer(p, k);
      if (found.kind !== 'compare') throw new Error(found.kind);
      expect(found.found.comparisons[0].columns).toMatchObject([{ name: 'x', same }]);
    }
    const never = await answerStudy(p, p.studies[2], here(), { goOn: () => true });
    expect(never.problems).toMatchObject([{ place: 'study/y2/alignAt', message: 'One: x never comes above 7' }]);
  });
  test('a run that was made earlier is compared as it was then, with its verdicts and messages', async () => {
    const p = project([
      { kind: 'compare', setups: ['s1'], kept: ['170'], tolerance: [{ relative: 1e-3, absolute: 0, time: 0 }] },
      { kind: 'compare', kept: ['170'] },
    ]);
    expect(told(p)).toEqual([['study/y1', 'Two are needed: setups that are run, runs that are kept, or recordings']]);
    const [asked] = p.studies;
    // of a design that is another one by now
    const prepared = prepareRun(p, p.setups[1]);
    if (!isRunnable(prepared)) throw new Error('It does not run');
    const { simulation, recorder, findings } = createRun(prepared);
    simulation.advance(Infinity);
    const run = {
      id: '170',
      name: 'Before',
      recording: recorder.take(),
      parts: prepared.model.parts.map((x) => x.name),
      findings: findings(),
      problem: '',
    };
    const ask = (kept: readonly KeptRun[]) => answerStudy(p, asked, { ...here(), kept }, { goOn: () => true });
    const { value } = await ask([{ ...run, id: '169' }, run]);
    if (value?.found.kind !== 'compare') throw new Error(value?.found.kind);
    const { sides, comparisons, messages } = value.found.found;
    expect(sides.map((s) => [s.name, s.kind])).toEqual([
      ['One', 'run'],
      ['Before', 'kept'],
    ]);
    expect(sides[1].findings[0].margin).toBeCloseTo(0.3 - Math.exp(-0.5), 5);
    expect(comparisons[0].columns.find((c) => c.name === 'x')!.difference).toBeCloseTo(
      Math.exp(-0.5) - Math.exp(-1),
      5,
    );
    expect(messages[0]).toMatchObject({ first: undefined });
    expect(value.runs).toBe(1);
    expect((await ask([])).problems).toMatchObject([
      { place: 'study/y0/kept', message: 'A run that is compared is no longer kept in this browser: take it out' },
    ]);
  });
  test('stopped in between: what is there is kept, with a word', async () => {
    const p = project([{ values: values({ k: '0.1:3:30' }) }]);
    const { value } = await answerStudy(p, p.studies[0], here(), { goOn: (done) => done < 7 });
    expect(value).toMatchObject({ isStopped: true, runs: 7 });
    const never = new Promise<never>(() => undefined);
    let end = (): void => undefined;
    const stopped = new Promise<void>((resolve) => (end = resolve));
    const hanging: Workplace = {
      ...here(),
      start: async () => spreadOver([{ run: () => never }], stopped),
    };
    setTimeout(() => end(), 20);
    let isOn = true;
    void stopped.then(() => (isOn = false));
    const ended = await answerStudy(p, p.studies[0], hanging, { goOn: () => isOn });
    expect(ended.value).toMatchObject({ runs: 0, isStopped: true });
  });
});

test('a table of runs is handed over in parts and put together again', async () => {
  const p = project([{ values: values({ k: '-1:2:4', x: '0.5, 1' }), aims: [aim('x')] }]);
  const { found } = await answer(p);
  if (found.kind !== 'vary') throw new Error(found.kind);
  const { table } = found;
  const copy = emptyTable(partOf(table, []), table.rows);
  expect(doneRows(copy)).toEqual([]);
  putPart(copy, partOf(table, [5, 1]));
  expect(doneRows(copy)).toEqual([1, 5]);
  expect(valuesOf(copy, 5)).toEqual(valuesOf(table, 5));
  putPart(copy, partOf(table, [0, 2, 3, 4, 6, 7]));
  expect(copy).toEqual(table);
  expect(failuresOf(table)).toEqual([]);
  expect(problemOf(table, 0)).toBe('');
});

test('whatever a run came to goes along, between threads that share nothing', () => {
  const made = tableFor(
    { over: ['k'], aims: [] },
    { requirements: [{ id: 'r1', key: 'R-1' }], units: ['1/s'], aimUnits: [] },
    [[1], [2], [3]],
  );
  const finding = { id: 'r1', key: 'R-1', verdict: 'fails' as const, margin: -0.2, unit: 'm', failsSince: 0.7 };
  const outcome = { status: 'finished' as const, problem: '', aims: [], time: 1, seconds: 0 };
  const copy = structuredClone(emptyTable(structuredClone(partOf(made, [])), 3));
  const put = (row: number, of: Partial<RunOutcome>): void => {
    putOutcome(made, row, { ...outcome, findings: [finding as unknown as RunOutcome['findings'][number]], ...of });
    putPart(copy, structuredClone(partOf(made, [row])));
  };
  put(1, {});
  put(0, { status: 'failed', problem: 'It ran away', findings: [] });
  put(2, { status: 'failed', problem: 'It stuck', findings: [] });
  expect(copy).toEqual(made);
  expect([marginOf(copy, 1, 0), copy.since[1], copy.marginUnits]).toEqual([-0.2, 0.7, ['m']]);
  expect([0, 1, 2].map((row) => problemOf(copy, row))).toEqual(['It ran away', '', 'It stuck']);
});

test('how much is broken: margins that are missing add up, and what is no longer decided counts', () => {
  const run = (...findings: readonly (readonly [string, 'fails' | 'holds' | 'undecided', number?])[]) =>
    ({
      status: 'finished',
      problem: '',
      aims: [],
      time: 1,
      seconds: 0,
      findings: findings.map(([key, verdict, margin]) => ({ id: key, key, verdict, margin, unit: '' })),
    }) as unknown as RunOutcome;
  const all = new Set(['A', 'B', 'C']);
  const broken = (of: RunOutcome, watched = all, decided = all) => howBroken(of, watched, decided);
  expect(broken(run(['A', 'fails', -0.3], ['B', 'fails', -2], ['C', 'holds', 5]))).toBeCloseTo(2.3, 12);
  expect(broken(run(['A', 'fails', 0]))).toBeGreaterThan(0);
  expect(broken(run(['A', 'fails'], ['B', 'undecided', 1]))).toBe(2);
  expect(broken(run(['A', 'undecided']), all, new Set())).toBe(0);
  expect(broken(run(['A', 'fails', -0.3]), new Set(['B']))).toBe(0);
});

test('the moment of a recording at which something comes', () => {
  const data: Measured = {
    time: Float64Array.from([0, 1, 2, 3]),
    remarks: [],
    columns: [
      { name: 'v', unit: 'm/s', values: Float64Array.from([0, 2, 2, 0]), words: undefined },
      { name: 'on', unit: '', values: Float64Array.from([0, 0, 1, 1]), words: undefined },
      {
        name: 'ctrl.mode',
        unit: '',
        values: new Float64Array(0),
        words: ['Off', 'Run.Fast + Lamp.On', 'Run.Slow', 'Off'],
      },
    ],
  };
  expect(momentOf(data, 'v > 1')).toBe(0.5);
  expect(momentOf(data, "v >= 3.6 'km/h'")).toBe(0.5);
  expect(momentOf(data, 'v < 1')).toBe(0);
  expect(momentOf(data, 'on')).toBe(1.5);
  expect(momentOf(data, 'in(ctrl.mode.Run.Slow)')).toBe(2);
  expect(momentOf(data, 'in(ctrl.mode.Run)')).toBe(1);
  expect(momentOf(data, 'in(ctrl.mode.Lamp)')).toBe(1);
  expect(momentOf(data, 'in(ctrl.mode.Gone)')).toBe('it never comes to ctrl.mode.Gone');
  expect(momentOf(data, 'in(other.mode.Gone)')).toContain('no chart');
  expect(momentOf(data, 'w > 1')).toBe('it has no w');
  expect(momentOf(data, "v > 1 'A'")).toBe('v is in m/s, not in A');
  expect(momentOf(data, 'v > 9')).toBe('v never comes above 9');
  expect(momentOf(data, 'v + w > 1')).toContain('two recordings are aligned by');
});

test('the first message that differs, and how far the same ones are apart', () => {
  const m = (time: number, text: string) => ({ time, text });
  expect(messageDifference([m(0, 'a'), m(1, 'b')], [m(0, 'a'), m(1.5, 'b')], 0)).toEqual({
    first: undefined,
    late: { by: 0.5, a: m(1, 'b'), b: m(1.5, 'b') },
    count: 2,
  });
  expect(messageDifference([m(0, 'a'), m(1, 'b')], [m(0.5, 'a'), m(1.5, 'b')], -0.5).late).toBeUndefined();
  expect(messageDifference([m(0, 'a'), m(1, 'b')], [m(0, 'a'), m(1, 'c')], 0).first).toEqual({
    number: 2,
    a: m(1, 'b'),
    b: m(1, 'c'),
  });
  expect(messageDifference([m(0, 'a')], [], 0).first).toEqual({ number: 1, a: m(0, 'a'), b: undefined });
});

test('a difference track: b minus a where both are, and no peak is lost where it is thinned', () => {
  const time = Float64Array.from({ length: 1001 }, (_, k) => k / 1000);
  const a = { time, values: time.map((t) => t) };
  const b = { time, values: time.map((t, k) => t + Number(k === 501)), moved: 0 };
  const thin = differenceTrack(a, b, 50);
  expect(thin.time.length).toBeLessThanOrEqual(51);
  const most = Math.max(...thin.values);
  expect(most).toBeCloseTo(1, 9);
  expect(thin.time[thin.values.indexOf(most)]).toBeCloseTo(0.501, 9);
  const moved = differenceTrack(a, { time, values: a.values, moved: 0.25 }, 5000);
  expect(moved.time[0]).toBeCloseTo(0.25, 9);
  expect(moved.time.at(-1)).toBeCloseTo(1, 9);
  for (const d of moved.values) expect(d).toBeCloseTo(-0.25, 9);
});

test('what is read of a study says how many runs it takes', () => {
  const p = project([
    { values: values({ k: '1:2:3', x: '1, 2' }) },
    { values: values({ k: '1:2:3', x: 'normal(1, 0.1)' }), runs: 10 },
    { kind: 'matters', values: values({ k: '1:2', x: '1:2' }), runs: 80 },
  ]);
  expect(p.studies.map((s) => readStudy(p, s).value?.runs)).toEqual([6, 30, 84]);
});
