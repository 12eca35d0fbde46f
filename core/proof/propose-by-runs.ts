import { together, type Came, type Item } from '../coverage/came';
import { randomFrom } from '../numbers/random';
import type { PartType, Project, TestCase } from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { nameAlone, triedRun } from '../run/tried';
import { caseOf, isCovered, noProof, nothingFound, type ProposeAnswer, type ProposeOptions } from './proposal';
import { runCase } from './run-case';

/** Runs that are simulated at most. */
const mostSimulated = 150;

/** Looks for a case of a type that does not go in steps, by runs of the simulator, each from the beginning. */
export function proposeByRuns(
  project: Project,
  type: PartType,
  item: Item,
  { came, idOf, seed = 1, goesOn = () => true }: ProposeOptions,
): ProposeAnswer {
  const random = randomFrom(seed);
  const one = <T>(list: readonly T[]): T => list[Math.floor(list.length * random())];
  const messages = [
    ...new Set([
      ...type.ports.flatMap((p) => p.accepts),
      ...type.charts.flatMap((c) =>
        c.transitions.flatMap((t) =>
          t.triggers.flatMap((g) => (g.kind === 'message' ? [g.on.replace(/\(.*$/, '').trim()] : [])),
        ),
      ),
    ]),
  ].filter((m) => /^[\p{L}_][\p{L}\p{N}_]*$/u.test(m));
  const inputs = type.quantities.filter(
    (q) => q.role === 'input' && (q.type === 'Real' || q.type === 'Integer' || q.type === 'Boolean'),
  );
  const numbers = [
    ...new Set([
      ...[0, 1, 0.5, 2, 10],
      ...type.quantities.map((q) => Number(q.value)).filter((x) => Number.isFinite(x) && x !== 0),
    ]),
  ];
  if (messages.length + inputs.length === 0) return nothingFound('Nothing can be given to it alone');
  const move = (): readonly [line: string, seconds: number] => {
    const seconds = one([0.02, 0.1, 0.3, 1, 2]);
    const k = Math.floor((messages.length + inputs.length) * random());
    if (k < messages.length) return [`send ${messages[k]}`, seconds];
    const { name, type: of } = inputs[k - messages.length];
    if (of === 'Boolean') return [`set ${name} = ${random() < 0.5}`, seconds];
    const x = one(numbers) * one([1, 1, 1.1, 0.9, -1]);
    return [`set ${name} = ${of === 'Integer' ? Math.round(x) : Number(x.toPrecision(6))}`, seconds];
  };
  type Moves = readonly (readonly [line: string, seconds: number])[];
  const known = new Set<string>();
  const corpus: Moves[] = [[]];
  const linesOf = (moves: Moves): string[] => [
    "wait 0.05 's'",
    ...moves.flatMap(([line, s]) => [line, `wait ${s} 's'`]),
  ];
  const secondsOf = (moves: Moves): number => 0.1 + moves.reduce((sum, [, s]) => sum + s, 0);
  const tryIt = (moves: Moves): Came | undefined =>
    runCase(project, caseOf(type, item, 'tried', linesOf(moves), [], secondsOf(moves)), { isCounted: true }).came;
  for (let tries = 1; tries <= mostSimulated; tries++) {
    if (!goesOn(tries / mostSimulated)) return nothingFound('It was given up', tries);
    const from = corpus[Math.floor(corpus.length * Math.sqrt(random()))];
    const moves = [...from, ...Array.from({ length: 1 + Math.floor(3 * random()) }, move)];
    const found = tryIt(moves);
    if (!found) continue;
    if (isCovered(item, together([came, found]))) {
      let least: Moves = moves;
      for (let k = least.length - 1; k >= 0; k--) {
        const without = least.filter((_, j) => j !== k);
        const again = tryIt(without);
        if (again && isCovered(item, together([came, again]))) least = without;
      }
      const value = caseOf(type, item, idOf(), linesOf(least), [], secondsOf(least));
      const states = statesAtEnd(project, value);
      return {
        proposal: {
          value: { ...value, script: [value.script, ...states.map((s) => `expect in(${s})`)].join('\n') },
          tries,
          ticks: 0,
        },
      };
    }
    const ids = [...found.points, ...Object.entries(found.words).flatMap(([k, w]) => w.map((x) => `${k} ${x}`))];
    if (ids.some((x) => !known.has(x))) corpus.push(moves);
    ids.forEach((x) => known.add(x));
  }
  return nothingFound(`Nothing was found in ${mostSimulated} runs. ${noProof}`, mostSimulated);
}

/** Innermost states of its charts that are active at the end of a case of a type alone. */
function statesAtEnd(project: Project, of: TestCase): readonly string[] {
  const asked = triedRun(project, of);
  if ('message' in asked) return [];
  const prepared = prepareRun(asked.project, asked.setup, undefined, undefined, undefined, asked.tried);
  if (!isRunnable(prepared) || !asked.alone) return [];
  const run = createRun(prepared, { record: [] });
  run.simulation.advance(Infinity);
  const v = run.simulation.machine.memory.v;
  const name = nameAlone(asked.alone);
  return prepared.model.charts.flatMap((c) =>
    c.isProcedure || !c.name.startsWith(`${name}.`)
      ? []
      : c.structure.states.flatMap((s, k) =>
          s.children.length === 0 && v[c.active[k]] === 1 ? [`${c.name.slice(name.length + 1)}.${s.path}`] : [],
        ),
  );
}
