import { references } from '../editing/references';
import type { Problem } from '../language/diagnostics';
import { problem } from '../language/diagnostics';
import { walkExpression } from '../language/walk';
import type { Edit } from '../project/edit';
import {
  newQuantity,
  newSignalLine,
  newSignalSheet,
  newType,
  type PartType,
  type Place,
  type Project,
  type Quantity,
  type SignalLine,
  type SignalSheet,
} from '../project/project';
import { renameInLine } from './rename-lines';
import { argumentsOf, blockOfCall, nameOfLine, namesOn, pathOf, sheetPicture } from './sheet-picture';
import type { SheetSurroundings } from './surroundings';
import { argumentText } from './wiring';

/** Lines that become a part type of their own, and back: every use of it shares the one definition. */

export interface BoxChange {
  readonly edit: Edit;
  readonly label: string;
  /** Ids of the lines that are chosen then. */
  readonly lines: readonly string[];
}

interface Crossing {
  readonly name: string;
  readonly path: readonly string[];
  readonly isFixed: boolean;
}

const refuse = (message: string): Problem => problem('error', 'box', message);

/** What the lines of a sheet that are chosen would be as a part type, named after what comes out of it; or why they cannot be one. */
export function makePartType(
  project: Project,
  type: PartType,
  sheet: SignalSheet,
  ids: ReadonlySet<string>,
  around: SheetSurroundings,
  nameFor: (result: string) => string,
  newId: () => string,
): BoxChange | Problem {
  const names = namesOn(type, sheet, around);
  const picture = sheetPicture(type, sheet, around);
  const cards = picture.cards.filter((c) => ids.has(c.id));
  const unread = cards.find((c) => !c.expr);
  if (cards.length === 0) return refuse('Choose the lines that are to be a part type');
  if (unread) return refuse(`${unread.text.trim()} is no line yet: mend it first`);
  const inside = new Set(cards.map((c) => c.name));
  const crossings = new Map<string, Crossing>();
  for (const c of cards)
    walkExpression(c.expr!, (x) => {
      if (x.kind !== 'ref') return;
      const path = pathOf(x);
      const full = path.join('.');
      if ((path.length === 1 && (inside.has(full) || full === 'time')) || crossings.has(full)) return;
      const kind = names.kindOf(path);
      // names of loops, of kinds of things and of what nothing gives stay what they are
      if (kind === 'free' || (kind === 'fixed' && around.typeOf(path) === undefined)) return;
      crossings.set(full, { name: full, path, isFixed: kind === 'fixed' });
    });
  const states = [...crossings.values()].find(
    (x) =>
      around.typeOf(x.path) === undefined &&
      names.kindOf(x.path) === 'outside' &&
      type.charts.some((c) => c.name === x.path[0]),
  );
  if (states)
    return refuse(
      `${states.name} is a state of ${type.name}, which a part type of its own cannot see: make it a line first, such as on = in(${states.name})`,
    );
  const outputs = cards.filter(
    (c) =>
      isUsedElsewhere(project, type, sheet, c.name) ||
      type.quantities.some((q) => q.name === c.name && q.role === 'output') ||
      picture.wires.some((w) => w.from === c.id && (!w.to || !ids.has(w.to.line))),
  );
  const results = outputs.length > 0 ? outputs : cards.filter((c) => !picture.wires.some((w) => w.from === c.id));
  if (results.length === 0) return refuse('Nothing comes out of these lines');
  const inner = results.find((c) => c.outputs.length > 1);
  if (inner)
    return refuse(
      `${inner.name} is a part with several outputs, which cannot go out as they are: choose the lines that use them, too`,
    );
  const [result] = results;
  const name = nameFor(result.name);
  const taken = new Set<string>(inside);
  const inputs = [...crossings.values()]
    .sort((a, b) => Number(a.isFixed) - Number(b.isFixed))
    .map((x) => {
      const base = x.path.at(-1)!;
      let own = base;
      for (let k = 2; taken.has(own); k++) own = `${base}${k}`;
      taken.add(own);
      return { ...x, own };
    });
  const own = new Map(inputs.flatMap((x) => (x.own === x.name ? [] : [[x.name, x.own] as const])));
  const quantityOf = (own: string, path: readonly string[], more: Partial<Quantity>): Quantity => ({
    ...newQuantity(`q-${newId()}`, own),
    type: around.typeOf(path) ?? 'Real',
    // where no unit is known, none is said
    unit: around.unitOf(path) ?? '',
    ...more,
  });
  const valueOf = (own: string): string => type.quantities.find((q) => q.name === own)?.value ?? '';
  const lines = sheet.lines.flatMap((l): SignalLine[] => {
    if (!ids.has(l.id)) return [];
    const text = cards.some((c) => c.id === l.id) ? renameInLine(l.text, own) : l.text;
    return [{ ...l, id: `z-${newId()}`, text }];
  });
  const box: PartType = {
    ...newType(`t-${newId()}`, name),
    quantities: [
      ...inputs.map((x) =>
        quantityOf(x.own, x.path, {
          role: x.isFixed ? 'parameter' : 'input',
          value: (x.isFixed && valueOf(x.name)) || '0',
        }),
      ),
      ...results.map((r) => quantityOf(r.name, [r.name], { role: 'output', value: '' })),
    ],
    signals: [
      {
        ...newSignalSheet(`g-${newId()}`, sheet.name),
        every: sheet.every,
        offset: sheet.offset,
        method: sheet.method,
        lines,
      },
    ],
  };
  const given = inputs.map((x) => (x.own === x.name || !x.isFixed ? x.name : `${x.own} = ${x.name}`));
  const positional = [...inputs.keys()].every((k) => given[k] === inputs[k].name);
  const args = positional ? given : inputs.map((x) => `${x.own} = ${x.name}`);
  const isAlone = results.length === 1;
  let part = name.charAt(0).toLowerCase() + name.slice(1);
  const stem = part;
  for (let k = 2; names.kindOf([part]) !== 'free' || around.isTaken(part); k++) part = `${stem}${k}`;
  const use: SignalLine = {
    ...newSignalLine(
      isAlone ? result.id : `z-${newId()}`,
      `${isAlone ? result.name : part} = ${name}(${args.join(', ')})`,
    ),
    place: middleOf(cards.map((c) => c.place)),
  };
  // a quantity of the part type keeps its name, on a line of its own
  const kept = new Set(
    isAlone ? [] : results.flatMap((r) => (type.quantities.some((q) => q.name === r.name) ? [r.id] : [])),
  );
  const becomes = new Map(
    isAlone ? [] : results.flatMap((r) => (kept.has(r.id) ? [] : [[r.name, `${part}.${r.name}`] as const])),
  );
  const at = sheet.lines.findIndex((l) => l.id === result.id);
  const rest = sheet.lines.flatMap((l, k): SignalLine[] => {
    const found = k === at ? [use] : [];
    const own = cards.find((c) => c.id === l.id);
    if (own && kept.has(l.id)) found.push({ ...l, text: `${own.name} = ${part}.${own.name}` });
    else if (!ids.has(l.id)) found.push(becomes.size === 0 ? l : { ...l, text: renameInLine(l.text, becomes) });
    return found;
  });
  const label = `Make ${name} of ${cards.length} line${cards.length === 1 ? '' : 's'}`;
  if (project.types.some((t) => t.name === name)) return refuse(`${name} is the name of another part type`);
  return {
    label,
    lines: [use.id],
    edit: {
      kind: 'batch',
      label,
      edits: [
        { kind: 'insert', list: 'type', entry: box },
        ...[...becomes].map(([from, to]): Edit => ({ kind: 'lead', type: type.id, from, to })),
        { kind: 'update', list: `type/${type.id}/signals`, id: sheet.id, changes: { lines: rest } },
        // what only the lines inside have a name for goes with them
        ...type.quantities.flatMap((q): Edit[] =>
          inside.has(q.name) && !results.some((r) => r.name === q.name)
            ? [{ kind: 'remove', list: `type/${type.id}/quantity`, id: q.id }]
            : [],
        ),
      ],
    },
  };
}

/** Whether something besides the lines of a sheet names what one of them gives. */
function isUsedElsewhere(project: Project, type: PartType, sheet: SignalSheet, name: string): boolean {
  const quantity = type.quantities.find((q) => q.name === name);
  const own = quantity ? `type/${type.id}/quantity/${quantity.id}` : undefined;
  return references(project, name).some(
    (r) =>
      r.name === name &&
      (own === undefined ? r.declaredIn === type.name : r.address === own) &&
      !r.text.place.startsWith(`type/${type.id}/signals/${sheet.id}/line/`),
  );
}

function middleOf(places: readonly (Place | null)[]): Place | null {
  const known = places.flatMap((p) => p ?? []);
  if (known.length === 0) return null;
  const mean = (of: (p: Place) => number): number => Math.round(known.reduce((s, p) => s + of(p), 0) / known.length);
  return { x: mean((p) => p.x), y: mean((p) => p.y) };
}

/** The part type that a line uses as a block. */
function partUsedBy(project: Project, type: PartType, sheet: SignalSheet, id: string, around: SheetSurroundings) {
  const line = sheet.lines.find((l) => l.id === id);
  const card = sheetPicture(type, sheet, around).cards.find((c) => c.id === id);
  const own = card?.typeId === undefined ? undefined : project.types.find((t) => t.id === card.typeId);
  return line && card && own && card.expr?.kind === 'call' ? { line, card, call: card.expr, own } : undefined;
}

/** The part type a line uses, with a name of its own, so that changing it changes nothing else. */
export function copyAsOwn(
  project: Project,
  type: PartType,
  sheet: SignalSheet,
  id: string,
  around: SheetSurroundings,
  newId: () => string,
): BoxChange | Problem {
  const use = partUsedBy(project, type, sheet, id, around);
  if (!use) return refuse('This line uses no part type');
  const { line, call, own } = use;
  let name = own.name;
  const stem = own.name.replace(/\d+$/, '');
  for (let k = 2; project.types.some((t) => t.name === name); k++) name = `${stem}${k}`;
  const { start, end } = call.calleeSpan;
  const label = `Copy ${own.name} as ${name}`;
  return {
    label,
    lines: [id],
    edit: {
      kind: 'batch',
      label,
      edits: [
        { kind: 'insert', list: 'type', entry: { ...own, id: `t-${newId()}`, name } },
        {
          kind: 'update',
          list: `type/${type.id}/signals/${sheet.id}/line`,
          id,
          changes: { text: line.text.slice(0, start) + name + line.text.slice(end) },
        },
      ],
    },
  };
}

/** The lines of a part type put back where it is used. Its inputs and parameters become what they are given; other names that are taken get a number. */
export function unfold(
  project: Project,
  type: PartType,
  sheet: SignalSheet,
  id: string,
  around: SheetSurroundings,
  newId: () => string,
): BoxChange | Problem {
  const use = partUsedBy(project, type, sheet, id, around);
  const found = use && blockOfCall(use.call, sheet, around);
  if (!use || !found) return refuse('This line uses no part type');
  const { line, card, call, own } = use;
  const more =
    own.signals.length !== 1
      ? 'it has no sheet, or several'
      : own.physics.trim() !== '' || own.charts.length + own.procedures.length + own.parts.length > 0
        ? 'it is more than a sheet'
        : '';
  if (more !== '') return refuse(`${own.name} cannot be put here as lines: ${more}`);
  const [inner] = own.signals;
  const clock = (s: SignalSheet): string => (s.every.trim() === '' ? '' : `${s.every} ${s.offset} ${s.method}`);
  if (clock(inner) !== clock(sheet))
    return refuse(`${own.name} cannot be put here as lines: its sheet is computed at other moments than this one`);
  const given = argumentsOf(call, found.block);
  const taken = new Set([
    ...type.quantities.map((q) => q.name),
    ...type.signals.flatMap((s) => s.lines.flatMap((l) => nameOfLine(l) ?? [])),
  ]);
  const fresh = (wanted: string): string => {
    let name = wanted;
    for (let k = 2; taken.has(name) || around.isTaken(name); k++) name = `${wanted}${k}`;
    taken.add(name);
    return name;
  };
  const becomes = new Map<string, string>();
  const extra: SignalLine[] = [];
  const isPart = card.outputs.length > 1;
  /** What the lines beside it called its outputs. */
  const outputs = new Map<string, string>();
  for (const q of own.quantities) {
    if (q.role === 'output') {
      const result = isPart ? fresh(q.name) : card.name;
      becomes.set(q.name, result);
      if (isPart) outputs.set(`${card.name}.${q.name}`, result);
      continue;
    }
    const value = given.get(q.name)?.value;
    const text = value ? argumentText(card, q.name) : q.role === 'input' ? '' : q.value || '0';
    if (text === '') return refuse(`Nothing feeds ${q.name} of ${own.name}`);
    if (value?.kind === 'ref' || value?.kind === 'number' || !value) becomes.set(q.name, text);
    else {
      const name = fresh(q.name);
      extra.push({ ...newSignalLine(`z-${newId()}`, `${name} = ${text}`) });
      becomes.set(q.name, name);
    }
  }
  for (const l of inner.lines) {
    const name = nameOfLine(l);
    if (name !== undefined && !becomes.has(name)) becomes.set(name, fresh(name));
  }
  const corner = line.place;
  const places = inner.lines.flatMap((l) => l.place ?? []);
  const [left, top] = [Math.min(...places.map((p) => p.x)), Math.min(...places.map((p) => p.y))];
  const lines = inner.lines.map((l): SignalLine => {
    const name = nameOfLine(l);
    const place = corner && l.place ? { x: corner.x + l.place.x - left, y: corner.y + l.place.y - top } : null;
    const result = becomes.get(name ?? '');
    const isResult = result === card.name;
    const base: SignalLine = { ...l, id: isResult ? id : `z-${newId()}`, place };
    if (name === undefined) return base;
    return { ...base, text: renameInLine(l.text, becomes) };
  });
  const all = sheet.lines.flatMap((l) =>
    l.id === id ? [...extra, ...lines] : [outputs.size === 0 ? l : { ...l, text: renameInLine(l.text, outputs) }],
  );
  const label = `Put the lines of ${own.name} back`;
  return {
    label,
    lines: lines.map((l) => l.id),
    edit: {
      kind: 'batch',
      label,
      edits: [
        ...[...outputs].map(([from, to]): Edit => ({ kind: 'lead', type: type.id, from, to })),
        { kind: 'update', list: `type/${type.id}/signals`, id: sheet.id, changes: { lines: all } },
      ],
    },
  };
}
