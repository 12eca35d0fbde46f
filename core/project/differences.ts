import { ownerAddress, visitEntries, type Address } from './address';
import { projectFields, type Project } from './document';
import type { Chain, Entry, EntryDescription, Fields } from './field';

/** One thing in which two versions of a document differ. */
export interface Difference {
  readonly address: Address;
  readonly what: string;
  /** Address of the list that stands in another order. */
  readonly list?: Address;
  /** `only here`, `only there`: an entry with all it holds; `order`: entries of a list stand in another order. */
  readonly kind: 'only here' | 'only there' | 'changed' | 'order';
  /** Of a changed one: the fields, and what they say here and there. */
  readonly fields: readonly { readonly field: string; readonly here: string; readonly there: string }[];
}

interface Seen {
  readonly chain: Chain;
  readonly entry: Entry;
  readonly description: EntryDescription;
}

const whatIs = ({ chain, description }: Seen): string => `${description.word} ${description.label(chain)}`;

/** Two versions of one document may be kept under two ids. */
const { id: _, ...ownFields } = projectFields;

function entriesOf(project: Project): Map<Address, Seen> {
  const found = new Map<Address, Seen>();
  visitEntries(project, (address, chain, description) =>
    found.set(address, { chain, entry: chain.at(-1)!, description }),
  );
  return found;
}

/** What two versions of one document do not have in common, in the order of the document. Entries are the same where their addresses are. */
export function differences(here: Project, there: Project): readonly Difference[] {
  const [ours, theirs] = [entriesOf(here), entriesOf(there)];
  const found: Difference[] = [];
  const own = fieldDifferences(ownFields, here as unknown as Entry, there as unknown as Entry);
  if (own.length > 0) found.push({ address: '', what: 'the project', kind: 'changed', fields: own });
  const loose = (address: Address, seen: Seen, others: Map<Address, Seen>, kind: 'only here' | 'only there'): void => {
    // what stands in something that is gone goes with it
    const owner = ownerAddress(address);
    if (owner !== '' && !others.has(owner)) return;
    found.push({ address, what: whatIs(seen), kind, fields: [] });
  };
  for (const [address, seen] of ours) {
    const other = theirs.get(address);
    if (!other) loose(address, seen, theirs, 'only here');
    else if (other.entry !== seen.entry) {
      const fields = fieldDifferences(seen.description.fields, seen.entry, other.entry);
      if (fields.length > 0) found.push({ address, what: whatIs(seen), kind: 'changed', fields });
    }
  }
  for (const [address, seen] of theirs) if (!ours.has(address)) loose(address, seen, ours, 'only there');
  return [...found, ...orders(ours, theirs)];
}

function fieldDifferences(fields: Fields, here: Entry, there: Entry): Difference['fields'] {
  return Object.entries(fields).flatMap(([field, { entries }]) => {
    if (entries || here[field] === there[field]) return [];
    const [a, b] = [saysValue(here[field]), saysValue(there[field])];
    return a === b ? [] : [{ field, here: a, there: b }];
  });
}

const saysValue = (value: unknown): string =>
  typeof value === 'string' ? value : value === null || value === undefined ? '' : JSON.stringify(value);

/** Lists whose common entries stand in another order. */
function orders(ours: Map<Address, Seen>, theirs: Map<Address, Seen>): Difference[] {
  const lists = (of: Map<Address, Seen>, others: Map<Address, Seen>): Map<Address, Address[]> => {
    const found = new Map<Address, Address[]>();
    for (const address of of.keys()) {
      const list = address.slice(0, address.lastIndexOf('/'));
      if (!others.has(address)) continue;
      const known = found.get(list);
      if (known) known.push(address);
      else found.set(list, [address]);
    }
    return found;
  };
  const there = lists(theirs, ours);
  return [...lists(ours, theirs)].flatMap(([list, addresses]): Difference[] => {
    if (addresses.join('\n') === (there.get(list) ?? []).join('\n')) return [];
    const { description } = ours.get(addresses[0])!;
    const owner = ours.get(ownerAddress(addresses[0]));
    const of = owner ? ` in ${whatIs(owner)}` : '';
    return [
      {
        address: ownerAddress(addresses[0]),
        list,
        what: `order of each ${description.word}${of}`,
        kind: 'order',
        fields: [],
      },
    ];
  });
}
