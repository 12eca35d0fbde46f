/**
 * Maximum matching of equations with unknowns (Hopcroft and Karp 1973), without recursion.
 * `adjacent[e]` lists the unknowns of equation e. Returns, for each equation, its unknown (-1: none), and the reverse.
 */
export interface Matching {
  readonly unknownOf: Int32Array;
  readonly equationOf: Int32Array;
}

export function match(adjacent: readonly (readonly number[])[], unknownCount: number): Matching {
  const n = adjacent.length;
  const unknownOf = new Int32Array(n).fill(-1);
  const equationOf = new Int32Array(unknownCount).fill(-1);
  greedy(adjacent, unknownOf, equationOf);
  const level = new Int32Array(n);
  const nextEdge = new Int32Array(n);
  for (;;) {
    if (!layer(adjacent, unknownOf, equationOf, level)) break;
    nextEdge.fill(0);
    let grown = false;
    for (let e = 0; e < n; e++) {
      if (unknownOf[e] < 0 && augment(adjacent, e, unknownOf, equationOf, level, nextEdge)) grown = true;
    }
    if (!grown) break;
  }
  return { unknownOf, equationOf };
}

/** Equations with few unknowns choose first: this leaves little for the search. */
function greedy(adjacent: readonly (readonly number[])[], unknownOf: Int32Array, equationOf: Int32Array): void {
  const order = adjacent.map((_, e) => e).sort((a, b) => adjacent[a].length - adjacent[b].length || a - b);
  for (const e of order) {
    const free = adjacent[e].find((u) => equationOf[u] < 0);
    if (free === undefined) continue;
    unknownOf[e] = free;
    equationOf[free] = e;
  }
}

function layer(
  adjacent: readonly (readonly number[])[],
  unknownOf: Int32Array,
  equationOf: Int32Array,
  level: Int32Array,
): boolean {
  level.fill(-1);
  let front: number[] = [];
  for (let e = 0; e < adjacent.length; e++) {
    if (unknownOf[e] < 0) {
      level[e] = 0;
      front.push(e);
    }
  }
  let found = false;
  while (front.length > 0 && !found) {
    const next: number[] = [];
    for (const e of front) {
      for (const u of adjacent[e]) {
        const other = equationOf[u];
        if (other < 0) found = true;
        else if (level[other] < 0) {
          level[other] = level[e] + 1;
          next.push(other);
        }
      }
    }
    front = next;
  }
  return found;
}

function augment(
  adjacent: readonly (readonly number[])[],
  start: number,
  unknownOf: Int32Array,
  equationOf: Int32Array,
  level: Int32Array,
  nextEdge: Int32Array,
): boolean {
  const path = [start];
  while (path.length > 0) {
    const e = path[path.length - 1];
    if (nextEdge[e] >= adjacent[e].length) {
      level[e] = -1;
      path.pop();
      continue;
    }
    const u = adjacent[e][nextEdge[e]++];
    const other = equationOf[u];
    if (other < 0) {
      // every equation on the path takes the unknown its last edge led to
      for (const at of path) {
        const taken = adjacent[at][nextEdge[at] - 1];
        unknownOf[at] = taken;
        equationOf[taken] = at;
      }
      return true;
    }
    if (level[other] === level[e] + 1) path.push(other);
  }
  return false;
}

/** Adds one equation to a matching by an augmenting path; false where there is none. */
export function matchOne(
  adjacent: readonly (readonly number[])[],
  start: number,
  unknownOf: Int32Array,
  equationOf: Int32Array,
): boolean {
  const cameFrom = new Map<number, number>();
  const queue = [start];
  const seen = new Set<number>();
  for (let k = 0; k < queue.length; k++) {
    const e = queue[k];
    for (const u of adjacent[e]) {
      if (seen.has(u)) continue;
      seen.add(u);
      cameFrom.set(u, e);
      if (equationOf[u] >= 0) {
        queue.push(equationOf[u]);
        continue;
      }
      for (let at = u; ;) {
        const by = cameFrom.get(at)!;
        const before = unknownOf[by];
        unknownOf[by] = at;
        equationOf[at] = by;
        if (by === start) return true;
        at = before;
      }
    }
  }
  return false;
}

/**
 * The parts of Dulmage and Mendelsohn (1958) that explain a failed matching: from unmatched equations, everything that
 * competes for too few unknowns; from unmatched unknowns, everything that too few equations determine.
 */
export function explainMatching(
  adjacent: readonly (readonly number[])[],
  m: Matching,
  candidates: readonly number[],
): { over: { equations: number[]; unknowns: number[] }; under: { equations: number[]; unknowns: number[] } } {
  const over = { equations: new Set<number>(), unknowns: new Set<number>() };
  const stack: number[] = [];
  m.unknownOf.forEach((u, e) => u < 0 && (stack.push(e), over.equations.add(e)));
  while (stack.length > 0) {
    for (const u of adjacent[stack.pop()!]) {
      if (over.unknowns.has(u)) continue;
      over.unknowns.add(u);
      const e = m.equationOf[u];
      if (e >= 0 && !over.equations.has(e)) {
        over.equations.add(e);
        stack.push(e);
      }
    }
  }
  const using = new Map<number, number[]>();
  adjacent.forEach((list, e) => list.forEach((u) => using.get(u)?.push(e) ?? using.set(u, [e])));
  const under = { equations: new Set<number>(), unknowns: new Set<number>() };
  const open = candidates.filter((u) => m.equationOf[u] < 0);
  open.forEach((u) => under.unknowns.add(u));
  while (open.length > 0) {
    for (const e of using.get(open.pop()!) ?? []) {
      if (under.equations.has(e)) continue;
      under.equations.add(e);
      const u = m.unknownOf[e];
      if (u >= 0 && !under.unknowns.has(u)) {
        under.unknowns.add(u);
        open.push(u);
      }
    }
  }
  return {
    over: { equations: [...over.equations], unknowns: [...over.unknowns] },
    under: { equations: [...under.equations], unknowns: [...under.unknowns] },
  };
}

/**
 * Any equation that competes with an unmatched one could be left out instead. Gives each unmatched equation's place to the competitor that
 * `rank` puts highest, along an alternating path.
 */
export function blame(
  adjacent: readonly (readonly number[])[],
  m: Matching,
  rank: (equation: number) => number,
): Matching {
  const unknownOf = Int32Array.from(m.unknownOf);
  const equationOf = Int32Array.from(m.equationOf);
  m.unknownOf.forEach((u, start) => {
    if (u >= 0) return;
    const cameFrom = new Map<number, number>([[start, -1]]);
    const queue = [start];
    let worst = start;
    for (let k = 0; k < queue.length; k++) {
      if (rank(queue[k]) > rank(worst)) worst = queue[k];
      for (const x of adjacent[queue[k]]) {
        const other = equationOf[x];
        if (other < 0 || cameFrom.has(other)) continue;
        cameFrom.set(other, queue[k]);
        queue.push(other);
      }
    }
    // from the worst one back to the start, each equation on the path takes the unknown of the next
    let freed = unknownOf[worst];
    if (worst !== start) unknownOf[worst] = -1;
    for (let at = worst; at !== start;) {
      const before = cameFrom.get(at)!;
      const own = unknownOf[before];
      unknownOf[before] = freed;
      equationOf[freed] = before;
      freed = own;
      at = before;
    }
  });
  return { unknownOf, equationOf };
}
