import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { tubeCapper } from '../samples/tube-capper';
import { commandHost } from './testing/command';
import { capperFolder, short } from './testing/short-capper';

jest.setTimeout(400_000);
const { run: zelvar, end } = commandHost();
afterAll(end);
const { path, projectFile } = capperFolder('evidence');
const file = projectFile('short.json', { name: 'Short capper', cases: [short] });
const endings = ['html', 'xlsx', 'json'] as const;

test('evidence is written in three forms, each of which fits the project it is of', () => {
  const out = path('out');
  const made = zelvar('evidence', 'write', file, '--out', out, '--stage', 'sampled,code', '--sign', 'Ada Moss: seen');
  expect(made.stderr).toBe('');
  expect(made.stdout).toMatch(/^passed {3}Short, code$/m);
  expect(made.stdout).toMatch(/^outcomes: 2 passed, 0 failed, 0 missing; \d+ open points$/m);
  // requirements are open
  expect(made.status).toBe(1);
  for (const ending of endings) {
    const { status, stdout } = zelvar(
      'evidence',
      'check',
      join(out, `short-capper-evidence.${ending}`),
      '--project',
      file,
    );
    expect(stdout).toMatch(/^right {2}It is of this project, as it is$/m);
    expect(stdout).toMatch(/Nothing is wrong\n$/);
    expect(status).toBe(0);
  }
  const json = join(out, 'short-capper-evidence.json');
  const evidence = JSON.parse(readFileSync(json, 'utf8')) as { signed: unknown[]; tools: { name: string }[] };
  expect(evidence.signed).toMatchObject([{ name: 'Ada Moss', words: 'seen' }]);
  expect(evidence.tools.map((t) => t.name)).toEqual(['Zelvar', 'Node.js']);
  expect(zelvar('evidence', 'check', json).stdout).toMatch(/^open {3}No project was given/m);

  // of another state of it, and of something else
  const types = tubeCapper.types.map((t) =>
    t.id === 't-cappercontrol'
      ? { ...t, quantities: t.quantities.map((q) => (q.name === 'holdTime' ? { ...q, value: '0.11' } : q)) }
      : t,
  );
  const other = projectFile('other.json', { name: 'Short capper', cases: [short], types });
  const found = zelvar('evidence', 'check', json, '--project', other, '--json');
  expect(found.status).toBe(1);
  const { checks } = JSON.parse(found.stdout) as { checks: { kind: string; text: string; details: string[] }[] };
  expect(checks.flatMap((c) => (c.kind === 'wrong' ? [[c.text, ...c.details]] : []))).toEqual([
    ['It is of another state of this project: 1 piece differs', 'part type CapperControl is another'],
    ['Other code is generated now', 'CapperControl.c is another'],
    ['Outcomes are of something else than is there now', 'Short: what it rests on is another'],
  ]);
});

test('what was changed or cut short is found, what cannot be read is refused', () => {
  const out = path('again');
  zelvar('evidence', 'write', file, '--out', out, '--stage', 'code');
  const html = readFileSync(join(out, 'short-capper-evidence.html'), 'utf8');
  const check = (text: string) => {
    writeFileSync(path('changed.html'), text);
    return zelvar('evidence', 'check', path('changed.html'));
  };
  const nicer = check(html.replace('○ open', '✓ met'));
  expect(nicer.status).toBe(1);
  expect(nicer.stdout).toMatch(/^wrong {2}What it shows is not what its data says\n {9}line \d+: CAP-01 .* ✓ met/m);
  const cut = check(html.slice(0, html.length - 200));
  expect([cut.status, cut.stderr]).toEqual([2, expect.stringMatching(/cut short/)]);
  expect(zelvar('evidence', 'check', path('nothing.html')).status).toBe(2);
  expect(zelvar('evidence', 'check', file).stderr).toMatch(/This is no evidence of Zelvar/);
});

test('what was asked for in a way that makes no sense is told', () => {
  const out = path('none');
  const said = (...args: readonly string[]) => {
    const { status, stderr } = zelvar('evidence', 'write', ...args);
    return [status, stderr.trim()];
  };
  expect(said(file, '--out', out, '--sign', ': seen')).toEqual([2, expect.stringMatching(/--sign says who/)]);
  expect(said(file, '--out', out, '--stage', 'codex')).toEqual([2, expect.stringMatching(/there is no stage codex/)]);
  expect(said(projectFile('empty.json', { cases: [] }), '--out', out)).toEqual([
    2,
    expect.stringMatching(/has no test cases/),
  ]);
  expect(said(file, '--out', out, '--baseline', path('gone.json'))).toEqual([
    2,
    expect.stringMatching(/cannot be read/),
  ]);
  expect(said(file, '--out', join(file, 'inside'), '--stage', 'code')).toEqual([
    2,
    expect.stringMatching(/cannot be written/),
  ]);
});

test('a baseline is said to be what was tested, or how far the project is from it', () => {
  const before = projectFile('before.json', { name: 'Short capper', note: 'before', cases: [short] });
  const told = (baseline: string): string => {
    const { stdout } = zelvar(
      'evidence',
      'write',
      file,
      '--out',
      path('base'),
      '--stage',
      'code',
      '--baseline',
      baseline,
      '--json',
    );
    return (JSON.parse(stdout) as { openPoints: { kind: string; text: string }[] }).openPoints
      .filter((p) => p.kind.includes('baseline'))
      .map((p) => p.text)
      .join();
  };
  expect(told(file)).toBe('');
  expect(told(before)).toBe('1 difference to before.json');
});

test('images are digested by what a chip is loaded with, and built again to be compared', () => {
  if (spawnSync('avr-gcc', ['--version']).status !== 0) {
    console.warn('avr-gcc is not here: images of evidence are left out');
    return;
  }
  const out = path('board');
  const made = zelvar('evidence', 'write', file, '--out', out, '--stage', 'board', '--json');
  expect(made.stderr).toBe('');
  const json = join(out, 'short-capper-evidence.json');
  const evidence = JSON.parse(readFileSync(json, 'utf8')) as { images: { bytes: number }[]; tools: { name: string }[] };
  expect(evidence.images[0].bytes).toBeGreaterThan(1000);
  expect(evidence.tools.map((t) => t.name)).toContain('avr-gcc');
  const { stdout, status } = zelvar('evidence', 'check', json, '--project', file);
  expect(stdout).toMatch(/^right {2}Images are built as they were: 1$/m);
  expect(status).toBe(0);
});
