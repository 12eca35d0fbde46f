/** @jest-environment jsdom */
import { renderHook } from '@testing-library/react';
import { isSame, useSteady } from './use-steady';

test('what says the same at any depth is the same, whatever its identity', () => {
  expect(isSame({ a: [1, { b: undefined }] }, { a: [1, { b: undefined }] })).toBe(true);
  expect(isSame({ a: 1, b: undefined }, { a: 1, c: undefined })).toBe(false);
  expect(isSame([1, 2], [1, 2, 3])).toBe(false);
  expect(isSame([], {})).toBe(false);
  expect(isSame(NaN, NaN)).toBe(true);
  expect(isSame(null, {})).toBe(false);
});
test('entries keep their identity until something of them changes', () => {
  const make = (x: number): { id: string; at: { x: number } }[] => [
    { id: 'a', at: { x: 1 } },
    { id: 'b', at: { x } },
  ];
  const { result, rerender } = renderHook(({ list }) => useSteady(list), { initialProps: { list: make(1) } });
  const [a, b] = result.current;
  rerender({ list: make(2) });
  expect(result.current[0]).toBe(a);
  expect(result.current[1]).not.toBe(b);
  expect(result.current[1].at.x).toBe(2);
  rerender({ list: make(2).reverse() });
  expect(result.current.map((x) => x.id)).toEqual(['b', 'a']);
  expect(result.current[1]).toBe(a);
});
