import { projectFields, type Project } from './document';
import type { Entry, EntryDescription, Fields } from './field';

/**
 * Where something is in the document: `kind/id` from the top down, as in `type/t1/chart/c1/state/s3`, and then, for a text, its
 * field: `type/t1/chart/c1/state/s3/entry`, with the row where a field has several, `setup/s1/record/0`, and the field of the row
 * where rows have fields, `type/t1/chart/c1/transition/x2/triggers/0/on`. An address without its last id names a list: `type/t1/chart`. Kinds are those of document.ts; this is the one spelling, and here is its one reader.
 */
export type Address = string;

/** One level of an address. */
export interface Step {
  readonly description: EntryDescription;
  /** The field of the owner that holds the list. */
  readonly key: string;
  readonly id: string;
}

export interface ReadAddress {
  readonly steps: readonly Step[];
  /** A list of the last of them, or of the document. */
  readonly list?: { readonly description: EntryDescription; readonly key: string };
  readonly field?: string;
  readonly row?: number;
}

interface ListField {
  readonly key: string;
  readonly description: EntryDescription;
}
const listsOf = new WeakMap<Fields, ReadonlyMap<string, ListField>>();

/** The lists among some fields, by the kind of their entries. */
export function listFields(fields: Fields): ReadonlyMap<string, ListField> {
  let known = listsOf.get(fields);
  if (!known) {
    known = new Map(
      Object.entries(fields).flatMap(([key, { entries }]) =>
        entries ? [[entries.kind, { key, description: entries }] as const] : [],
      ),
    );
    listsOf.set(fields, known);
  }
  return known;
}

/** What an address says; undefined where it is none. Nothing is looked up: what it names may be gone. */
export function readAddress(address: Address): ReadAddress | undefined {
  if (address === '') return { steps: [] };
  const parts = address.split('/');
  const steps: Step[] = [];
  let fields: Fields = projectFields;
  for (let k = 0; k < parts.length; k += 2) {
    const found = listFields(fields).get(parts[k]);
    if (!found) {
      const [field, row, inner, ...more] = parts.slice(k);
      if (steps.length === 0 || !Object.hasOwn(fields, field) || more.length > 0) return undefined;
      if (row === undefined) return { steps, field };
      if (!/^\d+$/.test(row)) return undefined;
      if (inner !== undefined && !Object.hasOwn(fields[field].fields ?? {}, inner)) return undefined;
      return { steps, field, row: Number(row) };
    }
    if (k + 1 === parts.length) return { steps, list: found };
    steps.push({ ...found, id: parts[k + 1] });
    fields = found.description.fields;
  }
  return { steps };
}

export interface FoundAt {
  /** The entries from the document down. */
  readonly chain: readonly Entry[];
  readonly steps: readonly Step[];
  readonly field?: string;
  readonly row?: number;
}

/** What stands at an address; undefined where nothing does. */
export function findAt(project: Project, address: Address): FoundAt | undefined {
  const read = readAddress(address);
  if (!read || read.list || read.steps.length === 0) return undefined;
  const chain: Entry[] = [];
  let at: unknown = project;
  for (const step of read.steps) {
    const entries = (at as Readonly<Record<string, readonly Entry[]>>)[step.key];
    const entry = entries.find((e) => e.id === step.id);
    if (!entry) return undefined;
    chain.push(entry);
    at = entry;
  }
  const { steps, field, row } = read;
  return { chain, steps, ...(field !== undefined && { field }), ...(row !== undefined && { row }) };
}

/** The address of the entry that a text, a problem or anything else at an address belongs to. */
export function entryAddress(address: Address): Address {
  const read = readAddress(address);
  return read ? read.steps.map((s) => `${s.description.kind}/${s.id}`).join('/') : address;
}

/** The address of what an entry stands in; empty for the document. */
export function ownerAddress(address: Address): Address {
  const read = readAddress(address);
  const steps = read?.list || read?.field !== undefined ? read.steps : (read?.steps.slice(0, -1) ?? []);
  return steps.map((s) => `${s.description.kind}/${s.id}`).join('/');
}

/** Whether something is at an address or inside what is there. */
export const isAtOrIn = (address: Address, outer: Address): boolean =>
  address === outer || (address.startsWith(outer) && address[outer.length] === '/');

/** The id of the entry of a kind on the way to an address; undefined where there is none. */
export const idIn = (address: Address, kind: string): string | undefined =>
  readAddress(address)?.steps.find((s) => s.description.kind === kind)?.id;

/** The last kind and id of an address. */
export function lastStep(address: Address): { readonly kind: string; readonly id: string } | undefined {
  const step = readAddress(address)?.steps.at(-1);
  return step && { kind: step.description.kind, id: step.id };
}

/** Visits every entry of the document, owners before what they hold. */
export function visitEntries(
  project: Project,
  visit: (address: Address, chain: readonly Entry[], description: EntryDescription) => void,
): void {
  const into = (
    fields: Fields,
    owner: Readonly<Record<string, unknown>>,
    at: Address,
    chain: readonly Entry[],
  ): void => {
    for (const { key, description } of listFields(fields).values()) {
      for (const entry of owner[key] as readonly Entry[]) {
        const address = at === '' ? `${description.kind}/${entry.id}` : `${at}/${description.kind}/${entry.id}`;
        const inner = [...chain, entry];
        visit(address, inner, description);
        into(description.fields, entry, address, inner);
      }
    }
  };
  into(projectFields, project as unknown as Readonly<Record<string, unknown>>, '', []);
}
