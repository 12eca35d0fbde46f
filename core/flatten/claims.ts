import type { CallExpr, Expr } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printExpression } from '../language/print';
import type { Builder } from './builder';
import { messageOf } from './elaborate';
import { binary, not, type FlatExpr } from './flat-expression';
import type { Claim } from './flat-model';
import type { Scope } from './instance';

const argument = (call: CallExpr, at: number, name: string): Expr | undefined =>
  call.args[at] ?? call.named.find((n) => n.name === name)?.value;

/** What `assert(condition, message, level)` says: its condition, read by who calls this, has to hold while the guard does. */
export function claimOf(
  b: Builder,
  call: CallExpr,
  scope: Scope,
  read: (condition: Expr) => FlatExpr | undefined,
  guard: FlatExpr | undefined,
): Claim | undefined {
  const source = argument(call, 0, 'condition');
  if (!source) {
    b.report(scope.place, problem('error', 'arguments', 'assert needs a condition and a message', call.span));
    return undefined;
  }
  const condition = read(source);
  if (!condition) return undefined;
  const level = argument(call, 2, 'level');
  const word = level?.kind === 'ref' ? level.parts.at(-1)!.name : undefined;
  if (level && word !== 'warning' && word !== 'error')
    b.report(
      scope.place,
      problem(
        'error',
        'arguments',
        `The level of an assertion is AssertionLevel.error or AssertionLevel.warning, not ${printExpression(level)}`,
        level.span,
      ),
    );
  return {
    condition: guard ? binary('or', not(guard), condition) : condition,
    message: messageOf(b, argument(call, 1, 'message'), scope, 'An assertion does not hold'),
    warning: word === 'warning',
  };
}
