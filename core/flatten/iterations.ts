import type { Iterator } from '../language/ast';
import { problem } from '../language/diagnostics';
import type { Builder } from './builder';
import { elaborate } from './elaborate';
import { rangeOf } from './implied-range';
import type { Scope } from './instance';
import { isArray, isRecord } from './values';

/**
 * The scopes in which the body of a loop among equations stands, one after the other: each index of `for i in 1:2, j in 1:3` has
 * a number in them, the last runs fastest. What has no range that is known before the run is reported, and there are none.
 */
export function iterations(b: Builder, iterators: readonly Iterator[], body: unknown, scope: Scope): readonly Scope[] {
  const [first, ...rest] = iterators;
  if (first === undefined) return [scope];
  const report = (code: string, message: string): readonly Scope[] => {
    b.report(scope.place, problem('error', code, message, first.span));
    return [];
  };
  const found = rangeOf(first, body, (e) => elaborate(b, e, scope));
  // what cannot be read has been reported
  if (!found) return [];
  if ('problem' in found) return report('no-range', found.problem);
  const values = found.range.map((x) => (isArray(x) || isRecord(x) ? undefined : b.structural(x)));
  if (values.includes(undefined))
    return report('not-constant', `The range of ${first.name} must be known before the run`);
  return values.flatMap((value) =>
    iterations(b, rest, body, { ...scope, iterators: new Map([...scope.iterators, [first.name, value!]]) }),
  );
}
