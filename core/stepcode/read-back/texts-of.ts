import type { Expr, Statement } from '../../language/ast';
import { parseExpressionText, parsePhysicsText, parseStatementsText } from '../../language/parse';
import { findAt, isAtOrIn, ownerAddress, readAddress, type Address } from '../../project/address';
import type { Edit } from '../../project/edit';
import type { PartType, Project } from '../../project/project';
import { documentTexts } from '../../project/texts';

/** A text of a part type that formulas or statements of its C may have come from. */
export interface ModelText {
  readonly place: Address;
  readonly label: string;
  readonly text: string;
  /** The formulas in it, each as a whole. */
  readonly formulas: readonly Expr[];
  /** Undefined where it is no text of statements. */
  readonly statements: readonly Statement[] | undefined;
  /** Name of the chart it stands in; empty where it stands in none. */
  readonly chart: string;
}

const kinds = new Set(['number', 'boolean', 'ref', 'unary', 'binary', 'array']);
/** The outermost formulas in a tree of any kind. */
function formulasOf(node: unknown): readonly Expr[] {
  if (Array.isArray(node)) return node.flatMap(formulasOf);
  if (node === null || typeof node !== 'object') return [];
  const { kind, ...parts } = node as Readonly<Record<string, unknown>>;
  const isFormula =
    kinds.has(kind as string) ||
    (kind === 'call' && 'calleeSpan' in parts) ||
    (kind === 'if' && 'otherwise' in parts && !Array.isArray(parts.otherwise));
  return isFormula && 'span' in parts ? [node as Expr] : Object.values(parts).flatMap(formulasOf);
}

/** The texts of a part type that say something. */
export function textsOf(project: Project, type: PartType): readonly ModelText[] {
  const prefix = `type/${type.id}`;
  return documentTexts(project, new Set(['types'])).flatMap(
    ({ place, kind, text, label, keys }): readonly ModelText[] => {
      if (!isAtOrIn(place, prefix)) return [];
      const whole = keys.reduce<unknown>((at, key) => (at as Readonly<Record<string, unknown>>)[key], project);
      if (typeof whole !== 'string') return [];
      const of = { place, label, text: whole, chart: chartOf(project, place) };
      switch (kind) {
        case 'expression': {
          const { value, problems } = parseExpressionText(text);
          return problems.length > 0 ? [] : [{ ...of, formulas: [value], statements: undefined }];
        }
        case 'statements': {
          const { value, problems } = parseStatementsText(text);
          return problems.length > 0 ? [] : [{ ...of, formulas: formulasOf(value), statements: value }];
        }
        case 'physics': {
          const { value, problems } = parsePhysicsText(text);
          return problems.length > 0 ? [] : [{ ...of, formulas: formulasOf(value), statements: undefined }];
        }
        default:
          return [];
      }
    },
  );
}

/** The texts of an element in which something could be written and is not yet. */
export function emptyTextsOf(project: Project, element: Address): readonly ModelText[] {
  const found = findAt(project, element);
  const entry = found?.chain.at(-1);
  if (!found || !entry || found.field !== undefined) return [];
  const { description } = found.steps.at(-1)!;
  return Object.entries(description.fields).flatMap(([key, { text: role }]): readonly ModelText[] => {
    const kind = role?.kind(entry);
    const value = entry[key];
    if (!role || typeof value !== 'string' || value.trim() !== '' || (kind !== 'expression' && kind !== 'statements'))
      return [];
    const called = description.says(found.chain);
    return [
      {
        place: `${element}/${key}`,
        label: role.says === '' ? called : `${role.says} ${called}`,
        text: value,
        formulas: [],
        statements: kind === 'statements' ? [] : undefined,
        chart: chartOf(project, element),
      },
    ];
  });
}

function chartOf(project: Project, place: Address): string {
  const step = readAddress(place)?.steps.findIndex((s) => s.description.kind === 'chart') ?? -1;
  return step < 0 ? '' : (findAt(project, place)?.chain[step]?.name ?? '');
}

/** The edit after which a text is another one; undefined where it is not there. */
export function textEdit(project: Project, place: Address, text: string): Edit | undefined {
  const found = findAt(project, place);
  const entry = found?.chain.at(-1);
  if (!found || !entry || found.field === undefined) return undefined;
  const { field, row } = found;
  const address = found.steps.map((s) => `${s.description.kind}/${s.id}`).join('/');
  const owner = ownerAddress(address);
  const { kind } = found.steps.at(-1)!.description;
  const inner = row === undefined ? undefined : /\/\d+\/([^/]+)$/.exec(place)?.[1];
  const value =
    row === undefined
      ? text
      : (entry[field] as readonly unknown[]).map((r, k) =>
          k !== row ? r : inner === undefined ? text : { ...(r as object), [inner]: text },
        );
  return { kind: 'update', list: owner === '' ? kind : `${owner}/${kind}`, id: entry.id, changes: { [field]: value } };
}
