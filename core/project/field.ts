import * as yup from 'yup';
import { keywords } from '../language/lexer';
import { parseUnit } from '../language/units';
import type { NamesInLine } from '../lines/names-in-lines';
import type { TextKind } from './text-kinds';

/**
 * What the document is described with (see document.ts). A field knows how its value is checked (Yup), what it looks like in
 * the published schema of the file (JSON Schema 2020-12), and what it is to the rest: a text of the language, a list of
 * entries. The type of its value follows from it.
 */
export interface Field<T> {
  readonly schema: yup.AnySchema;
  readonly json: JsonSchema;
  /** Names in it are looked up: it is read as a text of the language. */
  readonly text?: TextRole;
  /** Its values are entries, each with an address. */
  readonly entries?: EntryDescription;
  /** Fields of the one thing it holds, or of each of its rows. */
  readonly fields?: Fields;
  /** Only for the compiler: the type of its value. */
  readonly type?: T;
}

export type JsonSchema = Readonly<Record<string, unknown>>;
export type Fields = Readonly<Record<string, Field<unknown>>>;
export type ValueOf<F> = F extends Field<infer T> ? T : never;
export type ValuesOf<F extends Fields> = { readonly [K in keyof F]: ValueOf<F[K]> };

/** A kind of entry that stands in lists. Entries are known by their ids, and addressed as `kind/id` below their owner. */
export interface EntryDescription<F extends Fields = Fields> {
  /** The word in addresses. */
  readonly kind: string;
  /** Its name in the published schema, where another kind has the same word in addresses. */
  readonly schema?: string;
  /** What people call it. */
  readonly word: string;
  readonly fields: F;
  /** Lists of one owner that share their names: no two entries of them may have the same. */
  readonly names?: string;
  /** Their name is a word of the language: it can stand in formulas. */
  readonly isNamed: boolean;
  /** How one of them is called in a list of things. */
  label(chain: Chain): string;
  /** How it is called where a sentence speaks of it. */
  says(chain: Chain): string;
  /** What it says, as a trace link marks it; undefined where no link leads to it. */
  content?(entry: Entry): string | undefined;
}
export type EntryOf<D> = D extends EntryDescription<infer F> ? ValuesOf<F> : never;

/** An entry where its kind is not known. */
export type Entry = Readonly<Record<string, unknown>> & { readonly id: string; readonly name?: string };

/** The entries from the document down to one of its entries; the document itself is not among them. */
export type Chain = readonly Entry[];

/** What texts of a document are read in. */
export interface Surroundings {
  /** Id of the part type that is the product. */
  readonly root: string;
  /** Id of the part type that a setup runs; without that setup, what the first one runs. */
  rootOf(setup: string): string;
}

export interface TextRole {
  /** How the text is read; undefined where this one is not. */
  readonly kind: (entry: Readonly<Record<string, unknown>>) => TextKind | undefined;
  /** The part type in which its names are looked up. */
  readonly scope: (project: Surroundings, chain: Chain) => string;
  /** Words of which the text is one, before what its entry is called. */
  readonly says: string;
  /** Pieces of a line that are read each in its own way. */
  readonly pieces?: (text: string) => readonly NamesInLine[];
}

// the values of fields

const kindsOfValue: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  boolean: 'true or false',
  array: 'a list',
  object: 'a group of values',
};
yup.setLocale({
  mixed: {
    defined: 'It is missing',
    required: 'It is missing',
    notNull: 'It is missing',
    notType: ({ type }) => `This must be ${kindsOfValue[type] ?? `a ${type}`}`,
  },
});

export const longestText = 20_000;
export const longestList = 20_000;

const string = (limit: number): yup.StringSchema<string> =>
  yup.string().strict().max(limit, `At most ${limit} characters`).defined();

export const text = (limit = longestText): Field<string> => ({
  schema: string(limit),
  json: { type: 'string', maxLength: limit },
});

/** A name for people; never empty. */
export const title = (limit = 200, missing = 'A name is needed'): Field<string> => ({
  schema: string(limit).required(missing),
  json: { type: 'string', minLength: 1, maxLength: limit },
});

const idPattern = '^[A-Za-z0-9_-]+$';
export const id: Field<string> = {
  schema: string(64)
    .required('An id is missing')
    .matches(new RegExp(idPattern), 'An id has letters, digits, - and _ only'),
  json: { type: 'string', pattern: idPattern, maxLength: 64 },
};

export const namePattern = /^[\p{L}_][\p{L}\p{N}_]*$/u;
const reserved = [...keywords, 'time', 'send', 'to'];
const isReserved = new Set(reserved);

/** A word of the language: usable in formulas. */
export const nameSchema = string(80)
  .required('A name is needed')
  .matches(namePattern, 'A name starts with a letter and has letters, digits and _ only')
  .test('reserved', 'This word has a meaning of its own in formulas', (value) => !isReserved.has(value ?? ''));
const nameJson: JsonSchema = {
  type: 'string',
  pattern: namePattern.source,
  maxLength: 80,
  not: { enum: reserved },
};
export const name: Field<string> = { schema: nameSchema, json: nameJson };

export const unitSchema = string(80).test('unit', 'Not a known unit', function (value) {
  const unit = parseUnit(value ?? '');
  return typeof unit === 'string' ? this.createError({ message: unit[0].toUpperCase() + unit.slice(1) }) : true;
});
/** A unit as docs/language.md writes them; empty for none. */
export const unit: Field<string> = {
  schema: unitSchema,
  json: { type: 'string', maxLength: 80, description: 'a unit, written as in docs/language.md' },
};

/** Messages by name; `*` stands for any. */
export const messages: Field<readonly string[]> = {
  schema: yup
    .array(
      string(80).test(
        'message',
        'A message is a name, or * for any',
        (value) => value === '*' || nameSchema.isValidSync(value),
      ),
    )
    .strict()
    .defined(),
  json: { type: 'array', items: { anyOf: [{ const: '*' }, nameJson] } },
};

export const oneOf = <const T extends string>(...values: readonly T[]): Field<T> => ({
  schema: yup
    .mixed<T>()
    .oneOf(values, `One of ${values.join(', ')}`)
    .defined(),
  json: { enum: values },
});

export const exactly = <const T extends string | number>(value: T): Field<T> => ({
  schema: yup.mixed<T>().oneOf([value]).defined(),
  json: { const: value },
});

export const flag: Field<boolean> = { schema: yup.boolean().strict().defined(), json: { type: 'boolean' } };

const finite = yup
  .number()
  .strict()
  .defined()
  .test('finite', 'A number is needed', (value) => Number.isFinite(value));
export const number: Field<number> = { schema: finite, json: { type: 'number' } };
export const positive: Field<number> = {
  schema: finite.moreThan(0, 'This must be more than 0'),
  json: { type: 'number', exclusiveMinimum: 0 },
};
export const atLeast = (min: number, message?: string, max?: number): Field<number> => ({
  schema: max === undefined ? finite.min(min, message) : finite.min(min, message).max(max, message),
  json: { type: 'number', minimum: min, ...(max !== undefined && { maximum: max }) },
});

/** A text that has a pattern. */
export const matching = (pattern: RegExp, message: string, limit: number): Field<string> => ({
  schema: string(limit).matches(pattern, message),
  json: { type: 'string', pattern: pattern.source, maxLength: limit },
});

/** Texts in a row, each read alike where they are texts of the language. */
export const texts = (limit: number, most = longestList): Field<readonly string[]> => ({
  schema: yup.array(string(limit)).strict().max(most, `At most ${most} entries`).defined(),
  json: { type: 'array', items: { type: 'string', maxLength: limit }, maxItems: most },
});
export const ids = (most: number): Field<readonly string[]> => ({
  schema: yup.array(id.schema).strict().max(most, `At most ${most} entries`).defined(),
  json: { type: 'array', items: id.json, maxItems: most },
});

const shape = (fields: Fields): yup.AnyObjectSchema =>
  yup
    .object(Object.fromEntries(Object.entries(fields).map(([key, f]) => [key, f.schema])))
    .noUnknown(({ unknown }: { unknown?: string }) => `There is nothing called ${unknown ?? 'that'} here`)
    .strict();
const shapeJson = (fields: Fields): JsonSchema => ({
  type: 'object',
  properties: Object.fromEntries(Object.entries(fields).map(([key, f]) => [key, f.json])),
  required: Object.keys(fields),
  additionalProperties: false,
});

/** One thing with fields of its own, or nothing. */
export const maybe = <F extends Fields>(fields: F): Field<ValuesOf<F> | null> => ({
  schema: shape(fields).nullable().defined(),
  json: { anyOf: [{ type: 'null' }, shapeJson(fields)] },
  fields,
});
export const idOrNone: Field<string | null> = {
  schema: (id.schema as yup.StringSchema).nullable(),
  json: { anyOf: [{ type: 'null' }, id.json] },
};

/** Rows without an address of their own. */
export const rows = <F extends Fields>(fields: F, most = longestList): Field<readonly ValuesOf<F>[]> => ({
  schema: yup.array(shape(fields).defined()).strict().max(most, `At most ${most} entries`).defined(),
  json: { type: 'array', items: shapeJson(fields), maxItems: most },
  fields,
});

/** Entries with ids, no two of which are the same. */
export const list = <F extends Fields>(
  description: EntryDescription<F>,
  most = longestList,
): Field<readonly ValuesOf<F>[]> => ({
  schema: yup
    .array(entrySchema(description))
    .strict()
    .max(most, `At most ${most} entries`)
    .defined()
    .test('ids', 'Two entries have one id', (entries) => {
      const seen = new Set((entries as readonly { readonly id: string }[] | undefined)?.map((e) => e?.id));
      return seen.size === (entries?.length ?? 0);
    }),
  json: { type: 'array', items: { $ref: `#/$defs/${description.schema ?? description.kind}` }, maxItems: most },
  entries: description,
});

const schemas = new WeakMap<EntryDescription, yup.AnyObjectSchema>();

/** How an entry is checked. */
export function entrySchema(description: EntryDescription): yup.AnyObjectSchema {
  const known = schemas.get(description) ?? shape(description.fields).defined();
  schemas.set(description, known);
  return known;
}
export const documentSchema = (fields: Fields): yup.AnyObjectSchema => shape(fields);
export const documentJson = (fields: Fields): JsonSchema => shapeJson(fields);

/** What a kind of entry leaves out is as usual: called by its name, no name of the language, not traced. */
export function entry<const F extends Fields>(
  kind: string,
  word: string,
  fields: F,
  more: Partial<Pick<EntryDescription, 'names' | 'label' | 'says' | 'schema'>> & {
    content?(entry: ValuesOf<F>): string | undefined;
  } = {},
): EntryDescription<F> {
  const own = (chain: Chain): string => String(chain.at(-1)?.name ?? '');
  const description: EntryDescription = {
    kind,
    word,
    fields,
    isNamed: fields.name === name,
    label: own,
    says: (chain) => `${word} ${own(chain)}`,
    ...(more as Partial<EntryDescription>),
  };
  return description as EntryDescription<F>;
}

/** The field read as a text of the language. */
export const read = <T>(
  field: Field<T>,
  kind: TextKind | TextRole['kind'],
  scope: TextRole['scope'],
  more: Partial<Pick<TextRole, 'says' | 'pieces'>> = {},
): Field<T> => ({
  ...field,
  text: { kind: typeof kind === 'function' ? kind : () => kind, scope, says: '', ...more },
});

/** Why a value cannot be; undefined where it can. */
export function complaint(schema: yup.AnySchema, value: unknown, called?: string): string | undefined {
  try {
    schema.validateSync(value, { strict: true, abortEarly: true });
    return undefined;
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) throw error;
    const where = error.path ? error.path.split('.').at(-1) : called;
    return where ? `${where}: ${error.errors[0]}` : error.errors[0];
  }
}
