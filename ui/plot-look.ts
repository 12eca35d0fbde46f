import { formatNumber } from './format';

/** How plots look: inks of the theme, axes, type. */
export function plotInks(): (name: string) => string {
  const css = getComputedStyle(document.documentElement);
  return (name) => css.getPropertyValue(name).trim();
}

export const plotFont = "'JetBrains Mono Variable', monospace";

export const plotAxis = (colour: (name: string) => string, name: string, isLog = false) => ({
  type: (isLog ? 'logarithmic' : 'linear') as 'linear',
  title: { display: true, text: name, color: colour('--ink-2'), padding: 0, font: { size: 11 } },
  ticks: {
    color: colour('--ink-3'),
    maxTicksLimit: 8,
    callback: (v: number | string) => {
      const x = Number(v);
      return isLog && Math.abs(Math.log10(x) - Math.round(Math.log10(x))) > 1e-6 ? '' : formatNumber(x, 3);
    },
  },
  grid: { color: colour('--hair'), drawTicks: false },
  border: { color: colour('--ink-3') },
});

/** An axis from a little below the least to a little above the largest value, with ticks at round numbers only. */
export function dataSpan(values: readonly number[], room = 0.04): { readonly min?: number; readonly max?: number } {
  const [low, high] = values.reduce(([l, h], x) => [Math.min(l, x), Math.max(h, x)], [Infinity, -Infinity]);
  if (!(low < high)) return {};
  return { min: low - room * (high - low), max: high + room * (high - low) };
}
