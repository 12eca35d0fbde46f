import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { checkProject } from '../run/check';
import { applyEdit, redoEdit, undoEdit, type Edit } from './edits';
import {
  emptyProject,
  newControl,
  newPart,
  newQuantity,
  newRequirement,
  newState,
  newType,
  typeById,
  type Project,
} from '../project/project';
import { references, usersOf } from './references';

const errors = (p: Project): string[] =>
  checkProject(p)
    .problems.filter((x) => x.severity === 'error')
    .map((x) => x.message);
const done = (p: Project, edit: Edit): Project => {
  const r = applyEdit(p, edit);
  if (r.refused) throw new Error(r.refused.message);
  return r.project;
};

test('the capper has no errors, and what rests on constants is decided without a run', () => {
  // one requirement waits for a better panel
  expect(checkProject(tubeCapper).problems.map((p) => `${p.severity} ${p.place}`)).toEqual([
    'warning requirement/r-cap-14',
  ]);
  expect(checkProject(tubeCapper).constants.map((f) => [f.key, f.verdict, f.unit])).toEqual([
    ['CAP-11', 'holds', 'mm'],
    ['CAP-12', 'holds', 'mm'],
  ]);
});

describe('renaming follows into every text', () => {
  test('a quantity: physics, links, changes, glossary, panel, tracks', () => {
    const next = done(tubeCapper, {
      kind: 'rename',
      list: 'type/t-spindledrive/quantity',
      id: 'q-speed',
      name: 'omega',
    });
    expect(errors(next)).toEqual([]);
    expect(typeById(next, 't-spindledrive')?.physics).toContain('omega = shaft.w;');
    expect(typeById(next, 't-spindledrive')?.physics).not.toMatch(/\bspeed\b(?!.*\/\/)/);
    expect(typeById(next, 't-capper')?.links.filter((l) => l.from === 'spindle.omega')).toHaveLength(2);
    expect(next.glossary.find((g) => g.phrase === 'spindle speed')?.meaning).toBe('spindle.omega');
    expect(next.panels[0].controls.find((c) => c.label === 'Speed')?.target).toBe('spindle.omega');
    expect(next.tracks[0].items).toEqual(['spindle.omega', 'ctrl.wanted']);
    // the same name in another type is another quantity
    expect(typeById(next, 't-capthread')?.physics).toContain('speed/slip');
  });
  test('a part: links, changed values, setups', () => {
    const next = done(tubeCapper, { kind: 'rename', list: 'type/t-capper/part', id: 'p-ctrl', name: 'brain' });
    expect(errors(next)).toEqual([]);
    expect(next.setups[1].changes[0].name).toBe('brain.creepSpeed');
    expect(next.glossary.find((g) => g.phrase === 'turning')?.meaning).toBe('in(brain.mode.Turning)');
  });
  test('a state: guards, equations and conditions', () => {
    const next = done(tubeCapper, {
      kind: 'rename',
      list: 'type/t-cappercontrol/chart/c-mode/state',
      id: 's-fast',
      name: 'Quick',
    });
    expect(errors(next)).toEqual([]);
    const lines = typeById(next, 't-cappercontrol')!.signals[0].lines.map((l) => l.text);
    expect(lines.filter((l) => l.includes('in(mode.Quick)')).length).toBe(2);
    expect(lines.some((l) => l.includes('in(mode.Fast)'))).toBe(false);
  });
  test('a chart and a type', () => {
    let next = done(tubeCapper, { kind: 'rename', list: 'type/t-cappercontrol/chart', id: 'c-mode', name: 'phase' });
    next = done(next, { kind: 'rename', list: 'type', id: 't-gripper', name: 'Jaws' });
    expect(errors(next)).toEqual([]);
  });
});

describe('refusals change nothing and say why', () => {
  const refused = (edit: Edit): string => {
    const r = applyEdit(tubeCapper, edit);
    expect(r.project).toBe(tubeCapper);
    return r.refused?.message ?? '';
  };
  test('deleting what is used lists the users', () => {
    const message = refused({ kind: 'remove', list: 'type/t-spindledrive/quantity', id: 'q-speed' });
    expect(message).toMatch(/^speed is still used by .*physics of SpindleDrive.*/);
    expect(refused({ kind: 'remove', list: 'type', id: 't-gripper' })).toBe('Gripper is still used by Capper.gripper');
    expect(refused({ kind: 'remove', list: 'type/t-cappercontrol/chart/c-mode/state', id: 's-press' })).toMatch(
      /still used by/,
    );
  });
  test('bad names, taken names, bad units, scripts in names', () => {
    const list = 'type/t-spindledrive/quantity';
    expect(refused({ kind: 'rename', list, id: 'q-R', name: '2nd' })).toMatch(/starts with a letter/);
    expect(refused({ kind: 'rename', list, id: 'q-R', name: 'when' })).toMatch(/meaning of its own/);
    expect(refused({ kind: 'rename', list, id: 'q-R', name: 'L' })).toMatch(/L is taken/);
    expect(refused({ kind: 'rename', list, id: 'q-R', name: '<script>alert(1)</script>' })).toMatch(
      /letters, digits and _ only/,
    );
    expect(refused({ kind: 'update', list, id: 'q-R', changes: { unit: 'Nm' } })).toMatch(/"Nm" is not a known unit/);
    expect(refused({ kind: 'insert', list, entry: newQuantity('q-new', 'torque') })).toMatch(/torque is taken/);
    expect(refused({ kind: 'update', list: 'setup', id: 'u-eager', changes: { stop: -1 } })).toMatch(/more than 0/);
  });
  test('a batch is carried out whole or not at all', () => {
    const list = 'type/t-spindledrive/quantity';
    expect(
      refused({
        kind: 'batch',
        label: 'two',
        edits: [
          { kind: 'insert', list, entry: newQuantity('q-a', 'fine') },
          { kind: 'rename', list, id: 'q-R', name: 'L' },
        ],
      }),
    ).toMatch(/taken/);
  });
});

test('deleting a state takes its inside and its transitions along', () => {
  const list = 'type/t-cappercontrol/chart/c-service';
  const next = done(tubeCapper, { kind: 'remove', list: `${list}/state`, id: 's-alarm' });
  const chart = typeById(next, 't-cappercontrol')!.charts[1];
  expect(chart.states.map((s) => s.name)).not.toEqual(expect.arrayContaining(['Flash']));
  expect(
    chart.transitions.every(
      (t) => chart.states.some((s) => s.id === t.from) && chart.states.some((s) => s.id === t.to),
    ),
  ).toBe(true);
});

test('references know types, not just words', () => {
  expect(usersOf(tubeCapper, 'type/t-supply/quantity/q-power', 'power')).toEqual([
    'link spindle.power to psu.power in Capper',
    'physics of Supply',
  ]);
  const spans = references(tubeCapper).map((r) => r.text.text.slice(r.span.start, r.span.end) === r.name);
  expect(spans.every(Boolean)).toBe(true);
});

test('any sequence of edits can be undone to the same document and redone to the same document', () => {
  const list = 'type/t-gripper/quantity';
  const edits: fc.Arbitrary<Edit> = fc.oneof(
    fc
      .integer({ min: 0, max: 99999 })
      .map((k): Edit => ({ kind: 'insert', list, entry: newQuantity(`q-n${k}`, `n${k}`) })),
    fc
      .constantFrom('q-stroke', 'q-lag', 'q-position', 'q-closed')
      .chain((id) => fc.constantFrom('p', 'q', 'r', 's').map((name): Edit => ({ kind: 'rename', list, id, name }))),
    fc
      .constantFrom('q-stroke', 'q-lag')
      .chain((id) => fc.nat(50).map((v): Edit => ({ kind: 'update', list, id, changes: { value: String(v) } }))),
    fc
      .constantFrom('s-open', 's-closing', 's-closed')
      .map((id): Edit => ({ kind: 'remove', list: 'type/t-gripper/chart/c-jaws/state', id })),
    fc.nat(9).map((k): Edit => ({
      kind: 'insert',
      list: 'type/t-gripper/chart/c-jaws/state',
      entry: newState(`s-x${k}`, `X${k}`, null, k, k),
    })),
    fc.nat(5).map((index): Edit => ({ kind: 'move', list, id: 'q-lag', index })),
  );
  fc.assert(
    fc.property(fc.array(edits, { maxLength: 14 }), (all) => {
      let project: Project = tubeCapper;
      const steps = [];
      for (const edit of all) {
        const r = applyEdit(project, edit);
        if (r.refused) continue;
        steps.push(r);
        project = r.project;
      }
      const end = project;
      for (const s of [...steps].reverse()) project = undoEdit(project, s.inverse);
      expect(project).toEqual(tubeCapper);
      for (const s of steps) project = redoEdit(project, s.patches);
      expect(project).toEqual(end);
    }),
    { numRuns: 60 },
  );
});

test('a phrase with two meanings is a problem at both places', () => {
  const project = {
    ...tubeCapper,
    glossary: [...tubeCapper.glossary, { id: 'g-x', phrase: 'the cap torque', meaning: 'cap.seatTorque' }],
  };
  expect(
    checkProject(project)
      .problems.filter((p) => p.code === 'two-meanings')
      .map((p) => p.place),
  ).toEqual(['glossary/g-cap-torque', 'glossary/g-x']);
});

describe('identifiers of requirements', () => {
  const insert = (id: string, key: string) =>
    ({ kind: 'insert', list: 'requirement', entry: newRequirement(id, key, 'It shall.') }) as const;
  test('are unique, and those of deleted ones are not given to others', () => {
    expect(applyEdit(tubeCapper, insert('r-1', 'CAP-01')).refused?.message).toBe(
      'There is a requirement CAP-01 already',
    );
    const without = applyEdit(tubeCapper, { kind: 'remove', list: 'requirement', id: 'r-cap-13' }).project;
    expect(applyEdit(without, insert('r-1', 'CAP-13')).refused?.message).toMatch(/deleted requirement/);
    expect(applyEdit(without, insert('r-cap-13', 'CAP-13')).refused).toBeUndefined();
  });
  test('a changed one stays with its requirement', () => {
    const changed = applyEdit(tubeCapper, {
      kind: 'update',
      list: 'requirement',
      id: 'r-cap-13',
      changes: { key: 'CAP-99' },
    }).project;
    expect(applyEdit(changed, insert('r-1', 'CAP-13')).refused).toBeDefined();
    const back = applyEdit(changed, {
      kind: 'update',
      list: 'requirement',
      id: 'r-cap-13',
      changes: { key: 'CAP-13' },
    }).project;
    expect(back.retired).toEqual([{ id: 'r-cap-13', key: 'CAP-99' }]);
  });
  test('what stood under a deleted one moves up', () => {
    const tree = applyEdit(tubeCapper, {
      kind: 'update-all',
      list: 'requirement',
      updates: [
        { id: 'r-cap-02', changes: { parent: 'r-cap-01' } },
        { id: 'r-cap-03', changes: { parent: 'r-cap-02' } },
      ],
    }).project;
    const less = applyEdit(tree, { kind: 'remove-all', list: 'requirement', ids: ['r-cap-02'] }).project;
    expect(less.requirements.find((r) => r.id === 'r-cap-03')!.parent).toBe('r-cap-01');
  });
  test('order is what is asked for, others keep their places', () => {
    const ordered = applyEdit(tubeCapper, {
      kind: 'order',
      list: 'requirement',
      ids: ['r-cap-03', 'r-cap-01'],
    }).project;
    expect(ordered.requirements.slice(0, 4).map((r) => r.key)).toEqual(['CAP-03', 'CAP-02', 'CAP-01', 'CAP-04']);
  });
});

test('renaming a part type renames it in physics texts that declare parts of it, and it cannot go while they do', () => {
  const arm = newType('a', 'Arm');
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 'r',
    types: [
      { ...newType('r', 'Rig'), physics: 'Arm one(n = 3), two; // an Arm\nArm three;\nequation\n  one.u = 1;' },
      arm,
    ],
  };
  const renamed = applyEdit(project, { kind: 'rename', list: 'type', id: 'a', name: 'Lever' }).project;
  expect(renamed.types[0].physics).toBe('Lever one(n = 3), two; // an Arm\nLever three;\nequation\n  one.u = 1;');
  expect(applyEdit(project, { kind: 'remove', list: 'type', id: 'a' }).refused?.message).toContain('physics of Rig');
});

test('controls of panels follow a quantity that is of another type now, and come back with it', () => {
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 'm',
    types: [
      {
        ...newType('m', 'M'),
        parts: [newPart('a', 'a', 't')],
        quantities: [{ ...newQuantity('own', 'level'), role: 'input' }],
      },
      { ...newType('t', 'T'), quantities: [{ ...newQuantity('q', 'level'), role: 'input' }] },
    ],
    panels: [
      {
        id: 'p',
        name: 'P',
        controls: [
          newControl('k1', 'slider', 'Level', 'a.level', 0, 0),
          newControl('k2', 'dial', 'Level', 'a.level', 0, 0),
          newControl('k3', 'slider', 'Other', 'level', 0, 0),
          newControl('k4', 'lamp', 'High', 'a.level > 3', 0, 0),
          newControl('k5', 'button', 'Go', 'a.level', 0, 0),
        ],
      },
    ],
  };
  const kinds = (p: Project): string => p.panels[0].controls.map((c) => c.kind).join(' ');
  const to = (p: Project, type: 'Real' | 'Boolean') =>
    applyEdit(p, { kind: 'update', list: 'type/t/quantity', id: 'q', changes: { type } });
  const one = to(project, 'Boolean');
  expect(kinds(one.project)).toBe('switch lamp slider lamp button');
  expect(kinds(to(one.project, 'Real').project)).toBe('field readout slider lamp button');
  expect(undoEdit(one.project, one.inverse)).toEqual(project);
});
