import { tubeCapper } from '../../samples/tube-capper';
import {
  emptyProject,
  newPart,
  newProcedure,
  newSetup,
  newType,
  type PartType,
  type Project,
} from '../project/project';
import { chart, quantity, row, state, transition } from '../testing/run-project';
import { checkProject } from '../run/check';
import { createNames } from '../flatten/names';
import { applyEdit, undoEdit, type Edit } from './edits';
import { isInside, typedPartsOf, references } from './references';

const line = (text: string, k: number) => ({ id: `l${k}`, depth: 0, text });
const motor: PartType = {
  ...newType('motor', 'Motor'),
  quantities: [
    quantity('speed', '1', { id: 'q-speed' }),
    quantity('k', '2', { id: 'q-k', role: 'parameter' }),
    quantity('drive', '0', { id: 'q-drive', role: 'input' }),
    quantity('valve', '0', { id: 'q-valve' }),
  ],
  physics: 'equation speed = k*drive;',
  charts: [
    {
      ...chart(
        'mode',
        [state('Off'), state('On')],
        [transition('Off', 'On', 'message start(k)', { guard: 'count < k' })],
      ),
      id: 'mode',
      values: [{ id: 'v-count', name: 'count', type: 'Integer', value: '0', unit: '' }],
    },
  ],
  procedures: [
    {
      ...newProcedure('fill', 'Fill'),
      values: [{ id: 'v-level', name: 'level', type: 'Real', value: '1', unit: '' }],
      lines: ['valve := level;', 'wait until speed > level'].map(line),
    },
    {
      ...newProcedure('work', 'Work'),
      lines: ['call Fill(level = 2*k)', 'start Fill', 'await Fill', 'wait 1 s'].map(line),
    },
  ],
  ports: [{ id: 'o-in', name: 'in', accepts: ['start'], sends: [], note: '' }],
};
const base: Project = {
  ...emptyProject('p', 'P'),
  root: 'rig',
  libraries: [
    {
      id: 'shared',
      name: 'Shared',
      note: '',
      text: 'model Twin Motor a(k = 3), b; Real sum; equation sum = a.speed + b.speed; end Twin; function speed input Real x; output Real y; algorithm y := x; end speed;',
    },
  ],
  types: [
    motor,
    {
      ...newType('fast', 'Fast'),
      physics:
        'extends Motor(k = 9); model Inner Real speed; equation speed = 1; end Inner; Inner i; Real twice; equation twice = 2*speed + i.speed;',
    },
    {
      ...newType('rig', 'Rig'),
      quantities: [
        quantity('total', '0', { id: 'q-total' }),
        quantity('count', '5', { id: 'q-count', role: 'parameter' }),
      ],
      parts: [
        {
          ...newPart('p-drawn', 'drawn', 'motor'),
          changes: [{ id: 'c1', name: 'k', value: 'count + m.k' }],
        },
      ],
      physics:
        'Motor m(k = 4) "speed"; Motor row[3]; Fast f; Twin t; equation total = m.speed + row[2].speed + drawn.speed + f.speed + t.a.speed; m.drive = if in(drawn.mode.On) then 1 else 0; // speed\n',
      layout: [{ name: 'm', x: 1, y: 2 }],
    },
  ],
  setups: [
    {
      ...newSetup('s-rig', 'Rig'),
      changes: [{ id: 'c1', name: 'm.k', value: '1' }],
      record: ['m.speed', 'm', 'drawn.mode'],
      startIn: ['drawn.mode.On'],
      stimulus: [row('set', 0, 'drawn.drive', '1')],
      endWhen: 'm.speed > 3',
    },
    {
      ...newSetup('s-motor', 'Motor alone'),
      root: 'motor',
      changes: [{ id: 'c1', name: 'k', value: '1' }],
      record: ['speed'],
      startIn: ['mode.On'],
      stimulus: [row('follow', 0, 'drive', 'k*time')],
      endWhen: 'speed > 3',
    },
  ],
  tracks: [{ id: 't', items: ['m.speed', 'drawn.mode', 'f.twice'], height: 90 }],
};
const renamed = (list: string, id: string, name: string): Project => carried({ kind: 'rename', list, id, name });
const carried = (edit: Edit): Project => {
  const { project, refused, inverse } = applyEdit(base, edit);
  if (refused) throw new Error(refused.message);
  expect(undoEdit(project, inverse)).toEqual(base);
  return project;
};
const type = (p: Project, id: string): PartType => p.types.find((t) => t.id === id)!;
const errors = (p: Project): string[] =>
  checkProject(p)
    .problems.filter((x) => x.severity === 'error')
    .map((x) => `${x.place}: ${x.message}`);

test('the project these tests rename in is sound', () => expect(errors(base)).toEqual([]));

test('a quantity: where parts are declared in texts, in arrays, inherited, in shared texts, in setups of either root', () => {
  const p = renamed('type/motor/quantity', 'q-speed', 'omega');
  expect(errors(p)).toEqual([]);
  expect(type(p, 'rig').physics).toBe(
    'Motor m(k = 4) "speed"; Motor row[3]; Fast f; Twin t; equation total = m.omega + row[2].omega + drawn.omega + f.omega + t.a.omega; m.drive = if in(drawn.mode.On) then 1 else 0; // speed\n',
  );
  // the class inside has a speed of its own
  expect(type(p, 'fast').physics).toBe(
    'extends Motor(k = 9); model Inner Real speed; equation speed = 1; end Inner; Inner i; Real twice; equation twice = 2*omega + i.speed;',
  );
  expect(p.libraries[0].text).toBe(
    'model Twin Motor a(k = 3), b; Real sum; equation sum = a.omega + b.omega; end Twin; function speed input Real x; output Real y; algorithm y := x; end speed;',
  );
  expect(p.setups.map((s) => [s.record[0], s.endWhen])).toEqual([
    ['m.omega', 'm.omega > 3'],
    ['omega', 'omega > 3'],
  ]);
  expect(p.tracks[0].items[0]).toBe('m.omega');
  expect(type(p, 'motor').procedures[0].lines[1].text).toBe('wait until omega > level');
});

test('a parameter: in modifications of parts and bases, changed values, calls; an argument of the same name stays', () => {
  const p = renamed('type/motor/quantity', 'q-k', 'gain');
  expect(errors(p)).toEqual([]);
  expect(type(p, 'rig').physics).toContain('Motor m(gain = 4)');
  expect(type(p, 'fast').physics).toContain('extends Motor(gain = 9)');
  expect(p.libraries[0].text).toContain('Motor a(gain = 3)');
  expect(type(p, 'rig').parts[0].changes).toEqual([{ id: 'c1', name: 'gain', value: 'count + m.gain' }]);
  expect(p.setups.map((s) => s.changes[0].name)).toEqual(['m.gain', 'gain']);
  expect(p.setups[1].stimulus[0].value).toBe('gain*time');
  expect(type(p, 'motor').procedures[1].lines[0].text).toBe('call Fill(level = 2*gain)');
  // the message brings a k, and the guard means that one
  const [t] = type(p, 'motor').charts[0].transitions;
  expect([t.triggers[0].on, t.guard]).toEqual(['start(k)', 'count < k']);
});

test('a quantity of a chart or a procedure: inside it only, and where calls give it a value', () => {
  const counted = renamed('type/motor/chart/mode/value', 'v-count', 'tries');
  expect(type(counted, 'motor').charts[0].transitions[0].guard).toBe('tries < k');
  expect(type(counted, 'rig').parts[0].changes[0].value).toBe('count + m.k');
  const filled = renamed('type/motor/procedure/fill/value', 'v-level', 'height');
  expect(type(filled, 'motor').procedures.map((x) => x.lines.map((l) => l.text))).toEqual([
    ['valve := height;', 'wait until speed > height'],
    ['call Fill(height = 2*k)', 'start Fill', 'await Fill', 'wait 1 s'],
  ]);
  expect(errors(filled)).toEqual([]);
});

test('a procedure: where it is called, started and awaited', () => {
  const p = renamed('type/motor/procedure', 'fill', 'Pour');
  expect(type(p, 'motor').procedures[1].lines.map((l) => l.text)).toEqual([
    'call Pour(level = 2*k)',
    'start Pour',
    'await Pour',
    'wait 1 s',
  ]);
  expect(errors(p)).toEqual([]);
});

test('a state: in conditions of other parts, and where setups start', () => {
  const p = renamed('type/motor/chart/mode/state', 'On', 'Turning');
  expect(type(p, 'rig').physics).toContain('in(drawn.mode.Turning)');
  expect(p.setups.map((s) => s.startIn)).toEqual([['drawn.mode.Turning'], ['mode.Turning']]);
  expect(errors(p)).toEqual([]);
});

test('a part type: wherever texts declare parts of it or extend it', () => {
  const p = renamed('type', 'motor', 'Engine');
  expect(type(p, 'rig').physics).toContain('Engine m(k = 4) "speed"; Engine row[3]');
  expect(type(p, 'fast').physics).toContain('extends Engine(k = 9)');
  expect(p.libraries[0].text).toContain('model Twin Engine a(k = 3), b;');
  expect(errors(p)).toEqual([]);
  expect(applyEdit(base, { kind: 'remove', list: 'type', id: 'motor' }).refused?.message).toBe(
    'Motor is still used by Rig.drawn; physics of Fast; physics of Rig; shared text Shared',
  );
});

test('a part that a text declares: in the text, in others, in setups, tracks and the drawing', () => {
  const p = carried({ kind: 'rename-declared', type: 'rig', name: 'm', to: 'main' });
  expect(errors(p)).toEqual([]);
  expect(type(p, 'rig').physics).toContain('Motor main(k = 4)');
  expect(type(p, 'rig').physics).toContain('total = main.speed + row[2].speed');
  expect(type(p, 'rig').parts[0].changes[0].value).toBe('count + main.k');
  expect(type(p, 'rig').layout).toEqual([{ name: 'main', x: 1, y: 2 }]);
  expect(p.setups[0]).toMatchObject({ record: ['main.speed', 'main', 'drawn.mode'], endWhen: 'main.speed > 3' });
  expect(p.tracks[0].items[0]).toBe('main.speed');
  const refused = (to: string): string | undefined =>
    applyEdit(base, { kind: 'rename-declared', type: 'rig', name: 'm', to }).refused?.message;
  expect(refused('row')).toBe('row is taken: Rig has something of that name already');
  expect(refused('drawn')).toBe('drawn is taken: Rig has something of that name already');
  expect(refused('2x')).toMatch(/starts with a letter/);
});

test('what is used anywhere cannot be deleted, and says by what', () => {
  const refused = (list: string, id: string): string | undefined =>
    applyEdit(base, { kind: 'remove', list, id }).refused?.message;
  expect(refused('type/motor/quantity', 'q-k')).toMatch(/k is still used by .*physics of Fast.*and \d more/);
  expect(refused('type/motor/chart/mode/value', 'v-count')).toBe('count is still used by transition Off to On');
  expect(refused('type/motor/procedure', 'fill')).toBe('Fill is still used by procedure Work');
});

test('parts of a type are those it draws, declares and inherits; a type cannot be put into itself through any of them', () => {
  expect(typedPartsOf(createNames(base), type(base, 'rig')).map((p) => [p.name, p.type.name, p.isArray])).toEqual([
    ['drawn', 'Motor', false],
    ['m', 'Motor', false],
    ['row', 'Motor', true],
    ['f', 'Fast', false],
  ]);
  expect(isInside(base, 'motor', type(base, 'rig'))).toBe(true);
  expect(isInside(base, 'rig', type(base, 'motor'))).toBe(false);
});

test('every mention stands where it says, under the name it says', () => {
  const all = references(base);
  expect(all.length).toBeGreaterThan(60);
  for (const r of all) expect(r.text.text.slice(r.span.start, r.span.end)).toBe(r.name);
});

test('renaming a part and a quantity follows into procedures, sequences and pictures', () => {
  const part = applyEdit(tubeCapper, {
    kind: 'rename',
    list: 'type/t-capper/part',
    id: 'p-gripper',
    name: 'jaws',
  }).project;
  const root = part.types.find((t) => t.id === 't-capper')!;
  const lines = [...root.procedures, ...root.sequences].flatMap((x) => x.lines.map((l) => l.text));
  expect(lines.join('\n')).not.toMatch(/\bgripper\b/);
  expect(lines).toContain('ctrl -> jaws: close');
  expect(lines).toContain('jaws: clamps the tube; takes waiting tube; gives held tube');
  const quantity = applyEdit(part, {
    kind: 'rename',
    list: 'type/t-gripper/quantity',
    id: 'q-position',
    name: 'way',
  }).project;
  expect(JSON.stringify(quantity.panels)).toContain('3600*jaws.way');
});

test('lines and tables of test cases follow what they name, for the product and for a part type alone', () => {
  const controller = 'type/t-cappercontrol';
  const renamed = (project: Project, list: string, id: string, name: string): Project => {
    const done = applyEdit(project, { kind: 'rename', list, id, name });
    expect(done.refused).toBeUndefined();
    return done.project;
  };
  const script = (p: Project, name: string): string => p.cases.find((c) => c.name === name)!.script;
  const state = renamed(tubeCapper, `${controller}/chart/c-mode/state`, 's-turning', 'Spinning');
  expect(script(state, 'Too hot')).toContain('wait until in(mode.Running.Spinning) within 50 ms');
  expect(script(state, 'A tube is capped')).toContain('wait until in(ctrl.mode.Running.Spinning) within 1 s');
  expect(state.cases.flatMap((c) => c.vectors.map((v) => v.target))).toContain('in(mode.Running.Spinning)');
  const quantity = renamed(state, `${controller}/quantity`, 'q-temperature', 'heat');
  expect(script(quantity, 'Too hot')).toContain("set heat = 94 'degC'; wait 0.1 s; expect in(mode.Running)");
  const part = renamed(quantity, 'type/t-capper/part', 'p-cap', 'stopper');
  expect(script(part, 'A tube is capped')).toContain("expect abs(stopper.torque - 0.6 'N.m') < 0.05 'N.m'");
  // all else is as it was written, notes too
  expect(script(part, 'Stop in every state of a cap')).toBe(
    script(tubeCapper, 'Stop in every state of a cap').replaceAll('Turning', 'Spinning'),
  );
  expect(checkProject(part).problems.filter((p) => p.severity === 'error')).toEqual([]);
});

test('stages of setups, and requirements that speak of step times, follow a part under another name', () => {
  const [first, ...others] = tubeCapper.setups;
  const project: Project = {
    ...tubeCapper,
    setups: [{ ...first, stages: [{ part: 'ctrl', stage: 'board', board: 'larch8' }] }, ...others],
  };
  const top = project.types.find((t) => t.id === project.root)!;
  const { id } = top.parts.find((p) => p.name === 'ctrl')!;
  const renamed = applyEdit(project, { kind: 'rename', list: `type/${top.id}/part`, id, name: 'brain' });
  expect(renamed.refused).toBeUndefined();
  expect(renamed.project.setups[0].stages).toEqual([{ part: 'brain', stage: 'board', board: 'larch8' }]);
  expect(renamed.project.requirements.find((r) => r.key === 'CAP-13')!.formula).toBe("brain.stepTime < 0.4 'ms'");
  expect(checkProject(renamed.project).problems.filter((p) => p.severity === 'error')).toEqual([]);
});
test('a setup that speaks of a part that is not there is told', () => {
  const [first] = tubeCapper.setups;
  const project: Project = {
    ...tubeCapper,
    setups: [{ ...first, stages: [{ part: 'brain', stage: 'code', board: '' }] }],
  };
  expect(checkProject(project).problems.map((p) => `${p.place}: ${p.message}`)).toContain(
    `setup/${first.id}/stages/0/part: There is no part brain`,
  );
});
test('what the product does cannot rest on how long a step takes', () => {
  const project: Project = {
    ...tubeCapper,
    types: tubeCapper.types.map((t) =>
      t.id === tubeCapper.root
        ? {
            ...t,
            quantities: [...t.quantities, quantity('late', '', { id: 'q-late' })],
            physics: `${t.physics}\nequation\n  late = 2*ctrl.stepTime;`,
          }
        : t,
    ),
  };
  expect(checkProject(project).problems.map((p) => p.message)).toContain(
    'ctrl.stepTime is measured, on a board only: requirements can speak of it, the product itself cannot',
  );
});
