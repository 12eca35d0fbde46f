import { marksFor } from './equations';
import { projectFields, projectFormat, projectVersion, type PartType, type Project } from './document';
import { complaint, type Entry, type EntryDescription, type Field, type Fields } from './field';

/** Something of a document that could not be taken as it was. */
export interface SetAside {
  /** Where it stood: as an address where everything above it has an id, otherwise by fields and rows. */
  readonly place: string;
  /** What it is, for people: `control Start`. */
  readonly what: string;
  readonly why: string;
  /** What it was. */
  readonly value: unknown;
}

export interface Salvaged {
  readonly project: Project;
  readonly setAside: readonly SetAside[];
}

/**
 * The good of a damaged document. Lists that are missing are empty, and entries that do not fit are set aside as they are, never
 * guessed at: only what says nothing of the product is filled with nothing. The data are those of the present version.
 */
export function salvage(data: Readonly<Record<string, unknown>>, id: string): Salvaged {
  const setAside: SetAside[] = [];
  const head = { ...data, format: projectFormat, version: projectVersion };
  const sound = (key: 'id' | 'name' | 'root', otherwise: string): string => {
    const why = complaint(projectFields[key].schema, data[key]);
    if (why === undefined) return data[key] as string;
    if (data[key] !== undefined) setAside.push({ place: key, what: `${key} of the project`, why, value: data[key] });
    return otherwise;
  };
  const project = mendEntry(
    projectFields,
    { ...head, id: sound('id', id), name: sound('name', 'Project without a name'), root: sound('root', '') },
    { place: '', what: 'the project' },
    setAside,
  ) as unknown as Project;
  return { project: { ...project, types: project.types.map(withEquations) }, setAside };
}

/** Equations are numbered anew where their list is gone. */
const withEquations = (type: PartType): PartType =>
  type.equations.length > 0 || type.physics.trim() === ''
    ? type
    : { ...type, equations: marksFor(type.physics, []).map((m) => ({ ...m })) };

/** Fields that no computation reads: lost, they are empty. */
const meansNothing: ReadonlySet<string> = new Set(['note', 'layout', 'place', 'attributes', 'source']);

/** Where something stands, and what it is for people. */
interface Spot {
  readonly place: string;
  readonly what: string;
}
type Values = Readonly<Record<string, unknown>>;

/** What of an entry can be kept; undefined where one of its own values is wrong: what that would have to be nobody knows. */
function mendEntry(fields: Fields, value: Values, { place, what }: Spot, setAside: SetAside[]): Values | undefined {
  const kept: Record<string, unknown> = {};
  for (const [key, field] of Object.entries(fields)) {
    const given = Object.hasOwn(value, key) ? value[key] : undefined;
    const at = place === '' ? key : `${place}/${key}`;
    if (field.entries) {
      kept[key] = mendList(field.entries, given, { place, what }, at, setAside);
      continue;
    }
    const why = complaint(field.schema, given);
    const nothing = place === '' || meansNothing.has(key) ? emptyOf(field) : undefined;
    if (why === undefined) kept[key] = given;
    else if (nothing !== undefined) {
      if (given !== undefined) setAside.push({ place: at, what: `${key} of ${what}`, why, value: given });
      kept[key] = nothing;
    } else {
      setAside.push({ place, what, why: `${key}: ${why}`, value });
      return undefined;
    }
  }
  for (const key of Object.keys(value))
    if (!Object.hasOwn(fields, key))
      setAside.push({
        place: place === '' ? key : `${place}/${key}`,
        what: `${key} of ${what}`,
        why: `There is nothing called ${key} here`,
        value: value[key],
      });
  return kept;
}

function mendList(
  description: EntryDescription,
  list: unknown,
  owner: Spot,
  at: string,
  setAside: SetAside[],
): readonly Values[] {
  if (list === undefined) return [];
  if (!Array.isArray(list)) {
    setAside.push({
      place: at,
      what: `each ${description.word} of ${owner.what}`,
      why: 'This must be a list',
      value: list,
    });
    return [];
  }
  const taken = new Set<unknown>();
  return (list as readonly unknown[]).flatMap((entry, k) => {
    const row = `${at}/${k + 1}`;
    if (typeof entry !== 'object' || entry === null) {
      setAside.push({
        place: row,
        what: `${description.word} ${k + 1} of ${owner.what}`,
        why: 'There is nothing in it',
        value: entry,
      });
      return [];
    }
    const { id, name, key, label } = entry as Entry & Values;
    const called = [name, label, key, id, String(k + 1)].find((x) => typeof x === 'string' && x !== '');
    const spot = {
      place: typeof id === 'string' ? `${owner.place === '' ? '' : `${owner.place}/`}${description.kind}/${id}` : row,
      what: `${description.word} ${called as string}`,
    };
    if (taken.has(id)) {
      setAside.push({ ...spot, why: 'Another one has the same id', value: entry });
      return [];
    }
    const kept = mendEntry(description.fields, entry as Values, spot, setAside);
    if (kept) taken.add(id);
    return kept ? [kept] : [];
  });
}

/** What stands for nothing in a field; undefined where it must have something. */
function emptyOf(field: Field<unknown>): unknown {
  return ['', null, []].find((x) => x !== undefined && complaint(field.schema, x) === undefined);
}
