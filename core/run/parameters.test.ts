import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { newChange, type Project, type Setup } from '../project/project';
import { projectOf, quantity } from '../testing/run-project';
import { createEngine } from './engine';
import { createRun, isRunnable, prepareRun, type Prepared } from './index';
import { withValues } from './prepare';

/** Values of parameters are data of a run: the same program serves them all, unless they decide what the model is made of. */

const runnable = (p: Prepared) => {
  if (!isRunnable(p)) throw new Error(p.problems.map((x) => x.message).join('; '));
  return p;
};
const finish = (p: Prepared) => {
  const run = createRun(runnable(p));
  run.simulation.advance(Infinity);
  return run;
};
const withChanges = (project: Project, changes: Readonly<Record<string, string>>): Setup => ({
  ...project.setups[0],
  changes: Object.entries(changes).map(([name, value], k) => newChange(`c${k}`, name, value)),
});

describe('a changed number', () => {
  const project = projectOf(
    {
      quantities: [
        quantity('x', '1', { unit: '' }),
        quantity('k', '2', { role: 'parameter', unit: '1/s', min: '0.1', max: '10' }),
        quantity('twice', '2*k', { role: 'parameter', unit: '1/s' }),
        quantity('speed', '60', { role: 'parameter', unit: 'rpm' }),
      ],
      physics: 'equation der(x) = -twice*x;',
    },
    { stop: 1, relative: 1e-9 },
  );
  const end = (changes: Readonly<Record<string, string>>): number => {
    const { recorder } = finish(prepareRun(project, withChanges(project, changes)));
    const recording = recorder.take();
    return recording.columns.find((c) => c.name === 'x')!.values[recording.rows - 1];
  };

  test('needs the model once, and what follows from it follows', () => {
    const prepared = prepareRun(project, withChanges(project, { k: '0.5' }));
    const index = prepared.model.indexOf.get('k')!;
    expect(prepared.options.values.get(index)).toBe(0.5);
    // the model is the one without the change
    expect(prepared.model.variables[index].binding).toEqual({ op: 'const', value: 2 });
    expect(end({ k: '0.5' })).toBeCloseTo(Math.exp(-1), 7);
  });
  test('has the unit it is written with', () => {
    const run = finish(prepareRun(project, withChanges(project, { speed: "1 'rev/s'", k: "120 '1/min'" })));
    const { model } = prepareRun(project, project.setups[0]);
    const value = (name: string): number => run.simulation.machine.memory.v[model.indexOf.get(name)!];
    expect(value('k')).toBeCloseTo(2, 12);
    expect(value('twice')).toBeCloseTo(4, 12);
  });
  test('outside its limits is told', () => {
    const { problems } = prepareRun(project, withChanges(project, { k: '20' }));
    expect(problems.map((p) => p.message).join()).toContain('outside its limits');
  });
  test('that takes what follows from it outside its limits is told as well', () => {
    const limited: Project = {
      ...project,
      types: project.types.map((t) => ({
        ...t,
        quantities: t.quantities.map((q) => (q.name === 'twice' ? { ...q, max: '5' } : q)),
      })),
    };
    const told = (k: string): string =>
      prepareRun(limited, withChanges(limited, { k }))
        .problems.map((p) => p.message)
        .join();
    expect(told('2.4')).toBe('');
    expect(told('2.6')).toContain('twice is 5.2, outside its limits');
  });
  test('of what is final is refused', () => {
    const fixed = projectOf(
      { quantities: [quantity('x', '0', { unit: '' })], physics: 'final parameter Real k = 2; equation der(x) = k;' },
      { stop: 1 },
    );
    const { program, problems } = prepareRun(fixed, withChanges(fixed, { k: '3' }));
    expect(program).toBeUndefined();
    expect(problems.map((p) => p.message).join()).toContain('k is final');
  });
});

describe('what decides what the model is made of', () => {
  const cases: Readonly<
    Record<
      string,
      { readonly physics: string; readonly change: string; readonly value: string; readonly wanted: number }
    >
  > = {
    'a size': {
      physics:
        'parameter Integer n = 2; parameter Integer m = n + 1; Real z[m] = {i*time for i in 1:m}; equation der(x) = sum(z);',
      change: 'n',
      value: '3',
      // (1 + 2 + 3 + 4)/2
      wanted: 5,
    },
    'a branch of equations of different kinds': {
      physics:
        'parameter Boolean fast = false; equation if fast then der(x) = 3; assert(true, ""); else der(x) = 1; assert(true, ""); end if;',
      change: 'fast',
      value: 'true',
      wanted: 3,
    },
    'a step of an algorithm': {
      physics:
        'parameter Integer k = 1; Real s; algorithm s := 0; for i in 1:k loop s := s + 2; end for; equation der(x) = s;',
      change: 'k',
      value: '3',
      wanted: 6,
    },
    'a ratio that becomes zero, between bodies that move together': {
      physics:
        'parameter Real c = 2; Real a(stateSelect = StateSelect.always), v(stateSelect = StateSelect.always), w(start = 0, fixed = true), f; equation a = c*x; der(a) = v; der(x) = w; der(v) = -f; der(w) = 1 + c*f;',
      change: 'c',
      value: '0',
      // the other body is held, so that this one falls freely
      wanted: 0.5,
    },
    'a zero that takes a term away': {
      physics: 'parameter Real c = 0; Real a, b; equation a + b = 2; c*(a - b) + a = 3 - c; der(x) = a;',
      change: 'c',
      value: '1',
      // a + b = 2, 2 a - b = 2
      wanted: 4 / 3,
    },
  };
  test.each(Object.entries(cases))('%s', (_, { physics, change, value, wanted }) => {
    const project = projectOf({ quantities: [quantity('x', '0', { unit: '' })], physics }, { stop: 1 });
    const run = finish(prepareRun(project, withChanges(project, { [change]: value })));
    const recording = run.recorder.take();
    expect(recording.columns.find((c) => c.name === 'x')!.values[recording.rows - 1]).toBeCloseTo(wanted, 6);
    const prepared = runnable(prepareRun(project, project.setups[0]));
    const index = prepared.model.indexOf.get(change)!;
    if (prepared.program.solvable.decided.has(index)) {
      // nobody is offered to change it while it runs
      const engine = createEngine();
      engine.open(project, 0);
      expect(engine.start(project.setups[0].id, { pace: 0 }, () => undefined).model?.settable).not.toContain(change);
      engine.cancel();
      expect(withValues(prepared, new Map([[index, 3]]))).toBeUndefined();
      const during = createRun(prepared);
      during.simulation.advance(0);
      during.simulation.set(index, 3);
      expect(during.simulation.problem?.message).toContain(`${change} decides`);
    }
  });
});

test('the capper with other values of the same program is the capper prepared with them', () => {
  const prepared = runnable(prepareRun(tubeCapper, { ...tubeCapper.setups[0], changes: [] }));
  fc.assert(
    fc.property(
      fc.record({
        'spindle.R': fc.double({ min: 0.5, max: 4, noNaN: true }),
        'ctrl.creepSpeed': fc.double({ min: 4, max: 16, noNaN: true }),
      }),
      (values) => {
        const given = new Map(
          Object.entries(values).map(([name, value]) => [prepared.model.indexOf.get(name)!, value] as const),
        );
        const varied = withValues(prepared, given)!;
        expect(varied.program).toBe(prepared.program);
        const anew = prepareRun(tubeCapper, {
          ...tubeCapper.setups[0],
          changes: Object.entries(values).map(([name, value], k) => newChange(`c${k}`, name, String(value))),
        });
        const [a, b] = [finish(varied), finish(anew)];
        expect([...a.simulation.machine.memory.v]).toEqual([...b.simulation.machine.memory.v]);
        expect(a.findings()).toEqual(b.findings());
      },
    ),
    { numRuns: 6 },
  );
});

test('a program that was posted runs elsewhere to the same end, bit for bit, and says the same of what went wrong', () => {
  const prepared = runnable(prepareRun(tubeCapper, tubeCapper.setups[0]));
  const posted = { ...prepared, program: structuredClone(prepared.program) };
  const [here, there] = [finish(prepared), finish(posted)];
  expect(there.simulation.state).toEqual(here.simulation.state);
  expect(there.findings()).toEqual(here.findings());
  const wrong = projectOf(
    {
      quantities: [quantity('x', '1', { unit: '' }), quantity('y', '', { unit: '' })],
      physics: 'equation der(x) = -1; y = sqrt(x);',
    },
    { stop: 3 },
  );
  const failing = runnable(prepareRun(wrong, wrong.setups[0]));
  const elsewhere = finish({ ...failing, program: structuredClone(failing.program) });
  expect(elsewhere.simulation.problem).toEqual(finish(failing).simulation.problem);
  expect(elsewhere.simulation.problem?.message).toContain('y = sqrt(x)');
});
