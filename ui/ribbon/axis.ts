'use client';
import { createContext, useContext } from 'react';

/** Width of the value axis to the left of every plot; lanes leave the same room, so that all share one time axis. */
export const valueAxisWidth = 52;

/** The shared time axis: which span is seen, and how wide it is drawn. */
export interface TimeAxis {
  readonly from: number;
  readonly to: number;
  /** Width of the plotted part, in CSS pixels. */
  readonly width: number;
}

export const TimeAxisContext = createContext<TimeAxis>({ from: 0, to: 1, width: 600 });
export const useTimeAxis = (): TimeAxis => useContext(TimeAxisContext);

export const toPixels = (axis: TimeAxis, t: number): number => ((t - axis.from) / (axis.to - axis.from)) * axis.width;
export const toTime = (axis: TimeAxis, x: number): number => axis.from + (x / axis.width) * (axis.to - axis.from);

/** Round distances for marks on an axis: 1, 2 or 5 times a power of ten. */
export function niceStep(span: number, most: number): number {
  const raw = span / Math.max(1, most);
  const power = 10 ** Math.floor(Math.log10(raw));
  const factor = [1, 2, 5, 10].find((f) => f * power >= raw * 0.999) ?? 10;
  return factor * power;
}

export function marks(from: number, to: number, most: number): number[] {
  const step = niceStep(to - from, most);
  const first = Math.ceil(from / step - 1e-9);
  const found: number[] = [];
  for (let k = first; k * step <= to + step * 1e-9 && found.length < 200; k++) found.push(k * step);
  return found;
}
