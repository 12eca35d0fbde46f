import type { Problem } from '@/core/language/diagnostics';
import { usePlace } from './place-store';

const shown = new WeakSet<Problem>();

/** For fields: this refusal is shown where it was caused. */
export function showAtPlace(refused: Problem | undefined): Problem | undefined {
  if (refused) shown.add(refused);
  return refused;
}

/** No refusal goes unsaid: one that no field shows is a notice. */
export function sayUnlessShown(refused: Problem): void {
  queueMicrotask(() => {
    if (!shown.has(refused)) usePlace.getState().say(refused.message);
  });
}
