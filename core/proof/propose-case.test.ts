import { tubeCapper } from '../../samples/tube-capper';
import { coverageReport } from '../coverage/report';
import { nowhere } from '../coverage/came';
import type { Project } from '../project/project';
import { nearestMiss } from './nearest-miss';
import { proposeCase } from './propose-case';
import { runCase } from './run-case';

const typeOf = (name: string) => tubeCapper.types.find((t) => t.name === name)!;
const itemOf = (project: Project, type: string, kind: string, text: RegExp) =>
  coverageReport(project, [])
    .types.find((t) => t.name === type)!
    .items.find((x) => x.item.kind === kind && text.test(x.item.text))!.item;

test.each([
  ['CapperControl', 'taken', /Turning → Fault.Slipping/],
  ['CapperControl', 'taken', /Stopped → Homing on reset/],
  ['CapperControl', 'condition', /^abs\(speed\) < 0.25 decides/],
  ['CapperControl', 'way', /^backEmf - resistance/],
  ['CapperControl', 'outcome', /^inBatch >= .*: true$/],
  ['OperatorPanel', 'left', /^FaultShown$/],
  ['Gripper', 'taken', /^Opening → Closing/],
])('a case of %s is found for: %s %s', (name, kind, text) => {
  const item = itemOf(tubeCapper, name, kind, text);
  const answer = proposeCase(tubeCapper, typeOf(name), item, { came: nowhere, idOf: () => 'k-new' });
  if (!('proposal' in answer)) throw new Error(answer.problem.message);
  const { value } = answer.proposal;
  const stage = value.stages.length > 0 ? ('code' as const) : undefined;
  const done = runCase(tubeCapper, value, { stage, isCounted: true });
  // what came is what it expects
  expect([done.verdict, done.why]).toEqual(['passed', '']);
  expect(value.script).toMatch(/expect in\(/);
  const report = coverageReport({ ...tubeCapper, cases: [value] }, [{ of: value, came: done.came! }]);
  const after = report.types.flatMap((t) => t.items).find((x) => x.item.key === item.key);
  expect(after?.item.hasCome).toBe(true);
});

test('what cannot be is not found, and that is no proof', () => {
  const item = itemOf(tubeCapper, 'CapperControl', 'taken', /Turning → Fault.Slipping/);
  const answer = proposeCase(
    tubeCapper,
    typeOf('CapperControl'),
    { ...item, of: { ...item.of, key: 'no such point' } },
    { came: nowhere, idOf: () => 'k' },
  );
  expect(answer).toMatchObject({ problem: { message: expect.stringContaining('no such element') } });
  const short = proposeCase(tubeCapper, typeOf('CapperControl'), item, { came: nowhere, idOf: () => 'k', most: 50 });
  expect(short).toMatchObject({ problem: { message: expect.stringContaining('does not say that there is nothing') } });
  const given = proposeCase(
    tubeCapper,
    typeOf('CapperControl'),
    itemOf(tubeCapper, 'CapperControl', 'taken', /Full → .*inBatch >=/),
    {
      came: nowhere,
      idOf: () => 'k',
      goesOn: () => false,
    },
  );
  expect('problem' in given ? given.problem.message : '').toMatch(/given up|does not say/);
});

test('how near a case came: what was compared, and when', () => {
  const item = itemOf(tubeCapper, 'CapperControl', 'taken', /Running → Fault.Overheated/);
  const cases = tubeCapper.cases.filter((c) => c.name === 'A tube is capped');
  const miss = nearestMiss(tubeCapper, cases, item)!;
  expect(miss.of.name).toBe('A tube is capped');
  expect([miss.left, miss.right]).toEqual(['ctrl.temperature', 'ctrl.hottest']);
  expect(miss.rightValue).toBe(95);
  // the winding gets a little warmer than the air
  expect(miss.leftValue).toBeGreaterThan(20);
  expect(miss.leftValue).toBeLessThan(60);
  expect(miss.gap).toBeGreaterThan(0);
  // while it was not running it was not asked: a case in which nothing runs says nothing
  const idle = tubeCapper.cases.filter((c) => c.name === 'Ready after switching on');
  expect(nearestMiss(tubeCapper, idle, item)).toBeUndefined();
});
