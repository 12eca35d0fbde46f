import type { Node, NodeChange } from '@xyflow/react';
import { useRef } from 'react';
import { useChoice } from '@/store/choice';
import { useHandler } from '../use-handler';

/** Choosing on a drawing by a box that is drawn, and by taking hold of a card: both choose in the one list of what is chosen. */
export function useBoxedChoice(addressOf: (id: string) => string): {
  readonly start: () => void;
  readonly end: () => void;
  readonly changes: (list: readonly NodeChange<never>[] | readonly NodeChange[]) => void;
  readonly dragStart: (e: unknown, node: Node) => void;
} {
  const inBox = useRef<Set<string>>(undefined);
  const start = useHandler(() => void (inBox.current = new Set()));
  const changes = useHandler((list: readonly NodeChange[]): void => {
    for (const c of list) {
      if (c.type !== 'select' || !inBox.current) continue;
      if (c.selected) inBox.current.add(c.id);
      else inBox.current.delete(c.id);
    }
  });
  const end = useHandler((): void => {
    const ids = inBox.current;
    inBox.current = undefined;
    if (ids) useChoice.getState().choose([...ids].map(addressOf));
  });
  const dragStart = useHandler((_: unknown, node: Node): void => {
    const { addresses, choose } = useChoice.getState();
    const at = addressOf(node.id);
    if (addresses.length > 1 && !addresses.includes(at)) choose([at]);
  });
  return { start, end, changes: changes as never, dragStart };
}
