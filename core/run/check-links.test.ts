import { applyEdit, undoEdit } from '../editing/edits';
import { carryEdit, linksWith, removeItemEdit } from '../project/items';
import {
  emptyProject,
  newChart,
  newPart,
  newSetup,
  newState,
  newTransition,
  newType,
  type PartType,
  type Project,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from './index';
import { tubeCapper } from '../../samples/tube-capper';
import { checkLinks, itemConflict, linkConflict, waysOf } from './check-links';

const root = tubeCapper.types.find((t) => t.id === tubeCapper.root)!;
const conflict = (from: string, to: string): string | undefined => linkConflict(tubeCapper, root, from, to);

test('what fits is fine, in the direction it runs', () => {
  expect(conflict('cap.torque', 'ctrl.torque')).toBeUndefined();
  expect(conflict('ctrl.toBelt', 'belt.orders')).toBeUndefined();
  expect(checkLinks(tubeCapper)).toEqual([]);
});
test('wrong ways and ends that do not fit are told with a reason', () => {
  expect(conflict('ctrl.torque', 'cap.torque')).toMatch(/runs the wrong way: cap\.torque gives/);
  expect(conflict('ctrl.torque', 'ctrl.angle')).toMatch(/ctrl\.torque takes, it does not give/);
  expect(conflict('cap.torque', 'spindle.speed')).toMatch(/spindle\.speed gives, it does not take/);
  expect(conflict('cap.torque', 'belt.orders')).toMatch(/do not fit: messages go between message ports/);
  expect(conflict('guard.events', 'belt.orders')).toMatch(
    /no message in common: one sends guardOpened, guardClosed, the other takes advance, halt/,
  );
  expect(conflict('gripper.closed', 'ctrl.torque')).toMatch(/one is yes or no, the other a number/);
  expect(conflict('nobody.x', 'ctrl.torque')).toMatch(/nobody\.x is not a quantity or message port/);
});
test('a port may take and give: its link carries both ways, and fits where either has something in common', () => {
  const type = (id: string, name: string, more: Partial<PartType>): PartType => ({ ...newType(id, name), ...more });
  const asks = type('ta', 'Asks', {
    ports: [{ id: 'p', name: 'line', accepts: ['yes'], sends: ['ask'], note: '' }],
    quantities: [
      {
        id: 'q',
        name: 'heard',
        type: 'Integer',
        role: 'variable',
        value: '0',
        unit: '',
        min: '',
        max: '',
        number: 'usual',
        note: '',
      },
    ],
    charts: [
      {
        ...newChart('c', 'mode'),
        states: [{ ...newState('s', 'On', null, 0, 0), initial: true, entry: 'send ask to line;' }],
        transitions: [
          { ...newTransition('x', 's', ''), triggers: [{ kind: 'message', on: 'yes' }], effect: 'heard := heard + 1;' },
        ],
      },
    ],
  });
  const answers = type('tb', 'Answers', {
    ports: [{ id: 'p', name: 'wire', accepts: ['ask'], sends: ['yes', 'no'], note: '' }],
    charts: [
      {
        ...newChart('c', 'mode'),
        states: [{ ...newState('s', 'On', null, 0, 0), initial: true }],
        transitions: [
          { ...newTransition('x', 's', ''), triggers: [{ kind: 'message', on: 'ask' }], effect: 'send yes to wire;' },
        ],
      },
    ],
  });
  const both = type('tr', 'Both', {
    parts: [newPart('a', 'a', 'ta'), newPart('b', 'b', 'tb')],
    links: [{ id: 'l', from: 'b.wire', to: 'a.line', carries: '' }],
  });
  const project: Project = {
    ...emptyProject('two', 'Two'),
    root: 'tr',
    types: [both, asks, answers],
    setups: [{ ...newSetup('u', 'Short'), stop: 0.1 }],
  };
  expect(checkLinks(project)).toEqual([]);
  expect(waysOf(project, both, both.links[0])).toEqual({ forth: true, back: true });
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  expect(run.recorder.take().messages.map((m) => m.message)).toEqual(['ask', 'yes']);
  expect(
    linkConflict(
      {
        ...project,
        types: [both, asks, { ...answers, ports: [{ ...answers.ports[0], accepts: ['stop'], sends: ['no'] }] }],
      },
      both,
      'b.wire',
      'a.line',
    ),
  ).toMatch(/no message in common: one sends no, the other takes yes/);
});
test('inputs nothing drives are told; those of panels, setups, sequences and physics are driven', () => {
  const more: Project = applyEdit(tubeCapper, {
    kind: 'insert',
    list: `type/${root.id}/part`,
    entry: newPart('p-second', 'spare', 't-guardswitch'),
  }).project;
  expect(checkLinks(more).map((p) => [p.severity, p.message])).toEqual([
    ['info', 'Nothing drives spare.open: it keeps its start value, false'],
  ]);
  const turned = applyEdit(tubeCapper, {
    kind: 'update',
    list: `type/${root.id}/link`,
    id: root.links[0].id,
    changes: { from: root.links[0].to, to: root.links[0].from },
  }).project;
  expect(checkLinks(turned)[0]).toMatchObject({ severity: 'error', place: `type/${root.id}/link/${root.links[0].id}` });
});

describe('items of links', () => {
  const link = root.links.find((l) => l.to === 'ctrl.torque')!;
  const carry = (project: Project, name: string): Project =>
    applyEdit(
      project,
      carryEdit(
        project,
        project.types.find((t) => t.id === root.id)!,
        link,
        name,
        () => 'i-new',
      ),
    ).project;
  test('one of the items there are is used; a new name makes one, with the unit of where the link starts', () => {
    expect(carry(tubeCapper, 'Angle').types[0].links.find((l) => l.id === link.id)?.carries).toBe('i-angle');
    const made = carry(tubeCapper, 'cap moment');
    expect(made.items.at(-1)).toEqual({ id: 'i-new', name: 'cap moment', unit: 'N.m', note: '' });
    expect(checkLinks(made)).toEqual([]);
    expect(carry(made, ' ').types[0].links.find((l) => l.id === link.id)?.carries).toBe('');
  });
  test('an item of another unit, or one with a unit on messages, is an error at its link', () => {
    expect(checkLinks(carry(tubeCapper, 'angle')).map((p) => [p.place, p.message])).toEqual([
      [`type/${root.id}/link/${link.id}`, 'cap.torque is in N.m, but the item angle is in rad'],
    ]);
    const order = root.links.find((l) => l.from === 'ctrl.toBelt')!;
    expect(itemConflict(tubeCapper, root, { ...order, carries: 'i-torque' })).toBe(
      'ctrl.toBelt carries messages, but torque is measured in N.m',
    );
    expect(itemConflict(tubeCapper, root, { ...order, carries: 'gone' })).toMatch(/no longer there/);
  });
  test('deleting an item takes it from its links, in one step that can be undone', () => {
    const torque = tubeCapper.items.find((i) => i.name === 'torque')!;
    const { project, inverse } = applyEdit(tubeCapper, removeItemEdit(tubeCapper, torque));
    expect(linksWith(tubeCapper, torque)).toHaveLength(2);
    expect(project.items).not.toContain(torque);
    expect(linksWith(project, torque)).toEqual([]);
    expect(checkLinks(project)).toEqual([]);
    expect(undoEdit(project, inverse)).toEqual(tubeCapper);
  });
  test('which ways something goes follows from the ends', () => {
    expect(waysOf(tubeCapper, root, link)).toEqual({ forth: true, back: false });
    expect(
      waysOf(
        tubeCapper,
        root,
        root.links.find((l) => l.from === 'ctrl.toBelt')!,
      ),
    ).toEqual({ forth: true, back: false });
  });
});
