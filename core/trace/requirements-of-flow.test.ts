import { tubeCapper } from '../../samples/tube-capper';
import { applyEdit, undoEdit } from '../editing/edits';
import { projectFlow } from '../flows/read-flow';
import { emptyProject, newRequirement, newType, type Flow, type Project } from '../project/project';
import { linkIndex } from './links';
import { flowProposals, productWords, takeProposals } from './requirements-of-flow';

const flow: Flow = {
  id: 'f',
  name: 'Fill',
  actor: 'operator',
  goal: '',
  trigger: 'The cup is placed.',
  precondition: '',
  postcondition: '',
  lines: [
    { id: 'l1', depth: 0, text: 'operator: presses the key' },
    { id: 'l2', depth: 0, text: 'pump: fills the cup' },
    { id: 'l3', depth: 0, text: 'if the cup is full' },
    { id: 'l4', depth: 1, text: 'pump: stops' },
  ],
};
const base: Project = {
  ...emptyProject('p', 'P'),
  root: 't',
  types: [newType('t', 'CoffeeMachine2Go')],
  flows: [flow],
};
const requirement = (key: string, text = '') => newRequirement(`r-${key}`, key, text);
let count = 0;
const newId = (prefix: string): string => `${prefix}-new-${++count}`;

test('the product is called by the words of its type', () => {
  expect(productWords(tubeCapper)).toBe('capper');
  expect(productWords(base)).toBe('coffee machine2go');
  expect(productWords({ ...base, root: '' })).toBe('product');
});

test('a sentence for each line that has none yet, or for one line that is asked for', () => {
  expect(projectFlow(base, flow).problems).toEqual([]);
  const all = flowProposals(base, flow);
  expect(all.map((p) => [p.line.id, p.text])).toEqual([
    ['l1', 'The coffee machine2go shall let the operator press the key.'],
    ['l2', 'When the operator presses the key, the pump shall fill the cup within .... s.'],
    ['l3', 'If the cup is full, the coffee machine2go shall .... within .... s.'],
    ['l4', 'If the cup is full, when the pump fills the cup, the pump shall stop within .... s.'],
  ]);
  const linked: Project = {
    ...base,
    requirements: [requirement('A-1')],
    traces: [{ id: 'v', requirement: 'r-A-1', element: 'flow/f/line/l2', requirementSeen: '', elementSeen: '' }],
  };
  expect(flowProposals(linked, flow).map((p) => p.line.id)).toEqual(['l1', 'l3', 'l4']);
  // one that is asked for is proposed once more
  expect(flowProposals(linked, flow, 'l2').map((p) => p.line.id)).toEqual(['l2']);
  expect(flowProposals(base, flow, 'nowhere')).toEqual([]);
});

test('what is taken becomes requirements with the next free ids, each linked to its line, in one step', () => {
  const keys = (project: Project): string[] => {
    const edit = takeProposals(project, flow, flowProposals(project, flow).slice(0, 2), newId);
    const { project: after, inverse, refused } = applyEdit(project, edit);
    expect(refused).toBeUndefined();
    expect(undoEdit(after, inverse)).toEqual(project);
    const added = after.requirements.slice(project.requirements.length);
    const links = linkIndex(after);
    expect(links.suspect).toEqual([]);
    expect(added.map((r) => links.ofRequirement.get(r.id)?.map((l) => l.link.element))).toEqual([
      ['flow/f/line/l1'],
      ['flow/f/line/l2'],
    ]);
    return added.map((r) => r.key);
  };
  expect(keys(base)).toEqual(['REQ-01', 'REQ-02']);
  // they go on after the greatest number, written like the first
  expect(keys({ ...base, requirements: [requirement('CUP-007'), requirement('CUP-003')] })).toEqual([
    'CUP-008',
    'CUP-009',
  ]);
  expect(keys({ ...base, requirements: [requirement('intro'), requirement('S 99')] })).toEqual(['S 100', 'S 101']);
  // an id that was given once is not given again
  expect(keys({ ...base, requirements: [requirement('R-1')], retired: [{ id: 'x', key: 'R-12' }] })).toEqual([
    'R-13',
    'R-14',
  ]);
  expect(keys({ ...base, requirements: [requirement('intro')] })).toEqual(['REQ-01', 'REQ-02']);
});
