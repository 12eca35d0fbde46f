import type { Equation } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parsePhysicsText } from '../language/parse';
import type { EquationMark, PartType } from './document';

/**
 * Equations are pieces of one text, yet things of their own: trace links lead to them. Each has an id that stays while the text
 * around it changes, and while it is changed itself. The ids stand in the document beside the text, in its order.
 */

export interface PhysicsEquation {
  readonly text: string;
  readonly span: Span;
  /** What stands left of the sign; empty where there is none. */
  readonly left: string;
}

/** A short mark of a text: equal texts have equal marks (FNV-1a, 52 bits). */
export function markOf(text: string): string {
  let a = 0x811c9dc5,
    b = 0x1b873593;
  for (let k = 0; k < text.length; k++) {
    a = Math.imul(a ^ text.charCodeAt(k), 0x01000193);
    b = Math.imul(b ^ text.charCodeAt(k), 0x85ebca6b);
  }
  return (a >>> 0).toString(36) + (b >>> 0).toString(36);
}

const compact = (text: string): string =>
  text
    .replace(/\/\/[^\n]*|\/\*[\s\S]*?\*\//g, ' ')
    .replace(/\s+/g, ' ')
    .trim();

/** The equations of a physics text, each with its place in it. */
export function equationsIn(physics: string): readonly PhysicsEquation[] {
  const { value } = parsePhysicsText(physics);
  return [...value.equations, ...value.initialEquations].map((e: Equation): PhysicsEquation => {
    const text = compact(physics.slice(e.span.start, e.span.end)).replace(/;$/, '');
    const equals = text.indexOf('=');
    return {
      text,
      span: e.span,
      left: equals > 0 && !/^(if|when|for|connect|assert|reinit)\b/.test(text) ? text.slice(0, equals).trim() : '',
    };
  });
}

/** An equation of a part type with its id. */
export interface KnownEquation extends PhysicsEquation {
  readonly id: string;
}

const known = new WeakMap<PartType, readonly KnownEquation[]>();

/** The equations of a part type's physics text, each with its id and its place in it. */
export function physicsEquations(type: PartType): readonly KnownEquation[] {
  let found = known.get(type);
  if (!found) {
    const equations = equationsIn(type.physics);
    const marks = fits(equations, type.equations) ? type.equations : marksFor(type.physics, type.equations);
    found = equations.map((e, k) => ({ ...e, id: marks[k].id }));
    known.set(type, found);
  }
  return found;
}

const fits = (equations: readonly PhysicsEquation[], marks: readonly EquationMark[]): boolean =>
  equations.length === marks.length && equations.every((e, k) => markOf(e.text) === marks[k].mark);

/**
 * The marks of a text that had others before. What stayed the same keeps its id, in the order of the text; between two that
 * stayed, an equation for the same left side is the old one in new words, and so is one in the same place where their number is
 * the same. Others are new. `before` is the text as it was, where it is known.
 */
export function marksFor(physics: string, marks: readonly EquationMark[], before?: string): readonly EquationMark[] {
  const now = equationsIn(physics);
  const was = before === undefined ? [] : equationsIn(before);
  const ids = new Array<string | undefined>(now.length);
  const texts = now.map((e) => markOf(e.text));
  const sameLeft = (k: number, j: number): boolean => now[k].left !== '' && now[k].left === was[j]?.left;
  for (const [from, to, oldFrom, oldTo] of gaps(texts, marks, ids)) {
    const rest = new Set(Array.from({ length: oldTo - oldFrom }, (_, k) => oldFrom + k));
    const open: number[] = [];
    for (let k = from; k < to; k++) {
      const j = [...rest].find((x) => sameLeft(k, x));
      if (j === undefined) open.push(k);
      else {
        ids[k] = marks[j].id;
        rest.delete(j);
      }
    }
    if (open.length === rest.size) [...rest].forEach((j, n) => (ids[open[n]] = marks[j].id));
  }
  const taken = new Set([...marks.map((m) => m.id), ...ids.filter((x) => x !== undefined)]);
  return texts.map((mark, k) => {
    let id = ids[k];
    for (let n = 1; id === undefined; n++) {
      const name = n === 1 ? `e-${mark}` : `e-${mark}-${n}`;
      // one that was here with this very text before is itself again
      if (!taken.has(name)) id = name;
    }
    taken.add(id);
    return { id, mark };
  });
}

/** Gives equations whose text stayed the same their ids, and tells what lies between them. */
function gaps(
  texts: readonly string[],
  marks: readonly EquationMark[],
  ids: (string | undefined)[],
): readonly (readonly [from: number, to: number, oldFrom: number, oldTo: number])[] {
  const found: (readonly [number, number, number, number])[] = [];
  const between = (from: number, to: number, oldFrom: number, oldTo: number): void => {
    while (from < to && oldFrom < oldTo && texts[from] === marks[oldFrom].mark) ids[from++] = marks[oldFrom++].id;
    while (from < to && oldFrom < oldTo && texts[to - 1] === marks[oldTo - 1].mark) ids[--to] = marks[--oldTo].id;
    if (from === to && oldFrom === oldTo) return;
    // what occurs once on either side is the same: the longest rising run of such pairs (Hunt and Szymanski 1977)
    const once = (list: readonly string[]): Map<string, number> => {
      const places = new Map<string, number>();
      list.forEach((x, k) => places.set(x, places.has(x) ? -1 : k));
      return places;
    };
    const old = once(marks.slice(oldFrom, oldTo).map((m) => m.mark));
    const own = once(texts.slice(from, to));
    const pairs = [...own].flatMap(([mark, k]) => {
      const j = k < 0 ? -1 : (old.get(mark) ?? -1);
      return j < 0 ? [] : [[from + k, oldFrom + j] as const];
    });
    const run = longestRising(pairs.map(([, j]) => j)).map((k) => pairs[k]);
    if (run.length === 0) return void found.push([from, to, oldFrom, oldTo]);
    let [a, b] = [from, oldFrom];
    for (const [k, j] of [...run, [to, oldTo] as const]) {
      between(a, k, b, j);
      if (k < to) ids[k] = marks[j].id;
      [a, b] = [k + 1, j + 1];
    }
  };
  between(0, texts.length, 0, marks.length);
  return found;
}

/** Places of a longest rising subsequence (Schensted 1961). */
function longestRising(values: readonly number[]): number[] {
  const ends: number[] = [];
  const before = new Array<number>(values.length).fill(-1);
  values.forEach((x, k) => {
    let [low, high] = [0, ends.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (values[ends[middle]] < x) low = middle + 1;
      else high = middle;
    }
    if (low > 0) before[k] = ends[low - 1];
    ends[low] = k;
  });
  const run: number[] = [];
  for (let k = ends.at(-1) ?? -1; k >= 0; k = before[k]) run.unshift(k);
  return run;
}
