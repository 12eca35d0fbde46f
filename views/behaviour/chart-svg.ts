import { escapeXml } from '@/core/language/escape';
import type { Chart } from '@/core/project/project';
import { inTheWay, shiftsOf, standingCards } from './arrows';
import { arrowHead, headerHeight, isPlace, kindText, parentsFirst, textLines, transitionText } from './chart-geometry';
import { routeArrow } from './route-arrow';

const ink = '#23292c';
const quiet = '#59605f';
const hair = '#d9d3c7';
/** Letters of a label. */
const longest = 30;

/** A state chart as a drawing of its own, for reports and print: where cards and arrows stand on the sheet, in ink on white. */
export function chartSvg(chart: Chart, title: string): string {
  const x = escapeXml;
  const n = (value: number): string => String(Math.round(value * 10) / 10);
  const { all, sheet, labels } = standingCards(chart, Infinity);
  if (!sheet) return `<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40"><title>${x(title)}</title></svg>`;
  const at = new Map(all.map((c) => [c.id, c]));
  const groups = new Set(chart.states.map((s) => s.parent));
  const cards = parentsFirst(chart).flatMap((s): string[] => {
    const c = at.get(s.id);
    if (!c) return [];
    const place = isPlace(s.kind);
    const clip = `clip-${c.id.replace(/[^\w-]/g, '')}`;
    const lines = [...(place ? [kindText[s.kind]] : []), ...textLines(s)];
    return [
      `<clipPath id="${clip}"><rect x="${n(c.x)}" y="${n(c.y)}" width="${n(c.width - 6)}" height="${n(c.height)}"/></clipPath>`,
      `<rect x="${n(c.x)}" y="${n(c.y)}" width="${n(c.width)}" height="${n(c.height)}" rx="5" fill="${groups.has(s.id) ? 'none' : '#fff'}" stroke="${quiet}"${place ? ' stroke-dasharray="1 3"' : ''}/>`,
      `<g clip-path="url(#${clip})">`,
      `<text x="${n(c.x + 10)}" y="${n(c.y + 18)}" font-weight="600" fill="${ink}">${x(s.name)}${s.initial && !place ? `<tspan font-weight="400" fill="${quiet}" font-size="10.5" dx="8">starts here</tspan>` : ''}</text>`,
      ...(lines.length > 0 && !place
        ? [`<path d="M ${n(c.x)} ${n(c.y + headerHeight)} H ${n(c.x + c.width)}" stroke="${hair}"/>`]
        : []),
      ...lines.map(
        (line, k) =>
          `<text x="${n(c.x + 10)}" y="${n(c.y + headerHeight + 12 + k * 16.5)}" font-family="JetBrains Mono, monospace" font-size="10.5" fill="${quiet}" xml:space="preserve">${x(line)}</text>`,
      ),
      '</g>',
    ];
  });
  const shifts = shiftsOf(chart.transitions);
  const arrows: string[] = [];
  const texts: string[] = [];
  // what has no room on its arrow stands below the drawing
  const notes: string[] = [];
  // how far arrows and labels reach beyond the cards
  let [left, top, right, bottom] = [sheet.x, sheet.y, sheet.x + sheet.width, sheet.y + sheet.height];
  for (const t of chart.transitions)
    for (const [k, to] of [t.to || t.from, ...t.also].entries()) {
      const [a, b] = [at.get(t.from), at.get(to)];
      if (!a || !b) continue;
      const { path } = routeArrow(a, b, k === 0 ? (shifts.get(t.id) ?? 0) : 0, inTheWay(all, a.id, b.id), sheet);
      const numbers = path.match(/-?\d+(?:\.\d+)?(?:e-?\d+)?/g)!.map(Number);
      numbers.forEach((value, i) => {
        if (i % 2 === 0) [left, right] = [Math.min(left, value), Math.max(right, value)];
        else [top, bottom] = [Math.min(top, value), Math.max(bottom, value)];
      });
      const broken = k > 0 || t.internal || t.to === '';
      arrows.push(
        `<path d="${path}" fill="none" stroke="${quiet}" stroke-width="1.2"${broken ? ' stroke-dasharray="4 3"' : ''}/>`,
        ...(t.to === '' ? [] : [`<path d="${arrowHead(path)}" fill="${quiet}"/>`]),
      );
      const label = k === 0 ? labels?.get(t.id) : undefined;
      if (!label) continue;
      const whole = transitionText(t);
      const [head, ...effect] = whole.split(' / ');
      const isShort = effect.length === 0 && whole.length <= longest;
      if (!isShort) notes.push(whole);
      const says = isShort
        ? whole
        : `${head.length > longest ? `${head.slice(0, longest - 1)}…` : head} (${notes.length})`;
      const width = says.length * 6 + 8;
      [left, right] = [Math.min(left, label.x - width / 2), Math.max(right, label.x + width / 2)];
      texts.push(
        `<rect x="${n(label.x - width / 2)}" y="${n(label.y - 8)}" width="${n(width)}" height="16" fill="#fff" fill-opacity="0.85"/>`,
        `<text x="${n(label.x)}" y="${n(label.y + 4)}" text-anchor="middle" font-size="11.5" fill="${ink}">${x(says)}</text>`,
      );
    }
  const margin = 16;
  const [w, h] = [right - left + 2 * margin, bottom - top + 2 * margin + notes.length * 15];
  const listed = notes.map(
    (note, k) =>
      `<text x="${n(left)}" y="${n(bottom + margin + 8 + k * 15)}" font-size="11" fill="${quiet}">(${k + 1}) ${x(note)}</text>`,
  );
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${n(w)}" height="${n(h)}" viewBox="${n(left - margin)} ${n(top - margin)} ${n(w)} ${n(h)}" font-family="Instrument Sans, system-ui, sans-serif" font-size="12.5">`,
    `<title>${x(title)}</title>`,
    `<rect x="${n(left - margin)}" y="${n(top - margin)}" width="${n(w)}" height="${n(h)}" fill="#fff"/>`,
    ...cards,
    ...arrows,
    ...texts,
    ...listed,
    '</svg>',
  ].join('\n');
}
