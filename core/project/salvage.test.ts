import { tubeCapper } from '@/samples/tube-capper';
import { checkProject } from '../run/check';
import { projectSchema, type Project } from './document';
import { salvage } from './salvage';

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- damaged on purpose
type Loose = Record<string, any>;
const damaged = (change: (p: Loose) => void): Loose => {
  const copy = structuredClone(tubeCapper) as Loose;
  change(copy);
  return copy;
};
const rescue = (change: (p: Loose) => void) => salvage(damaged(change), 'p-kept');
const sound = (project: Project): boolean => projectSchema.isValidSync(project, { strict: true });

test('a sound document is kept as it is', () => {
  expect(salvage(structuredClone(tubeCapper) as Loose, 'x')).toEqual({ project: tubeCapper, setAside: [] });
});

test.each(Object.keys(tubeCapper).filter((k) => Array.isArray(tubeCapper[k as keyof Project])))(
  'without its list of %s the rest opens',
  (key) => {
    for (const lost of [undefined, null, 7, 'x', {}]) {
      const { project, setAside } = rescue((p) => (p[key] = lost));
      expect(project).toEqual({ ...tubeCapper, [key]: [] });
      expect(setAside.map((a) => [a.place, a.value])).toEqual(lost === undefined ? [] : [[key, lost]]);
      expect(() => checkProject(project)).not.toThrow();
    }
  },
);

test('an entry with a wrong value is set aside whole, with its place and the reason; its neighbours stay', () => {
  const { project, setAside } = rescue((p) => {
    p.setups[1].stop = 'soon';
    p.types[0].charts = 'gone';
    delete p.types[1].quantities[0].value;
    p.requirements[2] = null;
    p.panels.push(structuredClone(p.panels[0]));
    p.types[2].colour = 'red';
  });
  expect(sound(project)).toBe(true);
  expect(setAside.map((a) => `${a.place}: ${a.why}`)).toEqual([
    `type/${tubeCapper.types[0].id}/charts: This must be a list`,
    `type/${tubeCapper.types[1].id}/quantity/${tubeCapper.types[1].quantities[0].id}: value: It is missing`,
    `type/${tubeCapper.types[2].id}/colour: There is nothing called colour here`,
    'requirements/3: There is nothing in it',
    expect.stringMatching(/^setup\/u-eager: stop: This must be a number/),
    `panel/${tubeCapper.panels[0].id}: Another one has the same id`,
  ]);
  expect(setAside.map((a) => a.what)).toEqual([
    `each state chart of part type ${tubeCapper.types[0].name}`,
    `quantity ${tubeCapper.types[1].quantities[0].name}`,
    `colour of part type ${tubeCapper.types[2].name}`,
    'requirement 3 of the project',
    'setup Eager',
    `panel ${tubeCapper.panels[0].name}`,
  ]);
  expect(project.types[1].quantities).toEqual(tubeCapper.types[1].quantities.slice(1));
  expect(project.setups.map((s) => s.id)).toEqual(tubeCapper.setups.filter((_, k) => k !== 1).map((s) => s.id));
  expect(setAside[1].value).not.toHaveProperty('value');
});

test('what says nothing of the product may be lost; what does is never made up', () => {
  const at = tubeCapper.types.findIndex((t) => t.charts.some((c) => c.transitions.length > 0));
  const { project, setAside } = rescue((p) => {
    delete p.types[0].layout;
    delete p.types[at].charts[0].transitions[0].triggers;
    p.name = '';
    p.root = 5;
  });
  expect(project.types[0].layout).toEqual([]);
  // a transition without triggers would be one that fires at once
  expect(project.types[at].charts[0].transitions).toHaveLength(tubeCapper.types[at].charts[0].transitions.length - 1);
  expect([project.name, project.root]).toEqual(['Project without a name', '']);
  expect(setAside.map((a) => a.place)).toContain('name');
});

test('equations whose list was lost have ids again', () => {
  const at = tubeCapper.types.findIndex((t) => t.equations.length > 1);
  const { project } = rescue((p) => delete p.types[at].equations);
  expect(project.types[at].equations).toHaveLength(tubeCapper.types[at].equations.length);
  expect(sound(project)).toBe(true);
});

test('anything at all comes back as a document that can be saved and read', () => {
  for (const odd of [{}, { types: [[], 3, { id: 5 }] }, { types: { length: 3 } }, { name: 3, id: '../..' }]) {
    const { project } = salvage(odd, 'p-1');
    expect(project.id).toBe('p-1');
    expect(sound(project)).toBe(true);
  }
});
