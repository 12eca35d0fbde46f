import { applyEdit } from '../project/edits';
import { newPart, type Project } from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { checkLinks, linkConflict } from './check-links';

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
  expect(conflict('guard.events', 'belt.orders')).toMatch(/no message in common: one sends guardOpened, guardClosed, the other takes advance, halt/);
  expect(conflict('gripper.closed', 'ctrl.torque')).toMatch(/one is yes or no, the other a number/);
  expect(conflict('nobody.x', 'ctrl.torque')).toMatch(/nobody\.x is not a quantity or message port/);
});
test('inputs nothing drives are told; those of panels, setups, sequences and physics are driven', () => {
  const more: Project = applyEdit(tubeCapper, { kind: 'insert', list: `types/${root.id}/parts`, entry: newPart('p-second', 'spare', 't-guardswitch') }).project;
  expect(checkLinks(more).map((p) => [p.severity, p.message])).toEqual([['info', 'Nothing drives spare.open: it keeps its start value, false']]);
  const turned = applyEdit(tubeCapper, { kind: 'update', list: `types/${root.id}/links`, id: root.links[0].id, changes: { from: root.links[0].to, to: root.links[0].from } }).project;
  expect(checkLinks(turned)[0]).toMatchObject({ severity: 'error', place: `type/${root.id}/link/${root.links[0].id}` });
});
