import { procedure, procedureValue as value } from '../testing/procedures';
import { projectOf, quantity, row, runProject } from '../testing/run-project';
import { stepProgramOf } from './controller';
import { createStep } from './write-js';

/** Procedures go in steps as they run on their own: waits, choices, loops, lanes, calls and abort zones. */

/** When messages come, in steps of a millisecond. */
const said: readonly (readonly [number, string])[] = [
  [137, 'go'],
  [291, 'stop'],
  [523, 'go'],
];

test.each([
  ['waits and messages', 'y := 1\nwait 50 ms\ny := 2\nwait for go\ny := 3\nwait 20 ms\ny := 4'],
  ['loops and choices', 'repeat 9 times\n  n := n + 1\n  wait 30 ms\n  if n > 4\n    y := n\n  else\n    y := 0 - n'],
  [
    'lanes',
    'together\n  lane a\n    wait 40 ms\n    y := y + 1\n  lane b\n    wait for go\n    y := y + 10\ny := y * 2',
  ],
  ['an abort zone', 'abort on stop\n  repeat while y < 90\n    y := y + 1\n    wait 25 ms\ny := 0 - y'],
  ['a call', 'call twice(level = 3)\nwait 10 ms\ncall twice(level = 5)'],
])('%s', (_, text) => {
  const main = procedure('work', text, { main: true, values: [value('n')] });
  const twice = procedure('twice', 'y := 2 * level\nwait 15 ms', { values: [value('level')] });
  const project = projectOf(
    {
      quantities: [quantity('y', '0', { role: 'output' })],
      procedures: [main, twice],
      ports: [{ id: 'p', name: 'in', accepts: ['go', 'stop'], sends: [], note: '' }],
    },
    { stop: 0.7, recordEvery: 0.001, stimulus: said.map(([k, m]) => row('send', k / 1000 - 0.0004, m)) },
  );
  const { program, problems } = stepProgramOf(project, project.types[0], 0.001);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  const done = runProject(project);
  const run = createStep(program);
  const slot = (name: string, role: string): number =>
    program.slots.findIndex((s) => s.name === name && s.role === role);
  run.init();
  const changes: number[] = [];
  for (let k = 0; k < 700; k++) {
    for (const m of ['go', 'stop']) run.write(slot(m, 'input'), said.filter(([at, n]) => at === k && n === m).length);
    run.step();
    const y = run.read(slot('y', 'output'));
    if (y !== changes.at(-1)) changes.push(y);
    // what happens between two steps is seen at the later one, and what follows from it with it
    if (k % 7 === 3 && said.every(([at]) => k < at || k > at + 3))
      expect([k, done.at('y', k / 1000 + 0.0002), done.at('y', (k - 2) / 1000)]).toContain(y);
  }
  expect(changes.length).toBeGreaterThan(1);
});
