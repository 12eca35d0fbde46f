import type { Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { printExpression, printName, printStatement } from '../language/print';
import { parseExpressionText } from '../language/parse';
import { walkExpression } from '../language/walk';
import {
  newChart,
  newState,
  newTransition,
  type Chart,
  type ChartState,
  type ChartValue,
  type Transition,
  type Trigger,
} from '../project/project';
import { triggerKinds } from '../project/document';
import { readEcmascriptExpression, readEcmascriptStatements, stateName } from './ecmascript';
import { childrenOf, readXml, textOf, type XmlElement } from './xml';

/** State charts of the W3C standard SCXML (2015), with the plain part of ECMAScript or our own language in their texts. */
export interface ScxmlFile {
  readonly chart: Chart;
  /** Identifiers of the file by name of the state. */
  readonly ids: ReadonlyMap<string, string>;
  /** Charts that states keep running beside this one; parts have no such thing, charts on their own do. */
  readonly services: readonly ScxmlService[];
}

/** An `invoke`, its texts in our language. */
export interface ScxmlService {
  readonly state: string;
  readonly id?: string;
  readonly idPlace?: string;
  readonly way?: string;
  readonly forwards: boolean;
  readonly values: readonly { readonly name: string; readonly value: string }[];
  readonly finalize: string;
  /** The chart itself, or the formula that says where or what it is. */
  readonly chart: ScxmlFile | { readonly formula: string; readonly isPath: boolean } | undefined;
}

type FileReader = (path: string) => string | undefined;

/** Whether an expression says a value without asking for others. */
function isPlainData(e: Expr): boolean {
  let plain = true;
  walkExpression(e, (x) => void (x.kind === 'ref' && (plain = false)));
  return plain;
}

/** Name of our language as the data model of a file. */
export const languageName = 'zelvar';

export function readScxml(
  text: string,
  options: { readonly name?: string; readonly file?: FileReader } = {},
): { value: ScxmlFile | undefined; problems: Problem[] } {
  const problems: Problem[] = [];
  const xml = readXml(text);
  if (!xml.root) return { value: undefined, problems: [problem('error', 'xml', `Line ${xml.line}: ${xml.problem}`)] };
  if (xml.root.tag !== 'scxml')
    return {
      value: undefined,
      problems: [problem('error', 'scxml', `This is not a state chart: its element is ${xml.root.tag}, not scxml`)],
    };
  return { value: createReader(xml.root, /_event\.sendid|sendidexpr/.test(text), problems, options).read(), problems };
}

const isStateTag = (tag: string): boolean =>
  tag === 'state' || tag === 'parallel' || tag === 'final' || tag === 'history';

function createReader(
  root: XmlElement,
  idsAreRead: boolean,
  problems: Problem[],
  options: { readonly name?: string; readonly file?: FileReader },
) {
  const own = root.attributes.datamodel === languageName;
  const states: ChartState[] = [];
  const transitions: Transition[] = [];
  const names = new Map<string, string>();
  const idOf = new Map<XmlElement, string>();
  const values: ChartValue[] = [];
  const dataNames = new Set<string>();
  const sendIds = new Map<string, string>();
  let count = 0;
  const skip = (what: string, place = ''): void =>
    void problems.push({ ...problem('warning', 'not-supported', `${what} is left out`), ...(place && { place }) });
  const unread = (text: string): string => {
    problems.push(
      problem(
        'error',
        'not-supported',
        `"${text.trim()}" cannot be said in our language; it is kept as it is, to be changed by hand`,
      ),
    );
    return text.trim();
  };

  const expression = (text: string): string => {
    if (own) return text.trim();
    const e = readEcmascriptExpression(text);
    return e ? printExpression(e) : unread(text);
  };

  // every state has a name, also those the file leaves without an id
  const collect = (e: XmlElement): void => {
    for (const s of childrenOf(e)) {
      if (!isStateTag(s.tag)) continue;
      const wanted = s.attributes.id?.trim() || `${s.tag}${++count}`;
      let name = stateName(wanted);
      while ([...names.values()].includes(name)) name += '_';
      names.set(wanted, name);
      idOf.set(s, wanted);
      collect(s);
    }
  };
  collect(root);
  const known = (id: string): string | undefined => (names.has(id) ? `s-${names.get(id)}` : undefined);
  const targetsOf = (text: string | undefined): string[] =>
    (text ?? '')
      .trim()
      .split(/\s+/)
      .filter(Boolean)
      .flatMap((id) => {
        const found = known(id);
        if (!found) problems.push(problem('error', 'scxml', `There is no state ${id}`));
        return found ?? [];
      });

  const message = (text: string): string => text.replace(/[^\p{L}\p{N}_.]/gu, '_');
  const duration = (text: string): string => {
    const match = /^\s*([\d.]+)\s*(ms|s|m|h|d)\s*$/.exec(text);
    if (!match) return unread(text);
    return `${Number(match[1])} '${match[2] === 'm' ? 'min' : match[2]}'`;
  };
  /** A string written out, of an attribute that holds an expression. */
  const literal = (text: string | undefined): string | undefined => {
    const e = text === undefined ? undefined : own ? parseExpressionText(text).value : readEcmascriptExpression(text);
    return e?.kind === 'string' ? e.value : undefined;
  };

  const actions = (e: XmlElement | undefined): string[] => childrenOf(e).flatMap((a) => action(a));
  const action = (a: XmlElement): string[] => {
    const { attributes: x } = a;
    switch (a.tag) {
      case 'raise':
        return [`send ${messageName(x.event ?? '')};`];
      case 'send':
        return send(a);
      case 'cancel': {
        const placed = x.sendidexpr ? `?${x.sendidexpr.trim()}` : undefined;
        if (placed !== undefined && literal(x.sendidexpr) === undefined && !sendIds.has(placed))
          return [`withdraw(${expression(x.sendidexpr)});`];
        const id = x.sendid ?? literal(x.sendidexpr) ?? placed;
        return id === undefined ? [] : [`cancel ${messageName(sendIds.get(id) ?? id)};`];
      }
      case 'assign':
        return [`${place(x.location ?? '')} := ${x.expr !== undefined ? expression(x.expr) : content(textOf(a))};`];
      case 'log':
        return [];
      case 'do':
        return own ? [textOf(a).trim()] : [];
      case 'if':
        return conditional(a);
      case 'foreach': {
        const item = place(x.item ?? ''),
          index = x.index ? place(x.index) : '';
        for (const name of [item, index]) if (/^[\p{L}_]\w*$/u.test(name)) declare(name);
        const array = expression(x.array ?? '');
        const body = actions(a);
        if (index)
          return [
            `for ${index} in 0:size(${array}, 1) - 1 loop\n  ${item} := ${subscripted(array, index)};\n${indent(body)}end for;`,
          ];
        return [`for ${item} in ${array} loop\n${indent(body)}end for;`];
      }
      case 'script': {
        const source = x.src ? options.file?.(x.src) : textOf(a);
        if (source === undefined) {
          skip(`The script ${x.src ?? ''}`);
          return [];
        }
        if (own) return [source.trim()];
        const statements = readEcmascriptStatements(source, declare);
        return statements ? statements.map(printStatement) : [`${unread(source)};`];
      }
      default:
        skip(`The element ${a.tag}`);
        return [];
    }
  };
  /** Scripts may declare names of their own. */
  const declare = (name: string): void => {
    if (dataNames.has(name)) return;
    dataNames.add(name);
    values.push({ id: `v-${values.length + 1}`, name: stateName(name), type: 'Real', value: '', unit: '' });
  };
  const subscripted = (array: string, index: string): string =>
    /^[\p{L}_][\p{L}\p{N}_.]*$/u.test(array) ? `${array}[${index} + 1]` : `element(${array}, ${index} + 1)`;
  const indent = (lines: readonly string[]): string => lines.map((l) => `  ${l.replace(/\n/g, '\n  ')}\n`).join('');
  const messageName = (text: string): string => {
    const name = message(text);
    return name.includes('.') ? `'${name}'` : printName(name);
  };
  const place = (text: string): string => {
    if (own) return text.trim();
    const e = readEcmascriptExpression(text);
    return e?.kind === 'ref' ? printExpression(e) : unread(text);
  };
  /** What stands between tags: a formula where it reads as one, otherwise a text. */
  const content = (text: string): string => {
    if (own && text.trim() !== '') return text.trim();
    const e = own ? undefined : readEcmascriptExpression(text);
    return e && isPlainData(e) ? printExpression(e) : JSON.stringify(text.trim().replace(/\s+/g, ' '));
  };

  /** What stands in the `content` of an element, as a formula. */
  const bodyOf = (e: XmlElement): string | undefined => {
    const [c] = childrenOf(e, 'content');
    return c && (c.attributes.expr !== undefined ? expression(c.attributes.expr) : content(textOf(c)));
  };
  const parameters = (a: XmlElement): string[] =>
    childrenOf(a, 'param').map(
      (p) =>
        `${printName(p.attributes.name ?? '')} = ${p.attributes.expr !== undefined ? expression(p.attributes.expr) : place(p.attributes.location ?? '')}`,
    );

  const send = (a: XmlElement): string[] => {
    const { attributes: x } = a;
    const event = x.event ?? literal(x.eventexpr);
    const target = x.target ?? literal(x.targetexpr);
    const kind = x.type ?? literal(x.typeexpr);
    const body = bodyOf(a);
    const args = [
      ...(x.namelist ?? '')
        .trim()
        .split(/\s+/)
        .filter(Boolean)
        .map((n) => `${printName(n)} = ${place(n)}`),
      ...parameters(a),
      ...(body !== undefined ? [`content = ${body}`] : []),
    ];
    const delay =
      x.delay !== undefined
        ? duration(x.delay)
        : x.delayexpr !== undefined
          ? literal(x.delayexpr) !== undefined
            ? duration(literal(x.delayexpr)!)
            : expression(x.delayexpr)
          : '';
    const inside = target === '#_internal';
    const foreign =
      (target !== undefined && !inside) ||
      (x.targetexpr !== undefined && target === undefined) ||
      (kind !== undefined && !/scxml\/?#SCXMLEventProcessor$|^scxml$/.test(kind)) ||
      (x.typeexpr !== undefined && kind === undefined);
    if (x.id && event !== undefined) sendIds.set(x.id, event);
    if (event === undefined || foreign || (x.id && idsAreRead)) {
      const computed = (literalText: string | undefined, formula: string | undefined): string | undefined =>
        literalText !== undefined
          ? JSON.stringify(literalText)
          : formula !== undefined
            ? expression(formula)
            : undefined;
      const [name, to, way] = [
        computed(event === undefined ? undefined : message(event), x.eventexpr) ?? '""',
        computed(target, x.targetexpr),
        computed(kind, x.typeexpr),
      ];
      const data = body !== undefined ? body : args.length > 0 ? `fields(${args.join(', ')})` : undefined;
      if (event === undefined || foreign) tellComputed(event ?? x.eventexpr ?? '');
      return [
        `dispatch(${[name, to && `receiver = ${to}`, way && `way = ${way}`, x.id && `id = ${JSON.stringify(x.id)}`, data && `data = ${data}`, delay && `after = ${delay}`].filter(Boolean).join(', ')});`,
      ];
    }
    if (x.idlocation) sendIds.set(`?${x.idlocation.trim()}`, event);
    return [
      ...(x.idlocation ? [`${place(x.idlocation)} := "send.${++count}";`] : []),
      `send ${messageName(event)}${args.length ? `(${args.join(', ')})` : ''}${delay ? ` after ${delay}` : inside ? '' : ' after 0'};`,
    ];
  };

  /** Parts send to their ports: what is found during the run only charts on their own can follow. */
  const tellComputed = (event: string): void =>
    void problems.push(
      problem(
        'warning',
        'not-supported',
        `Who gets the message ${event.trim() || 'without a name'}, or what it is called, is found only when it is sent: a part cannot do that, the command zelvar chart can`,
      ),
    );

  const conditional = (a: XmlElement): string[] => {
    let text = `if ${expression(a.attributes.cond ?? '')} then\n`;
    let body: string[] = [];
    for (const c of childrenOf(a)) {
      if (c.tag !== 'elseif' && c.tag !== 'else') {
        body.push(...action(c));
        continue;
      }
      text += indent(body) + (c.tag === 'else' ? 'else\n' : `elseif ${expression(c.attributes.cond ?? '')} then\n`);
      body = [];
    }
    return [`${text}${indent(body)}end if;`];
  };

  const triggers = (event: string | undefined, from: string): Trigger[] =>
    (event ?? '')
      .trim()
      .split(/\s+/)
      .filter(Boolean)
      .map((descriptor): Trigger => {
        const name = descriptor.replace(/\.?\*$/, '').replace(/\.$/, '');
        if (name === '') return { kind: 'message', on: '*' };
        if (name === `done.state.${idAt(from)}`) return { kind: 'done', on: '' };
        const done = /^done\.state\.(.+)$/.exec(name);
        if (done && names.has(done[1])) return { kind: 'message', on: `done.state.${names.get(done[1])}` };
        return { kind: 'message', on: message(name) };
      });
  const idAt = (state: string): string => [...names].find(([, name]) => `s-${name}` === state)?.[0] ?? '';

  const transition = (t: XmlElement, from: string): void => {
    const [to, ...also] = targetsOf(t.attributes.target);
    const cond = t.attributes.cond;
    const extra = t.attributes['z:triggers'];
    const read = (own && extra ? ownTriggers(extra) : undefined) ?? triggers(t.attributes.event, from);
    const entry: Transition = {
      ...newTransition(`x-${transitions.length + 1}`, from, to ?? ''),
      also,
      triggers: read,
      internal: t.attributes.type === 'internal',
      guard: cond === undefined ? '' : expression(cond),
      effect: actions(t).join('\n'),
    };
    transitions.push(withArguments(entry));
  };
  const ownTriggers = (text: string): Trigger[] | undefined => {
    try {
      return (JSON.parse(text) as Trigger[]).filter(
        (g) => (triggerKinds as readonly string[]).includes(g.kind) && typeof g.on === 'string',
      );
    } catch {
      problems.push(problem('warning', 'scxml', `The triggers ${text} cannot be read`));
      return undefined;
    }
  };
  /** `event.data.level` in a guard or effect is the argument `level` of the message. */
  const withArguments = (t: Transition): Transition => {
    const used = new Set<string>();
    const replace = (text: string): string =>
      text.replace(/\bevent\.data\.([\p{L}_][\p{L}\p{N}_]*)/gu, (all, name: string) => {
        if (dataNames.has(name)) return all;
        used.add(name);
        return name;
      });
    const [guard, effect] = [replace(t.guard), replace(t.effect)];
    if (used.size === 0) return t;
    return {
      ...t,
      guard,
      effect,
      triggers: t.triggers.map((g) =>
        g.kind === 'message' && g.on !== '*' ? { ...g, on: `${g.on}(${[...used].join(', ')})` } : g,
      ),
    };
  };

  /** With late binding, values of a state come about when it is entered first. */
  const late = new Map<XmlElement, string[]>();
  const data = (e: XmlElement): void => {
    for (const d of childrenOf(e, 'datamodel').flatMap((m) => childrenOf(m, 'data'))) {
      const name = d.attributes.id?.trim() ?? '';
      const path = d.attributes.src?.replace(/^file:/, '');
      const file = path === undefined ? undefined : options.file?.(path);
      if (path !== undefined && file === undefined) skip(`The data of ${name} in ${d.attributes.src}`);
      const inner = file ?? (d.children.some((c) => typeof c === 'object') ? '' : textOf(d));
      if (d.children.some((c) => typeof c === 'object')) skip(`The XML data of ${name}`);
      const value =
        d.attributes.expr !== undefined ? expression(d.attributes.expr) : inner.trim() !== '' ? content(inner) : '';
      const isLate = root.attributes.binding === 'late' && e !== root && value !== '';
      if (isLate)
        late.set(e, [
          ...(late.get(e) ?? []),
          `if not exists(${stateName(name)}) then\n  ${stateName(name)} := ${value};\nend if;`,
        ]);
      const type =
        d.attributes['z:type'] === 'Integer' || d.attributes['z:type'] === 'Boolean'
          ? d.attributes['z:type']
          : /^(true|false)$/.test(value)
            ? 'Boolean'
            : 'Real';
      dataNames.add(name);
      values.push({
        id: `v-${values.length + 1}`,
        name: stateName(name),
        type,
        value: isLate ? '' : value,
        unit: d.attributes['z:unit'] ?? '',
      });
    }
    for (const s of childrenOf(e)) if (isStateTag(s.tag)) data(s);
  };

  const isDirect = (targets: readonly string[], children: readonly XmlElement[]): boolean =>
    targets.length === 1 && children.some((c) => `s-${names.get(idOf.get(c)!)}` === targets[0]);

  /** Where a state begins: a mark on a child where that says all, otherwise a start place with its transition. */
  const begin = (e: XmlElement, parent: string | null): string | undefined => {
    const initial = childrenOf(e, 'initial')[0];
    const inner = initial && childrenOf(initial, 'transition')[0];
    const targets = inner ? targetsOf(inner.attributes.target) : targetsOf(e.attributes.initial);
    const effect = [
      ...(parent === null ? actions({ tag: '', attributes: {}, children: childrenOf(e, 'script') }) : []),
      ...(inner ? actions(inner) : []),
    ];
    const children = childrenOf(e).filter((c) => isStateTag(c.tag));
    const first = children.find((c) => c.tag !== 'history');
    if (
      effect.length === 0 &&
      (targets.length === 0 ||
        (isDirect(targets, children) &&
          children.every((c) => c.tag !== 'history' || `s-${names.get(idOf.get(c)!)}` !== targets[0])))
    )
      return targets[0] ?? (first && `s-${names.get(idOf.get(first)!)}`);
    const id = `s-start${++count}`;
    states.push({ ...newState(id, `start${count}`, parent, 20, 20, 'start') });
    const [to, ...also] = targets.length > 0 ? targets : first ? [`s-${names.get(idOf.get(first)!)}`] : [];
    if (to)
      transitions.push({ ...newTransition(`x-${transitions.length + 1}`, id, to), also, effect: effect.join('\n') });
    return undefined;
  };

  const state = (e: XmlElement, parent: string | null, k: number, initial: string | undefined): void => {
    const name = names.get(idOf.get(e)!)!;
    const id = `s-${name}`;
    const kind =
      e.tag === 'history'
        ? e.attributes.type === 'deep'
          ? 'deepHistory'
          : 'history'
        : (e.tag as 'state' | 'parallel' | 'final');
    childrenOf(e, 'invoke').forEach((i) => service(i, name));
    const text = (tag: string): string =>
      childrenOf(e, tag)
        .flatMap((c) => actions(c))
        .join('\n');
    states.push({
      ...newState(
        id,
        name,
        parent,
        30 + (k % 3) * 240,
        50 + Math.floor(k / 3) * 120,
        own && (e.attributes['z:kind'] === 'choice' || e.attributes['z:kind'] === 'junction')
          ? e.attributes['z:kind']
          : kind,
      ),
      initial: id === initial,
      entry: [...(late.get(e) ?? []), text('onentry'), ...handedOver(e)].filter(Boolean).join('\n'),
      exit: text('onexit'),
      // files written before version 7 of the format call it during
      do: own ? textOf(childrenOf(e, 'do')[0] ?? childrenOf(e, 'during')[0]).trim() : '',
      defers: own ? (e.attributes['z:defers'] ?? '') : '',
      note: own ? (e.attributes['z:note'] ?? '') : '',
      ...(own &&
        e.attributes['z:x'] !== undefined && {
          x: Number(e.attributes['z:x']) || 0,
          y: Number(e.attributes['z:y']) || 0,
        }),
    });
    inside(e, id);
    for (const t of childrenOf(e, 'transition')) transition(t, id);
  };
  const services: ScxmlService[] = [];
  const service = (e: XmlElement, owner: string): void => {
    const { attributes: x } = e;
    const [body] = childrenOf(e, 'content');
    const [finalize] = childrenOf(e, 'finalize');
    const inner = body && childrenOf(body, 'scxml')[0];
    const path = x.src ?? literal(x.srcexpr);
    const text = path === undefined ? undefined : options.file?.(path.replace(/^file:/, ''));
    const formula = body?.attributes.expr ?? x.srcexpr;
    const file = inner
      ? createReader(inner, idsAreRead, problems, options).read()
      : text !== undefined
        ? readScxml(text, options).value
        : undefined;
    const kind =
      x.type !== undefined ? JSON.stringify(x.type) : x.typeexpr !== undefined ? expression(x.typeexpr) : undefined;
    services.push({
      state: owner,
      ...(x.id && { id: x.id }),
      ...(x.idlocation && { idPlace: place(x.idlocation) }),
      ...(kind !== undefined && { way: kind }),
      forwards: x.autoforward === 'true',
      values: [
        ...(x.namelist ?? '')
          .trim()
          .split(/\s+/)
          .filter(Boolean)
          .map((n) => ({ name: n, value: place(n) })),
        ...childrenOf(e, 'param').map((p) => ({
          name: p.attributes.name ?? '',
          value: p.attributes.expr !== undefined ? expression(p.attributes.expr) : place(p.attributes.location ?? ''),
        })),
      ],
      finalize: actions(finalize).join('\n'),
      chart: file ?? (formula !== undefined ? { formula: expression(formula), isPath: !body } : undefined),
    });
    problems.push(
      problem(
        'warning',
        'not-supported',
        `The chart that state ${owner} keeps running beside it (invoke) is left out in a part; the command zelvar chart runs it`,
      ),
    );
  };
  /** What a final state hands to who waits for its parent. */
  const handedOver = (e: XmlElement): string[] =>
    childrenOf(e, 'donedata').map((d) => {
      const body = bodyOf(d);
      return `result(${body !== undefined ? `content = ${body}` : parameters(d).join(', ')});`;
    });
  const inside = (e: XmlElement, parent: string | null): void => {
    const initial = e.tag === 'parallel' ? undefined : begin(e, parent);
    childrenOf(e)
      .filter((c) => isStateTag(c.tag))
      .forEach((c, k) => state(c, parent, k, initial));
  };

  return {
    read(): ScxmlFile {
      if (!own && root.attributes.datamodel !== undefined && !/^ecmascript$|^null$/i.test(root.attributes.datamodel))
        skip(`The data model ${root.attributes.datamodel}: its texts are read as ECMAScript, which`);
      data(root);
      inside(root, null);
      const chart: Chart = {
        ...newChart('c-imported', stateName(options.name ?? root.attributes.name ?? 'mode')),
        period: own ? (root.attributes['z:period'] ?? '') : '',
        values,
        states,
        transitions,
      };
      return { chart, ids: new Map([...names].map(([id, name]) => [name, id])), services };
    },
  };
}
