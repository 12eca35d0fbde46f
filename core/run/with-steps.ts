import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { statementsOf } from '../flatten/chart-sends';
import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import type { FlattenResult } from '../flatten/flatten';
import { checkWires } from '../pins/check-channels';
import type { Project, Setup } from '../project/project';
import { boardsOf } from '../boards/board';
import { checkSerial } from '../boards/check-serial';
import { constantOf } from '../stepcode/lower-equations';
import { compile } from '../simulate/compile';
import type { SimulationOptions } from '../simulate/simulation';
import { inSteps, serialIn, stagesIn, wiresIn, type MakeCompiled, type PartInSteps } from '../stepcode/stage';
import { heardName, pulsesName } from '../stepcode/step-driver';
import type { Watch } from './watch';

/** A model with its program, and values it is given as data of the run. */
export interface MadeModel {
  readonly model: FlatModel;
  readonly compiled: ReturnType<typeof compile>;
  readonly given: ReadonlyMap<number, number>;
}

/** A requirement that cannot be read does not keep the product from running. */
export const withoutObserverErrors = (model: FlatModel): FlatModel => ({
  ...model,
  problems: model.problems.filter((p) => !p.place?.startsWith('requirement/')),
});

/** A model with what parts on boards tell over their serial lines, each beside the quantity it tells of. */
export function withHeard(setup: Setup, model: FlatModel): FlatModel {
  const added = [...serialIn(setup)].flatMap(([part, { watch }]) =>
    watch.flatMap((quantity): FlatModel['variables'] => {
      const of = model.variables[model.indexOf.get(`${part}.${quantity}`) ?? -1];
      if (!of) return [];
      const { name: _, binding: _b, start: _s, min: _min, max: _max, ...more } = of;
      return [
        {
          ...more,
          name: heardName(part, quantity),
          // a truth that is not known yet is neither
          type: of.type === 'Boolean' ? 'Integer' : of.type,
          kind: 'assigned',
          start: { op: 'const', value: NaN },
          fixed: true,
          isInput: false,
          isOutput: false,
          note: `${part}.${quantity}, as it was told over the serial line`,
        },
      ];
    }),
  );
  return withVariables(model, added);
}

/** A model with what pulses mean that something smooths behind the pins of parts in steps, each beside the quantity it makes. */
export function withPulses(project: Project, setup: Setup, model: FlatModel): FlatModel {
  const types = new Map(model.parts.map((p) => [p.name, project.types.find((t) => t.name === p.typeName)]));
  const added = setup.stages.flatMap(({ part }) =>
    (types.get(part)?.channels ?? []).flatMap((c): FlatModel['variables'] => {
      const of =
        c.kind === 'pwm' && c.smoothing > 0 && model.variables[model.indexOf.get(`${part}.${c.quantity}`) ?? -1];
      if (!of || of.type !== 'Real') return [];
      const { name: _, binding: _b, start: _s, min: _min, max: _max, ...more } = of;
      return [
        {
          ...more,
          name: pulsesName(part, c.quantity),
          kind: 'assigned',
          // what it is at 0 V is known with its board
          fixed: true,
          isInput: false,
          isOutput: false,
          note: `${part}.${c.quantity}, before it is smoothed`,
        },
      ];
    }),
  );
  return withVariables(model, added);
}
function withVariables(model: FlatModel, added: FlatModel['variables']): FlatModel {
  if (added.length === 0) return model;
  const indexOf = new Map(model.indexOf);
  added.forEach((v, k) => indexOf.set(v.name, model.variables.length + k));
  return { ...model, variables: [...model.variables, ...added], indexOf };
}

/** Stages of parts that are not there. */
export const stageProblems = (setup: Setup, model: FlatModel): Problem[] =>
  setup.stages.flatMap(({ part }, k) =>
    model.parts.some((p) => p.name === part && part !== '')
      ? []
      : [
          {
            ...problem('error', 'unknown-name', `There is no part ${part}`),
            place: `setup/${setup.id}/stages/${k}/part`,
          },
        ],
  );

/** Wires of channels that are not there, or cannot be so. */
export const wireProblems = (project: Project, setup: Setup, model: FlatModel): readonly Problem[] =>
  checkWires(setup, (part) => {
    const name = model.parts.find((p) => p.name === part && part !== '')?.typeName;
    return project.types.find((t) => t.name === name);
  });

/** Names of what is told over serial lines in a run. */
export const heardNames = (setup: Setup): readonly string[] =>
  [...serialIn(setup)].flatMap(([part, { watch }]) => watch.map((quantity) => heardName(part, quantity)));

/** Serial lines that are not there, cannot be so, or cannot carry what they should. */
export const serialProblems = (project: Project, setup: Setup, model: FlatModel): readonly Problem[] =>
  checkSerial(setup, boardsOf(project), (part) => {
    const found = model.parts.find((p) => p.name === part && part !== '');
    const type = project.types.find((t) => t.name === found?.typeName);
    return type && { type, period: found?.software && constantOf(model, found.software.period) };
  });

/** Parts that a setup runs in steps are taken out of the model, and the program is that of the rest. */
export function withSteps(
  project: Project,
  setup: Setup,
  { model, compiled, given }: MadeModel,
  values: Pick<SimulationOptions, 'startIn' | 'stimulus' | 'values'>,
  compiledSteps: MakeCompiled | undefined,
  isCounted = false,
) {
  const whole = { steps: [], compiled, problems: [] };
  if (setup.stages.length === 0 || !compiled.program || hasErrors(compiled.problems)) return whole;
  const asked = { ...values, values: new Map([...(values.values ?? []), ...given]) };
  const [wires, serial] = [wiresIn(setup), serialIn(setup)];
  const found = inSteps(project, model, stagesIn(setup), asked, compiledSteps, wires, serial, isCounted);
  const at = (part: string, p: Problem): Problem => ({
    ...p,
    place: p.place || `setup/${setup.id}/stages/${setup.stages.findIndex((s) => s.part === part)}/part`,
  });
  const problems = found.problems.map(({ part, ...p }) => at(part, p));
  if (found.parts.length === 0 || problems.length > 0) return { ...whole, problems };
  const readers = readersOf(found.model, found.parts);
  if (readers.length > 0)
    return { ...whole, problems: readers.map(({ part, message }) => at(part, problem('error', 'stage', message))) };
  const rest = compile(withoutObserverErrors(found.model));
  return {
    steps: found.parts,
    problems,
    compiled: { ...rest, problems: [...new Set([...compiled.problems, ...rest.problems])] },
  };
}

/** What is measured in a run can be seen in it, and what nobody works out cannot. */
export function asSeen(model: FlatModel, steps: readonly PartInSteps[]): FlatModel {
  if (steps.length === 0) return model;
  const measured = new Set(
    steps.flatMap((s) => {
      const software = s.stage === 'board' ? model.parts[s.number].software : undefined;
      return software ? [software.stepTime, software.overruns] : [];
    }),
  );
  const variables = model.variables.map((v, k) =>
    measured.has(k) ? { ...v, hidden: false } : steps.some((s) => s.untold.has(k)) ? { ...v, hidden: true } : v,
  );
  return { ...model, variables };
}

/** Quantities that are not known in a run with these stages, and why. */
export function unknownWith(model: FlatModel, steps: readonly PartInSteps[]): ReadonlyMap<number, string> {
  const found = new Map<number, string>();
  for (const { name, software } of model.parts)
    if (software && !steps.some((s) => s.name === name && s.stage === 'board')) {
      found.set(software.stepTime, `How long a step of ${name} takes is known where it runs on a board`);
      found.set(software.overruns, `Whether steps of ${name} are done in time is known where it runs on a board`);
    }
  for (const { name, untold } of steps)
    for (const k of untold) found.set(k, `${model.variables[k].name} is not told by the steps of ${name}`);
  return found;
}

/** Why something that is watched is not known; empty where all of it is. */
export function unknownIn(
  { observers }: Watch,
  { model, observed }: FlattenResult,
  unknown: ReadonlyMap<number, string>,
): string {
  if (unknown.size === 0) return '';
  const open = observers.flatMap((o) => observed.get(o.name)?.index ?? []);
  const seen = new Set<number>();
  const formulas = new Map(
    model.equations.flatMap((e) => (e.left.op === 'var' ? [[e.left.index, e.right] as const] : [])),
  );
  for (let k = open.pop(); k !== undefined; k = open.pop()) {
    if (seen.has(k)) continue;
    seen.add(k);
    const why = unknown.get(k);
    if (why !== undefined) return why;
    // what is watched stands for a formula of its own
    const formula = model.variables[k].hidden ? formulas.get(k) : undefined;
    if (formula)
      walk(formula, (x) => {
        if (x.op === 'var' || x.op === 'pre') open.push(x.index);
      });
  }
  return '';
}

/** Who rests on what the steps of a part do not tell. */
function readersOf(
  rest: FlatModel,
  steps: readonly PartInSteps[],
): readonly { readonly part: string; readonly message: string }[] {
  const found = new Map<number, { readonly part: string; readonly message: string }>();
  const look = (e: FlatExpr, by: string): void =>
    walk(e, (x) => {
      if (x.op !== 'var' && x.op !== 'pre') return;
      const part = steps.find((s) => s.untold.has(x.index));
      if (!part || found.has(x.index)) return;
      const name = rest.variables[x.index].name;
      found.set(x.index, {
        part: part.name,
        message: `${name} is used in ${by}, but the steps of ${part.name} do not tell it: make it an output of ${part.name}`,
      });
    });
  for (const { left, right, origin } of rest.equations) {
    // a requirement that cannot be judged keeps nothing from running
    if (origin.place.startsWith('requirement/')) continue;
    // what a test case looks at has a name that nobody has written
    const by = origin.place.startsWith('case/') ? 'the test case' : `"${origin.text}"`;
    look(left, by);
    look(right, by);
  }
  for (const s of statementsOf(rest.charts)) if (s.kind === 'assign') look(s.value, `"${s.origin.text}"`);
  return [...found.values()];
}
