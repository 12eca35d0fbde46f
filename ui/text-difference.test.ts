import fc from 'fast-check';
import { differenceOf } from './text-difference';

test('the piece put in its place makes one text the other, and it is no longer than it has to be', () => {
  const texts = fc.string({ unit: fc.constantFrom('a', 'b', '\n'), maxLength: 12 });
  fc.assert(
    fc.property(texts, texts, (before, after) => {
      const change = differenceOf(before, after);
      if (!change) return expect(before).toBe(after);
      const { from, to, insert } = change;
      expect(before.slice(0, from) + insert + before.slice(to)).toBe(after);
      const removed = before.slice(from, to);
      // neither end could stay
      if (removed !== '' && insert !== '') {
        expect(removed[0]).not.toBe(insert[0]);
        expect(removed.at(-1)).not.toBe(insert.at(-1));
      }
    }),
  );
});
test('what is typed in the middle is found there', () => {
  expect(differenceOf('x = 1;', 'x = 12;')).toEqual({ from: 5, to: 5, insert: '2' });
  expect(differenceOf('aaa', 'aa')).toEqual({ from: 2, to: 3, insert: '' });
});
