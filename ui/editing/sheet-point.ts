import type { Place } from '@/core/project/project';

/** Where something comes to stand on a drawing. */
export interface SheetPoint {
  readonly at: Place;
  /** Id of the state it comes to stand in. */
  readonly into?: string | null;
}

interface Drawing {
  /** The point of the drawing under a point of the window; undefined where that is outside. */
  under(x: number, y: number): SheetPoint | undefined;
  /** The middle of what is in sight. */
  middle(): SheetPoint;
}
let shown: Drawing | undefined;

/** The drawing in sight says where on it something is; the result takes that back. */
export function withDrawing(drawing: Drawing): () => void {
  shown = drawing;
  return () => {
    if (shown === drawing) shown = undefined;
  };
}

export const pointUnder = (x: number, y: number): SheetPoint | undefined => shown?.under(x, y);
export const middlePoint = (): SheetPoint | undefined => shown?.middle();
