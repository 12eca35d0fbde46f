import type { SourceLine } from '@/core/stepcode/write-c';
import type { TraceElement } from '@/core/trace/elements';
import { changesSince, elementAt, elementOfLine, elementsOf } from './code-lines';

const element = (address: string): TraceElement => ({
  address,
  kind: 'state',
  label: address,
  content: '',
  mark: '',
  owner: '',
});
const [chart, on, off] = ['type/t/chart/c', 'type/t/chart/c/state/on', 'type/t/chart/c/state/off'].map(element);
const all = [chart, on, off];
const byAddress = new Map(all.map((e) => [e.address, e]));
const line = (element: string, from: number, to: number, file: SourceLine['file'] = 'source'): SourceLine => ({
  file,
  from,
  to,
  element,
});
const lines = [
  line(off.address, 30, 35),
  line(on.address, 1, 12),
  line(`${on.address}/entry`, 4, 5),
  line(chart.address, 1, 20),
  line(on.address, 13, 13),
  line(on.address, 17, 18),
  line(on.address, 2, 2, 'header'),
  line('type/gone/chart/x', 40, 41),
];

test('an element has its lines and those of its texts, in their order, those that touch as one', () => {
  expect(elementsOf(lines, 'source', all, byAddress)).toEqual([
    { element: chart, lines: [{ from: 1, to: 20 }] },
    {
      element: on,
      lines: [
        { from: 1, to: 13 },
        { from: 17, to: 18 },
      ],
    },
    { element: off, lines: [{ from: 30, to: 35 }] },
  ]);
  expect(elementsOf(lines, 'header', all, byAddress)).toEqual([{ element: on, lines: [{ from: 2, to: 2 }] }]);
});
test('a line is of the innermost element around it', () => {
  const of = (n: number, file: SourceLine['file'] = 'source') => elementOfLine(n, lines, file, byAddress);
  expect([of(4), of(12), of(15), of(17), of(33)]).toEqual([on, on, chart, on, off]);
  expect([of(25), of(40), of(2, 'header'), of(3, 'header')]).toEqual([undefined, undefined, on, undefined]);
  expect(elementAt(`${off.address}/entry`, byAddress)).toBe(off);
  expect(elementAt('nothing', byAddress)).toBeUndefined();
});
test('what is not as it was: new lines, other lines, and the place of what is gone', () => {
  const was = 'a\nb\nc\nd\n';
  expect(changesSince(was, was)).toEqual([]);
  expect(changesSince(was, 'a\nx\ny\nb\nc\nd\n')).toEqual([{ from: 2, to: 3, was: '' }]);
  expect(changesSince(was, 'a\nB\nc\nd\n')).toEqual([{ from: 2, to: 2, was: 'b\n' }]);
  expect(changesSince(was, 'a\nd\n')).toEqual([{ from: 2, to: 2, was: 'b\nc\n' }]);
  expect(changesSince(was, 'a\nb\nc\n')).toEqual([{ from: 3, to: 3, was: 'd\n' }]);
});
