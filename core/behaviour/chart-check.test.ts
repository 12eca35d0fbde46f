import {
  newChart,
  newState,
  newTransition,
  type Chart,
  type ChartState,
  type StateKind,
  type Transition,
} from '../project/project';
import { checkChart } from './chart-check';
import { readChart } from './chart-source';

const state = (name: string, parent: string | null = null, kind: StateKind = 'state'): ChartState =>
  newState(name, name, parent, 0, 0, kind);
const arrow = (from: string, to: string, message: string, guard = '', more: Partial<Transition> = {}): Transition => ({
  ...newTransition(`${from}-${to}-${message}-${guard}`, from, to),
  triggers: message === '' ? [] : [{ kind: 'message', on: message }],
  guard,
  ...more,
});
const chart = (states: readonly ChartState[], transitions: readonly Transition[]): Chart => ({
  ...newChart('c', 'mode'),
  states,
  transitions,
});
const told = (c: Chart, sent?: readonly string[]): string[] =>
  checkChart(readChart(c, '', []), sent && { accepted: undefined, sent: new Set(sent) }).map(
    (p) => `${p.code}: ${p.message}`,
  );

test('a sound chart has nothing to say', () => {
  expect(
    told(
      chart(
        [state('A'), state('B')],
        [arrow('A', 'B', 'go', 'x > 2'), arrow('A', 'A', 'go', 'x <= 2'), arrow('B', 'A', 'back')],
      ),
      ['go', 'back'],
    ),
  ).toEqual([]);
});
test('states nothing leads to, also behind guards that are never true', () => {
  const c = chart(
    [state('A'), state('B'), state('C'), state('D'), state('D1', 'D'), state('D2', 'D')],
    [
      arrow('A', 'B', 'go', '1 > 2'),
      arrow('A', 'D2', 'x'),
      arrow('D', 'A', 'y'),
      arrow('C', 'A', 'z'),
      arrow('B', 'A', 'w'),
    ],
  );
  expect(told(c)).toEqual([
    'unreachable: Nothing leads to B',
    'unreachable: Nothing leads to C',
    'unreachable: Nothing leads to D1',
    'never-fires: This transition can never fire: its guard is always false',
  ]);
});
test('a history reaches what it may remember by default; lanes are all reached', () => {
  const c = chart(
    [
      state('A'),
      state('P', null, 'parallel'),
      state('L', 'P'),
      state('L1', 'L'),
      state('R', 'P'),
      state('R1', 'R'),
      state('H', 'R', 'history'),
    ],
    [arrow('A', 'L1', 'go'), arrow('P', 'A', 'stop'), arrow('A', 'H', 'again')],
  );
  expect(told(c)).toEqual([]);
});
test('guards that can never be true, and those that always are', () => {
  const c = chart(
    [state('A'), state('B')],
    [
      arrow('A', 'B', 'a', 'x > 2 and x < 1'),
      arrow('A', 'B', 'b', 'true'),
      arrow('A', 'B', 'c', 'ready and not ready'),
      arrow('A', 'B', 'd', "x > 1 'm' and x < 3 's'"),
      arrow('B', 'A', 'e', 'x >= 2 and 2 >= x'),
    ],
  );
  expect(told(c).map((t) => t.split(':')[0])).toEqual(['never-fires', 'always-fires', 'never-fires']);
});
test('overlapping guards without an order, and what an unguarded one hides', () => {
  const c = chart(
    [state('A'), state('B')],
    [
      arrow('A', 'B', 'go', 'x > 2'),
      arrow('A', 'A', 'go', 'x < 3'),
      arrow('A', 'B', 'go', 'else'),
      arrow('B', 'A', 'go'),
      arrow('B', 'B', 'go', 'x > 1'),
    ],
  );
  expect(told(c)).toEqual([
    expect.stringMatching(/^overlap: Its guard .* can both be true/),
    expect.stringMatching(/^never-fires: .* an earlier one of B/),
  ]);
});
test('a choice without a way for every case', () => {
  const states = [state('A'), state('C', null, 'choice'), state('B')];
  expect(told(chart(states, [arrow('A', 'C', 'go'), arrow('C', 'B', '', 'x > 2'), arrow('B', 'A', 'back')]))).toEqual([
    expect.stringMatching(/^no-else: The choice C/),
  ]);
  expect(
    told(
      chart(states, [
        arrow('A', 'C', 'go'),
        arrow('C', 'B', '', 'x > 2'),
        arrow('C', 'A', '', 'else'),
        arrow('B', 'A', 'back'),
      ]),
    ),
  ).toEqual([]);
  expect(told(chart(states, [arrow('A', 'C', 'go'), arrow('B', 'A', 'back')]))).toEqual(
    expect.arrayContaining([expect.stringMatching(/^no-way-out/)]),
  );
});
test('states that are never left', () => {
  expect(told(chart([state('A'), state('B')], [arrow('A', 'B', 'go'), arrow('B', 'B', 'go')]))).toEqual([
    'trap: B is never left: give it a way out, or make it an end',
  ]);
  expect(told(chart([state('A'), state('B', null, 'final')], [arrow('A', 'B', 'go')]))).toEqual([]);
});
test('messages nobody sends, with the one probably meant', () => {
  expect(
    told(chart([state('A'), state('B')], [arrow('A', 'B', 'strat'), arrow('B', 'A', 'stop')]), ['start', 'stop']),
  ).toEqual(['nobody-sends: Nobody sends strat: no text, setup or panel does; did you mean start?']);
});
