import { parseExpressionText, parseStatementsText } from '../language/parse';
import { evaluate, execute, seconds, type Environment, type RunValue } from './interpreter';

/** Actions of charts as they are carried out one by one, outside of a compiled model. */

interface Sent {
  readonly message: string;
  readonly args: Readonly<Record<string, RunValue>>;
  readonly after: number | undefined;
}
function environment(given: Readonly<Record<string, RunValue>>, active: readonly string[] = []) {
  const values = new Map<string, RunValue>(Object.entries(given));
  const sent: Sent[] = [];
  const withdrawn: string[] = [];
  const env: Environment = {
    has: (name) => values.has(name),
    get: (name) => values.get(name),
    set: (name, value) => void values.set(name, value),
    declare: (name, value) => void (values.has(name) || values.set(name, value)),
    isActive: (state) => active.includes(state),
    send: (node, args, after) => void sent.push({ message: node.message, args, after }),
    cancel: (message) => void withdrawn.push(message),
  };
  return { env, values, sent, withdrawn };
}
const given: Readonly<Record<string, RunValue>> = {
  n: 3,
  x: 2.5,
  on: true,
  list: [4, 5, 6],
  box: { width: 2, deep: { z: 7 } },
};
const value = (text: string, active: readonly string[] = []): RunValue => {
  const read = parseExpressionText(text);
  expect([text, read.problems]).toEqual([text, []]);
  return evaluate(read.value, environment(given, active).env);
};
const after = (text: string, name: string): RunValue => {
  const read = parseStatementsText(text);
  expect([text, read.problems]).toEqual([text, []]);
  const { env, values } = environment(given);
  execute(read.value, env);
  return values.get(name);
};

test('numbers, truths, texts and what is chosen between them', () => {
  for (const [text, expected] of [
    ['n + 2*x', 8],
    ['-n^2', -9],
    ['n/2', 1.5],
    ['mod(-7, 3)', 2],
    ['rem(-7, 3)', -1],
    ['div(-7, 3)', -2],
    ['floor(-x) + ceil(x)', 0],
    ['min(n, x) + max(n, x)', 5.5],
    ['atan2(1, -1)', Math.atan2(1, -1)],
    ['log10(1000)', 3],
    ['n > 2 and not (x > 3)', true],
    ['n < 2 or on', true],
    ['n == 3', true],
    ['n <> 3', false],
    ['if x > 2 then 1 elseif on then 2 else 3', 1],
    ['if x > 3 then 1 elseif on then 2 else 3', 2],
    ['if x > 3 then 1 elseif not on then 2 else 3', 3],
    ['"a" + "b"', 'ab'],
    ['"a" == "a"', true],
  ] as const)
    expect([text, value(text)]).toEqual([text, expected]);
});

test('what is not asked for is not looked at: the right side of and, or, and the other branch', () => {
  expect(value('false and nothing > 1')).toBe(false);
  expect(value('true or nothing > 1')).toBe(true);
  expect(value('if on then 1 else nothing')).toBe(1);
  expect(() => value('true and nothing > 1')).toThrow(/nothing/);
});

test('lists and fields', () => {
  expect(value('list[2]')).toBe(5);
  expect(value('list[n]')).toBe(6);
  expect(value('size(list, 1)')).toBe(3);
  expect(value('box.deep.z + box.width')).toBe(9);
  expect(value('{1, n, x}')).toEqual([1, 3, 2.5]);
  expect(value('cat(1, list, {7}, 8)')).toEqual([4, 5, 6, 7, 8]);
});

test('states of the chart', () => {
  expect(value('in(Fast)', ['Fast'])).toBe(true);
  expect(value('in(mode.Fast)', ['Fast'])).toBe(true);
  expect(value('in(Slow)', ['Fast'])).toBe(false);
});

test('statements: one after the other, loops with their own counter', () => {
  expect(after('n := n + 1; n := 2*n;', 'n')).toBe(8);
  expect(after('for i in 1:4 loop n := n + i; end for;', 'n')).toBe(13);
  expect(after('for i in {2, 7} loop n := n*i; end for;', 'n')).toBe(42);
  expect(after('while n < 100 loop n := 2*n; end while;', 'n')).toBe(192);
  expect(after('if x > 3 then n := 0; elseif on then n := 1; else n := 2; end if;', 'n')).toBe(1);
  expect(after('list[2] := 50;', 'list')).toEqual([4, 50, 6]);
});

test('an element that is none is told instead of written beside the list', () => {
  for (const index of ['0', '-1', '1.5'])
    expect(() => after(`list[${index}] := 1;`, 'list')).toThrow(`list has no element ${index}`);
  expect(() => after('nowhere := 1;', 'n')).toThrow(/There is no nowhere/);
  expect(() => after('n[1] := 1;', 'n')).toThrow(/n is not a list/);
});

test('the first statement that fails ends them, and what was done before stays', () => {
  const { env, values } = environment(given);
  const { value: statements } = parseStatementsText('n := 10; x := nothing; n := 20;');
  expect(() => execute(statements, env)).toThrow();
  expect(values.get('n')).toBe(10);
});

test('messages are sent with the values of that moment, now or later, and taken back by name', () => {
  const { env, sent, withdrawn } = environment(given);
  const { value: statements, problems } = parseStatementsText(
    "send go(speed = n, far = x > 2) to motor; n := 9; send late after 250 'ms'; send soon(at = n) after x; cancel late;",
  );
  expect(problems).toEqual([]);
  execute(statements, env);
  expect(sent).toEqual([
    { message: 'go', args: { speed: 3, far: true }, after: undefined },
    { message: 'late', args: {}, after: 0.25 },
    { message: 'soon', args: { at: 9 }, after: 2.5 },
  ]);
  expect(withdrawn).toEqual(['late']);
});

test('times are numbers of seconds, or texts with a unit', () => {
  for (const [text, s] of [
    [2, 2],
    ['2s', 2],
    [' 250 ms ', 0.25],
    ['.5s', 0.5],
    ['1.5', 1.5],
    ['3m', 180],
    ['2h', 7200],
    ['1d', 86400],
  ] as const)
    expect([text, seconds(text)]).toEqual([text, s]);
  for (const wrong of ['1.2.3s', 'soon', '5 weeks', '', '-1s', true, undefined] as RunValue[])
    expect(() => seconds(wrong)).toThrow(/is not a time/);
});
