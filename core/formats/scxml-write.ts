import { childStates, type Chart, type ChartState, type Transition } from '../project/project';
import { readMessage } from '../behaviour/chart-source';
import { languageName } from './scxml-read';
import { escapeXml } from './xml';

/**
 * A chart as SCXML with our language as its data model. What the standard has no word for (triggers by time and change,
 * do texts, choices, places on the sheet) stands in a namespace of its own, so that nothing is lost on the way back.
 */
export function writeScxml(chart: Chart): string {
  const nameOf = new Map(chart.states.map((s) => [s.id, s.name]));
  const attributes = (all: Readonly<Record<string, string | undefined>>): string =>
    Object.entries(all)
      .map(([k, v]) => (v === undefined || v === '' ? '' : ` ${k}="${escapeXml(v).replace(/\n/g, '&#10;')}"`))
      .join('');
  const lines: string[] = [];
  const put = (depth: number, text: string): void => void lines.push('  '.repeat(depth) + text);
  const doing = (depth: number, tag: string, text: string): void => {
    if (text.trim() !== '') put(depth, `<${tag}><z:do>${escapeXml(text.trim())}</z:do></${tag}>`);
  };

  const transition = (t: Transition, depth: number): void => {
    const messages = t.triggers.flatMap((g) =>
      g.kind === 'message'
        ? [readMessage(g.on)?.name ?? g.on]
        : g.kind === 'done'
          ? [`done.state.${nameOf.get(t.from) ?? ''}`]
          : [],
    );
    const plain = t.triggers.every(
      (g) => (g.kind === 'message' && readMessage(g.on)?.args.length === 0) || g.kind === 'done',
    );
    const head = attributes({
      event: messages.join(' '),
      cond: t.guard.trim(),
      target: [t.to, ...t.also]
        .filter(Boolean)
        .map((id) => nameOf.get(id) ?? '')
        .join(' '),
      type: t.internal ? 'internal' : undefined,
      'z:triggers': plain ? undefined : JSON.stringify(t.triggers),
    });
    put(
      depth,
      t.effect.trim() === ''
        ? `<transition${head}/>`
        : `<transition${head}><z:do>${escapeXml(t.effect.trim())}</z:do></transition>`,
    );
  };

  const state = (s: ChartState, depth: number): void => {
    const tag =
      s.kind === 'history' || s.kind === 'deepHistory'
        ? 'history'
        : s.kind === 'parallel' || s.kind === 'final'
          ? s.kind
          : 'state';
    const children = childStates(chart, s.id);
    const own = chart.transitions.filter((t) => t.from === s.id);
    const head = attributes({
      id: s.name,
      type: s.kind === 'history' ? 'shallow' : s.kind === 'deepHistory' ? 'deep' : undefined,
      'z:kind': s.kind === 'choice' || s.kind === 'junction' ? s.kind : undefined,
      'z:defers': s.defers,
      'z:note': s.note,
      'z:x': String(s.x),
      'z:y': String(s.y),
    });
    put(depth, `<${tag}${head}>`);
    begin(s.id, depth + 1);
    doing(depth + 1, 'onentry', s.entry);
    doing(depth + 1, 'onexit', s.exit);
    if (s.do.trim() !== '') put(depth + 1, `<z:do>${escapeXml(s.do.trim())}</z:do>`);
    own.forEach((t) => transition(t, depth + 1));
    children.filter((c) => c.kind !== 'start').forEach((c) => state(c, depth + 1));
    put(depth, `</${tag}>`);
  };

  const begin = (parent: string | null, depth: number): void => {
    const children = childStates(chart, parent);
    const start = children.find((c) => c.kind === 'start');
    const t = start && chart.transitions.find((x) => x.from === start.id);
    const first = children.find((c) => c.initial);
    if (t) {
      put(depth, '<initial>');
      transition({ ...t, triggers: [], guard: '' }, depth + 1);
      put(depth, '</initial>');
    } else if (first && parent !== null && children[0] !== first) {
      put(depth, `<initial><transition target="${escapeXml(first.name)}"/></initial>`);
    }
  };

  const top = childStates(chart, null);
  const first = top.find((s) => s.initial) ?? top[0];
  const start = top.find((s) => s.kind === 'start');
  const begins = start && chart.transitions.find((t) => t.from === start.id);
  put(0, '<?xml version="1.0" encoding="UTF-8"?>');
  put(
    0,
    `<scxml xmlns="http://www.w3.org/2005/07/scxml" xmlns:z="urn:zelvar:chart" version="1.0" datamodel="${languageName}"${attributes(
      {
        name: chart.name,
        initial: begins ? [begins.to, ...begins.also].map((id) => nameOf.get(id) ?? '').join(' ') : first?.name,
        'z:period': chart.period,
      },
    )}>`,
  );
  if (chart.values.length > 0) {
    put(1, '<datamodel>');
    for (const v of chart.values)
      put(2, `<data${attributes({ id: v.name, expr: v.value, 'z:type': v.type, 'z:unit': v.unit })}/>`);
    put(1, '</datamodel>');
  }
  if (begins?.effect.trim()) put(1, `<script>${escapeXml(begins.effect.trim())}</script>`);
  top.filter((s) => s.kind !== 'start').forEach((s) => state(s, 1));
  put(0, '</scxml>');
  return `${lines.join('\n')}\n`;
}
