import type { Storage } from './number-kinds';
import {
  number,
  operandsOf,
  pair,
  withOperands,
  withParts,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';
import { visitAll } from './tidy';

/**
 * Formulas between numbers with a fixed point are worked out with whole numbers: each part of a formula is kept as a multiple of a power of two,
 * with limits that follow from those of what it reads (interval arithmetic, Moore 1966), so that no sum or product leaves 32 bits. A formula that
 * reads anything else stays one of single precision.
 */
export function inFixedPoint(program: StepProgram): StepProgram {
  if (!program.slots.some((s) => s.storage)) return program;
  const slots = [...program.slots];
  const floats = new Map<number, string>();
  const formula = (e: StepExpr): StepExpr => {
    const isOrder = e.op === 'lt' || e.op === 'le' || e.op === 'gt' || e.op === 'ge';
    if (isOrder && e.a.type === 'f32') {
      const found = compared(e.op, e.a, e.b);
      if (found) return found;
    }
    return withOperands(e, formula);
  };
  const lines = (list: readonly StepInstruction[]): readonly StepInstruction[] => list.map(line);
  const line = (x: StepInstruction): StepInstruction => {
    const storage = x.op === 'set' && !x.at && slots[x.slot].type === 'f32' ? slots[x.slot].storage : undefined;
    if (x.op === 'set' && storage) {
      const kept = keptValue(x.value, storage);
      if (kept) return { ...x, value: kept, isKept: true, meant: x.value };
      if (x.value.op !== 'const') floats.set(x.slot, obstacle(x.value) ?? '');
    }
    return withParts(x, formula, lines);
  };

  // --- formulas

  const keptValue = (e: StepExpr, storage: Storage): StepExpr | undefined => {
    const found = fixed(e, storage.places);
    if (typeof found !== 'object') return undefined;
    return (withPlaces(found, storage.places) ?? withPlaces(held(found, storage), storage.places))?.e;
  };
  const compared = (op: 'lt' | 'le' | 'gt' | 'ge', a: StepExpr, b: StepExpr): StepExpr | undefined => {
    const [x, y] = [fixed(a), fixed(b)];
    if (typeof x === 'object' && typeof y === 'number') return beside(op, x, y);
    if (typeof x === 'number' && typeof y === 'object')
      return beside(({ lt: 'gt', le: 'ge', gt: 'lt', ge: 'le' } as const)[op], y, x);
    if (typeof x !== 'object' || typeof y !== 'object') return undefined;
    const both = alike(x, y);
    return both && pair(op, both[0].e, both[1].e);
  };

  /**
   * What a formula is with whole numbers: a number where it is one, nothing where it cannot be. `wanted`: places that are of use for what it is part of.
   */
  const fixed = (e: StepExpr, wanted = mostPlaces): Fixed | number | undefined => {
    switch (e.op) {
      case 'const':
        return e.type === 'f32' && Number.isFinite(e.value) ? e.value : undefined;
      case 'slot': {
        const { storage, type } = slots[e.slot];
        if (!storage || e.at || type !== 'f32') return undefined;
        return {
          e: { op: 'slot', type: 'i32', slot: e.slot, isKept: true },
          places: storage.places,
          low: storage.low,
          high: storage.high,
        };
      }
      case 'toReal': {
        const storage = e.a.op === 'slot' && !e.a.at ? slots[e.a.slot].storage : undefined;
        return storage && { e: e.a, places: 0, low: storage.low, high: storage.high };
      }
      case 'neg': {
        const a = fixed(e.a, wanted);
        return typeof a === 'object' ? negative(a) : a === undefined ? undefined : -a;
      }
      case 'add':
      case 'sub':
        return sum(e.op, fixed(e.a, wanted), fixed(e.b, wanted), wanted);
      case 'mul':
        return product(fixed(e.a), fixed(e.b));
      case 'div': {
        const [a, b] = [fixed(e.a), fixed(e.b)];
        if (typeof b === 'number') return b === 0 ? undefined : product(a, 1 / b);
        return quotient(a, b);
      }
      case 'noted': {
        const a = fixed(e.a, wanted);
        if (typeof a !== 'object') return a;
        return { ...a, e: { ...e, type: 'i32', a: a.e, conditions: e.conditions.map(formula) } };
      }
      case 'choose': {
        const both = operands(e.a, e.b, wanted);
        return (
          both && {
            ...both[0],
            e: { op: 'choose', type: 'i32', c: formula(e.c), a: both[0].e, b: both[1].e },
            low: Math.min(both[0].low, both[1].low),
            high: Math.max(both[0].high, both[1].high),
          }
        );
      }
      case 'fn':
        if (e.name === 'abs') {
          const a = fixed(e.args[0], wanted);
          if (typeof a !== 'object') return undefined;
          const most = Math.max(Math.abs(a.low), Math.abs(a.high));
          return most > largest
            ? undefined
            : { ...a, e: { op: 'fn', type: 'i32', name: 'abs', args: [a.e] }, low: 0, high: most };
        }
        if (e.name === 'min' || e.name === 'max') {
          const both = operands(e.args[0], e.args[1], wanted);
          const of = Math[e.name];
          return (
            both && {
              ...both[0],
              e: { op: 'fn', type: 'i32', name: e.name, args: [both[0].e, both[1].e] },
              low: of(both[0].low, both[1].low),
              high: of(both[0].high, both[1].high),
            }
          );
        }
        return undefined;
      default:
        return undefined;
    }
  };
  const operands = (a: StepExpr, b: StepExpr, wanted: number): Pair | undefined => {
    const [x, y] = [fixed(a, wanted), fixed(b, wanted)].map((z) => (typeof z === 'object' ? asWanted(z, wanted) : z));
    if (typeof x === 'object' && typeof y === 'object') return alike(x, y);
    if (typeof x === 'object' && typeof y === 'number') return besideNumber(x, y, wanted);
    if (typeof x === 'number' && typeof y === 'object') {
      const both = besideNumber(y, x, wanted);
      return both && [both[1], both[0]];
    }
    return undefined;
  };

  /** What keeps a formula from being one of whole numbers, by name. */
  const obstacle = (e: StepExpr): string | undefined => {
    if (e.op === 'slot') return slots[e.slot].storage ? undefined : slots[e.slot].name;
    if (e.op === 'call') return program.routines[e.routine].name;
    if (e.op === 'toReal') return e.a.op === 'slot' ? slots[e.a.slot].name : 'a whole number';
    if (e.op === 'fn' && !['abs', 'min', 'max'].includes(e.name)) return e.name;
    // what remains is a quotient by something that may be small
    for (const x of e.op === 'choose' ? [e.a, e.b] : operandsOf(e)) {
      const found = obstacle(x);
      if (found !== undefined) return found;
    }
    return undefined;
  };

  // what blocks hand on or keep follows from what they are given
  for (let isOver = false; !isOver;) {
    isOver = true;
    for (const [slot, value] of setOnce(program)) {
      const found = slots[slot].storage ? undefined : fixed(value);
      if (typeof found !== 'object' || !beginsWithin(slots[slot], found)) continue;
      const { e, places, low, high } = found;
      const same = e.op === 'slot' && e.isKept ? slots[e.slot].storage : undefined;
      slots[slot] = { ...slots[slot], storage: same ?? { bits: 32, signed: true, places, low, high, isProven: true } };
      isOver = false;
    }
  }
  const routines = program.routines.map((r) => ({ ...r, body: lines(r.body) }));
  return { ...program, routines, slots: slots.map((s, k) => (floats.has(k) ? { ...s, float: floats.get(k)! } : s)) };
}

/** Slots of blocks that one formula alone gives a value, and that formula; quantities of the type itself are kept as it says. */
function setOnce({ slots, routines, init }: StepProgram): readonly (readonly [slot: number, value: StepExpr])[] {
  const found = new Map<number, StepExpr | undefined>();
  routines.forEach((r, k) => {
    for (const slot of r.takes) found.set(slot, undefined);
    if (k !== init)
      visitAll(r.body, { set: ({ slot, value }) => void found.set(slot, found.has(slot) ? undefined : value) });
  });
  return [...found].flatMap(([slot, value]) => {
    const { name, type, role, size } = slots[slot];
    const isOfBlock = name.includes('.') && type === 'f32' && size === 0 && (role === 'part' || role === 'local');
    return value && isOfBlock ? [[slot, value] as const] : [];
  });
}
const beginsWithin = ({ start }: Slot, { places, low, high }: Fixed): boolean =>
  start.op === 'const' && start.value * 2 ** places >= low && start.value * 2 ** places <= high;

/** A formula as a whole number: `places` behind the point, and the least and most it can be. */
interface Fixed {
  readonly e: StepExpr;
  readonly places: number;
  readonly low: number;
  readonly high: number;
}

const largest = 2147483647;
/** Finer than this is of no use, and coarser neither. */
const mostPlaces = 40;
const isWithin = (low: number, high: number): boolean => low >= -largest && high <= largest;
const bitsOf = ({ low, high }: Fixed): number => Math.ceil(Math.log2(Math.max(1, Math.abs(low), Math.abs(high)) + 1));
const whole = (value: number): StepExpr => number(value, 'i32');
const bounded = (op: 'add' | 'sub' | 'mul', a: StepExpr, b: StepExpr): StepExpr => ({
  op,
  type: 'i32',
  a,
  b,
  isBounded: true,
});

/** With other places behind the point: more where there is room, fewer to the nearest. */
function withPlaces(x: Fixed, places: number): Fixed | undefined {
  const more = places - x.places;
  if (more === 0) return x;
  if (Math.abs(more) > 30 || Math.abs(places) > mostPlaces) return undefined;
  const by = 2 ** Math.abs(more);
  if (more > 0) {
    const [low, high] = [x.low * by, x.high * by];
    return isWithin(low, high) ? { e: bounded('mul', x.e, whole(by)), places, low, high } : undefined;
  }
  if (!isWithin(x.low - by / 2, x.high + by / 2)) return undefined;
  return {
    e: { op: 'fn', type: 'i32', name: 'scaled', args: [x.e, whole(by)] },
    places,
    low: -Math.floor((-x.low + by / 2) / by),
    high: Math.floor((x.high + by / 2) / by),
  };
}

type Pair = readonly [Fixed, Fixed];
const anyPair = (): boolean => true;

/** What is beyond what can be kept needs no more places than just beyond. */
function held(x: Fixed, { places, low, high }: Storage): Fixed {
  const by = 2 ** Math.max(0, places - x.places);
  const [least, most] = [Math.ceil(low / by) - 1, Math.floor(high / by) + 1];
  const limited = (name: 'min' | 'max', e: StepExpr, limit: number): StepExpr => ({
    op: 'fn',
    type: 'i32',
    name,
    args: [e, whole(limit)],
  });
  const below = x.high > most ? limited('min', x.e, most) : x.e;
  return {
    e: x.low < least ? limited('max', below, least) : below,
    places: x.places,
    low: Math.max(x.low, least),
    high: Math.min(x.high, most),
  };
}

/** Two formulas with the same places: as many as the finer one has, or as there is room for. */
function alike(a: Fixed, b: Fixed, fits: (x: Fixed, y: Fixed) => boolean = anyPair): Pair | undefined {
  const [least, most] = [Math.min(a.places, b.places), Math.max(a.places, b.places)];
  for (let places = most; places >= least - 2; places--) {
    const [x, y] = [withPlaces(a, places), withPlaces(b, places)];
    if (x && y && fits(x, y)) return [x, y];
  }
  return undefined;
}

/** A number beside a formula: as fine as the formula is, and finer where the number needs it and there is room. */
function besideNumber(
  a: Fixed,
  value: number,
  most: number,
  fits: (x: Fixed, y: Fixed) => boolean = anyPair,
): Pair | undefined {
  for (let places = Math.max(a.places, Math.min(mostPlaces, most, a.places + 15)); places >= a.places - 24; places--) {
    const exact = value * 2 ** places;
    // as coarse as it may be
    if (places > a.places && Number.isInteger(exact / 2)) continue;
    const x = withPlaces(a, places);
    const rounded = Math.sign(exact) * Math.round(Math.abs(exact));
    if (!x || !isWithin(rounded, rounded)) continue;
    const y = { e: whole(rounded), places, low: rounded, high: rounded };
    if (fits(x, y)) return [x, y];
  }
  return undefined;
}

const negative = (a: Fixed): Fixed | undefined =>
  isWithin(-a.high, -a.low) ? { ...a, e: bounded('sub', whole(0), a.e), low: -a.high, high: -a.low } : undefined;

/** Without places that are of no use. */
const asWanted = (x: Fixed, wanted: number): Fixed => (x.places > wanted ? (withPlaces(x, wanted) ?? x) : x);
/** Where several are rounded, so many places more are kept until all are together. */
const guard = 3;

function sum(
  op: 'add' | 'sub',
  first: Fixed | number | undefined,
  second: Fixed | number | undefined,
  wanted: number,
): Fixed | number | undefined {
  const finer = [first, second].filter((x) => typeof x === 'object' && x.places > wanted).length;
  const useful = wanted + (finer > 1 ? guard : 0);
  const [a, b] = [first, second].map((x) => (typeof x === 'object' ? asWanted(x, useful) : x));
  if (a === undefined || b === undefined) return undefined;
  if (typeof a === 'number' && typeof b === 'number') return Math.fround(op === 'add' ? a + b : a - b);
  const ends = (x: Fixed, y: Fixed): readonly [number, number] =>
    op === 'add' ? [x.low + y.low, x.high + y.high] : [x.low - y.high, x.high - y.low];
  const fits = (x: Fixed, y: Fixed): boolean => isWithin(...ends(x, y));
  const both =
    typeof a === 'number'
      ? swapped(besideNumber(b as Fixed, a, useful + guard, (y, x) => fits(x, y)))
      : typeof b === 'number'
        ? besideNumber(a, b, useful + guard, fits)
        : alike(a, b, fits);
  if (!both) return undefined;
  const [x, y] = both;
  const [low, high] = ends(x, y);
  return { e: bounded(op, x.e, y.e), places: x.places, low, high };
}
const swapped = (both: Pair | undefined): Pair | undefined => both && [both[1], both[0]];

/** A product in 32 bits: where it would be more, the wider of the two gives up its last places. */
function product(a: Fixed | number | undefined, b: Fixed | number | undefined): Fixed | number | undefined {
  if (a === undefined || b === undefined) return undefined;
  if (typeof a === 'number' && typeof b === 'number') return Math.fround(a * b);
  if (typeof a === 'number') return product(b, a);
  if (typeof b === 'number') {
    if (b === 0) return 0;
    // a number gets as many bits as there is room for beside the formula
    const room = Math.min(24, Math.max(12, 30 - bitsOf(a)));
    let places = room - 1 - Math.floor(Math.log2(Math.abs(b)));
    let kept = Math.sign(b) * Math.round(Math.abs(b) * 2 ** places);
    while (kept % 2 === 0) {
      kept /= 2;
      places--;
    }
    if (kept === 1) return Math.abs(a.places + places) > mostPlaces ? undefined : { ...a, places: a.places + places };
    return product(a, { e: whole(kept), places, low: kept, high: kept });
  }
  // what is wider gives up more
  let [more, less] = [bitsOf(a), bitsOf(b)];
  for (; more + less > 0; more >= less ? more-- : less--) {
    if (more + less > 32) continue;
    const [x, y] = [shorter(a, more), shorter(b, less)];
    if (!x || !y) return undefined;
    const ends = [x.low * y.low, x.low * y.high, x.high * y.low, x.high * y.high];
    const [low, high] = [Math.min(...ends), Math.max(...ends)];
    const places = x.places + y.places;
    // a bit is left free for what it is added to
    if (isWithin(2 * low, 2 * high))
      return Math.abs(places) > mostPlaces ? undefined : { e: bounded('mul', x.e, y.e), places, low, high };
  }
  return undefined;
}
const shorter = (x: Fixed, bits: number): Fixed | undefined => withPlaces(x, x.places - Math.max(0, bitsOf(x) - bits));

/** What is divided by keeps so many bits, and where some are cut is never less than this: that is how near a quotient is. */
const divisorBits = 16,
  leastDivisor = 2 ** 11;

/** A quotient with as many places as there is room for above; what may come near 0 beside what it can be is divided by with single precision. */
function quotient(a: Fixed | number | undefined, b: Fixed | number | undefined): Fixed | undefined {
  if (a === undefined || typeof b !== 'object') return undefined;
  const y = shorter(b, divisorBits);
  if (!y) return undefined;
  const least = y.low > 0 ? y.low : y.high < 0 ? -y.high : 0;
  // one that keeps all its bits is as exact as it was
  if (least < (y === b ? 1 : leastDivisor)) return undefined;
  let x: Fixed | undefined;
  if (typeof a === 'number') {
    if (a === 0) return undefined;
    const places = 29 - Math.floor(Math.log2(Math.abs(a)));
    const kept = Math.round(a * 2 ** places);
    x = { e: whole(kept), places, low: kept, high: kept };
  } else for (let more = 31 - bitsOf(a); !x && more >= 0; more--) x = withPlaces(a, a.places + more);
  if (!x || Math.abs(x.places - y.places) > mostPlaces) return undefined;
  const high = Math.floor(Math.max(Math.abs(x.low), Math.abs(x.high)) / least);
  return {
    e: { op: 'fn', type: 'i32', name: 'quotient', args: [x.e, y.e] },
    places: x.places - y.places,
    low: -high,
    high,
  };
}

/** An order with a number: exactly what it says, wherever between two whole numbers that lies. */
function beside(op: 'lt' | 'le' | 'gt' | 'ge', x: Fixed, value: number): StepExpr | undefined {
  const exact = value * 2 ** x.places;
  const near = op === 'lt' || op === 'ge' ? Math.ceil(exact) : Math.floor(exact);
  return Math.abs(near) <= largest ? pair(op, x.e, whole(near)) : undefined;
}
