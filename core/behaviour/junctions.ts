import type { Expr, Statement } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';

/** A transition as it is written. */
export interface Way {
  readonly from: number;
  readonly targets: readonly number[];
  readonly triggers: readonly unknown[];
  readonly guard?: Expr;
  /** Written `else`: taken where no other of its state can be. */
  readonly otherwise: boolean;
  readonly effect: readonly Statement[];
  readonly place: string;
  /** Places of the further transitions it goes through, where it passes junctions. */
  readonly via: readonly string[];
}

export interface JunctionInput<T extends Way> {
  readonly transitions: readonly T[];
  /** By the number of a state: it is a junction. */
  isJunction(state: number): boolean;
  isBeginning(state: number): boolean;
  nameOf(state: number): string;
}

/**
 * Junctions are ways that fork before anything is left: a transition into one and each way out of it are one transition, with the guards of
 * both and the effects one after the other. Where no way out is free, the whole is not taken. So the step function knows nothing of them.
 */
export function withoutJunctions<T extends Way>(
  { transitions, isJunction, isBeginning, nameOf }: JunctionInput<T>,
  report: (place: string, p: Problem) => void,
): T[] {
  const outgoing = new Map<number, T[]>();
  for (const t of transitions) if (isJunction(t.from)) outgoing.set(t.from, [...(outgoing.get(t.from) ?? []), t]);
  for (const [junction, ways] of outgoing) {
    for (const t of ways)
      if (t.triggers.length > 0)
        report(
          t.place,
          problem(
            'error',
            'junction',
            `What leaves the junction ${nameOf(junction)} has a guard only: what starts it is said on the way in`,
          ),
        );
  }
  const follow = (t: T, passed: readonly number[]): T[] => {
    const junction = t.targets.find(isJunction);
    if (junction === undefined) return [t];
    const fail = (message: string): T[] => {
      report(t.place, problem('error', 'junction', message));
      return [];
    };
    if (t.targets.length > 1)
      return fail(`A transition into the junction ${nameOf(junction)} cannot lead elsewhere too`);
    if (passed.includes(junction)) return fail(`The junction ${nameOf(junction)} leads back to itself`);
    const ways = outgoing.get(junction) ?? [];
    if (ways.length === 0) return fail(`The junction ${nameOf(junction)} leads nowhere`);
    const guards = ways.flatMap((w) => (w.guard ? [w.guard] : []));
    // `else` is tried where none of the others holds
    const ordered = [...ways.filter((w) => !w.otherwise), ...ways.filter((w) => w.otherwise)];
    return ordered.flatMap((way) => {
      const own = way.otherwise ? guards.map(negated).reduce<Expr | undefined>(both, undefined) : way.guard;
      const guard = both(t.guard, own);
      return follow(
        { ...t, targets: way.targets, guard, effect: [...t.effect, ...way.effect], via: [...t.via, way.place] },
        [...passed, junction],
      );
    });
  };
  return transitions.flatMap((t) => {
    if (isJunction(t.from)) return [];
    if (isBeginning(t.from) && t.targets.some(isJunction)) {
      report(
        t.place,
        problem('error', 'junction', 'A beginning cannot lead to a junction: a choice decides once it is there'),
      );
      return [];
    }
    return follow(t, []);
  });
}

const negated = (operand: Expr): Expr => ({ kind: 'unary', op: 'not', operand, span: operand.span });
const both = (left: Expr | undefined, right: Expr | undefined): Expr | undefined =>
  left && right ? { kind: 'binary', op: 'and', left, right, span: left.span } : (left ?? right);
