'use client';
import { MiniMap, useReactFlow, useStore } from '@xyflow/react';

/** A small picture of the whole drawing, where a part of it is out of sight: the frame in it can be dragged. */
export function Overview() {
  const flow = useReactFlow();
  const isOut = useStore((s) => {
    // where there is little room it would cover what it helps to find
    if (s.nodes.length === 0 || s.width < 420 || s.height < 240) return false;
    const all = flow.getNodesBounds(s.nodes);
    const [x, y, zoom] = s.transform;
    const slack = 8;
    return (
      all.x * zoom + x < -slack ||
      all.y * zoom + y < -slack ||
      (all.x + all.width) * zoom + x > s.width + slack ||
      (all.y + all.height) * zoom + y > s.height + slack
    );
  });
  if (!isOut) return null;
  return (
    <MiniMap
      className="overview"
      position="bottom-right"
      pannable
      zoomable
      ariaLabel="Overview of the whole drawing"
      nodeColor="var(--paper-3)"
      nodeStrokeColor="var(--ink-3)"
      nodeStrokeWidth={2}
      nodeBorderRadius={4}
      bgColor="var(--card)"
      maskColor="color-mix(in srgb, var(--ink) 12%, transparent)"
      style={{ width: 144, height: 92 }}
    />
  );
}
