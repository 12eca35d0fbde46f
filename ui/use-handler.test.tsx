/** @jest-environment jsdom */
import { renderHook } from '@testing-library/react';
import { useHandler } from './use-handler';

test('stays the same function and does what the newest one does', () => {
  const { result, rerender } = renderHook(({ by }) => useHandler((x: number) => x * by), { initialProps: { by: 2 } });
  const first = result.current;
  expect(first(3)).toBe(6);
  rerender({ by: 5 });
  expect(result.current).toBe(first);
  expect(first(3)).toBe(15);
});
