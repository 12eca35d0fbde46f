import { sameDimension, unitOrUndefined, type Unit } from './units';

/**
 * What is known about the unit of a value. `undefined`: any unit.
 *
 * Units that count from a zero of their own (degC) make points, which differ by what is in a unit without one (K). A sum keeps
 * book of that in the offset of its unit: a point and a difference are a point, two points that are subtracted a difference, and
 * two that are added have an offset that no unit has, until they are halved. K is the unit of differences and of absolute
 * temperatures; where it matters which of them a value is and nothing says so, the sum is refused.
 */
export interface UnitKnowledge {
  readonly unit: Unit;
  /** A number somebody wrote takes part, so that only the dimension can be checked, not the scale. */
  readonly free: boolean;
  /** The unit as written, where the value is a single quantity. */
  readonly name?: string;
  /** It is free because it is made of numbers with units, which take the unit that is wanted. */
  readonly literal?: boolean;
  /** A point written as a number, and differences in a unit of their own: the zero it counts from is the one that is wanted. */
  readonly floats?: boolean;
  /** It may be a difference. */
  readonly relative?: boolean;
  /** A plain number was added to a point: nothing says whether it is one, or a difference, or a conversion. */
  readonly open?: boolean;
}

export interface SumPlan {
  readonly result: UnitKnowledge | undefined;
  /** Why the two do not go together: other dimensions, another scale, another zero, two points, or one that has the zero of no unit. */
  readonly clash?: 'dimension' | 'scale' | 'zero' | 'points' | 'odd';
  /** The units in which the two are taken where one is wanted of the sum: that of a difference has no zero of its own. */
  take(want: Unit | undefined): readonly [Unit | undefined, Unit | undefined];
}

const isPoint = (u: UnitKnowledge): boolean => u.unit.offset !== 0;
/** It counts from a zero that no unit has, as two points that were added do. */
export const isOdd = ({ unit }: UnitKnowledge): boolean =>
  unit.offset !== 0 && !['degC', 'degF'].some((name) => Math.abs(unitOrUndefined(name)!.offset - unit.offset) < 1e-6);
const isLoose = (u: UnitKnowledge): boolean => u.free || u.floats === true;
const withZero = (unit: Unit, offset: number): Unit => ({ ...unit, offset: Math.abs(offset) < 1e-9 ? 0 : offset });
const coherent = (unit: Unit): Unit => ({ ...unit, scale: 1, offset: 0 });
const scaleClash = (a: UnitKnowledge, b: UnitKnowledge): 'scale' | undefined =>
  a.free || b.free || sameScale(a.unit, b.unit) ? undefined : 'scale';
const sameScale = (a: Unit, b: Unit): boolean => Math.abs(a.scale / b.scale - 1) <= 1e-9;

/** The unit a value has wherever it stands. */
export const settledUnit = (u: UnitKnowledge | undefined): Unit | undefined => (u && !isLoose(u) ? u.unit : undefined);

const both = (unit: Unit | undefined): readonly [Unit | undefined, Unit | undefined] => [unit, unit];
const withoutZero = (unit: Unit | undefined): Unit | undefined => unit && withZero(unit, 0);

/** The sum or the difference of two values. */
export function planSum(isMinus: boolean, a: UnitKnowledge | undefined, b: UnitKnowledge | undefined): SumPlan {
  if (!a || !b) return withUnknown(a, b);
  if (!sameDimension(a.unit, b.unit))
    return {
      result: a.free ? b : a,
      clash: 'dimension',
      take: (want) => both(settledUnit(a) ?? settledUnit(b) ?? want),
    };
  if (isPoint(a) && isPoint(b)) return isMinus ? betweenPoints(a, b) : twoPoints(a, b);
  if (isPoint(a)) return pointAnd(a, b, false);
  if (isPoint(b)) return isMinus ? belowPoint(a, b) : pointAnd(b, a, true);
  return plain(isMinus, a, b);
}

function withUnknown(a: UnitKnowledge | undefined, b: UnitKnowledge | undefined): SumPlan {
  const u = a ?? b;
  return {
    result: u && isPoint(u) ? { unit: withZero(u.unit, 0), free: true, open: true } : u,
    take(want) {
      const unit = settledUnit(u) ?? want;
      // what has no zero of its own is added to what has one
      return both(u && !isPoint(u) ? withoutZero(unit) : unit);
    },
  };
}

/** Neither has a zero of its own. */
function plain(isMinus: boolean, a: UnitKnowledge, b: UnitKnowledge): SumPlan {
  const free = a.free && b.free;
  const clash = scaleClash(a, b);
  const base = a.free ? b : a;
  const open = a.open === true || b.open === true;
  return {
    result: {
      ...base,
      free: free || open,
      literal: free && a.literal === true && b.literal === true,
      relative: !free && (isMinus || (a.relative === true && b.relative === true)),
      open,
    },
    ...(clash && { clash }),
    take(want) {
      const unit = settledUnit(a) ?? settledUnit(b) ?? want;
      // where a zero is wanted, the first of the two is the temperature from which the other goes up or down
      return [unit, withoutZero(unit)];
    },
  };
}

function twoPoints(a: UnitKnowledge, b: UnitKnowledge): SumPlan {
  const loose = isLoose(a) || isLoose(b);
  const clash = loose ? 'points' : scaleClash(a, b);
  return {
    result: { unit: withZero(a.unit, a.unit.offset + b.unit.offset), free: loose },
    ...(clash && { clash }),
    take: (want) => both(settledUnit(a) ?? settledUnit(b) ?? want),
  };
}

/** A number with a unit takes the scale of what it meets; of two of them, coherent units. */
const scaleOf = (a: UnitKnowledge, b: UnitKnowledge): Unit =>
  coherentUnless(settledUnit(a) ?? settledUnit(b) ?? (a.floats ? a.unit : b.floats ? b.unit : undefined), a.unit);
const coherentUnless = (unit: Unit | undefined, kind: Unit): Unit => (unit ? withZero(unit, 0) : coherent(kind));

function betweenPoints(a: UnitKnowledge, b: UnitKnowledge): SumPlan {
  const tight = !isLoose(a) && !isLoose(b);
  const clash = !tight && (isOdd(a) || isOdd(b)) ? 'odd' : scaleClash(a, b);
  const offset = tight ? a.unit.offset - b.unit.offset : 0;
  return {
    result: { unit: withZero(scaleOf(a, b), offset), free: false, relative: true },
    ...(clash && { clash }),
    take: () => both(settledUnit(a) ?? settledUnit(b) ?? scaleOf(a, b)),
  };
}

/** A difference, or an absolute temperature, minus a point. */
function belowPoint(a: UnitKnowledge, b: UnitKnowledge): SumPlan {
  const clash =
    scaleClash(a, b) ??
    (isOdd(b) && isLoose(a) ? 'odd' : a.relative || a.open || (!a.free && !isLoose(b)) ? 'zero' : undefined);
  return {
    result: { unit: scaleOf(a, b), free: false, relative: true },
    ...(clash && { clash }),
    take: () => both(settledUnit(b) ?? scaleOf(a, b)),
  };
}

/** A point that goes up or down by a difference. */
function pointAnd(point: UnitKnowledge, by: UnitKnowledge, isTurned: boolean): SumPlan {
  const clash = scaleClash(point, by);
  const result: UnitKnowledge = by.open
    ? { unit: withZero(point.unit, 0), free: true, open: true }
    : !isLoose(point)
      ? { unit: point.unit, free: false }
      : point.free && by.free
        ? { unit: point.unit, free: true, literal: point.literal === true && by.literal === true }
        : { unit: { ...(by.free ? point.unit : by.unit), offset: point.unit.offset }, free: false, floats: true };
  return {
    result,
    ...(clash && { clash }),
    take(want) {
      const fixed = by.free && !point.floats ? undefined : scaleOf(by, point);
      const fits = want !== undefined && sameDimension(want, point.unit) && (!fixed || sameScale(want, fixed));
      const unit = settledUnit(point) ?? (fits ? want : (fixed ?? coherent(point.unit)));
      return isTurned ? [withoutZero(unit), unit] : [unit, withoutZero(unit)];
    },
  };
}
