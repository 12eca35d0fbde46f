import { lex } from '../language/lexer';
import { parsePhysicsText } from '../language/parse';
import { readRelation } from '../project/relation-text';
import type { PartType, Project, Quantity } from '../project/project';
import { sheetsAsText, type SheetsAsText } from './sheets-in-text';

export interface ModelicaExport {
  readonly text: string;
  /** What the language of such files has no words for. */
  readonly remarks: readonly string[];
}

const quoted = (text: string): string => `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;
const described = (note: string): string => (note ? ` ${quoted(note)}` : '');

/** The physics of a project as classes: quantities, parts, links and physics texts of every part type, and the texts they share. */
export function exportModelica(project: Project): ModelicaExport {
  const remarks: string[] = [];
  const nameOf = new Map(project.types.map((t) => [t.id, t.name]));
  const classes = project.types.map((t) =>
    classText(t, nameOf, remarks, t.signals.length > 0 ? sheetsAsText(project, t) : undefined),
  );
  return {
    text: `// ${project.name}\n\n${[...project.libraries.map((l) => l.text.trim()), ...classes].join('\n\n')}\n`,
    remarks,
  };
}

function classText(
  type: PartType,
  nameOf: ReadonlyMap<string, string>,
  remarks: string[],
  sheets: SheetsAsText | undefined,
): string {
  const { name } = type;
  const remark = (what: string): void => void remarks.push(`${name}: ${what}`);
  if (type.charts.length > 0) remark(`state charts (${type.charts.map((c) => c.name).join(', ')})`);
  if (type.procedures.length > 0) remark(`procedures (${type.procedures.map((p) => p.name).join(', ')})`);
  if (type.ports.length > 0) remark(`message ports (${type.ports.map((p) => p.name).join(', ')})`);
  const messages = new Set(type.ports.map((p) => p.name));
  const quantities = type.quantities.map(quantityText);
  const parts = type.parts.map(
    (p) =>
      `${nameOf.get(p.type) ?? 'Missing'} ${p.name}${p.changes.length ? `(${p.changes.map((c) => `${c.name} = ${c.value}`).join(', ')})` : ''}${described(p.note)};`,
  );
  const { value: physics } = parsePhysicsText(type.physics);
  const first = lex(type.physics).tokens[0];
  const bare =
    physics.elements.length === 0 &&
    first.kind !== 'end-of-text' &&
    !(first.kind === 'keyword' && ['equation', 'initial', 'algorithm', 'annotation'].includes(first.text));
  const body =
    type.physics.trim() === '' ? '' : bare ? `equation\n${indent(type.physics.trim())}` : type.physics.trim();
  // an annotation closes a class; what has been added goes before it
  const at = /\nannotation\s*\([^;]*;\s*$/.exec(`\n${body}`);
  const [before, after] = at
    ? [body.slice(0, Math.max(0, at.index - 1)), body.slice(Math.max(0, at.index - 1)).trim()]
    : [body, ''];
  const links = type.links
    .filter((l) => !messages.has(l.from.split('.')[0]) && !messages.has(l.to.split('.')[0]))
    .map((l) => `connect(${l.from}, ${l.to});`);
  if (links.length < type.links.length) remark('links of messages');
  const relations = type.sheets
    .filter((s) => s.live)
    .flatMap((s) => s.relations.filter((r) => readRelation(r).value.kind === 'equal'));
  if (relations.length > 0) remark('relation sheets, as their units convert by themselves');
  const written = [type.physics, ...type.signals.flatMap((x) => x.lines.map((l) => l.text))].join('\n');
  if (/\d\s*'[^']+'/.test(written)) remark("numbers with units, such as 5 'ms', are kept as they are");
  const more = links.length ? `equation\n${indent(links.join('\n'))}` : '';
  const note = sheets && `__Zelvar(${sheets.annotation})`;
  const ending = note === undefined ? after : after === '' ? `annotation(${note});` : after.replace('(', `(${note}, `);
  const pieces = [[...quantities, ...parts].join('\n'), before.trim(), more, sheets?.body ?? '', ending].filter(
    (x) => x !== '',
  );
  return `model ${name}${described(type.note)}\n${indent(pieces.join('\n'))}${pieces.length ? '\n' : ''}end ${name};`;
}

const indent = (text: string): string => text.replace(/^(?=.)/gm, '  ');

function quantityText(q: Quantity): string {
  const isFixed = q.role === 'constant' || q.role === 'parameter';
  const set = [
    q.unit && `unit = ${quoted(q.unit)}`,
    q.min && `min = ${q.min}`,
    q.max && `max = ${q.max}`,
    !isFixed && q.value && `start = ${q.value}`,
  ].filter(Boolean);
  const prefix = q.role === 'variable' ? '' : `${q.role} `;
  return `${prefix}${q.type} ${q.name}${set.length ? `(${set.join(', ')})` : ''}${isFixed && q.value ? ` = ${q.value}` : ''}${described(q.note)};`;
}
