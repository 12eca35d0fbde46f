import { compiledHere } from '@/cli/compiled';
import { tubeCapper } from '@/samples/tube-capper';
import { applyEdit } from '../editing/edits';
import { checkBoards } from '../pins/check-boards';
import { checkChannels } from '../pins/check-channels';
import { linesOf, pinNameOn, withoutChannels } from '../pins/channels';
import { pinBoardNamed, pinBoardsOf } from '../pins/pin-boards';
import type { OwnBoard, Project } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { stagedRun } from '../run/staged';
import { isBoardHere } from '../testing/boards-here';
import { boardNamed, boardsOf } from './board';

/** Boards of a project: a chip with another clock, whose pins lead elsewhere. */

const larch8 = pinBoardNamed('larch8')!;
const bench: OwnBoard = {
  id: 'b-bench',
  name: 'Bench carrier',
  note: '',
  chip: 'avr8',
  clock: 8e6,
  supply: 5,
  pins: larch8.pins.map((p) => ({ name: `X${p.number + 11}`, number: p.number + 1 })),
};
const withBoard = (own: OwnBoard, project: Project = tubeCapper): Project => ({
  ...project,
  boards: [own],
  types: project.types.map((t) => ({
    ...t,
    channels: t.channels.map((c) => {
      const number = larch8.pins.find((p) => p.name === pinNameOn(c, larch8))?.number;
      const pin = own.pins.find((p) => p.number - 1 === number)?.name;
      return pin === undefined ? c : { ...c, pins: [...c.pins, { board: own.id, pin }] };
    }),
  })),
});
const told = (more: Partial<OwnBoard>): readonly string[] =>
  checkBoards({ boards: [{ ...bench, ...more }] }).map((p) => `${p.place?.split('/')[2]}: ${p.message}`);

test('it has what its chip has, at its own clock, on the pins that lead outside', () => {
  const project = withBoard({ ...bench, pins: bench.pins.slice(0, 12) });
  const [, , own] = pinBoardsOf(project);
  expect(own).toMatchObject({ name: 'Bench carrier', bits: 10, supply: 5, clock: 8e6, serial: ['X11', 'X12'] });
  expect(own.pins.map((p) => p.name)).toEqual(bench.pins.slice(0, 12).map((p) => p.name));
  expect(own.pins[9]).toMatchObject({ name: 'X20', pulses: { timer: 1, output: 0 }, analog: -1 });
  // half the clock, half the steps
  expect([larch8.steps(20_000, 'ramp')!.steps, own.steps(20_000, 'ramp')!.steps]).toEqual([800, 400]);
  expect(boardNamed('bench CARRIER', boardsOf(project))?.compiler).toBe('avr-gcc');
  expect(boardNamed('Bench carrier')).toBeUndefined();
});

test('what is wrong with it is told at its place', () => {
  expect(told({})).toEqual([]);
  expect(told({ name: 'larch 8' })).toEqual(['name: larch 8 is a board that comes with the application']);
  expect(told({ clock: 40e6 })).toEqual(['clock: A chip of 8 bits runs at 1 to 20 MHz']);
  expect(told({ chip: 'cortex-m0plus', clock: 125e6 })).toEqual([
    'supply: A chip of 32 bits without a unit for real numbers is supplied with 1.8 to 3.3 V',
  ]);
  expect(told({ pins: [] })).toEqual(['pins: No pin of Bench carrier leads outside']);
  const pins = [
    { name: 'A', number: 1 },
    { name: 'a ', number: 2 },
    { name: 'B', number: 1 },
    { name: 'C', number: 21 },
  ];
  expect(told({ pins })).toEqual([
    'pins: Two pins of Bench carrier are named a',
    'pins: A and B are both pin 1 of the chip',
    'pins: C is pin 21 of its chip, which has pins 1 to 20',
  ]);
  expect(checkBoards({ boards: [bench, { ...bench, id: 'b-2' }] }).map((p) => p.message)).toEqual([
    'There are two boards named Bench carrier',
  ]);
  // and the channels on it are checked as on any other
  const project = withBoard(bench);
  expect(checkChannels(project).filter((p) => p.severity === 'error')).toEqual([]);
  const lost = { ...project, boards: [{ ...bench, pins: bench.pins.filter((p) => p.name !== 'X20') }] };
  expect(checkChannels(lost).map((p) => p.message)).toContain(
    'Bench carrier has no pin X20; its pins are X11, X12, X13, X14, X15, X16, X17, X18, X19, X21, X22, X23, X24, X25, X26, X27, X28, X29 and X30',
  );
  const gone = { ...project, boards: [] };
  expect(checkChannels(gone)[0].message).toBe('There is no board b-bench; there are Larch 8 and Larch 32');
  // the document refuses what is no board at all
  const wrong = applyEdit(project, { kind: 'update', list: 'board', id: bench.id, changes: { clock: 5 } });
  expect(wrong.refused?.message).toContain('At least 1 MHz');
});

(isBoardHere('larch8') ? test : test.skip)('software runs on it: the same cycles in twice the time', () => {
  const project = withBoard(bench);
  const setup = { ...project.setups.find((s) => s.name === 'Careful')!, stop: 0.06 };
  const on = (stage: `board:${string}`, of: Project) => {
    const { value, problems } = stagedRun(of, { ...setup, wires: [] }, new Map([['ctrl', stage]]), {
      compiledSteps: compiledHere,
    });
    if (!value) throw new Error(problems[0].message);
    value.run.simulation.advance(Infinity);
    const recording = value.run.recorder.take();
    const times = recording.columns.find((c) => c.name === 'ctrl.stepTime')!.values.slice(0, recording.rows);
    const step = value.parts[0].profile()!.functions.find((f) => f.name === 'CapperControl_step')!;
    return {
      cycles: step.max,
      seconds: Math.max(...times),
      board: value.parts[0].board,
      left: value.run.steps[0].overruns(),
    };
  };
  // signals in memory: nothing but the step takes time
  const bare = withoutChannels(project);
  const [usual, own] = [on('board:larch8', bare), on('board:Bench carrier', bare)];
  expect(own.board).toBe('Bench carrier');
  expect(own.cycles).toBe(usual.cycles);
  expect(own.seconds).toBeCloseTo(2 * usual.seconds, 9);
  // with its pins, steps are left out at that clock
  expect([usual.left, own.left, on('board:Bench carrier', project).left > 5]).toEqual([0, 0, true]);
  expect(
    linesOf(
      project.types.find((t) => t.name === 'CapperControl')!,
      pinBoardsOf(project)[2],
    ).length,
  ).toBe(project.types.find((t) => t.name === 'CapperControl')!.channels.length);
  const nowhere = stagedRun(project, setup, new Map([['ctrl', 'board:Pine']]), { compiledSteps: compiledHere });
  expect(nowhere.problems[0].message).toBe('There is no board Pine; there are larch8, larch32, Bench carrier');
});

(isBoardHere('larch8') ? test : test.skip)(
  'its serial line takes as long as its bits per second say, whatever the clock',
  () => {
    const project = withoutChannels(withBoard(bench));
    const known = (board: string): number => {
      const setup = {
        ...project.setups.find((s) => s.name === 'Careful')!,
        wires: [],
        stop: 0.2,
        stages: [{ part: 'ctrl', stage: 'board' as const, board }],
        serial: [{ part: 'ctrl', baud: 9600, every: 20, noise: 0 }],
        heard: ['ctrl.voltage'],
      };
      const prepared = prepareRun(project, setup, undefined, undefined, compiledHere);
      if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
      const run = createRun(prepared, { record: ['ctrl.heard.voltage'] });
      run.simulation.advance(Infinity);
      expect(run.steps[0].line()).toMatchObject({ lost: 0, broken: 0 });
      const recording = run.recorder.take();
      const { values } = recording.columns.find((c) => c.name === 'ctrl.heard.voltage')!;
      return recording.time[values.findIndex((x) => !Number.isNaN(x))];
    };
    const [usual, own] = [known('larch8'), known('Bench carrier')];
    // an order and a telling of a dozen bytes, ten bits each: more than 20 ms
    expect(usual).toBeGreaterThan(0.02);
    expect(Math.abs(own - usual)).toBeLessThan(0.002);
  },
);
