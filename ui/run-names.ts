import { useMemo, useState } from 'react';
import { functionArity } from '@/core/flatten/flat-expression';
import type { Project, Setup } from '@/core/project/project';
import { namesOfRun, type NameOfRun } from '@/core/run/names-of-run';
import { useProject } from '@/store/project-store';
import { limitOperators } from '@/core/requirements/formula';
import { loopOperators } from '@/core/requirements/loop-terms';
import type { Suggestion } from './suggestions';

type Names = () => readonly Suggestion[];

/** Names that fields of a setup, or of what looks at the product, propose: asked for when somebody types. */
export interface RunNames {
  readonly messages: Names;
  readonly settable: Names;
  readonly parameters: Names;
  readonly states: Names;
  readonly recorded: Names;
  readonly quantities: Names;
  /** Everything a formula can mention. */
  readonly formula: Names;
  /** The same with the operators of limits. */
  readonly limit: Names;
}

const functions: readonly Suggestion[] = ['in', 'der', 'pre', 'convert', ...Object.keys(functionArity)].map((name) => ({
  name,
  detail: 'function',
}));
const operators: readonly Suggestion[] = Object.entries({
  ...limitOperators,
  ...loopOperators,
}).map(([name, { forms }]) => ({
  name,
  detail: forms[0],
}));
const isNot = (role: string) => (n: NameOfRun) => n.kind === 'quantity' && n.role !== role;

export function runNames(root: string): RunNames {
  // the newest document, whenever that is
  const all = (): readonly NameOfRun[] => {
    const project: Project | undefined = useProject.getState().project;
    return project ? namesOfRun(project, root || project.root) : [];
  };
  const some =
    (test: (n: NameOfRun) => boolean): Names =>
    () =>
      all().filter(test);
  const formula: Names = () => [
    // a condition is mostly about what changes
    ...all()
      .filter((n) => n.kind !== 'message')
      .map((n) => (n.role === 'parameter' || n.role === 'constant' ? { ...n, isLater: true } : n)),
    { name: 'time', detail: 's' },
    ...functions,
  ];
  return {
    messages: some((n) => n.kind === 'message'),
    settable: some((n) => n.kind === 'quantity' && (n.role === 'input' || n.role === 'parameter')),
    parameters: some((n) => n.kind === 'quantity' && n.role !== 'input'),
    states: some((n) => n.kind === 'state'),
    recorded: some((n) => n.kind !== 'message' && n.kind !== 'state'),
    quantities: some(isNot('constant')),
    formula,
    limit: () => [...formula(), ...operators],
  };
}

/** Names of a formula with the operators of limits, and some more words. */
export const limitNames =
  (names: RunNames, more: readonly Suggestion[]): Names =>
  () => [...more, ...names.limit()];

export const useRunNames = (setup: Pick<Setup, 'root'>): RunNames => useMemo(() => runNames(setup.root), [setup.root]);

/** Names of the product, for what has no setup of its own. */
export const productNames: RunNames = runNames('');

/** A quantity of the product for examples: one that changes and has a unit, as a formula and as a sentence would name it. */
export interface Example {
  readonly name: string;
  readonly phrase: string;
  /** A value as a formula writes it. */
  readonly value: string;
  /** The same in a sentence. */
  readonly amount: string;
}

export function exampleOf(project: Project): Example {
  const all = namesOfRun(project, project.root);
  const changes = all.filter((n) => n.kind === 'quantity' && (n.role === 'output' || n.role === 'variable'));
  const found = changes.find((n) => n.unit !== '' && n.unit !== '1') ?? changes[0];
  if (!found) return noExample;
  const words = found.name
    .split('.')
    .slice(-2)
    .join(' ')
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/_/g, ' ')
    .toLowerCase();
  const unit = found.unit === '1' ? '' : (found.unit ?? '');
  return {
    name: found.name,
    phrase: words,
    value: unit === '' ? '10' : `10 '${unit}'`,
    amount: unit === '' ? '10' : `10 ${unit}`,
  };
}

/** The example of the project at hand. */
export function useExample(): Example {
  // an example need not follow every edit
  const [example] = useState(() => {
    const { project } = useProject.getState();
    return project ? exampleOf(project) : noExample;
  });
  return example;
}
const noExample: Example = { name: 'motor.speed', phrase: 'motor speed', value: "300 'rpm'", amount: '300 rpm' };
