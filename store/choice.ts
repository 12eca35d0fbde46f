import { create } from 'zustand';
import { entryAddress, findAt, listFields, ownerAddress, readAddress, type Address } from '@/core/project/address';
import { projectFields, type Project } from '@/core/project/document';
import type { Entry, Fields } from '@/core/project/field';
import { usePlace } from './place-store';

/** What is chosen together on the sheet. The last one is what the details show: the item of the place. */
interface ChoiceState {
  readonly addresses: readonly Address[];
  choose(addresses: readonly Address[]): void;
}

/** Whether something is chosen, alone or with others. */
export const useIsChosen = (address: Address): boolean => useChoice((s) => s.addresses.includes(address));

/** How the place names what stands at an address: by its last kind and id. */
export const itemOfAddress = (address: Address): string => /([^/]+\/[^/]+)$/.exec(address)?.[1] ?? address;

export const useChoice = create<ChoiceState>((set) => ({
  addresses: [],
  choose(addresses) {
    set({ addresses });
    usePlace.getState().select(addresses.length === 0 ? '' : itemOfAddress(addresses.at(-1)!));
  },
}));

// something else was chosen, or another sheet: what was chosen together is no more
usePlace.subscribe((now, before) => {
  const { addresses } = useChoice.getState();
  const last = addresses.at(-1);
  if (last === undefined) return;
  const isSame = (['area', 'part', 'type', 'sheet'] as const).every((k) => now[k] === before[k]);
  if (!isSame || itemOfAddress(last) !== now.item) useChoice.setState({ addresses: [] });
});

/** The entries of the list an address stands in. */
export function besides(project: Project, address: Address): readonly Address[] {
  const entry = entryAddress(address);
  const step = readAddress(entry)?.steps.at(-1);
  if (!step) return [];
  const owner = ownerAddress(entry);
  const holder = owner === '' ? project : findAt(project, owner)?.chain.at(-1);
  const fields: Fields = owner === '' ? projectFields : readAddress(owner)!.steps.at(-1)!.description.fields;
  const key = listFields(fields).get(step.description.kind)?.key;
  const list = key === undefined ? [] : ((holder as Record<string, readonly Entry[]> | undefined)?.[key] ?? []);
  return list.map((e) => `${owner === '' ? '' : `${owner}/`}${step.description.kind}/${e.id}`);
}

interface Keys {
  readonly shiftKey: boolean;
  readonly ctrlKey: boolean;
  readonly metaKey: boolean;
}

/** Chooses as lists do: alone, with Ctrl in addition, with Shift everything up to it in the order shown. */
export function pick(project: Project, address: Address, keys: Keys, order = besides(project, address)): void {
  const { addresses, choose } = useChoice.getState();
  const last = addresses.at(-1);
  if (keys.ctrlKey || keys.metaKey)
    return choose(addresses.includes(address) ? addresses.filter((a) => a !== address) : [...addresses, address]);
  const [from, to] = [last === undefined ? -1 : order.indexOf(last), order.indexOf(address)];
  if (keys.shiftKey && from >= 0 && to >= 0) {
    const between = order.slice(Math.min(from, to), Math.max(from, to) + 1).filter((a) => a !== last);
    // what the range starts from stays what it starts from
    return choose([...between, last!]);
  }
  choose([address]);
}
