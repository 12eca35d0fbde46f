import { flatten } from '../core/flatten/flatten';
import { projectLibrary } from '../core/flatten/from-project';
import { libraryOfFile } from '../core/flatten/library';
import { surroundingsOf } from '../core/flatten/sheet-surroundings';
import { parseFile } from '../core/language/parse';
import { linearise } from '../core/linear/linearise';
import { probe } from '../core/probe/probe';
import { instantiate } from '../core/program/machine';
import { emptyProject, newSetup, newSignalLine, newSignalSheet, newType, type Project } from '../core/project/project';
import { createRun, isRunnable, prepareRun, type Prepared } from '../core/run';
import { placeCards } from '../core/signals/sheet-layout';
import { sheetPicture } from '../core/signals/sheet-picture';
import { compile } from '../core/simulate/compile';
import { milliseconds, spread, time } from './measure';

/** A sheet of so many lines, a third of them blocks with memory. */
export function sheetOf(count: number, every: string): Project {
  const lines = ['x0 = sine(f = 1)'];
  for (let k = 1; k < count; k++) {
    const [a, b] = [`x${k - 1}`, `x${Math.max(0, k - 3)}`];
    const formula = [
      `lag(${a}, 0.01)`,
      `limit(${a}, -2, 2)`,
      `0.9*${a} + 0.1*x0`,
      `integrate(${a} - x0, high = 3)`,
      `${a} + ${b}`,
    ][k % 5];
    lines.push(`x${k} = ${formula}`);
  }
  const sheet = { ...newSignalSheet('s', 'S'), every, lines: lines.map((t, k) => newSignalLine(`l${k}`, t)) };
  return {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [{ ...newType('t', 'T'), signals: [sheet] }],
    setups: [{ ...newSetup('s', 'S'), stop: 20, recordEvery: 1e-3, record: [`x${count - 1}`] }],
  };
}

export function benchControl(row: (what: string, value: string, wanted: string) => void): void {
  console.log('\nControl');
  const prepared = (project: Project): Prepared => prepareRun(project, project.setups[0]);
  const started = (project: Project): void => {
    const p = prepared(project);
    if (!isRunnable(p)) throw new Error(p.problems[0].message);
    createRun(p).simulation.advance(1e-6);
  };
  const thousand = Array.from({ length: 6 }, () => {
    const project = sheetOf(1000, '');
    return time(() => started(project));
  });
  row('a sheet of 1,000 lines, from the document to running', milliseconds(thousand), 'below 500');
  const p = prepared(sheetOf(50, "1 'ms'"));
  if (!isRunnable(p)) throw new Error(p.problems[0].message);
  const runs = Array.from({ length: 6 }, () => {
    const { simulation } = createRun(p);
    return time(() => simulation.advance(Infinity));
  });
  const { least, middle } = spread(runs);
  row(
    '50 lines at 1 kHz: times real time',
    `${(20 / middle).toFixed(0)}..${(20 / least).toFixed(0)}x`,
    'at least 300x',
  );
  const n = 1000;
  const text = `model C input Real u; Real x[${n}](each start = 0.1); equation der(x[1]) = u - x[1]^2; for k in 2:${n} loop der(x[k]) = k*(x[k - 1] - x[k]*abs(x[k])); end for; end C;`;
  const { program } = compile(flatten(libraryOfFile(parseFile(text).value, 'c'), 'C').model);
  const machine = instantiate(program!);
  machine.parameters(new Map());
  machine.starts();
  machine.outputs(0);
  const { solvable } = program!;
  const u = solvable.model.variables.findIndex((v) => v.name === 'u');
  const point = { time: 0, values: machine.memory.v, derivatives: machine.memory.d };
  const linear = Array.from({ length: 6 }, () => time(() => linearise(solvable, point, [u], [solvable.states[n - 1]])));
  row('linear model of 1,000 states', milliseconds(linear), 'below 1000');

  const boxText =
    'model B input Real u; output Real y; Real x(start = 0, fixed = true), v; equation v = max(-2, min(2, 4*(u - x))); der(x) = v; y = x; end B;';
  const box = flatten(libraryOfFile(parseFile(boxText).value, 'b'), 'B').model;
  const asked = Array.from({ length: 3 }, () =>
    time(() => probe(box, { from: ['u'], to: ['y'], properties: ['additive'], effort: 200, seed: 1 })),
  );
  row('a loop with a limit: is it additive?', milliseconds(asked), 'below 5000');
  const odd = Array.from({ length: 3 }, () =>
    time(() => probe(box, { from: ['u'], to: ['y'], properties: ['odd'], effort: 200, seed: 1 })),
  );
  row('... is it odd? (nothing is found)', milliseconds(odd), 'below 5000');
  const large = sheetOf(300, '');
  const [type] = large.types;
  const { library } = projectLibrary(large);
  const around = surroundingsOf(large, type, library.top.get(type.name)!, library);
  const lines = type.signals[0].lines;
  const edits = Array.from({ length: 12 }, (_, k) => {
    const sheet = {
      ...type.signals[0],
      lines: lines.map((l, j) => (j === 20 * k ? { ...l, text: `${l.text} + ${k}` } : l)),
    };
    return time(() => placeCards(sheetPicture(type, sheet, around), () => ({ width: 226, height: 90 })));
  });
  row('picture of a sheet of 300 lines after an edit', milliseconds(edits), 'below 50');
}
