import { hasErrors, problem, type Problem } from '../language/diagnostics';
import type { Expr } from '../language/ast';
import { walkExpression } from '../language/walk';
import { setupOf, typeById, type Project, type TestCase } from '../project/project';
import { prepareRun } from '../run/prepare';
import { inOwnWords, triedRun } from '../run/tried';
import { readScript, type ReadScript } from '../scripts/read-script';
import { readVectors } from '../scripts/vector-table';
import { readStage, type MakeCompiled } from '../stepcode/stage';
import { createStep } from '../stepcode/write-js';

/** What can be said of test cases without making what they run. */
export const caseProblems = (project: Project): readonly Problem[] =>
  project.cases.flatMap((c) => [...textProblems(c), ...placeProblems(project, c)]);

const known = new WeakMap<TestCase, readonly Problem[]>();
/** What follows from the text of a case alone. */
function textProblems(of: TestCase): readonly Problem[] {
  let found = known.get(of);
  if (!found) known.set(of, (found = readProblems(of)));
  return found;
}

function readProblems(of: TestCase): readonly Problem[] {
  const at = `case/${of.id}`;
  const script = readScript(of.script);
  const table = readVectors(of);
  const own = script.problems.map((p) => ({ ...p, place: `${at}/script` }));
  const weak = (message: string, place = at): Problem => ({ ...problem('warning', 'weak-case', message), place });
  const stages = of.stages.flatMap((s, k) =>
    readStage(s) ? [] : [{ ...problem('error', 'case', `There is no stage ${s}`), place: `${at}/stages/${k}` }],
  );
  if (hasErrors(own)) return [...own, ...table.problems, ...stages];
  const expects =
    script.steps.some((s) => s.kind === 'expect' || s.kind === 'waitUntil') ||
    of.sequences.length > 0 ||
    table.columns.some((c) => c.way === 'expect');
  const isEmpty = script.steps.length === 0 && of.sequences.length === 0 && of.vectors.length === 0;
  return [
    ...own,
    ...table.problems,
    ...stages,
    ...(expects || isEmpty ? [] : [weak('It expects nothing: only a requirement could fail it')]),
    ...neverFailing(script, at, weak),
    ...(waits(script) || script.steps.length === 0 || of.rows.length > 0 || of.sequences.length > 0
      ? []
      : [weak('No time passes in it: everything is looked at as it begins', `${at}/script`)]),
  ];
}

const waits = ({ steps }: ReadScript): boolean =>
  steps.some(
    (s) =>
      (s.kind === 'wait' && s.seconds > 0) ||
      s.kind === 'waitUntil' ||
      (s.kind === 'expect' && (s.way === 'within' || s.way === 'for')),
  );

/** What is expected of no quantity is always the same. */
function neverFailing(
  { steps, conditions }: ReadScript,
  at: string,
  weak: (message: string, place?: string) => Problem,
): readonly Problem[] {
  return steps.flatMap((s) => {
    if (s.kind !== 'expect' && s.kind !== 'waitUntil') return [];
    const { text, expr, start } = conditions[s.condition];
    return speaksOf(expr)
      ? []
      : [
          {
            ...weak(`${text} says nothing of what is tried: it is always the same`, `${at}/script`),
            span: { start, end: start + text.length },
          },
        ];
  });
}
function speaksOf(expr: Expr): boolean {
  let speaks = false;
  walkExpression(expr, (e) => {
    if (e.kind === 'ref') speaks = true;
  });
  return speaks;
}

/** Where it leads to something that is not there. */
function placeProblems(project: Project, of: TestCase): readonly Problem[] {
  const at = `case/${of.id}`;
  const wrong = (field: string, message: string): Problem => ({
    ...problem('error', 'case', message),
    place: `${at}/${field}`,
  });
  if (of.alone !== '')
    return typeById(project, of.alone) ? [] : [wrong('alone', 'The part type it tries alone is not there any more')];
  const setup = setupOf(project, of);
  if (!setup) return [wrong('setup', of.setup === '' ? 'There is no setup to run' : 'Its setup is not there any more')];
  const root = typeById(project, setup.root || project.root);
  return of.sequences.some((id) => !root?.sequences.some((s) => s.id === id))
    ? [wrong('sequences', `A written sequence of it is not of ${root?.name ?? 'the product'}, which its setup runs`)]
    : [];
}

/** Nothing is compiled to find out what is wrong. */
const notCompiled: MakeCompiled = (program) => ({ create: () => createStep(program) });

/** All that is wrong with a case, as its setup runs it. */
export function problemsOfCase(project: Project, of: TestCase): readonly Problem[] {
  const asked = triedRun(project, of);
  if ('message' in asked) return [asked];
  const { problems, model } = prepareRun(asked.project, asked.setup, undefined, undefined, notCompiled, asked.tried);
  return inOwnWords(problems, model.name, asked.alone).filter((p) => p.place?.startsWith(`case/${of.id}`));
}
