import type { Procedure } from '../project/project';
import { procedure, procedureValue as value } from '../testing/procedures';
import { createChartRun } from './chart-run';
import { readProcedure } from './procedure-source';

/** Runs a procedure that starts by itself; the others can be called. */
function run(
  text: string,
  values: readonly ReturnType<typeof value>[] = [value('n')],
  others: readonly Procedure[] = [],
) {
  const main = procedure('work', text, { main: true, values });
  const problems: { message: string; place?: string }[] = [];
  const source = readProcedure(main, [main, ...others], '', problems as never[]);
  const made = createChartRun({ source, services: [] });
  made.start();
  return { made, problems, at: () => made.active().join(' | ') };
}

test('steps follow each other at once; assignments are done on the way; then it is finished', () => {
  const { made, at } = run('n := n + 1\noperator: looks at it\nn := n * 10');
  expect([at(), made.value('n')]).toEqual(['Finished', 10]);
});

test('waits: for a time, until a condition, for a message with an argument', () => {
  const { made, at } = run('wait 2 s\nwait until n > 3\nwait for go(level)\nn := level');
  expect(at()).toBe('1 wait 2 s');
  made.advance(1.9);
  expect(at()).toBe('1 wait 2 s');
  made.advance(0.2);
  expect(at()).toBe('2 wait until n > 3');
  const timed = run('wait 500 ms\nn := 5');
  timed.made.advance(0.5);
  expect(timed.made.value('n')).toBe(5);
});

test('choices take the first branch whose condition holds, else the other, else none', () => {
  const text = 'if n > 10\n  n := 1\nelse if n > 5\n  n := 2\nelse\n  n := 3';
  expect(run(text, [value('n', '11')]).made.value('n')).toBe(1);
  expect(run(text, [value('n', '7')]).made.value('n')).toBe(2);
  expect(run(text, [value('n', '0')]).made.value('n')).toBe(3);
  expect(run('if n > 10\n  n := 1\nn := n + 100', [value('n', '2')]).made.value('n')).toBe(102);
});

test('what goes on together is over when all of it is; the lanes have their own waits', () => {
  const { made, at } = run(
    'together\n  lane left\n    wait 1 s\n    n := n + 1\n  lane right\n    wait 3 s\n    n := n + 10\nn := n + 100',
  );
  expect(at()).toBe('3 wait 1 s | 6 wait 3 s');
  made.advance(1);
  expect([at(), made.value('n')]).toEqual([expect.stringMatching(/end.* \| 6 wait 3 s/), 1]);
  made.advance(2);
  expect([at(), made.value('n')]).toEqual(['Finished', 111]);
});

test('repeats: a number of times, while, until (at least once), nested with counters of their own', () => {
  expect(run('repeat 3 times\n  repeat 4 times\n    n := n + 1').made.value('n')).toBe(12);
  expect(run('repeat 0 times\n  n := n + 1').made.value('n')).toBe(0);
  expect(run('repeat while n < 5\n  n := n + 2').made.value('n')).toBe(6);
  expect(run('repeat until n > 1\n  n := n + 10').made.value('n')).toBe(10);
  expect(run('repeat m times\n  n := n + 1', [value('n'), value('m', '6')]).made.value('n')).toBe(6);
});

test('an abort zone is left by its message, whatever goes on inside, and the procedure goes on after it', () => {
  const text =
    'abort on guardOpened\n  together\n    lane a\n      wait 5 s\n    lane b\n      wait for never\n  n := 1\nn := n + 10';
  const { made, at } = run(text);
  made.send('guardOpened');
  expect([at(), made.value('n')]).toEqual(['Finished', 10]);
  const condition = run('abort when n > 2\n  wait for go\n  n := 5\n  wait 1 s\n  n := 50');
  condition.made.send('go');
  expect([condition.at(), condition.made.value('n')]).toEqual(['Finished', 5]);
});

test('calls give values by name and bring a result back; each call has quantities of its own', () => {
  const twice = procedure('twice', 'out := 2 * level\nwait 1 s', {
    values: [value('level', '7'), value('out')],
    result: 'out',
  });
  const { made, at, problems } = run('call twice(level = n + 1) into n\ncall twice into n', [value('n', '4')], [twice]);
  expect(problems).toEqual([]);
  made.advance(1);
  expect(made.value('n')).toBe(10);
  made.advance(1);
  expect([at(), made.value('n')]).toEqual(['Finished', 14]);
});

test('it can be stopped and started anew; its quantities start anew too', () => {
  const { made, at } = run('n := n + 1\nwait 5 s');
  made.send('work.stop');
  expect(at()).toBe('Stopped');
  made.send('work.start');
  expect([at(), made.value('n')]).toEqual(['2 wait 5 s', 1]);
});

test('what cannot be read is told at its line', () => {
  const told = (text: string, others: readonly Procedure[] = []): string[] =>
    run(text, [value('n')], others).problems.map((p) => `${p.place} ${p.message}`);
  expect(told('n := \nwait until )\ncall nothing\nrepeat often\n  n := 1')).toEqual([
    expect.stringContaining('/line/l3'),
    expect.stringMatching(/^\/line\/l2 There is no procedure nothing here/),
    expect.stringContaining('/line/l1'),
    expect.stringContaining('/line/l0'),
  ]);
  expect(told('wait for go\nwait for go(level)')).toEqual([]);
  expect(told('wait for go there\nwait for n > 2')).toEqual([
    expect.stringMatching(/"n > 2" is not the name of a message/),
    expect.stringMatching(/"go there" is not the name of a message; for a condition write "wait until \.\.\."/),
  ]);
  const self = procedure('self', 'call self');
  expect(told('call self', [self])).toEqual([expect.stringContaining('calls itself without end')]);
  expect(told('call twice(lvel = 2)', [procedure('twice', 'n := level', { values: [value('level')] })])).toEqual([
    expect.stringContaining('twice has no quantity lvel; it has level'),
  ]);
});
