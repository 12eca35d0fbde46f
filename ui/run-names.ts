import { useMemo } from 'react';
import { functionArity } from '@/core/flatten/flat-expression';
import type { Project, Setup } from '@/core/project/project';
import { namesOfRun, type NameOfRun } from '@/core/run/names-of-run';
import { useProject } from '@/store/project-store';
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
}

const functions: readonly Suggestion[] = ['in', 'der', 'pre', 'convert', ...Object.keys(functionArity)].map((name) => ({
  name,
  detail: 'function',
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
  return {
    messages: some((n) => n.kind === 'message'),
    settable: some((n) => n.kind === 'quantity' && (n.role === 'input' || n.role === 'parameter')),
    parameters: some((n) => n.kind === 'quantity' && n.role !== 'input'),
    states: some((n) => n.kind === 'state'),
    recorded: some((n) => n.kind !== 'message' && n.kind !== 'state'),
    quantities: some(isNot('constant')),
    formula: () => [...all().filter((n) => n.kind !== 'message'), { name: 'time', detail: 's' }, ...functions],
  };
}

export const useRunNames = (setup: Pick<Setup, 'root'>): RunNames => useMemo(() => runNames(setup.root), [setup.root]);
