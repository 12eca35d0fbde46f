import { listFields, type Address } from './address';
import { projectFields, type Project } from './document';
import type { Chain, Entry, EntryDescription, Fields, Surroundings, TextRole } from './field';
import type { TextKind } from './text-kinds';

/** A text with its address, and the part type in which its names are looked up. */
export interface DocumentText {
  readonly place: Address;
  readonly kind: TextKind;
  readonly scope: string;
  readonly text: string;
  /** Words of which the text is one, for lists of users. */
  readonly label: string;
  /** Path of keys in the document, for replacing it. */
  readonly keys: readonly (string | number)[];
}

interface KnownTexts {
  readonly roots: string;
  readonly index: number;
  readonly texts: readonly DocumentText[];
}
/** Texts of the entries of the document: an edit leaves most of them as they are. */
const known = new WeakMap<Entry, KnownTexts>();

/** Every text of the document that can name something; of some lists only where these are given. */
export function documentTexts(project: Project, lists?: ReadonlySet<keyof Project>): DocumentText[] {
  const all: DocumentText[] = [];
  const { root, setups } = project;
  const rootOf = (id: string): string => (setups.find((s) => s.id === id) ?? setups[0])?.root || root;
  // what a setup runs decides where the names of its studies are looked up
  const roots = [root, ...setups.flatMap((s, k) => (s.root || k === 0 ? [`${s.id} ${s.root}`] : []))].join();
  for (const { key, description } of listFields(projectFields).values()) {
    if ((lists && !lists.has(key as keyof Project)) || !holdsTexts(description)) continue;
    (project[key as keyof Project] as readonly Entry[]).forEach((entry, index) => {
      let of = known.get(entry);
      if (of?.roots !== roots || of.index !== index)
        known.set(entry, (of = { roots, index, texts: textsOf({ root, rootOf }, entry, description, [key, index]) }));
      for (const text of of.texts) all.push(text);
    });
  }
  return all;
}

const isBlank = (text: unknown): boolean => typeof text === 'string' && text.trim() === '';

/** The texts of an entry of the document and of all it holds. */
function textsOf(
  project: Surroundings,
  top: Entry,
  topDescription: EntryDescription,
  topKeys: readonly (string | number)[],
): readonly DocumentText[] {
  const all: DocumentText[] = [];
  const take = (
    text: string,
    role: TextRole,
    of: Readonly<Record<string, unknown>>,
    place: Address,
    chain: Chain,
    description: EntryDescription,
    keys: readonly (string | number)[],
  ): void => {
    const push = (kind: TextKind, piece: string): void =>
      void all.push({
        place,
        kind,
        scope: role.scope(project, chain),
        text: piece,
        // most are read for what they say, and never listed
        get label() {
          const called = description.says(chain);
          return role.says === '' ? called : `${role.says} ${called}`;
        },
        keys,
      });
    if (role.pieces) {
      // the pieces of a line keep their place in it: blanks stand for the rest
      for (const { kind, piece, of: procedure } of role.pieces(text))
        push(kind, ' '.repeat(piece.start) + piece.text + (procedure === undefined ? '' : ` of ${procedure}`));
      return;
    }
    const kind = role.kind(of);
    if (kind) push(kind, text);
  };
  /** The texts of an entry, or of one of its rows. */
  const own = (
    fields: Fields,
    of: Readonly<Record<string, unknown>>,
    place: Address,
    chain: Chain,
    description: EntryDescription,
    keys: readonly (string | number)[],
  ): void => {
    for (const key of textFields(fields)) {
      const { text: role, fields: inner } = fields[key];
      const value = of[key];
      // most texts are empty, and most entries many: an address is made for those that say something
      if (typeof value === 'string') {
        if (role && !isBlank(value)) take(value, role, of, `${place}/${key}`, chain, description, [...keys, key]);
      } else
        (value as readonly unknown[]).forEach((row, k) => {
          if (isBlank(row)) return;
          const at = `${place}/${key}/${k}`;
          if (role) take(row as string, role, of, at, chain, description, [...keys, key, k]);
          else own(inner!, row as Readonly<Record<string, unknown>>, at, chain, description, [...keys, key, k]);
        });
    }
  };
  const into = (
    entry: Entry,
    address: Address,
    chain: Chain,
    description: EntryDescription,
    keys: readonly (string | number)[],
  ): void => {
    own(description.fields, entry, address, chain, description, keys);
    for (const { key, description: inner } of listFields(description.fields).values())
      if (holdsTexts(inner))
        (entry[key] as readonly Entry[]).forEach((e, k) =>
          into(e, `${address}/${inner.kind}/${e.id}`, [...chain, e], inner, [...keys, key, k]),
        );
  };
  into(top, `${topDescription.kind}/${top.id}`, [top], topDescription, topKeys);
  return all;
}

const textFieldsOf = new WeakMap<Fields, readonly string[]>();
/** Fields that are texts of the language, or rows with such fields. */
function textFields(fields: Fields): readonly string[] {
  const known =
    textFieldsOf.get(fields) ??
    Object.entries(fields).flatMap(([key, f]) =>
      f.text || (f.fields && textFields(f.fields).length > 0) ? [key] : [],
    );
  textFieldsOf.set(fields, known);
  return known;
}

const withTexts = new WeakMap<EntryDescription, boolean>();
/** Whether there can be a text of the language in an entry or in what it holds. */
function holdsTexts(description: EntryDescription): boolean {
  let holds = withTexts.get(description);
  if (holds === undefined) {
    holds =
      textFields(description.fields).length > 0 ||
      [...listFields(description.fields).values()].some((l) => holdsTexts(l.description));
    withTexts.set(description, holds);
  }
  return holds;
}
