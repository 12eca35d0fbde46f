import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyProject, newRequirement, newSetup, newType } from '../core/project/project';
import { writeProjectJson } from '../core/formats/project-file';
import { quantity } from '../core/testing/run-project';
import { commandHost } from './testing/command';

jest.setTimeout(400_000);
const folder = mkdtempSync(join(tmpdir(), 'zelvar-studies-'));
const { run: zelvar, end } = commandHost();
afterAll(end);
const path = (name: string): string => join(folder, name);
const file = (name: string, text: string): string => {
  writeFileSync(path(name), text);
  return path(name);
};
const project = file(
  'decay.zelvar.json',
  writeProjectJson({
    ...emptyProject('p', 'Decay'),
    root: 't',
    types: [
      {
        ...newType('t', 'T'),
        quantities: [
          quantity('k', '1', { role: 'parameter', unit: '1/s' }),
          quantity('x0', '1', { role: 'parameter' }),
          quantity('u', '0', { role: 'input' }),
          quantity('x', '', { role: 'output' }),
        ],
        physics: 'initial equation x = x0;\nequation der(x) = u - k*x;',
      },
    ],
    requirements: [{ ...newRequirement('r', 'R-1', 'low at the end'), formula: 'atEnd(x <= 0.3)' }],
    setups: [{ ...newSetup('s', 'Fall'), stop: 1, recordEvery: 0.01, relative: 1e-8 }],
  }),
);
const json = (out: { stdout: string }): never => JSON.parse(out.stdout) as never;

test('vary: a row per run, the same from one process and from two', () => {
  const vary = (jobs: string, out: string) =>
    zelvar(
      'vary',
      project,
      '--vary',
      'k=0.5:2:7',
      '--vary',
      'x0~normal(1,0.1)',
      '--runs',
      '4',
      '--seed',
      '5',
      '--tell',
      'x',
      '--jobs',
      jobs,
      '--out',
      path(out),
      '--json',
    );
  const [one, two] = [vary('1', 'one.csv'), vary('2', 'two.csv')];
  expect([one.status, two.status]).toEqual([0, 0]);
  expect(readFileSync(path('two.csv'), 'utf8')).toBe(readFileSync(path('one.csv'), 'utf8'));
  const rows = readFileSync(path('one.csv'), 'utf8').trim().split('\n');
  expect(rows).toHaveLength(29);
  expect(rows[0]).toBe('run,k [1/s],x0,R-1 verdict,R-1 margin,x,status,problem');
  const told: {
    runs: {
      values: { k: number; x0: number };
      requirements: Record<string, { margin: number }>;
      told: { x: number };
    }[];
    shares: { key: string; holds: number; fails: number }[];
  } = json(one);
  for (const { values, requirements, told: t } of told.runs) {
    expect(t.x).toBeCloseTo(values.x0 * Math.exp(-values.k), 5);
    expect(requirements['R-1'].margin).toBeCloseTo(0.3 - t.x, 6);
  }
  expect(told.shares[0].holds + told.shares[0].fails).toBe(28);
  expect(zelvar('vary', project, '--vary', 'kk=1,2')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('did you mean k'),
  });
  expect(zelvar('vary', project, '--vary', 'k=1:2')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('from:to:count'),
  });
  expect(zelvar('vary', project, '--vary', 'k=0:1:2000', '--vary', 'x0=0:1:2000').status).toBe(2);
  expect(zelvar('vary', project, '--setup', 'Rise', '--vary', 'k=1,2')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('it has Fall'),
  });
});

test('vary: the value at which a requirement begins to hold', () => {
  const { status, stdout } = zelvar('vary', project, '--vary', 'k=0.5:2:4', '--crossings');
  // exp(-k) = 0.3
  expect([status, stdout]).toEqual([0, expect.stringMatching(/R-1 holds from k = 1\.2039\d 1\/s on/)]);
  expect(zelvar('vary', project, '--vary', 'k=1,2', '--vary', 'x0=1,2', '--crossings').status).toBe(2);
});

test('vary: stopped, what is there is kept', async () => {
  const out = path('stopped.csv');
  const child = spawn(
    process.execPath,
    ['cli/zelvar.mjs', 'vary', project, '--vary', 'k~uniform(0.1,3)', '--runs', '1000000', '--jobs', '2', '--out', out],
    { stdio: ['ignore', 'ignore', 'pipe'] },
  );
  let told = '';
  child.stderr.on('data', (x: Buffer) => (told += x.toString()));
  const ended = new Promise<number | null>((resolve) => child.on('exit', resolve));
  // it says how long it will take once runs are done
  while (!told.includes('will take about')) await new Promise((resolve) => setTimeout(resolve, 100));
  child.kill('SIGINT');
  expect(await ended).toBe(130);
  expect(told).toMatch(/stopped after \d+ of 1000000 runs/);
  const rows = readFileSync(out, 'utf8').trim().split('\n');
  expect(rows.length).toBeGreaterThan(10);
  expect(rows.length).toBeLessThan(1_000_000);
  expect(rows.every((r, k) => k === 0 || r.startsWith(`${k},`))).toBe(true);
});

test('search and best: exit codes, values and margins', () => {
  const broken = zelvar(
    'search',
    project,
    '--requirement',
    'R-1',
    '--over',
    'k=0.5:2',
    '--over',
    'x0=0.5:1.5',
    '--runs',
    '60',
    '--json',
  );
  expect(broken.status).toBe(1);
  const found: { margin: number; values: { k: number; x0: number }; runs: number } = json(broken);
  expect(found.margin).toBeCloseTo(0.3 - 1.5 * Math.exp(-0.5), 3);
  expect(found.values.k).toBeCloseTo(0.5, 2);
  expect(found.runs).toBeLessThanOrEqual(75);
  const kept = zelvar('search', project, '--requirement', 'R-1', '--over', 'k=1.5:2', '--runs', '30');
  expect([kept.status, kept.stdout]).toEqual([0, expect.stringContaining('was not broken by')]);
  expect(zelvar('search', project, '--requirement', 'R-9', '--over', 'k=1:2')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('no requirement R-9'),
  });
  const best = zelvar('best', project, '--aim', 'min k', '--over', 'k=0.1:5', '--runs', '80', '--json');
  expect(best.status).toBe(0);
  const least: { value: number; allowed: boolean } = json(best);
  expect(least.allowed).toBe(true);
  expect(least.value).toBeCloseTo(-Math.log(0.3), 2);
  const most: { value: number } = json(
    zelvar('best', project, '--aim', 'max margin(R-1)', '--over', 'k=0.1:5', '--runs', '80', '--json'),
  );
  expect(most.value).toBeCloseTo(0.3 - Math.exp(-5), 3);
  expect(zelvar('best', project, '--aim', 'min x', '--over', 'k=0.1:0.5', '--runs', '20').status).toBe(1);
  expect(zelvar('best', project, '--aim', 'x', '--over', 'k=0.1:5').status).toBe(2);
  expect(zelvar('best', project, '--over', 'k=0.1:5')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('--aim says what'),
  });
  // two aims: x = exp(-k), so that each less of one is more of the other; R-1 holds from k = -ln(0.3) on
  const two = (...more: readonly string[]) =>
    zelvar('best', project, '--aim', 'min k', '--aim', 'min x', '--over', 'k=0.1:5', '--runs', '80', ...more);
  const { aims, border, runs } = json(two('--json')) as {
    aims: { aim: string }[];
    border: { values: { k: number }; aims: number[]; allowed: boolean }[];
    runs: number;
  };
  expect(aims.map((a) => a.aim)).toEqual(['min k', 'min x']);
  expect(border.length).toBeGreaterThan(8);
  expect(runs).toBeLessThanOrEqual(80);
  for (const p of border) {
    expect(p.aims[0]).toBeCloseTo(p.values.k, 9);
    expect(p.aims[1]).toBeCloseTo(1.0 * Math.exp(-p.values.k), 4);
    expect(p.allowed).toBe(true);
    expect(p.values.k).toBeGreaterThan(-Math.log(0.3) - 1e-3);
  }
  expect(two().stdout).toMatch(/^min k {3}min x {3}k\n/);
  expect(two('--under', 'R-1')).toMatchObject({ status: 2, stderr: expect.stringContaining('leave --under away') });
  expect(two('--aim', 'min k').stderr).toContain('there are more');
  expect(zelvar('best', project, '--aim', 'min x', '--over', 'k=5:1').status).toBe(2);
});

test('matters: shares of a margin', () => {
  // x(1) = x0 exp(-k): over a small range a sum of both
  const { status, stdout } = zelvar(
    'matters',
    project,
    '--over',
    'k=0.99:1.01',
    '--over',
    'x0=0.98:1.02',
    '--runs',
    '400',
    '--json',
  );
  expect(status).toBe(0);
  const { results } = JSON.parse(stdout) as {
    results: { name: string; values: { name: string; first: number; total: number; slope: number }[] }[];
  };
  const [k, x0] = results[0].values;
  // slopes -exp(-1) and exp(-1), ranges 0.02 and 0.04: one to four
  expect([results[0].name, k.first, x0.first]).toEqual(['R-1', expect.closeTo(0.2, 1), expect.closeTo(0.8, 1)]);
  expect([k.slope, x0.slope]).toEqual([expect.closeTo(Math.exp(-1), 3), expect.closeTo(-Math.exp(-1), 3)]);
  expect(zelvar('matters', project).status).toBe(2);
});

test('fit: a project and a class, with an input that drives, what is not decided, and bad data', () => {
  const rows = Array.from({ length: 201 }, (_, j) => {
    const t = j / 100;
    // x' = 2 - 1.7 x from 0.4
    const x = 2 / 1.7 + (0.4 - 2 / 1.7) * Math.exp(-1.7 * t);
    return `${t},2,${(x + 0.002 * Math.sin(j * j)).toFixed(6)}`;
  });
  const data = file('measured.csv', `time,u,level\n${rows.join('\n')}\n`);
  const args = ['--data', data, '--map', 'level=x', '--free', 'k=0.1:10', '--free', 'x0=-2:2', '--json'];
  const ofProject = zelvar('fit', project, ...args);
  expect(ofProject.status).toBe(0);
  type Told = {
    values: Record<string, { value: number; low: number; high: number }>;
    residual: number;
    notDecided: string[];
    correlation: Record<string, Record<string, number>>;
    drivenBy: string[];
  };
  const told: Told = json(ofProject);
  expect(told.values.k.value).toBeCloseTo(1.7, 2);
  expect(told.values.x0.low).toBeLessThan(0.4);
  expect(told.values.x0.high).toBeGreaterThan(0.4);
  expect(told.residual).toBeCloseTo(0.0014, 3);
  expect([told.notDecided, told.drivenBy]).toEqual([[], ['u']]);
  expect(told.correlation.k.k).toBe(1);
  const model = file(
    'm.mo',
    'model M input Real u; parameter Real k = 1; parameter Real a = 1; parameter Real b = 1; Real x(start = 0.4, fixed = true); equation der(x) = a*b*u/2 - k*x; end M;',
  );
  const open = zelvar(
    'fit',
    model,
    '--class',
    'M',
    '--data',
    data,
    '--map',
    'level=x',
    '--free',
    'k=0.1:10',
    '--free',
    'a=0.2:4',
    '--free',
    'b=0.5:5',
    '--json',
  );
  expect(open.status).toBe(1);
  const { notDecided, values }: Told = json(open);
  expect(notDecided).toEqual(['a', 'b']);
  expect(values.a.value * values.b.value).toBeCloseTo(2, 1);
  expect(values.k.value).toBeCloseTo(1.7, 1);
  expect(zelvar('fit', project, '--data', data, '--free', 'k=0.1:10')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('say which is which'),
  });
  expect(zelvar('fit', project, '--data', data, '--map', 'levl=x', '--free', 'k=0.1:10')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('did you mean level'),
  });
  expect(zelvar('fit', project, '--data', data, '--map', 'level=x', '--free', 'k=1')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('path=low:high'),
  });
  const back = file('back.csv', 'time,x\n0,1\n2,1\n1,1\n');
  expect(zelvar('fit', project, '--data', back, '--free', 'k=1:2')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('goes back in time'),
  });
});

test.each([
  ['held', (t: number) => t >= 0.5],
  ['ahead', (t: number) => t > 0.5],
] as const)('fit: an input that jumps between two rows is taken as what was measured says: %s', (between, isOn) => {
  // x' = 3 u - 2 x from 0.5 s on
  const rows = Array.from({ length: 41 }, (_, j) => {
    const t = j / 20;
    return `${t},${isOn(t) ? 1 : 0},${t < 0.5 ? 0 : 1.5 * (1 - Math.exp(-2 * (t - 0.5)))}`;
  });
  const data = file(`${between}.csv`, `time,u,x\n${rows.join('\n')}\n`);
  const model = file(
    'jump.mo',
    'model M input Real u; parameter Real a = 1; parameter Real k = 1; Real x(start = 0, fixed = true); equation der(x) = a*u - k*x; end M;',
  );
  const { stdout } = zelvar(
    'fit',
    model,
    '--class',
    'M',
    '--data',
    data,
    '--free',
    'a=0.1:10',
    '--free',
    'k=0.1:10',
    '--json',
  );
  const told = JSON.parse(stdout) as { values: Record<string, { value: number }>; between: string };
  expect(told.between).toBe(between);
  expect(told.values.a.value).toBeCloseTo(3, 4);
  expect(told.values.k.value).toBeCloseTo(2, 4);
});

test('compare: the same, different with the first place, and nothing in common', () => {
  const [a, b] = ['1', '1.001'].map((k, j) => {
    const out = path(`run-${j}.csv`);
    expect(zelvar('run', project, '--setup', 'Fall', '--set', `k=${k}`, '--out', out).status).toBeLessThan(2);
    return out;
  });
  expect(zelvar('compare', a, a).status).toBe(0);
  const different = zelvar('compare', a, b, '--json');
  expect(different.status).toBe(1);
  const { first }: { first: { column: string; time: number } } = json(different);
  expect(first.column).toBe('x');
  expect(zelvar('compare', a, b, '--tolerance', '0.01').status).toBe(0);
  expect(zelvar('compare', a, file('other.csv', 'time,z\n0,1\n1,1\n'))).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('no column in common'),
  });
});
test('a study of a setup whose software runs on a board', () => {
  const capper = join(__dirname, '../samples/tube-capper.zelvar.json');
  const { stdout, stderr } = zelvar('vary', capper, '--setup', 'Loose guard wire', '--vary', 'spindle.R=1.2,1.3');
  if (stderr.includes('is not available here: install')) return;
  expect(stdout).toMatch(/CAP-05 +holds in 0 of 2/);
  expect(stdout).toMatch(/CAP-13 +holds in 2 of 2/);
});
