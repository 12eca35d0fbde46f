import type { ReactFlowInstance } from '@xyflow/react';
import { useEffect } from 'react';
import type { Place } from '@/core/project/project';
import { useHandler } from '../use-handler';
import { withDrawing } from './sheet-point';

type Flow = Pick<ReactFlowInstance<never, never>, 'screenToFlowPosition'>;

/** Where on this drawing something comes to stand that is pasted; `inside` says in which card, and where that stands. */
export function useDrawingPoint(
  flow: Flow,
  inside: (x: number, y: number) => { readonly into: string; readonly corner: Place } | undefined = () => undefined,
): void {
  const find = useHandler(inside);
  useEffect(() => {
    const box = (): DOMRect | undefined => document.querySelector('main .react-flow')?.getBoundingClientRect();
    const at = (x: number, y: number): Place => {
      const p = flow.screenToFlowPosition({ x, y });
      return { x: Math.round(p.x), y: Math.round(p.y) };
    };
    return withDrawing({
      under: (x, y) => {
        const b = box();
        if (!b || x < b.left || x > b.right || y < b.top || y > b.bottom) return undefined;
        const held = find(x, y);
        const p = at(x, y);
        return held
          ? { at: { x: Math.max(12, p.x - held.corner.x), y: Math.max(36, p.y - held.corner.y) }, into: held.into }
          : { at: p, into: null };
      },
      middle: () => {
        const b = box();
        return { at: b ? at(b.left + b.width * 0.4, b.top + b.height * 0.35) : { x: 0, y: 0 } };
      },
    });
  }, [flow, find]);
}
