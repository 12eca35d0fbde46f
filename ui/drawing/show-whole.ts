import { useReactFlow, useStoreApi, type Rect, type Viewport } from '@xyflow/react';
import { useCallback } from 'react';

/** The smallest texts of drawings are 11 px: at this zoom they are still 10. */
export const leastZoom = 10 / 11;
const mostZoom = 1.1;
const edge = 12;
/** The buttons and the overview stand in the lower corners: what is last comes to stand above them. */
const below = 104;

/**
 * The view of a drawing: all of it where that can be read, else at the least zoom from its upper left corner on, or around what is
 * looked for.
 */
export function viewOf(
  all: Rect,
  room: { readonly width: number; readonly height: number },
  padding: number,
  lookedFor?: Rect,
): Viewport {
  const [across, down] = [room.width * (1 - 2 * padding), room.height * (1 - 2 * padding)];
  const whole = Math.min(across / Math.max(all.width, 1), down / Math.max(all.height, 1));
  const zoom = Math.max(leastZoom, Math.min(mostZoom, whole));
  const along = (size: number, start: number, length: number, at: number | undefined, end: number): number => {
    if (length * zoom <= size) return (size - length * zoom) / 2 - start * zoom;
    if (at === undefined) return edge - start * zoom;
    // what is looked for in the middle, without room that shows nothing
    return Math.min(edge - start * zoom, Math.max(size - end - (start + length) * zoom, size / 2 - at * zoom));
  };
  return {
    zoom,
    x: along(room.width, all.x, all.width, lookedFor && lookedFor.x + lookedFor.width / 2, edge),
    y: along(room.height, all.y, all.height, lookedFor && lookedFor.y + lookedFor.height / 2, below),
  };
}

/** Brings a drawing into sight; `id` is the card that has to be seen. */
export function useShowWhole(padding = 0.05): (id?: string) => void {
  const flow = useReactFlow();
  const store = useStoreApi();
  return useCallback(
    (id) => {
      const { width, height } = store.getState();
      const nodes = flow.getNodes();
      if (nodes.length === 0 || width === 0 || height === 0) return;
      const node = id === undefined ? undefined : flow.getInternalNode(id);
      const looked = node && {
        ...node.internals.positionAbsolute,
        width: node.measured.width ?? 0,
        height: node.measured.height ?? 0,
      };
      void flow.setViewport(viewOf(flow.getNodesBounds(nodes), { width, height }, padding, looked));
    },
    [flow, store, padding],
  );
}
