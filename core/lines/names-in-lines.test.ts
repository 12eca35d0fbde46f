import fc from 'fast-check';
import {
  abortsOnMessage,
  readActor,
  readCall,
  readControl,
  readLine,
  readRepeat,
  readStep,
  readWait,
} from './flow-line';
import { namesInProcedureLine, namesInScriptLine, namesInSequenceRow, type NamesInLine } from './names-in-lines';
import { argumentsIn, groupsOf, splitAt, whole, within } from './piece';
import { afterWord, readBound, readMessageRow, readSetRow, readStateRow, rowKind, secondsOf } from './sequence-row';

const shown = (text: string, names: readonly NamesInLine[]): string[] =>
  names.map((n) => `${n.kind}: ${text.slice(n.piece.start, n.piece.end)}${n.of === undefined ? '' : ` of ${n.of}`}`);

test('lines of procedures tell which pieces are formulas, statements, names', () => {
  const told = (text: string): string[] => shown(text, namesInProcedureLine(text));
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
test('lines of scripts likewise', () => {
  const told = (text: string): string[] => shown(text, namesInScriptLine(text));
  expect(told("  send ctrl.start(level = 3); wait until in(ctrl.mode.Ready) within 2 's' // torque")).toEqual([
    'path: ctrl',
    'message: start',
    'expression: in(ctrl.mode.Ready)',
  ]);
  expect(told("set guard.open = not ctrl.x; expect abs(torque) < 0.01 'N.m' always")).toEqual([
    'path: guard.open',
    'expression: not ctrl.x',
    "expression: abs(torque) < 0.01 'N.m'",
  ]);
  expect(told('repeat 3; if ctrl.n > 3; repeat until x; else; end; wait 2 s; send go; start')).toEqual([
    'expression: ctrl.n > 3',
    'expression: x',
    'message: go',
  ]);
  expect(told('settle = 3; // set x = 1')).toEqual([]);
});
test('rows of sequences likewise', () => {
  const told = (text: string): string[] => shown(text, namesInSequenceRow(text));
  expect(told('ctrl -> belt: advance; within 2 s')).toEqual(['path: ctrl', 'path: belt', 'message: advance']);
  expect(told('state ctrl: Fast')).toEqual(['state-path: ctrl: Fast']);
  expect(told('set guard.open = true')).toEqual(['path: guard.open', 'expression: true']);
  expect(told('check spindle.speed < 5; within 1 s')).toEqual(['expression: spindle.speed < 5']);
  expect(told('loop until ctrl.count > 3')).toEqual(['expression: ctrl.count > 3']);
});

test('calls tell the procedure, its quantities, their values and where the result goes; controls the procedure', () => {
  const told = (text: string): string[] => shown(text, namesInProcedureLine(text));
  expect(told('  call fill(level = max(a, 2), rate = r) into done')).toEqual([
    'procedure: fill',
    'argument: level of fill',
    'expression: max(a, 2)',
    'argument: rate of fill',
    'expression: r',
    'path: done',
  ]);
  expect(told('call fill')).toEqual(['procedure: fill']);
  expect(told('await fill')).toEqual(['procedure: fill']);
  expect(told('start the day with a coffee')).toEqual([]);
  expect(told('wait holdTime')).toEqual(['expression: holdTime']);
  expect(told('abort when torque > 1:')).toEqual(['expression: torque > 1']);
  expect(told('if x = "a; b":')).toEqual(['expression: x = "a; b"']);
});

test('rows of sequences: both sides of what is set, else guards', () => {
  const told = (text: string): string[] => shown(text, namesInSequenceRow(text));
  expect(told('set guard.open = other.x == 2')).toEqual(['path: guard.open', 'expression: other.x == 2']);
  expect(told('else if ctrl.count > 3')).toEqual(['expression: ctrl.count > 3']);
  expect(told('else')).toEqual([]);
  expect(told('loop n + 1 times')).toEqual(['expression: n + 1']);
});

describe('lines of procedures', () => {
  const read = (text: string) => ({ kind: readLine(text).kind, rest: readLine(text).rest.text });
  test.each([
    ['  operator: opens it ', 'step', 'operator: opens it'],
    ['if x > 2:', 'if', 'x > 2'],
    ['ELSE IF y', 'else-if', 'y'],
    ['else:', 'else', ''],
    ['at the same time', 'together', ''],
    ['lane: left', 'lane', 'left'],
    ['abort on stop', 'abort', 'stop'],
    ['ifs and buts', 'step', 'ifs and buts'],
    ['', 'empty', ''],
  ])('"%s" is %s', (text, kind, rest) => expect(read(text)).toEqual({ kind, rest }));

  test('who does a step, and what', () => {
    const step = readActor(whole('  gripper:  send close to jaws; takes tube, lid; uses recipe; gives clamped tube'));
    expect(step.actor?.text).toBe('gripper');
    const { action, ...items } = readStep(step.action);
    expect(action.text).toBe('send close to jaws');
    expect(items).toEqual({ takes: ['tube', 'lid'], uses: ['recipe'], gives: ['clamped tube'] });
    expect(readStep(whole('opens the guard'))).toMatchObject({ action: { text: 'opens the guard' }, takes: [] });
    expect(readActor(whole('no actor here')).actor).toBeUndefined();
  });
  test('waits, repeats, controls, calls', () => {
    expect(readWait(whole('until x'))).toMatchObject({ mode: 'until', what: { text: 'x' } });
    expect(readWait(whole('for seated(angle)'))).toMatchObject({ mode: 'for', what: { text: 'seated(angle)' } });
    expect(readWait(whole('for 2 s'))).toMatchObject({ mode: 'time', what: { text: '2 s' } });
    expect(readRepeat(whole('3'))).toMatchObject({ mode: 'times', what: { text: '3' } });
    expect(readRepeat(whole('n times'))).toMatchObject({ mode: 'times', what: { text: 'n' } });
    expect(readRepeat(whole('UNTIL x'))).toMatchObject({ mode: 'until', what: { text: 'x' } });
    expect(readRepeat(whole('often'))).toBeUndefined();
    expect(readControl(whole('stop fill'))).toMatchObject({ word: 'stop', procedure: { text: 'fill', start: 5 } });
    expect(readControl(whole('stop at once'))).toBeUndefined();
    expect([abortsOnMessage('  Abort on x'), abortsOnMessage('abort when x')]).toEqual([true, false]);
    const call = readCall(whole('fill(level = max(1, 2), speed = 3) into n'))!;
    expect([call.name.text, call.into?.text]).toEqual(['fill', 'n']);
    expect(call.args.map((a) => [a.name.text, a.value.text])).toEqual([
      ['level', 'max(1, 2)'],
      ['speed', '3'],
    ]);
    expect(readCall(whole('the other one'))).toBeUndefined();
  });
});

describe('rows of sequences', () => {
  test('messages, states, values, bounds', () => {
    const { rest, bound, unread } = readBound(whole('a -> b.c: go(x = f(1, 2)); within 2 s of start; mark end; soon'));
    expect(readMessageRow(rest)).toBeUndefined();
    const row = readMessageRow(whole('a -> b.c: go(x = 2, y = z)'))!;
    expect([row.from.text, row.to.text, row.message.text]).toEqual(['a', 'b.c', 'go']);
    expect(row.args.map((x) => `${x.name.text}=${x.value.text}`)).toEqual(['x=2', 'y=z']);
    expect(bound).toEqual({ mark: 'end', within: '2 s', notBefore: '', of: 'start' });
    expect(unread).toEqual(['soon']);
    expect(readStateRow(whole('ctrl: A.B'))).toMatchObject({ part: { text: 'ctrl' }, state: { text: 'A.B' } });
    expect(readStateRow(whole('ctrl'))).toBeUndefined();
    expect(readSetRow(whole('g.open = a == b'))).toMatchObject({
      target: { text: 'g.open' },
      value: { text: 'a == b' },
    });
    expect(readBound(whole('x; not before 1 s after m')).bound).toMatchObject({ notBefore: '1 s', of: 'm' });
  });
  test('kinds', () => {
    for (const [text, kind] of [
      ['alt x > 1', 'alt'],
      ['alt -> b: go', 'message'],
      ['par', 'par'],
      ['waiting', 'unread'],
      ['set x', 'unread'],
      [' ', 'empty'],
    ] as const)
      expect([text, rowKind(text)]).toEqual([text, kind]);
    expect(afterWord('  check  x > 1 ').text).toBe('x > 1');
    expect([secondsOf('3 h'), secondsOf('1e3 ms'), secondsOf('x')]).toEqual([10_800, 1, undefined]);
  });
});

test('a piece stands where it says, however it was cut out', () => {
  const words = fc
    .array(
      fc.constantFrom(
        'call',
        'fill',
        '(',
        ')',
        ' = ',
        ', ',
        'x',
        'wait',
        'until',
        'a -> b',
        ': ',
        '; ',
        'within 2 s',
        'set',
        'if',
        '  ',
        "'s'",
        'send go to p',
        ' takes t',
        'into',
      ),
      { maxLength: 10 },
    )
    .map((list) => list.join(' '));
  fc.assert(
    fc.property(words, (text) => {
      for (const { piece } of [...namesInProcedureLine(text), ...namesInSequenceRow(text)]) {
        expect(text.slice(piece.start, piece.end)).toBe(piece.text);
        expect(piece.text).toBe(piece.text.trim());
      }
      const line = whole(text);
      for (const p of [...splitAt(line, ','), ...argumentsIn(line).flatMap((a) => [a.name, a.value]), within(line, 2)])
        expect(text.slice(p.start, p.end)).toBe(p.text);
      expect(groupsOf(line, /(never there)/)).toBeUndefined();
    }),
    { numRuns: 500 },
  );
});
