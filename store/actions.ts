import { nanoid } from 'nanoid';
import { newSequence, type FlowLine, type Project, type Setup } from '@/core/project/project';
import type { OutsideAction } from '@/core/run/protocol';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { useRuns } from './run-store';

/** What somebody did on panels during a run, kept: as a setup that does it again, or as a written sequence. */

const seconds = (t: number): number => Number(t.toPrecision(12));
const free = (taken: readonly string[], base: string): string => {
  for (let k = 1; ; k++) {
    const name = k === 1 ? base : `${base} ${k}`;
    if (!taken.includes(name)) return name;
  }
};
const isYesNo = (project: Project, target: string): boolean => {
  const names = target.split('.');
  const part = project.types.find((t) => t.id === project.root)?.parts.find((p) => p.name === names[0]);
  return (
    project.types.find((t) => t.id === part?.type)?.quantities.find((q) => q.name === names.at(-1))?.type === 'Boolean'
  );
};
const valueText = (project: Project, a: OutsideAction): string =>
  isYesNo(project, a.target) ? String(a.value !== 0) : String(a.value);

/** A copy of the setup whose stimulus does at the same times what was done by hand. */
export function keepAsSetup(base: Setup): void {
  const { project, edit } = useProject.getState();
  const actions = useRuns.getState().current?.actions ?? [];
  if (!project || actions.length === 0) return;
  const entry: Setup = {
    ...base,
    id: `u-${nanoid(8)}`,
    name: free(
      project.setups.map((s) => s.name),
      `${base.name}, by hand`,
    ),
    note: `What was done on the panel in a run of ${base.name}.`,
    stimulus: [
      ...base.stimulus,
      ...actions.map((a, k) => ({
        id: `h-${k + 1}`,
        time: seconds(a.time),
        kind: a.kind,
        target: a.target,
        value: a.kind === 'set' ? valueText(project, a) : '',
      })),
    ].sort((a, b) => a.time - b.time),
  };
  const refused = edit({ kind: 'insert', list: 'setup', entry }, `Keep what was done as ${entry.name}`);
  if (refused) usePlace.getState().say(refused.message);
  else {
    useRuns.getState().chooseSetup(entry.id);
    usePlace.getState().go({ area: 'bench', sheet: '' });
  }
}

/** The same as rows of a sequence: what was done, with the waits between. */
export function keepAsSequence(base: Setup): void {
  const { project, edit } = useProject.getState();
  const actions = useRuns.getState().current?.actions ?? [];
  const root = project?.types.find((t) => t.id === project.root);
  if (!project || !root || actions.length === 0) return;
  let last = 0;
  const lines: FlowLine[] = [];
  const put = (text: string): void => void lines.push({ id: `z-${lines.length + 1}`, depth: 0, text });
  for (const a of actions) {
    if (a.time > last) put(`wait ${seconds(a.time - last)} s`);
    last = a.time;
    if (a.kind === 'set') put(`set ${a.target} = ${valueText(project, a)}`);
    else put(`outside -> ${a.target.replace(/\.[^.]*$/, '')}: ${a.target.split('.').at(-1)}`);
  }
  const entry = {
    ...newSequence(
      `q-${nanoid(8)}`,
      free(
        root.sequences.map((s) => s.name),
        `${base.name}, by hand`,
      ),
    ),
    note: `What was done on the panel in a run of ${base.name}; add the rows that must follow.`,
    lines,
  };
  const refused = edit(
    { kind: 'insert', list: `type/${root.id}/sequence`, entry },
    `Write down what was done as ${entry.name}`,
  );
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ area: 'behaviour', part: '', type: '', sheet: `sequence/${entry.id}` });
}
