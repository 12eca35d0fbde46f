import { together, type Came, type Item } from '../coverage/came';
import { outcomeOf } from '../coverage/decision';
import { shownConditions } from '../coverage/mcdc';
import type { CoveragePlan, Decision } from '../coverage/plan';
import { randomFrom } from '../numbers/random';
import type { Notes } from '../program/machine';
import type { PartType, Project } from '../project/project';
import type { LoweredType } from '../stepcode/controller';
import type { RunningStep } from '../stepcode/running-step';
import { operandsOf, type StepExpr, type StepProgram } from '../stepcode/step-program';
import { visitAll } from '../stepcode/tidy';
import { createStep } from '../stepcode/write-js';
import { caseOf, isCovered, noProof, nothingFound, type ProposeAnswer, type ProposeOptions } from './proposal';
import { runCase } from './run-case';

/**
 * Looks for a case that comes through something that no case does: what is given to a part type alone is tried at random, and what came through
 * something new is gone on from (coverage-guided search, after Miller, Fredriksen and So 1990 and the many that followed). The steps of the part run
 * in memory, a state is kept wherever something new was seen, so that each try costs only what it adds.
 */

/** Something is given, and so many steps pass. */
interface Move {
  readonly give: { readonly slot: number; readonly value: number } | undefined;
  readonly ticks: number;
}

interface Place {
  readonly moves: readonly Move[];
  readonly state: readonly (number | readonly number[])[];
  readonly ticks: number;
  /** Words of the decision that is looked for. */
  readonly words: ReadonlySet<number>;
}

/** The steps of a part that tell what they come through. */
type Counted = Required<Pick<Extract<LoweredType, { readonly program: StepProgram }>, 'program' | 'solvable'>> & {
  readonly plan: CoveragePlan;
};

/** Of one try. */
const longest = 20_000;

export function proposeInSteps(
  project: Project,
  type: PartType,
  item: Item,
  { program, plan, solvable }: Counted,
  options: ProposeOptions,
): ProposeAnswer {
  const { came, idOf, seed = 1, most = 16_000_000, goesOn = () => true } = options;
  const wanted = wantedBy(item, plan, came);
  if (!wanted) return nothingFound('There is no such element in the steps of the part alone');
  const random = randomFrom(seed);
  const pool = poolOf(program);
  if (pool.gives.length === 0 && pool.times.length === 0) return nothingFound('Nothing can be given to it');

  // --- what is told while steps are gone
  const known = new Set<number>();
  let fresh = 0;
  let words = new Set<number>();
  let hasCome = false;
  const note = (id: number): void => {
    if (known.has(id)) return;
    known.add(id);
    fresh++;
  };
  const notes: Notes = {
    told(decision, value, word) {
      note(plan.points.length + decision * 2 ** 31 + word);
      if (decision === wanted.decision && !words.has(word)) {
        words.add(word);
        hasCome ||= wanted.isShown(words);
      }
      return value;
    },
    came(point) {
      note(point);
      hasCome ||= point === wanted.point;
    },
  };
  const run = createStep(program, { notes });
  const keep = (): Place['state'] => program.slots.map((_, slot) => run.keep(slot));
  const restore = (state: Place['state']): void => state.forEach((value, slot) => run.restore(slot, value));
  let [tries, ticks] = [0, 0];
  const go = ({ give, ticks: n }: Move): void => {
    if (give) run.write(give.slot, give.value);
    for (let k = 0; k < n && !hasCome; k++) {
      run.step();
      // a message has come once
      if (k === 0 && give && pool.messages.has(give.slot)) run.write(give.slot, 0);
      ticks++;
    }
  };

  // --- from what was new on to what is newer
  for (const slot of pool.inputs) {
    const { start } = solvable.model.variables[solvable.model.indexOf.get(program.slots[slot].name) ?? -1] ?? {};
    run.write(slot, start?.op === 'const' ? start.value : 0);
  }
  run.init();
  go({ give: undefined, ticks: 1 });
  const origin: Place = { moves: [], state: keep(), ticks: 1, words };
  let found: readonly Move[] | undefined = hasCome ? [] : undefined;
  hasCome = false;
  /** Whether it was given up. */
  const search = (first: Place, until: number): boolean => {
    const places = [first];
    known.clear();
    while (found === undefined && ticks < until) {
      if (++tries % 64 === 0 && !goesOn(ticks / most)) return true;
      // the newest places lead on most often
      const from = places[Math.floor(places.length * Math.sqrt(random()))];
      restore(from.state);
      words = new Set(from.words);
      fresh = 0;
      const moves = [...from.moves];
      let length = from.ticks;
      const count = 1 + Math.floor(3 * random());
      for (let k = 0; k < count && !hasCome && length < longest; k++) {
        const move = pool.move(random);
        go(move);
        moves.push(move);
        length += move.ticks;
      }
      if (hasCome) found = moves;
      else if (fresh > 0) places.push({ moves, state: keep(), ticks: length, words });
    }
    return false;
  };
  // then with other values of the parameters it hangs on: what takes a thousand rounds may take two
  const others = pool.parameterMoves(new Set(wanted.words));
  const part = most / (1 + others.length / 4);
  if (search(origin, part)) return nothingFound('It was given up', tries, ticks);
  for (const [k, move] of others.entries()) {
    if (found !== undefined) break;
    restore(origin.state);
    words = new Set(origin.words);
    go(move);
    const first: Place = { moves: [move], state: keep(), ticks: 1 + move.ticks, words };
    if (search(first, part + ((most - part) * (k + 1)) / others.length))
      return nothingFound('It was given up', tries, ticks);
  }
  if (!found)
    return nothingFound(`Nothing was found in ${tries} tries of ${ticks} steps together. ${noProof}`, tries, ticks);

  // --- no more than it takes
  const comes = (moves: readonly Move[]): boolean => {
    restore(origin.state);
    words = new Set(origin.words);
    hasCome = found!.length === 0;
    for (const m of moves) go(m);
    return hasCome;
  };
  let moves = found;
  for (let before = Infinity; moves.length < before;) {
    before = moves.length;
    for (let k = moves.length - 1; k >= 0; k--) {
      const without = moves.filter((_, j) => j !== k);
      // what is given may be of no matter, and the time that passes all the same
      const waits = [{ give: undefined, ticks: moves[k].ticks }, ...moves.slice(k + 1)];
      if (comes(without)) moves = without;
      else if (moves[k].give && comes([...moves.slice(0, k), ...waits])) moves = [...moves.slice(0, k), ...waits];
    }
    moves = joined(moves);
  }
  comes(moves);
  const states = statesAfter(program, solvable.model, run);
  const lines = linesOf(program, moves, pool.messages);
  const seconds = (moves.reduce((sum, m) => sum + m.ticks, 0) + 4) * program.period;
  const value = caseOf(type, item, idOf(), lines, states, seconds);
  // what steps come through the design may not, where it is no matter of order alone
  for (const stage of [undefined, 'code'] as const) {
    const done = runCase(project, value, { stage, isCounted: true });
    if (done.came && isCovered(item, together([came, done.came])))
      return {
        proposal: { value: stage ? { ...value, stages: ['sampled', 'code', 'host', 'board'] } : value, tries, ticks },
      };
  }
  return nothingFound('What was found in steps comes to something else in a run', tries, ticks);
}

/** Waits in one. */
function joined(moves: readonly Move[]): readonly Move[] {
  const found: Move[] = [];
  for (const m of moves) {
    const last = found.at(-1);
    if (last && !m.give) found[found.length - 1] = { ...last, ticks: last.ticks + m.ticks };
    else found.push(m);
  }
  return found;
}

/** What is looked for, by the numbers of the plan of its steps. */
function wantedBy(item: Item, plan: CoveragePlan, came: Came) {
  const decision = plan.decisions.findIndex((d) => d.key === item.of.key);
  const point = plan.points.findIndex((p) => p.key === item.of.key);
  // names in what it hangs on
  const wordsIn = (text: string): readonly string[] => text.match(/[\p{L}_][\p{L}\p{N}_]*/gu) ?? [];
  const near = plan.decisions.filter((d) => d.key === item.of.key || d.place === item.of.place);
  const words = near.flatMap((d) => wordsIn(d.text));
  if (decision < 0) return point < 0 ? undefined : { decision: -1, point, words, isShown: () => false };
  const { tree, conditions } = item.of as Decision;
  const before = came.words[item.of.key] ?? [];
  const isShown = (seen: ReadonlySet<number>): boolean => {
    if (item.kind === 'way') return seen.has(item.number);
    if (!tree) return false;
    if (item.kind === 'outcome') return [...seen].some((w) => outcomeOf(tree, w) === (item.number === 1));
    return shownConditions(tree, conditions.length, [...before, ...seen])[item.number] !== undefined;
  };
  return { decision, point: -1, words, isShown };
}

/** What can be given, and how long it is waited for. */
function poolOf(program: StepProgram) {
  const { slots, period } = program;
  const messages = new Set(slots.flatMap((s, k) => (s.role === 'input' && s.is === 'messages' ? [k] : [])));
  const names = new Set([...messages].map((k) => slots[k].name));
  const isArgument = (name: string): boolean => [...names].some((m) => name.startsWith(`${m}_`));
  const inputs = slots.flatMap((s, k) =>
    s.role === 'input' && !messages.has(k) && !isArgument(s.name) && s.size === 0 ? [k] : [],
  );
  const parameters = slots.flatMap((s, k) =>
    s.role === 'parameter' && s.size === 0 && s.type !== 'bool' && s.list < 0 ? [k] : [],
  );
  const numbers = new Set<number>([0, 1]);
  const times = new Set<number>([1, 2, 3]);
  const look = (e: StepExpr): void => {
    if (e.op === 'const' && e.type === 'f32' && Number.isFinite(e.value) && Math.abs(e.value) < 1e9)
      numbers.add(e.value);
    operandsOf(e).forEach(look);
  };
  for (const r of program.routines)
    visitAll(r.body, {
      set({ value, slot }) {
        look(value);
        // so long a clock is set to
        if (value.op === 'const' && value.type === 'i32' && value.value > 0 && slots[slot].role === 'part')
          times.add(value.value);
        if (value.op === 'fn' && value.name === 'steps') times.add(Math.ceil(0.5 / period));
      },
    });
  for (const s of slots)
    if (s.start.op === 'const' && s.start.type === 'f32' && (s.role === 'parameter' || s.role === 'part'))
      numbers.add(s.start.value);
  const values = [...numbers].flatMap((x) => (x === 0 ? [0] : [x, 0.9 * x, 1.1 * x, -x]));
  const waits = [...times].filter((n) => n < longest);
  const gives = [...messages, ...inputs];
  const one = <T>(list: readonly T[], random: () => number): T => list[Math.floor(list.length * random())];
  const valueFor = (slot: number, random: () => number): number => {
    if (messages.has(slot)) return 1;
    if (slots[slot].type === 'bool') return Math.round(random());
    const x = one(values, random);
    return slots[slot].type === 'i32' ? Math.round(x) : Math.fround(x);
  };
  return {
    messages,
    inputs,
    gives,
    times: waits,
    /** Other values of the parameters of these names. */
    parameterMoves: (called: ReadonlySet<string>): readonly Move[] =>
      parameters.flatMap((slot) => {
        const { name, type, start } = slots[slot];
        const usual = start.op === 'const' ? start.value : 1;
        const all = [1, 2, usual / 2, usual * 2].map((x) => (type === 'i32' ? Math.round(x) : Math.fround(x)));
        return called.has(name)
          ? [...new Set(all)].flatMap((value) => (value === usual ? [] : [{ give: { slot, value }, ticks: 2 }]))
          : [];
      }),
    move(random: () => number): Move {
      const near = 1 + Math.floor(4 * random());
      // of two the shorter: long waits cost many tries
      const far = Math.min(one(waits, random), one(waits, random)) + (random() < 0.5 ? 1 : 0);
      const ticks = Math.max(1, Math.min(longest, random() < 0.5 ? near : far));
      if (gives.length === 0 || random() < 0.15) return { give: undefined, ticks };
      const slot = one(gives, random);
      return { give: { slot, value: valueFor(slot, random) }, ticks };
    },
  };
}

/** Moves as lines of a case. What is given between two steps is there for the next one. */
function linesOf({ slots, period }: StepProgram, moves: readonly Move[], messages: ReadonlySet<number>): string[] {
  const lines: string[] = [];
  // before the first move a step has gone
  let waiting = 1.5;
  const wait = (): void => {
    if (waiting > 0) lines.push(`wait ${Number((waiting * period).toPrecision(9))} 's'`);
    waiting = 0;
  };
  for (const { give, ticks } of moves) {
    if (give) {
      wait();
      const { name, type, unit } = slots[give.slot];
      const value =
        type === 'bool'
          ? String(give.value !== 0)
          : `${Number(give.value.toPrecision(7))}${unit === '' || unit === '1' ? '' : ` '${unit}'`}`;
      lines.push(messages.has(give.slot) ? `send ${name}` : `set ${name} = ${value}`);
    }
    waiting += ticks;
  }
  wait();
  return lines;
}

/** Innermost states that are active then. */
function statesAfter(
  program: StepProgram,
  model: { readonly charts: readonly ChartLike[]; readonly variables: readonly { readonly place: string }[] },
  run: RunningStep,
): readonly string[] {
  const places = new Set(
    program.slots.flatMap((s, k) => {
      const list = s.is === 'region' ? program.lists[s.list] : undefined;
      const now = list?.members.find((m) => m.value === run.read(k));
      return now && now.from !== '' ? [now.from] : [];
    }),
  );
  return model.charts.flatMap((c) =>
    c.structure.states.flatMap((s, k) =>
      places.has(model.variables[c.active[k]]?.place ?? '') && s.children.length === 0 ? [`${c.name}.${s.path}`] : [],
    ),
  );
}
interface ChartLike {
  readonly name: string;
  readonly active: readonly number[];
  readonly structure: { readonly states: readonly { readonly path: string; readonly children: readonly number[] }[] };
}
