'use client';
import { memo, useEffect, useRef } from 'react';
import { toPixels, useTimeAxis, valueAxisWidth } from './axis';

export interface LaneBlock {
  readonly from: number;
  readonly to: number;
  readonly label: string;
  readonly fill: string;
  readonly ink: string;
  /** Drawn with slanted strokes, so that a failure shows without colour. */
  readonly hatched?: boolean;
}
export interface LaneMark {
  readonly at: number;
  readonly label: string;
}

/** Pixels of a block that must not be overlooked. */
const leastWidth = 5;
const noMarks: readonly LaneMark[] = [];

/** Blocks and marks over the shared time axis. Colours are names of CSS variables. */
export const LaneCanvas = memo(function LaneCanvas({
  blocks,
  marks = noMarks,
  height,
  theme,
  label,
}: {
  readonly blocks: readonly LaneBlock[];
  readonly marks?: readonly LaneMark[];
  readonly height: number;
  readonly theme: string;
  readonly label: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const axis = useTimeAxis();
  useEffect(() => {
    const el = canvas.current;
    const g = el?.getContext('2d');
    if (!el || !g) return;
    const ratio = window.devicePixelRatio || 1;
    // to set it is to make it anew
    const [wide, high] = [Math.max(1, Math.floor(axis.width * ratio)), Math.floor(height * ratio)];
    if (el.width !== wide) el.width = wide;
    if (el.height !== high) el.height = high;
    g.setTransform(ratio, 0, 0, ratio, 0, 0);
    g.clearRect(0, 0, axis.width, height);
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string): string => css.getPropertyValue(name).trim();
    g.font = "11px 'Instrument Sans Variable', sans-serif";
    g.textBaseline = 'middle';
    const top = 3,
      tall = height - 6;
    for (const b of blocks) {
      const left = Math.max(-2, toPixels(axis, b.from));
      const right = Math.min(axis.width + 2, toPixels(axis, b.to));
      if (right < 0 || left > axis.width) continue;
      const width = Math.max(1.5, right - left);
      g.fillStyle = colour(b.fill);
      g.fillRect(left, top, width, tall);
      if (b.hatched) {
        g.save();
        g.beginPath();
        g.rect(left, top, width, tall);
        g.clip();
        g.strokeStyle = colour(b.ink);
        g.lineWidth = 1.2;
        g.beginPath();
        for (let x = left - tall; x < left + width; x += 5) {
          g.moveTo(x, top + tall);
          g.lineTo(x + tall, top);
        }
        g.stroke();
        g.restore();
      }
      if (width > 14 && b.label) {
        g.fillStyle = colour('--hair');
        g.fillRect(left, top, 1, tall);
        g.save();
        g.beginPath();
        g.rect(left, top, width - 3, tall);
        g.clip();
        g.fillStyle = colour(b.ink);
        g.fillText(b.label, Math.max(left, 0) + 5, height / 2 + 0.5);
        g.restore();
      }
    }
    // a failure of a moment is seen at any zoom: above everything, in full colour
    for (const b of blocks) {
      const left = toPixels(axis, b.from);
      const right = toPixels(axis, b.to);
      if (!b.hatched || right - left >= leastWidth || right < 0 || left > axis.width) continue;
      g.fillStyle = colour(b.ink);
      g.fillRect((left + right - leastWidth) / 2, top, leastWidth, tall);
    }
    let free = -Infinity;
    for (const m of marks) {
      const x = toPixels(axis, m.at);
      if (x < -1 || x > axis.width + 1) continue;
      g.strokeStyle = colour('--ink-3');
      g.beginPath();
      g.moveTo(x, top);
      g.lineTo(x, top + tall);
      g.stroke();
      const width = g.measureText(m.label).width;
      if (x > free && x + width + 8 < axis.width) {
        g.fillStyle = colour('--ink');
        g.fillText(m.label, x + 4, height / 2 + 0.5);
        free = x + width + 10;
      }
    }
  }, [blocks, marks, height, axis, theme]);
  return (
    <canvas
      ref={canvas}
      style={{ marginLeft: valueAxisWidth, width: axis.width, height, display: 'block' }}
      role="img"
      aria-label={label}
    />
  );
});
