import { tubeCapper } from '@/samples/tube-capper';
import { namesOfRun } from './names-of-run';
import type { Project } from '../project/project';

const capper = tubeCapper as Project;

test('names of a run lead through all parts, each with its kind', () => {
  const all = namesOfRun(capper, capper.root);
  const kindOf = (name: string): string | undefined => all.find((n) => n.name === name)?.kind;
  expect(kindOf('spindle.speed')).toBe('quantity');
  expect(kindOf('spindle')).toBe('part');
  expect(kindOf('ctrl.mode')).toBe('chart');
  expect(kindOf('ctrl.mode.Ready')).toBe('state');
  expect(all.filter((n) => n.kind === 'message').map((n) => n.name)).toContain('ctrl.start');
  expect(new Set(all.map((n) => `${n.kind} ${n.name}`)).size).toBe(all.length);
  expect(namesOfRun(capper, capper.root)).toBe(all);
});

test('a type that stands in itself ends, and one that is not there has none', () => {
  const [first, ...rest] = capper.types;
  const ring: Project = {
    ...capper,
    types: [
      { ...first, parts: [...first.parts, { ...first.parts[0], id: 'again', name: 'again', type: first.id }] },
      ...rest,
    ],
  };
  expect(namesOfRun(ring, first.id).map((n) => n.name)).toContain('again');
  expect(namesOfRun(capper, 'gone')).toEqual([]);
});
