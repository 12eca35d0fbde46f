import { checkChart } from '../core/behaviour/chart-check';
import { createChartRun } from '../core/behaviour/chart-run';
import { createChartMachine, type ChartHost } from '../core/behaviour/chart-machine';
import { readChart, structureOf } from '../core/behaviour/chart-source';
import { applyEdit } from '../core/editing/edits';
import { newChart, newState, newTransition, newType, type Chart, type Project } from '../core/project/project';
import { checkProject } from '../core/run/check';
import { readSequence } from '../core/sequences/read-sequence';
import { recordedPicture } from '../core/sequences/recorded';
import { createSequenceRun } from '../core/sequences/sequence-run';
import { tubeCapper } from '../samples/tube-capper';
import { milliseconds, time } from './measure';

/** 500 states in nested groups, 2,000 transitions by message. */
export function largeChart(): Chart {
  const states = Array.from({ length: 500 }, (_, k) => {
    const parent = k % 10 === 0 ? null : `s${k - (k % 10)}`;
    return {
      ...newState(`s${k}`, `S${k}`, parent, 20 + (k % 10) * 160, 40 + Math.floor(k / 10) * 120),
      initial: k === 0 || k % 10 === 1,
    };
  });
  const transitions = Array.from({ length: 2000 }, (_, k) => ({
    ...newTransition(`t${k}`, `s${(k * 7) % 500}`, `s${(k * 13 + 5) % 500}`),
    triggers: [{ kind: 'message' as const, on: `m${k % 8}` }],
  }));
  return { ...newChart('c', 'mode'), states, transitions };
}

export function benchBehaviour(row: (what: string, value: string, wanted: string) => void): void {
  console.log('\nCharts, procedures, sequences');
  const chart = largeChart();
  const source = readChart(chart, '', []);
  const structure = structureOf(source);
  const quiet: ChartHost = {
    now: () => 0,
    guard: () => true,
    condition: () => false,
    delay: () => 0,
    period: () => Infinity,
    act: () => undefined,
    begin: () => undefined,
    receive: () => undefined,
    took: () => undefined,
    settle: () => true,
    looked: () => undefined,
    handled: () => undefined,
    endless: () => undefined,
  };
  const machine = createChartMachine(
    [{ name: 'mode', structure, part: 0, defers: structure.states.map(() => []), hasDo: false }],
    quiet,
  );
  machine.start();
  const events = Array.from({ length: 8 }, (_, k) => ({ name: `m${k}`, receivers: [0], sender: -1, args: [] }));
  const count = 400_000;
  const steps = (): void => {
    for (let k = 0; k < count; k++) {
      machine.post(events[(k * 5) % 8]);
      machine.run();
    }
  };
  time(steps);
  row('500 states, 2,000 transitions: events a second', `${(count / time(steps) / 1000).toFixed(0)} k`, 'over 300 k');
  const small = createChartRun({
    source: readChart(tubeCapper.types.find((t) => t.name === 'BeltDrive')!.charts[0], '', []),
    services: [],
  });
  small.start();
  row(
    '  interpreted (command line), a chart of two states',
    `${(
      100 /
      time(() => {
        for (let k = 0; k < 100_000; k++) small.send(k % 2 ? 'halt' : 'advance');
      })
    ).toFixed(0)} k`,
    '',
  );
  row('  read and checked without running', `${(time(() => void checkChart(source)) * 1000).toFixed(0)} ms`, '');

  const project: Project = {
    ...tubeCapper,
    types: [...tubeCapper.types, { ...newType('big', 'Big'), charts: [chart] }],
  };
  let current = project;
  const edit: number[] = [],
    check: number[] = [];
  for (let k = 0; k < 20; k++) {
    edit.push(
      time(() => {
        const changes = { x: k };
        current = applyEdit(current, { kind: 'update', list: 'type/big/chart/c/state', id: 's250', changes }).project;
      }),
    );
    check.push(time(() => void checkProject(current)));
  }
  row('  an edit of it in the document', milliseconds(edit), 'below 50 ms');
  row('  checking the project after it (in a worker)', milliseconds(check), 'below 200 ms');

  const parts = Array.from({ length: 8 }, (_, k) => ({ path: `p${k}`, typeName: 'P' }));
  const messages = Array.from({ length: 100_000 }, (_, k) => ({
    time: k * 1e-3,
    step: 1,
    message: `m${k % 20}`,
    sender: k % 8,
    receivers: [(k + 3) % 8],
    args: [],
    taken: true,
    kept: false,
    sent: k * 1e-3,
  }));
  row(
    'picture of 100,000 recorded messages',
    `${(time(() => void recordedPicture({ parts, product: 'P', messages, transitions: [], charts: [] })) * 1000).toFixed(0)} ms`,
    '',
  );
  const lines = [
    { id: 'a', depth: 0, text: 'loop 100000 times' },
    { id: 'b', depth: 1, text: 'p0 -> p3: go' },
  ];
  const run = createSequenceRun(readSequence(lines));
  const world = { value: (t: string) => Number(t), isIn: () => false };
  row(
    'a written sequence follows messages, a second',
    `${(
      100 /
      time(() => {
        for (let k = 0; k < 100_000; k++)
          run.message({ time: k, message: k % 2 ? 'go' : 'other', from: 'p0', to: ['p3'], args: [] }, world);
      })
    ).toFixed(0)} k`,
    '',
  );
}
