import { tubeCapper } from '../../samples/tube-capper';
import { applyEdit } from './edits';
import { procedurePieces, sequencePieces } from '../project/line-texts';

const shown = (text: string, pieces: ReturnType<typeof procedurePieces>): string[] =>
  pieces.map((p) => `${p.kind}: ${text.slice(p.start, p.end)}`);

test('lines of procedures tell which pieces are formulas, statements, names', () => {
  const told = (text: string): string[] => shown(text, procedurePieces(text));
  expect(told('else if torque > 0.5')).toEqual(['expression: torque > 0.5']);
  expect(told('repeat n times')).toEqual(['expression: n']);
  expect(told('wait until in(mode.Fast)')).toEqual(['expression: in(mode.Fast)']);
  expect(told('wait for seated(angle)')).toEqual(['message: seated(angle)']);
  expect(told('wait 2 s')).toEqual([]);
  expect(told('abort on guardOpened')).toEqual(['message: guardOpened']);
  expect(told('belt: send advance to toBelt; takes tube')).toEqual([
    'path: belt',
    'statements: send advance to toBelt',
  ]);
  expect(told('count := count + 1')).toEqual(['statements: count := count + 1']);
  expect(told('gripper: holds the tube')).toEqual(['path: gripper']);
});
test('rows of sequences likewise', () => {
  const told = (text: string): string[] => shown(text, sequencePieces(text));
  expect(told('ctrl -> belt: advance; within 2 s')).toEqual(['path: ctrl', 'path: belt', 'message: advance']);
  expect(told('state ctrl: Fast')).toEqual(['state-path: ctrl: Fast']);
  expect(told('set guard.open = true')).toEqual(['path: guard.open ']);
  expect(told('check spindle.speed < 5; within 1 s')).toEqual(['expression: spindle.speed < 5']);
  expect(told('loop until ctrl.count > 3')).toEqual(['expression: ctrl.count > 3']);
});
test('renaming a part and a quantity follows into procedures, sequences and pictures', () => {
  const part = applyEdit(tubeCapper, {
    kind: 'rename',
    list: 'type/t-capper/part',
    id: 'p-gripper',
    name: 'jaws',
  }).project;
  const root = part.types.find((t) => t.id === 't-capper')!;
  const lines = [...root.procedures, ...root.sequences].flatMap((x) => x.lines.map((l) => l.text));
  expect(lines.join('\n')).not.toMatch(/\bgripper\b/);
  expect(lines).toContain('ctrl -> jaws: close');
  expect(lines).toContain('jaws: clamps the tube; takes waiting tube; gives held tube');
  const quantity = applyEdit(part, {
    kind: 'rename',
    list: 'type/t-gripper/quantity',
    id: 'q-position',
    name: 'way',
  }).project;
  expect(JSON.stringify(quantity.panels)).toContain('3600*jaws.way');
});
