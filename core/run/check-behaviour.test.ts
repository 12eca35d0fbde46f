import { emptyProject, newPart, newSetup, newType, type Project } from '../project/project';
import { chart, quantity, state, transition } from '../testing/run-project';
import { checkProduct } from './prepare';

const end = state('B', {}, 'final');

/** A desk that sends to a controller. */
const project = (effect: string, waits: string): Project => ({
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [{ ...newPart('a', 'desk', 'desk') }, { ...newPart('b', 'ctrl', 'ctrl') }],
      links: [{ id: 'l', carries: '', from: 'desk.out', to: 'ctrl.in' }],
    },
    {
      ...newType('desk', 'Desk'),
      charts: [chart('says', [state('A'), end], [transition('A', 'B', "after 1 's'", { effect })])],
      ports: [{ id: 'o', name: 'out', accepts: [], sends: ['go'], note: '' }],
    },
    {
      ...newType('ctrl', 'Ctrl'),
      quantities: [quantity('level', '0')],
      charts: [chart('mode', [state('A'), end], [transition('A', 'B', waits, { effect: 'level := 1;' })])],
      ports: [{ id: 'i', name: 'in', accepts: ['go'], sends: [], note: '' }],
    },
  ],
  setups: [{ ...newSetup('s', 'S') }],
});
const found = (effect: string, waits: string) => {
  return checkProduct(project(effect, waits)).problems.map(({ code, place, message }) => ({ code, place, message }));
};

test('a message that leaves out what is read of it is told where it is sent', () => {
  const told = {
    code: 'argument-missing',
    place: 'type/desk/chart/says/transition/A-B-after1s/effect',
    message: 'go is sent without by, which ctrl reads of it: there it keeps the value of the last time',
  };
  expect(found('send go(to = 1) to out;', 'message go(to, by)')).toEqual([told]);
  expect(found('if true then send go(to = 1) to out; end if;', 'message go(to, by)')).toEqual([told]);
  expect(found('send go(to = 1, by = 2) to out;', 'message go(to, by)')).toEqual([]);
  expect(found('send go(to = 1) to out;', 'message go')).toEqual([]);
});

test('a message that nobody waits for is told where it is sent', () => {
  expect(found('send go to out;', 'message come')).toContainEqual({
    code: 'nobody-receives',
    place: 'type/desk/chart/says/transition/A-B-after1s/effect',
    message: 'go is sent to ctrl, but no state there waits for it',
  });
});
