import { problem } from '../language/diagnostics';
import { triggerKinds } from '../project/document';
import { newState, newTransition, type Transition, type Trigger } from '../project/project';
import { stateName } from './ecmascript';
import { actions } from './scxml-actions';
import { bodyOf, content, formulaText, literal, message, parameters, place, skip, type Reading } from './scxml-reading';
import { childrenOf, textOf, type XmlElement } from './xml';

const isStateTag = (tag: string): boolean =>
  tag === 'state' || tag === 'parallel' || tag === 'final' || tag === 'history';

/** Every state has a name, also those the file leaves without an id. */
export function nameStates(r: Reading, e: XmlElement): void {
  for (const s of childrenOf(e)) {
    if (!isStateTag(s.tag)) continue;
    const wanted = s.attributes.id?.trim() || `${s.tag}${++r.count}`;
    let name = stateName(wanted);
    while ([...r.names.values()].includes(name)) name += '_';
    r.names.set(wanted, name);
    r.idOf.set(s, wanted);
    nameStates(r, s);
  }
}

export const known = (r: Reading, id: string): string | undefined =>
  r.names.has(id) ? `s-${r.names.get(id)}` : undefined;
const targetsOf = (r: Reading, text: string | undefined): string[] =>
  (text ?? '')
    .trim()
    .split(/\s+/)
    .filter(Boolean)
    .flatMap((id) => {
      const found = known(r, id);
      if (!found) r.problems.push(problem('error', 'scxml', `There is no state ${id}`));
      return found ?? [];
    });

export const triggers = (r: Reading, event: string | undefined, from: string): Trigger[] =>
  (event ?? '')
    .trim()
    .split(/\s+/)
    .filter(Boolean)
    .map((descriptor): Trigger => {
      const name = descriptor.replace(/\.?\*$/, '').replace(/\.$/, '');
      if (name === '') return { kind: 'message', on: '*' };
      const done = /^done\.state\.(.+)$/.exec(name);
      const finished = done && r.names.get(done[1]);
      if (finished !== undefined && finished !== null && `s-${finished}` === from) return { kind: 'done', on: '' };
      if (done && r.names.has(done[1])) return { kind: 'message', on: `done.state.${r.names.get(done[1])}` };
      return { kind: 'message', on: message(name) };
    });

export function transition(r: Reading, t: XmlElement, from: string): void {
  const [to, ...also] = targetsOf(r, t.attributes.target);
  const cond = t.attributes.cond;
  const extra = t.attributes['z:triggers'];
  const read = (r.own && extra ? ownTriggers(r, extra) : undefined) ?? triggers(r, t.attributes.event, from);
  const entry: Transition = {
    ...newTransition(`x-${r.transitions.length + 1}`, from, to ?? ''),
    also,
    triggers: read,
    internal: t.attributes.type === 'internal',
    guard: cond === undefined ? '' : formulaText(r, cond),
    effect: actions(r, t).join('\n'),
  };
  r.transitions.push(withArguments(r, entry));
}

function ownTriggers(r: Reading, text: string): Trigger[] | undefined {
  try {
    return (JSON.parse(text) as Trigger[]).filter(
      (g) => (triggerKinds as readonly string[]).includes(g.kind) && typeof g.on === 'string',
    );
  } catch {
    r.problems.push(problem('warning', 'scxml', `The triggers ${text} cannot be read`));
    return undefined;
  }
}

/** `event.data.level` in a guard or effect is the argument `level` of the message. */
function withArguments(r: Reading, t: Transition): Transition {
  const used = new Set<string>();
  const replace = (text: string): string =>
    text.replace(/\bevent\.data\.([\p{L}_][\p{L}\p{N}_]*)/gu, (all, name: string) => {
      if (r.dataNames.has(name)) return all;
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
}

export function data(r: Reading, e: XmlElement): void {
  for (const d of childrenOf(e, 'datamodel').flatMap((m) => childrenOf(m, 'data'))) {
    const name = d.attributes.id?.trim() ?? '';
    const path = d.attributes.src?.replace(/^file:/, '');
    const file = path === undefined ? undefined : r.options.file?.(path);
    if (path !== undefined && file === undefined) skip(r, `The data of ${name} in ${d.attributes.src}`);
    const inner = file ?? (d.children.some((c) => typeof c === 'object') ? '' : textOf(d));
    if (d.children.some((c) => typeof c === 'object')) skip(r, `The XML data of ${name}`);
    const value =
      d.attributes.expr !== undefined
        ? formulaText(r, d.attributes.expr)
        : inner.trim() !== ''
          ? content(r, inner)
          : '';
    const isLate = r.root.attributes.binding === 'late' && e !== r.root && value !== '';
    if (isLate)
      r.late.set(e, [
        ...(r.late.get(e) ?? []),
        `if not exists(${stateName(name)}) then\n  ${stateName(name)} := ${value};\nend if;`,
      ]);
    const type =
      d.attributes['z:type'] === 'Integer' || d.attributes['z:type'] === 'Boolean'
        ? d.attributes['z:type']
        : /^(true|false)$/.test(value)
          ? 'Boolean'
          : 'Real';
    r.dataNames.add(name);
    r.values.push({
      id: `v-${r.values.length + 1}`,
      name: stateName(name),
      type,
      value: isLate ? '' : value,
      unit: d.attributes['z:unit'] ?? '',
    });
  }
  for (const s of childrenOf(e)) if (isStateTag(s.tag)) data(r, s);
}

const isDirect = (r: Reading, targets: readonly string[], children: readonly XmlElement[]): boolean =>
  targets.length === 1 && children.some((c) => `s-${r.names.get(r.idOf.get(c)!)}` === targets[0]);

/** Where a state begins: a mark on a child where that says all, otherwise a start place with its transition. */
export function begin(r: Reading, e: XmlElement, parent: string | null): string | undefined {
  const initial = childrenOf(e, 'initial')[0];
  const inner = initial && childrenOf(initial, 'transition')[0];
  const targets = inner ? targetsOf(r, inner.attributes.target) : targetsOf(r, e.attributes.initial);
  const effect = [
    ...(parent === null ? actions(r, { tag: '', attributes: {}, children: childrenOf(e, 'script') }) : []),
    ...(inner ? actions(r, inner) : []),
  ];
  const children = childrenOf(e).filter((c) => isStateTag(c.tag));
  const first = children.find((c) => c.tag !== 'history');
  if (
    effect.length === 0 &&
    (targets.length === 0 ||
      (isDirect(r, targets, children) &&
        children.every((c) => c.tag !== 'history' || `s-${r.names.get(r.idOf.get(c)!)}` !== targets[0])))
  )
    return targets[0] ?? (first && `s-${r.names.get(r.idOf.get(first)!)}`);
  const id = `s-start${++r.count}`;
  r.states.push({ ...newState(id, `start${r.count}`, parent, 20, 20, 'start') });
  const [to, ...also] = targets.length > 0 ? targets : first ? [`s-${r.names.get(r.idOf.get(first)!)}`] : [];
  if (to)
    r.transitions.push({ ...newTransition(`x-${r.transitions.length + 1}`, id, to), also, effect: effect.join('\n') });
  return undefined;
}

export function state(r: Reading, e: XmlElement, parent: string | null, k: number, initial: string | undefined): void {
  const name = r.names.get(r.idOf.get(e)!)!;
  const id = `s-${name}`;
  const kind =
    e.tag === 'history'
      ? e.attributes.type === 'deep'
        ? 'deepHistory'
        : 'history'
      : (e.tag as 'state' | 'parallel' | 'final');
  childrenOf(e, 'invoke').forEach((i) => service(r, i, name));
  const text = (tag: string): string =>
    childrenOf(e, tag)
      .flatMap((c) => actions(r, c))
      .join('\n');
  r.states.push({
    ...newState(
      id,
      name,
      parent,
      30 + (k % 3) * 240,
      50 + Math.floor(k / 3) * 120,
      r.own && (e.attributes['z:kind'] === 'choice' || e.attributes['z:kind'] === 'junction')
        ? e.attributes['z:kind']
        : kind,
    ),
    initial: id === initial,
    entry: [...(r.late.get(e) ?? []), text('onentry'), ...handedOver(r, e)].filter(Boolean).join('\n'),
    exit: text('onexit'),
    // files written before version 7 of the format call it during
    do: r.own ? textOf(childrenOf(e, 'do')[0] ?? childrenOf(e, 'during')[0]).trim() : '',
    defers: r.own ? (e.attributes['z:defers'] ?? '') : '',
    note: r.own ? (e.attributes['z:note'] ?? '') : '',
    ...(r.own &&
      e.attributes['z:x'] !== undefined && {
        x: Number(e.attributes['z:x']) || 0,
        y: Number(e.attributes['z:y']) || 0,
      }),
  });
  inside(r, e, id);
  for (const t of childrenOf(e, 'transition')) transition(r, t, id);
}

export function service(r: Reading, e: XmlElement, owner: string): void {
  const { attributes: x } = e;
  const [body] = childrenOf(e, 'content');
  const [finalize] = childrenOf(e, 'finalize');
  const inner = body && childrenOf(body, 'scxml')[0];
  const path = x.src ?? literal(r, x.srcexpr);
  const text = path === undefined ? undefined : r.options.file?.(path.replace(/^file:/, ''));
  const formula = body?.attributes.expr ?? x.srcexpr;
  const file = inner ? r.inner(inner) : text !== undefined ? r.other(text) : undefined;
  const kind =
    x.type !== undefined ? JSON.stringify(x.type) : x.typeexpr !== undefined ? formulaText(r, x.typeexpr) : undefined;
  r.services.push({
    state: owner,
    ...(x.id && { id: x.id }),
    ...(x.idlocation && { idPlace: place(r, x.idlocation) }),
    ...(kind !== undefined && { way: kind }),
    forwards: x.autoforward === 'true',
    values: [
      ...(x.namelist ?? '')
        .trim()
        .split(/\s+/)
        .filter(Boolean)
        .map((n) => ({ name: n, value: place(r, n) })),
      ...childrenOf(e, 'param').map((p) => ({
        name: p.attributes.name ?? '',
        value:
          p.attributes.expr !== undefined ? formulaText(r, p.attributes.expr) : place(r, p.attributes.location ?? ''),
      })),
    ],
    finalize: actions(r, finalize).join('\n'),
    chart: file ?? (formula !== undefined ? { formula: formulaText(r, formula), isPath: !body } : undefined),
  });
  r.problems.push(
    problem(
      'warning',
      'not-supported',
      `The chart that state ${owner} keeps running beside it (invoke) is left out in a part; the command zelvar chart runs it`,
    ),
  );
}

/** What a final state hands to who waits for its parent. */
const handedOver = (r: Reading, e: XmlElement): string[] =>
  childrenOf(e, 'donedata').map((d) => {
    const body = bodyOf(r, d);
    return `result(${body !== undefined ? `content = ${body}` : parameters(r, d).join(', ')});`;
  });
export function inside(r: Reading, e: XmlElement, parent: string | null): void {
  const initial = e.tag === 'parallel' ? undefined : begin(r, e, parent);
  childrenOf(e)
    .filter((c) => isStateTag(c.tag))
    .forEach((c, k) => state(r, c, parent, k, initial));
}
