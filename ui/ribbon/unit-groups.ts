import { sameDimension, unitOrUndefined } from '@/core/language/units';

export function sameUnitKind(a: string, b: string): boolean {
  if (a === b) return true;
  const [ua, ub] = [unitOrUndefined(a), unitOrUndefined(b)];
  return ua !== undefined && ub !== undefined && sameDimension(ua, ub);
}

export interface UnitGroup {
  readonly names: readonly string[];
  readonly unit: string;
  /** Unit of what is drawn over it on an axis of its own; undefined where all fit. */
  readonly second: string | undefined;
}

/** Quantities of one track as plots: two units share a plot with an axis each, further ones get plots of their own. */
export function unitGroups(names: readonly string[], unitOf: (name: string) => string): readonly UnitGroup[] {
  const kinds: { unit: string; names: string[] }[] = [];
  for (const name of names) {
    const unit = unitOf(name);
    const known = kinds.find((k) => sameUnitKind(k.unit, unit));
    if (known) known.names.push(name);
    else kinds.push({ unit, names: [name] });
  }
  const groups: UnitGroup[] = [];
  for (let k = 0; k < kinds.length; k += 2) {
    const [a, b] = [kinds[k], kinds[k + 1]];
    const both = new Set([...a.names, ...(b?.names ?? [])]);
    groups.push({ names: names.filter((n) => both.has(n)), unit: a.unit, second: b?.unit });
  }
  return groups;
}
