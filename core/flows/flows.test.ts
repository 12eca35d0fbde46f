import fc from 'fast-check';
import { readXml } from '../formats/xml';
import { newFlow, type Flow, type FlowLine } from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { applyEdit } from '../editing/edits';
import { infinitive, proposeRequirements } from './derive';
import {
  addBranch,
  extractBlock,
  indentBlock,
  insertAfter,
  moveBlock,
  removeBlock,
  shiftBlock,
  wrapBlock,
} from './edit-flow';
import { layoutFlow } from './layout';
import { readLine } from '../lines/flow-line';
import { readFlow, visitFlow } from './read-flow';
import { flowSvg } from './svg';

const linesOf = (text: string): FlowLine[] =>
  text
    .split('\n')
    .filter((l) => l.trim() !== '')
    .map((l, k) => ({ id: `l${k + 1}`, depth: /^ */.exec(l)![0].length / 2, text: l.trim() }));
const flowOf = (text: string, more: Partial<Flow> = {}): Flow => ({
  ...newFlow('f', 'Cap a tube'),
  actor: 'operator',
  ...more,
  lines: linesOf(text),
});
const textOf = (flow: Flow): string => flow.lines.map((l) => `${'  '.repeat(l.depth)}${l.text}`).join('\n');

const whole = `operator: closes the guard
operator: presses start
abort on the guard opens
  wait for tubeSeen
  together
    lane grip
      capper: clamps the tube
    capper: lowers the head
  repeat until the cap is seated
    capper: turns the cap
  if the cap is missing
    capper: reports it
  else if the tube is broken
    call Clear the station
  else
    capper: releases the tube
    wait 0.5 s`;

test.each([
  ['if x', 'if', 'x'],
  ['Else if y:', 'else-if', 'y'],
  ['else', 'else', ''],
  ['together:', 'together', ''],
  ['abort when z', 'abort', 'z'],
  ['elsewhere', 'step', 'elsewhere'],
  ['iffy: does', 'step', 'iffy: does'],
  ['waiter: brings it', 'step', 'waiter: brings it'],
  ['', 'empty', ''],
])('%j is %s', (text, kind, rest) => {
  expect(readLine(text)).toMatchObject({ kind, rest: { text: rest } });
});

test('lines become a tree', () => {
  const { nodes, problems } = readFlow(flowOf(whole), [{ ...newFlow('g', 'Clear the station') }]);
  expect(problems).toEqual([]);
  expect(nodes.map((n) => n.kind)).toEqual(['step', 'step', 'abort']);
  const zone = nodes[2];
  if (zone.kind !== 'abort') throw new Error('zone');
  expect(zone.body.map((n) => n.kind)).toEqual(['wait', 'parallel', 'repeat', 'choice']);
  const [, parallel, , choice] = zone.body;
  expect(parallel.kind === 'parallel' && parallel.lanes.map((l) => [l.name, l.body.length])).toEqual([
    ['grip', 1],
    ['', 1],
  ]);
  expect(choice.kind === 'choice' && choice.branches.map((b) => [b.guard, b.body.length])).toEqual([
    ['the cap is missing', 1],
    ['the tube is broken', 1],
    ['', 2],
  ]);
  expect(nodes[0]).toMatchObject({ actor: 'operator', text: 'closes the guard' });
});

test.each([
  ['else\n  a', /no "if" before/],
  ['if x', /Nothing stands inside this branch/],
  ['together\n  a', /At least two/],
  ['a\n  b', /Nothing can stand inside a step/],
  ['wait', /Wait for what/],
  ['wait long', /How long/],
  ['call Nowhere', /no flow "Nowhere"/],
  ['call Cap a tube', /never end/],
  ['repeat\n  a', /How often/],
  ['abort on x', /Nothing stands inside/],
  ['lane x\n  a', /stands inside "together"/],
])('%j is told', (text, message) => {
  const flow = flowOf(text);
  expect(
    readFlow(flow, [flow])
      .problems.map((p) => p.message)
      .join(),
  ).toMatch(message);
});

test('no lines make reading throw, and every step is visited once', () => {
  const line = fc.record({
    depth: fc.integer({ min: 0, max: 4 }),
    text: fc.constantFrom(
      'a',
      'x: b',
      'if c',
      'else if d',
      'else',
      'together',
      'lane e',
      'repeat 3 times',
      'abort on f',
      'wait 1 s',
      'call g',
      '',
    ),
  });
  fc.assert(
    fc.property(fc.array(line, { maxLength: 20 }), (list) => {
      const flow = { ...newFlow('f', 'F'), lines: list.map((l, k) => ({ ...l, id: `l${k}` })) };
      const { nodes } = readFlow(flow);
      const seen: string[] = [];
      visitFlow(nodes, (v) => seen.push(v.line.id));
      expect(new Set(seen).size).toBe(seen.length);
      const steps = flow.lines.filter((l) => readLine(l.text).kind === 'step');
      for (const s of steps) expect(seen).toContain(s.id);
      const layout = layoutFlow(nodes, { start: '', end: 'done' });
      for (const b of layout.boxes)
        expect(
          b.x >= 0 && b.y >= 0 && b.x + b.width <= layout.width + 1e-9 && b.y + b.height <= layout.height + 1e-9,
        ).toBe(true);
    }),
    { numRuns: 300 },
  );
});

describe('changing lines from the drawing', () => {
  const flow = flowOf(whole);
  const apply = (edit: ReturnType<typeof insertAfter> | undefined, on = flow): string => {
    const project = { ...tubeCapper, flows: [on] };
    const result = applyEdit(project, edit!);
    expect(result.refused).toBeUndefined();
    return textOf(result.project.flows[0]);
  };
  const small = flowOf('a\nif x\n  b\n  c\nelse\n  d\ne');
  const id = (text: string): string => small.lines.find((l) => l.text === text)!.id;
  test('a step after a step, and inside a branch', () => {
    expect(apply(insertAfter(small, id('a'), { id: 'n', text: 'new' }), small)).toBe(
      'a\nnew\nif x\n  b\n  c\nelse\n  d\ne',
    );
    expect(apply(insertAfter(small, id('if x'), { id: 'n', text: 'new' }), small)).toBe(
      'a\nif x\n  new\n  b\n  c\nelse\n  d\ne',
    );
    expect(apply(insertAfter(small, undefined, { id: 'n', text: 'new' }), small)).toMatch(/e\nnew$/);
  });
  test('a branch goes with all that is inside it', () =>
    expect(apply(removeBlock(small, id('if x')), small)).toBe('a\nelse\n  d\ne'));
  test('moving, shifting, indenting, wrapping', () => {
    expect(apply(moveBlock(small, id('e'), id('c')), small)).toBe('a\nif x\n  b\n  e\n  c\nelse\n  d');
    expect(moveBlock(small, id('if x'), id('b'))).toBeUndefined();
    expect(apply(shiftBlock(small, id('c'), -1), small)).toBe('a\nif x\n  c\n  b\nelse\n  d\ne');
    expect(apply(shiftBlock(small, id('a'), 1), small)).toBe('if x\n  b\n  c\na\nelse\n  d\ne');
    expect(shiftBlock(small, id('b'), -1)).toBeUndefined();
    expect(apply(indentBlock(small, id('e'), 1), small)).toMatch(/\n {2}e$/);
    expect(indentBlock(small, id('a'), 1)).toBeUndefined();
    expect(apply(wrapBlock(small, id('a'), { id: 'n', text: 'repeat 3 times' }), small)).toMatch(
      /^repeat 3 times\n {2}a\nif x/,
    );
  });
  test('another branch', () =>
    expect(
      apply(
        addBranch(
          small,
          id('if x'),
          (() => {
            let k = 0;
            return () => `n${++k}`;
          })(),
        ),
        small,
      ),
    ).toBe('a\nif x\n  b\n  c\nelse if\n  step\nelse\n  d\ne'.replace('else if\n', 'else if \n')));
  test('a branch becomes a flow of its own that is called', () => {
    const { project } = applyEdit(
      { ...tubeCapper, flows: [small] },
      extractBlock(small, id('if x'), 'n', 'B and C', (lines) => ({ ...newFlow('g', 'B and C'), lines })),
    );
    expect(project.flows.map(textOf)).toEqual(['a\nif x\n  call B and C\nelse\n  d\ne', 'b\nc']);
    expect(readFlow(project.flows[0], project.flows).problems).toEqual([]);
  });
});

test('requirements are proposed in the house pattern', () => {
  const flow = flowOf(whole, { trigger: 'The operator wants a capped tube' });
  const { nodes } = readFlow(flow, []);
  const text = (line: string): string | undefined =>
    proposeRequirements(flow, nodes, 'capper', (l) => l === flow.lines.find((x) => x.text === line)!.id)[0]?.text;
  expect(text('operator: presses start')).toBe('The capper shall let the operator press start.');
  expect(text('abort on the guard opens')).toBe('When the guard opens, the capper shall stop within .... s.');
  expect(text('capper: reports it')).toBe('If the cap is missing, the capper shall report it within .... s.');
  expect(text('if the cap is missing')).toBe('If the cap is missing, the capper shall .... within .... s.');
  expect(text('wait 0.5 s')).toBe('When the capper releases the tube, the capper shall wait for at least 0.5 s.');
  expect(['presses', 'carries', 'goes', 'closes', 'has', 'stop'].map(infinitive)).toEqual([
    'press',
    'carry',
    'go',
    'close',
    'have',
    'stop',
  ]);
});

test('the drawing is well-formed SVG with every text in it, whatever the texts', () => {
  const flow = flowOf('a: <b> & "c"\nif x < 5\n  d');
  const svg = flowSvg(layoutFlow(readFlow(flow).nodes, { start: 'begin', end: '' }), 'T & t');
  expect(readXml(svg).problem).toBeUndefined();
  for (const word of ['&lt;b&gt;', 'x &lt; 5', 'begin']) expect(svg).toContain(word);
});
