import { problem } from '../language/diagnostics';
import { printName, printStatement } from '../language/print';
import { readEcmascriptStatements } from './ecmascript';
import {
  bodyOf,
  content,
  declare,
  duration,
  formulaText,
  literal,
  message,
  messageName,
  parameters,
  place,
  skip,
  unread,
  type Reading,
} from './scxml-reading';
import { childrenOf, textOf, type XmlElement } from './xml';

/** What a chart does when it enters, leaves or goes on, as statements of our language. */
export const actions = (r: Reading, e: XmlElement | undefined): string[] => childrenOf(e).flatMap((a) => action(r, a));
export function action(r: Reading, a: XmlElement): string[] {
  const { attributes: x } = a;
  switch (a.tag) {
    case 'raise':
      return [`send ${messageName(x.event ?? '')};`];
    case 'send':
      return send(r, a);
    case 'cancel': {
      const placed = x.sendidexpr ? `?${x.sendidexpr.trim()}` : undefined;
      if (placed !== undefined && literal(r, x.sendidexpr) === undefined && !r.sendIds.has(placed))
        return [`withdraw(${formulaText(r, x.sendidexpr)});`];
      const id = x.sendid ?? literal(r, x.sendidexpr) ?? placed;
      return id === undefined ? [] : [`cancel ${messageName(r.sendIds.get(id) ?? id)};`];
    }
    case 'assign':
      return [
        `${place(r, x.location ?? '')} := ${x.expr !== undefined ? formulaText(r, x.expr) : content(r, textOf(a))};`,
      ];
    case 'log':
      return [];
    case 'do':
      return r.own ? [textOf(a).trim()] : [];
    case 'if':
      return conditional(r, a);
    case 'foreach': {
      const item = place(r, x.item ?? ''),
        index = x.index ? place(r, x.index) : '';
      for (const name of [item, index]) if (/^[\p{L}_]\w*$/u.test(name)) declare(r, name);
      const array = formulaText(r, x.array ?? '');
      const body = actions(r, a);
      if (index)
        return [
          `for ${index} in 0:size(${array}, 1) - 1 loop\n  ${item} := ${subscripted(array, index)};\n${indent(body)}end for;`,
        ];
      return [`for ${item} in ${array} loop\n${indent(body)}end for;`];
    }
    case 'script': {
      const source = x.src ? r.options.file?.(x.src) : textOf(a);
      if (source === undefined) {
        skip(r, `The script ${x.src ?? ''}`);
        return [];
      }
      if (r.own) return [source.trim()];
      const statements = readEcmascriptStatements(source, (name) => declare(r, name));
      return statements ? statements.map(printStatement) : [`${unread(r, source)};`];
    }
    default:
      skip(r, `The element ${a.tag}`);
      return [];
  }
}

export const subscripted = (array: string, index: string): string =>
  /^[\p{L}_][\p{L}\p{N}_.]*$/u.test(array) ? `${array}[${index} + 1]` : `element(${array}, ${index} + 1)`;
export const indent = (lines: readonly string[]): string =>
  lines.map((l) => `  ${l.replace(/\n/g, '\n  ')}\n`).join('');
export function send(r: Reading, a: XmlElement): string[] {
  const { attributes: x } = a;
  const event = x.event ?? literal(r, x.eventexpr);
  const target = x.target ?? literal(r, x.targetexpr);
  const kind = x.type ?? literal(r, x.typeexpr);
  const body = bodyOf(r, a);
  const args = [
    ...(x.namelist ?? '')
      .trim()
      .split(/\s+/)
      .filter(Boolean)
      .map((n) => `${printName(n)} = ${place(r, n)}`),
    ...parameters(r, a),
    ...(body !== undefined ? [`content = ${body}`] : []),
  ];
  const delay =
    x.delay !== undefined
      ? duration(r, x.delay)
      : x.delayexpr !== undefined
        ? literal(r, x.delayexpr) !== undefined
          ? duration(r, literal(r, x.delayexpr)!)
          : formulaText(r, x.delayexpr)
        : '';
  const inside = target === '#_internal';
  const foreign =
    (target !== undefined && !inside) ||
    (x.targetexpr !== undefined && target === undefined) ||
    (kind !== undefined && !/scxml\/?#SCXMLEventProcessor$|^scxml$/.test(kind)) ||
    (x.typeexpr !== undefined && kind === undefined);
  if (x.id && event !== undefined) r.sendIds.set(x.id, event);
  if (event === undefined || foreign || (x.id && r.idsAreRead)) {
    const computed = (literalText: string | undefined, formula: string | undefined): string | undefined =>
      literalText !== undefined
        ? JSON.stringify(literalText)
        : formula !== undefined
          ? formulaText(r, formula)
          : undefined;
    const [name, to, way] = [
      computed(event === undefined ? undefined : message(event), x.eventexpr) ?? '""',
      computed(target, x.targetexpr),
      computed(kind, x.typeexpr),
    ];
    const data = body !== undefined ? body : args.length > 0 ? `fields(${args.join(', ')})` : undefined;
    if (event === undefined || foreign) tellComputed(r, event ?? x.eventexpr ?? '');
    return [
      `dispatch(${[name, to && `receiver = ${to}`, way && `way = ${way}`, x.id && `id = ${JSON.stringify(x.id)}`, data && `data = ${data}`, delay && `after = ${delay}`].filter(Boolean).join(', ')});`,
    ];
  }
  if (x.idlocation) r.sendIds.set(`?${x.idlocation.trim()}`, event);
  return [
    ...(x.idlocation ? [`${place(r, x.idlocation)} := "send.${++r.count}";`] : []),
    `send ${messageName(event)}${args.length ? `(${args.join(', ')})` : ''}${delay ? ` after ${delay}` : inside ? '' : ' after 0'};`,
  ];
}

/** Parts send to their ports: what is found during the run only charts on their own can follow. */
const tellComputed = (r: Reading, event: string): void =>
  void r.problems.push(
    problem(
      'warning',
      'not-supported',
      `Who gets the message ${event.trim() || 'without a name'}, or what it is called, is found only when it is sent: a part cannot do that, the command zelvar chart can`,
    ),
  );

export function conditional(r: Reading, a: XmlElement): string[] {
  let text = `if ${formulaText(r, a.attributes.cond ?? '')} then\n`;
  let body: string[] = [];
  for (const c of childrenOf(a)) {
    if (c.tag !== 'elseif' && c.tag !== 'else') {
      body.push(...action(r, c));
      continue;
    }
    text += indent(body) + (c.tag === 'else' ? 'else\n' : `elseif ${formulaText(r, c.attributes.cond ?? '')} then\n`);
    body = [];
  }
  return [`${text}${indent(body)}end if;`];
}
