import { itemsOf, type Came, type Item } from '../coverage/came';
import type { CoveragePlan } from '../coverage/plan';
import { problem, type Problem } from '../language/diagnostics';
import { newCase, type PartType, type TestCase } from '../project/project';

/** A case that is proposed, or why there is none. */
export interface Proposal {
  readonly value: TestCase;
  /** How many tries it took, and steps. */
  readonly tries: number;
  readonly ticks: number;
}
export type ProposeAnswer =
  { readonly proposal: Proposal } | { readonly problem: Problem; readonly tries: number; readonly ticks: number };

export interface ProposeOptions {
  /** What the cases that are there have come through. */
  readonly came: Came;
  readonly idOf: () => string;
  readonly seed?: number;
  /** Steps that are gone at most. */
  readonly most?: number;
  readonly goesOn?: (share: number) => boolean;
}

/** Why nothing is proposed. */
export const nothingFound = (message: string, tries = 0, ticks = 0): ProposeAnswer => ({
  problem: problem('error', 'propose', message),
  tries,
  ticks,
});
export const noProof = 'That does not say that there is nothing';

export const caseOf = (
  type: PartType,
  item: Item,
  id: string,
  lines: readonly string[],
  states: readonly string[],
  seconds: number,
): TestCase => ({
  ...newCase(id, `Proposed: ${item.text}`.slice(0, 200)),
  alone: type.id,
  stop: Math.ceil(seconds * 10) / 10,
  script: [...lines, ...states.map((s) => `expect in(${s})`)].join('\n'),
  tags: ['proposed'],
  note: `Found by trying, to come through: ${item.text}. What it expects is what came: whether that is right is for somebody to say.`,
});

export const isCovered = (item: Item, came: Came): boolean => {
  const { of } = item;
  const plan: CoveragePlan =
    'tree' in of ? { points: [], decisions: [of], loops: [] } : { points: [of], decisions: [], loops: [] };
  return itemsOf(plan, came).some((i) => i.key === item.key && i.hasCome);
};
