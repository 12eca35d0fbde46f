import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { tubeCapper } from '@/samples/tube-capper';
import { newChart, newState, type Chart, type Project } from '@/core/project/project';
import { chartSvg } from './chart-svg';

const ctrl = (tubeCapper as Project).types.find((t) => t.name === 'CapperControl')!.charts[0];

test('every state and transition is in the picture, which is sound and holds all it draws', () => {
  const svg = chartSvg(ctrl, 'Control');
  expect(XMLValidator.validate(svg)).toBe(true);
  for (const s of ctrl.states) expect(svg).toContain(`>${s.name}<`);
  const arrows = svg.match(/<path d="M [^"]*" fill="none"/g)!;
  expect(arrows).toHaveLength(ctrl.transitions.length + ctrl.transitions.reduce((n, t) => n + t.also.length, 0));
  // an effect stands below, in full
  expect(svg).toContain('(1) start / send advance to toBelt;');
  const { svg: root } = new XMLParser({ ignoreAttributes: false }).parse(svg) as { svg: Record<string, unknown> };
  const [left, top, width, height] = String(root['@_viewBox']).split(' ').map(Number);
  for (const m of svg.matchAll(/<rect x="([-\d.]+)" y="([-\d.]+)" width="([\d.]+)" height="([\d.]+)"/g)) {
    const [x, y, w, h] = m.slice(1).map(Number);
    expect(x).toBeGreaterThanOrEqual(left);
    expect(y).toBeGreaterThanOrEqual(top);
    expect(x + w).toBeLessThanOrEqual(left + width + 0.2);
    expect(y + h).toBeLessThanOrEqual(top + height + 0.2);
  }
});

test('letters that mean something in XML, and a chart without states', () => {
  const odd: Chart = {
    ...newChart('c', 'c'),
    states: [{ ...newState('a', 'A', null, 0, 0), entry: 'x := if a < b and "c" > d then 1 else 2; // & more' }],
  };
  expect(XMLValidator.validate(chartSvg(odd, 'a < b & "c"'))).toBe(true);
  expect(XMLValidator.validate(chartSvg(newChart('c', 'c'), 'empty'))).toBe(true);
});
