import { findAt, ownerAddress, type Address } from '../project/address';
import { chart, partType, type Chart, type FlowLine, type PartType, type Project } from '../project/document';
import { statesByParent } from '../project/project';

/**
 * What goes when some elements go: with a state the states inside it and the transitions that touch them, with a part the links
 * that end at it. What stands inside another one of them is left out, as it goes by itself.
 */
export function goneWith(project: Project, addresses: readonly Address[]): Address[] {
  const gone = new Set(addresses);
  for (const address of addresses) {
    const found = findAt(project, address);
    const kind = found?.steps.at(-1)?.description.kind;
    const owner = found?.chain.at(-2);
    const holder = found?.steps.at(-2)?.description;
    const at = ownerAddress(address);
    if (kind === 'state' && holder === chart) {
      const states = withInner(owner as unknown as Chart, found!.chain.at(-1)!.id);
      for (const id of states) gone.add(`${at}/state/${id}`);
      for (const t of (owner as unknown as Chart).transitions)
        if (states.has(t.from) || states.has(t.to)) gone.add(`${at}/transition/${t.id}`);
    } else if (kind === 'line') {
      for (const id of blockOf(
        (owner as unknown as { lines: readonly FlowLine[] }).lines,
        address.slice(address.lastIndexOf('/') + 1),
      ))
        gone.add(`${at}/line/${id}`);
    } else if (kind === 'part' && holder === partType) {
      const name = found!.chain.at(-1)!.name;
      for (const l of (owner as unknown as PartType).links)
        if ([l.from, l.to].some((end) => partOf(end) === name)) gone.add(`${at}/link/${l.id}`);
    }
  }
  return [...gone].filter((a) => !isWithin(ownerAddress(a), gone));
}

/** Whether an address is one of some, or inside what is there. */
export function isWithin(address: Address, outer: ReadonlySet<Address>): boolean {
  for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) if (outer.has(at)) return true;
  return false;
}

/** A line and what stands further in below it. */
export function blockOf(lines: readonly FlowLine[], id: string): string[] {
  const first = lines.findIndex((l) => l.id === id);
  if (first < 0) return [];
  let end = first + 1;
  while (end < lines.length && lines[end].depth > lines[first].depth) end++;
  return lines.slice(first, end).map((l) => l.id);
}

/** The part a path goes through; undefined where it names something of its own. */
export function partOf(path: string): string | undefined {
  const [first, ...more] = path.split('.');
  return more.length > 0 ? first.replace(/\[.*$/, '').trim() : undefined;
}

/** A state and all states inside it. */
export function withInner(of: Chart, id: string): Set<string> {
  const byParent = statesByParent(of);
  const all = new Set<string>();
  const left = [id];
  for (let at = left.pop(); at !== undefined; at = left.pop()) {
    if (all.has(at)) continue;
    all.add(at);
    for (const s of byParent.get(at) ?? []) left.push(s.id);
  }
  return all;
}
