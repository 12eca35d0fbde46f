import { escapeXml } from '../language/escape';
import type { FlowLayout } from './layout';

/** A flow as a drawing of its own, for print and export: the same lines and cards as on screen, in ink on white. */
export function flowSvg(layout: FlowLayout, title: string): string {
  const x = escapeXml;
  const n = (value: number): string => String(Math.round(value * 10) / 10);
  const parts: string[] = [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${n(layout.width)}" height="${n(layout.height)}" viewBox="0 0 ${n(layout.width)} ${n(layout.height)}" font-family="Instrument Sans, system-ui, sans-serif" font-size="13">`,
    `<title>${x(title)}</title>`,
    '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path d="M0 0L8 4L0 8Z" fill="#59605f"/></marker></defs>',
  ];
  const boxes = layout.boxes.map((b) => {
    const text = (row: string, k: number, top: number): string =>
      `<text x="${n(b.x + 10)}" y="${n(b.y + top + 12 + k * 17)}" fill="#23292c">${x(row)}</text>`;
    if (b.kind === 'zone') {
      const words = `${b.head} ${b.text[0] ?? ''}`;
      return {
        zone: true,
        svg: `<rect x="${n(b.x)}" y="${n(b.y)}" width="${n(b.width)}" height="${n(b.height)}" rx="3" fill="none" stroke="#6d706b" stroke-dasharray="${b.tone === 'abort' ? '6 3' : '1 3'}"/><text x="${n(b.x + 10)}" y="${n(b.y + 17)}" fill="#59605f" font-size="12">${x(words)}</text>`,
      };
    }
    if (b.kind === 'bar' || ((b.kind === 'start' || b.kind === 'end') && b.text.length === 0))
      return {
        zone: false,
        svg: `<rect x="${n(b.x)}" y="${n(b.y)}" width="${n(b.width)}" height="${n(b.height)}" rx="2" fill="#23292c"/>`,
      };
    if (b.kind === 'choice')
      return {
        zone: false,
        svg: `<rect x="${n(b.x)}" y="${n(b.y)}" width="${n(b.width)}" height="${n(b.height)}" rx="10" fill="#fff" stroke="#59605f"/><text x="${n(b.x + b.width / 2)}" y="${n(b.y + 15)}" text-anchor="middle" fill="#23292c">?</text>`,
      };
    const head = b.head
      ? `<text x="${n(b.x + 10)}" y="${n(b.y + 18)}" fill="#59605f" font-size="11">${x(b.head)}</text>`
      : '';
    return {
      zone: false,
      svg: `<rect x="${n(b.x)}" y="${n(b.y)}" width="${n(b.width)}" height="${n(b.height)}" rx="3" fill="#fff" stroke="#59605f"/>${head}${b.text.map((row, k) => text(row, k, b.head ? 22 : 8)).join('')}`,
    };
  });
  parts.push(...boxes.filter((b) => b.zone).map((b) => b.svg));
  for (const a of layout.arrows) {
    parts.push(
      `<polyline points="${a.points.map(([px, py]) => `${n(px)},${n(py)}`).join(' ')}" fill="none" stroke="#59605f" marker-end="url(#tip)"/>`,
    );
    if (a.label)
      parts.push(
        `<text x="${n(a.labelAt[0] + 5)}" y="${n(a.labelAt[1])}" fill="#0b6a73" font-size="12">${x(a.label)}</text>`,
      );
  }
  parts.push(...boxes.filter((b) => !b.zone).map((b) => b.svg), '</svg>');
  return parts.join('\n') + '\n';
}
