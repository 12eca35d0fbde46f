import { describeUnit, sameUnit, unitOrUndefined } from '../language/units';
import { newQuantity, type PartType, type Quantity, type SignalSheet } from '../project/project';
import { nameOfLine } from '../signals/sheet-picture';
import type { Regression } from './regressors';

/** What an estimator of an equation needs: lines of a sampled sheet, and quantities the part type does not have yet. */
export interface RegressionLines {
  readonly lines: readonly string[];
  readonly quantities: readonly Quantity[];
  /** Names that are there already and are taken to mean the same. */
  readonly taken: readonly string[];
}

/**
 * The equation as lines of a sheet of `target`. Rates are differences over a tick, and all else its mean over the same tick (the trapezoidal
 * rule), so that both sides speak of the same time.
 */
export function regressionLines(
  source: PartType,
  { left, terms, rates, means, names, text }: Regression,
  target: PartType,
  sheet: Pick<SignalSheet, 'every' | 'offset'>,
  id: () => string,
): RegressionLines | { readonly why: string } {
  const own = new Set(target.signals.flatMap((s) => s.lines.flatMap((l) => nameOfLine(l) ?? [])));
  const there = new Map(target.quantities.map((q) => [q.name, q]));
  const quantities: Quantity[] = [];
  for (const name of names) {
    const from = source.quantities.find((q) => q.name === name);
    const known = there.get(name);
    if (!from || (own.has(name) && !known)) continue;
    if (known) {
      const [a, b] = [unitOrUndefined(known.unit), unitOrUndefined(from.unit)];
      if (a && b && !sameUnit(a, b))
        return {
          why: `${name} of ${target.name} is kept in ${known.unit || '1'}, not in ${from.unit || describeUnit(b)}`,
        };
      continue;
    }
    const isValue = from.role === 'parameter' || from.role === 'constant';
    quantities.push({
      ...newQuantity(id(), name),
      role: isValue ? 'parameter' : 'input',
      unit: from.unit,
      value: isValue ? from.value : '0',
      note: from.note,
    });
  }
  const taken = new Set([...own, ...there.keys(), ...names]);
  const fresh = (wanted: string): string => {
    let name = wanted;
    for (let k = 2; taken.has(name); k++) name = `${wanted}${k}`;
    taken.add(name);
    return name;
  };
  const estimator = fresh('est');
  const known = fresh('known');
  const factors = terms.map((t) => fresh(`${t.unknown}Factor`));
  // a helper that is there already is the same one where it says the same, and stands in the way where it does not
  const helpers = [
    ...rates.map((r) => [r.name, `difference(${r.of})/(${sheet.every})`] as const),
    ...means.map((m) => [m.name, `(${m.of} + delayBy(${m.of}))/2`] as const),
  ];
  const said = new Map(
    target.signals.flatMap((s) =>
      s.lines.flatMap((l) => {
        const name = nameOfLine(l);
        return name === undefined ? [] : [[name, l.text.slice(l.text.indexOf('=') + 1).trim()] as const];
      }),
    ),
  );
  const inTheWay = helpers.find(([name, formula]) => taken.has(name) && said.get(name) !== formula);
  if (inTheWay)
    return { why: `${inTheWay[0]} is the name of something else in ${target.name}: give that another name` };
  const offset = sheet.offset.trim() === '' ? '' : `${sheet.offset} + `;
  const begins = `${offset}2.5*(${sheet.every})`;
  return {
    quantities,
    taken: names.filter((name) => source !== target && (own.has(name) || there.has(name))),
    lines: [
      `// ${terms.map((t) => t.unknown).join(', ')} of ${source.name}: ${text}`,
      ...helpers.flatMap(([name, formula]) => (said.has(name) ? [] : [`${name} = ${formula}`])),
      `${known} = ${left}`,
      ...terms.map((t, k) => `${factors[k]} = ${t.regressor}`),
      // differences and means are those of a tick only from the second one on; noise is the scatter of what is known
      `${estimator} = leastSquares(${known}, {${factors.join(', ')}}, noise = 1, enable = time > ${begins})`,
      ...terms.map((t, k) => `${fresh(`${t.unknown}Found`)} = ${estimator}.theta[${k + 1}]`),
    ],
  };
}
