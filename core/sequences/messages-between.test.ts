import { applyEdit } from '../editing/edits';
import { tubeCapper } from '../../samples/tube-capper';
import { messagesBetween } from './messages-between';

const root = tubeCapper.types.find((t) => t.id === tubeCapper.root)!;
const between = (from: string, to: string, project = tubeCapper) =>
  messagesBetween(
    project,
    project.types.find((t) => t.id === project.root)!,
    from,
    to,
    () => 'l-new',
  );

test('only what one side can send and the other takes is offered', () => {
  expect(between('ctrl', 'belt').ready).toEqual(['advance', 'halt']);
  expect(between('outside', 'panel').ready).toEqual(expect.arrayContaining(['start', 'stop', 'reset']));
  expect(between('guard', 'outside').ready).toEqual(['guardClosed', 'guardOpened']);
  expect(between('psu', 'belt').ready).toEqual([]);
});
test('the rest is one fix away: widen a port, or add a link; after it the message is ready', () => {
  const { fixes } = between('belt', 'ctrl');
  expect(fixes.find((f) => f.message === 'start')?.label).toBe('let belt send start');
  const fix = fixes.find((f) => f.message === 'reset')!;
  const after = applyEdit(tubeCapper, fix.edit).project;
  expect(between('belt', 'ctrl', after).ready).toContain('reset');
  // nothing links the guard with the panel, and they have nothing to say to each other
  expect(between('guard', 'panel')).toEqual({ ready: [], fixes: [] });
  const unlinked = {
    ...tubeCapper,
    types: tubeCapper.types.map((t) =>
      t.id === root.id ? { ...t, links: t.links.filter((l) => l.from !== 'ctrl.toBelt') } : t,
    ),
  };
  const link = between('ctrl', 'belt', unlinked).fixes.find((f) => f.message === 'advance')!;
  expect(link.label).toBe('link ctrl.toBelt to belt.orders');
  expect(between('ctrl', 'belt', applyEdit(unlinked, link.edit).project).ready).toContain('advance');
});
