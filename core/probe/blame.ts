import { describeExpression } from '../flatten/describe-expression';
import { walk } from '../flatten/flat-expression';
import type { Box } from './box';
import { drive, type PropertyName, type Sides, type Trial } from './properties';
import { isSpent, nameIn, quantityOf, rows, short, tolerance, type Asking, type Culprit } from './report';
import { mentionsTime } from './running-space';
import { byDifference, turned } from './search';
import type { Bend } from './structure';
import { hasTicks, periodOf } from './ticks';
import { fixedTrials } from './trials';

/** What in a box breaks a property, and what would be without it. */
export function blame(property: PropertyName, sides: Sides, asking: Asking, trial: Trial): Culprit | undefined {
  const { box, structure } = asking;
  if (property === 'timeInvariant') return blameTime(sides, asking, trial);
  if (property === 'memoryless') return blameMemory(asking);
  if (structure.bends.length === 0) return property === 'monotone' ? blameMemory(asking) : blameStart(asking);
  const isGone = holdsFor(property, sides, asking, trial);
  const candidates = structure.bends.filter((b) => b.instead !== undefined).slice(0, 24);
  for (const bend of candidates) {
    if (isSpent(asking, 2)) break;
    const other = box.without(bend.equation, bend.node, bend.instead!);
    if (other && isGone(other)) return culpritOf(box, bend, property, true);
  }
  return blameTogether(property, sides, asking, trial, candidates);
}

const mostTogether = 4;

/** Several pieces that bend it together: the one whose absence helps most is left out first. */
function blameTogether(
  property: PropertyName,
  sides: Sides,
  asking: Asking,
  trial: Trial,
  candidates: readonly Bend[],
): Culprit | undefined {
  const { box, structure, space } = asking;
  const isGone = holdsFor(property, sides, asking, trial);
  const score = property === 'monotone' ? turned : byDifference;
  const trials = [trial, ...fixedTrials(property, space, 7)];
  const left: Bend[] = [];
  let now = box;
  let rest = [...candidates];
  while (left.length < mostTogether && rest.length > 0 && !isSpent(asking, 2)) {
    let best: { readonly bend: Bend; readonly box: Box; readonly remains: number } | undefined;
    for (const bend of rest) {
      const other = now.without(bend.equation, bend.node, bend.instead!);
      if (!other) continue;
      const remains = trials.reduce((sum, t) => {
        const driven = drive(other, sides, t, { stop: space.stop, rows });
        return sum + (driven ? score({ trial: t, driven }) : 10);
      }, 0);
      if (!best || remains < best.remains) best = { bend, box: other, remains };
    }
    if (!best) break;
    left.push(best.bend);
    now = best.box;
    // pieces of what was left out are gone with it
    rest = rest.filter((b) => b.equation !== best.bend.equation);
    if (left.length > 1 && isGone(now)) {
      // only what is needed for it
      const needed = left.filter((_, j) => {
        const others = left.filter((__, i) => i !== j);
        const without = others.reduce<Box | undefined>((x, b) => x?.without(b.equation, b.node, b.instead!), box);
        return !without || !isGone(without);
      });
      const named = needed.length > 0 ? needed : left;
      const [first] = named;
      const parts = named.map((b) => namedPiece(box, b));
      return {
        ...culpritOf(box, first, property, false),
        without: `without ${parts.length > 1 ? `${parts.slice(0, -1).join(', ')} and ` : ''}${parts.at(-1)!} it is ${propertyWords[property]} for all inputs tried`,
      };
    }
  }
  const [first] = structure.bends;
  return first && culpritOf(box, first, property, false, structure.bends.length > 1);
}

/** Whether a changed box shows no difference for what was tried. */
const holdsFor =
  (property: PropertyName, sides: Sides, { space }: Asking, trial: Trial) =>
  (other: Box): boolean => {
    const score = property === 'monotone' ? turned : byDifference;
    const trials = [trial, ...fixedTrials(property, space, 24)];
    let tried = 0;
    for (const t of trials) {
      const driven = drive(other, sides, t, { stop: space.stop, rows });
      if (!driven) continue;
      tried++;
      if (score({ trial: t, driven }) > tolerance) return false;
    }
    return tried > 0;
  };

const propertyWords: Readonly<Record<PropertyName, string>> = {
  homogeneous: 'homogeneous',
  additive: 'additive',
  timeInvariant: 'time-invariant',
  memoryless: 'without memory',
  causal: 'without a passage at once',
  bounded: 'bounded',
  odd: 'odd',
  monotone: 'monotone',
};

function culpritOf(
  box: Box,
  { equation, piece, node, isTaken }: Bend,
  property: PropertyName,
  alone: boolean,
  several = false,
): Culprit {
  const quantity = quantityOf(box, equation);
  const text = readable(describeExpression(piece, nameIn(box)));
  const named = pieceText({ piece, node, isTaken }, text);
  return {
    quantity,
    equation: equation.origin.text,
    place: equation.origin.place,
    part: equation.origin.part,
    piece: text,
    without: alone
      ? `without ${named} in ${quantity} it is ${propertyWords[property]} for all inputs tried`
      : several
        ? `${named} in ${quantity} takes part; it is not alone`
        : `${named} in ${quantity} is all that bends in it`,
  };
}

/** A piece as it is named: a term of a sum with its sign. */
const pieceText = ({ piece, node, isTaken }: Pick<Bend, 'piece' | 'node' | 'isTaken'>, text: string): string =>
  node === piece ? `\`${text}\`` : `\`${isTaken ? '- ' : text.startsWith('-') ? '' : '+ '}${text}\``;

const namedPiece = (box: Box, bend: Bend): string =>
  `${pieceText(bend, readable(describeExpression(bend.piece, nameIn(box))))} in ${quantityOf(box, bend.equation)}`;

/** The moment of the start is nobody's business. */
const readable = (text: string): string => text.replace(/\(?time \+ \$probe\.shift\)?/g, 'time');

function blameStart({ box, structure }: Asking): Culprit | undefined {
  const trace = box.run({ steps: [], waves: [] }, { stop: 1e-6, rows: 2, all: true });
  const { model } = box;
  const name = structure.memory.find((n) => {
    const k = model.indexOf.get(n);
    return k !== undefined && trace.all[0] !== undefined && trace.all[0][k] !== 0;
  });
  if (name === undefined) return undefined;
  const v = model.variables[model.indexOf.get(name)!];
  return {
    quantity: name,
    equation: `${name}(start = ${short(trace.all[0][model.indexOf.get(name)!])})`,
    place: v.place,
    part: '',
    piece: 'start',
    without: `if ${name} started from zero, nothing would come out where nothing goes in`,
  };
}

function blameTime(sides: Sides, asking: Asking, trial: Trial): Culprit | undefined {
  const { box, structure, space } = asking;
  const timed = structure.equations.find((e) => [e.left, e.right].some(mentionsTime));
  const ticking = structure.equations.length > 0 ? box.model.equations.find((e) => hasTicks(e)) : undefined;
  if (structure.clock === 'ticks' && !timed && ticking) {
    const every = periodOf(box, ticking);
    const whole = every > 0 ? { ...trial, shift: every * Math.max(1, Math.round(trial.shift / every)) } : undefined;
    const driven = whole && drive(box, sides, whole, { stop: space.stop, rows });
    return {
      quantity: quantityOf(box, ticking),
      equation: ticking.origin.text,
      place: ticking.origin.place,
      part: ticking.origin.part,
      piece: 'the clock',
      without:
        driven && driven.compared.difference < tolerance
          ? `its clock ticks at fixed times: started later by whole periods of ${short(every)} s, it does the same`
          : 'its clock ticks at fixed times',
    };
  }
  if (!timed) return undefined;
  return {
    quantity: quantityOf(box, timed),
    equation: timed.origin.text,
    place: timed.origin.place,
    part: timed.origin.part,
    piece: 'time',
    without: `it looks at the time in ${quantityOf(box, timed)}`,
  };
}

function blameMemory({ box, structure }: Asking): Culprit | undefined {
  const [name] = structure.memory;
  if (name === undefined) return undefined;
  const k = box.model.indexOf.get(name);
  const equation = structure.equations.find((e) =>
    [e.left, e.right].some((side) => {
      let found = false;
      walk(side, (x) => {
        if (k === undefined ? x.op === 'delay' : (x.op === 'der' || x.op === 'pre') && x.index === k) found = true;
      });
      return found;
    }),
  );
  return {
    quantity: name,
    equation: equation?.origin.text ?? name,
    place: equation?.origin.place ?? (k === undefined ? '' : box.model.variables[k].place),
    part: equation?.origin.part ?? '',
    piece: name,
    without:
      structure.memory.length === 1
        ? `${name} is all it remembers`
        : `it remembers ${structure.memory.slice(0, 4).join(', ')}`,
  };
}
