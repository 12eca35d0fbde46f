import { nanoid } from 'nanoid';
import type { Edit } from '@/core/project/edit';
import {
  newChange,
  setupOf,
  withChange,
  type Project,
  type Setup,
  type StimulusRow,
  type Study,
} from '@/core/project/project';
import { applyEdit } from '@/core/editing/edits';
import { designValueEdit } from '@/core/editing/design-value';
import type { OutsideAction } from '@/core/run/protocol';
import type { SentMessage } from '@/core/studies/runner';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { useRuns } from './run-store';
import { startRun } from './running';

/** What is done with what a study has found: a run of it opened, its values taken over, a case kept. */

export interface Named {
  readonly name: string;
  readonly value: number;
}

const text = (x: number): string => String(x);
const words = (values: readonly Named[]): string =>
  values.map((v) => `${v.name} = ${Number(v.value.toPrecision(6))}`).join(', ');

/** Runs one case of a study again, into the ribbon: it is the same as it was. */
export async function openCase(
  project: Project,
  study: Study,
  values: readonly Named[],
  messages: readonly SentMessage[] = [],
): Promise<void> {
  const setup = setupOf(project, study);
  if (!setup) return;
  useRuns.getState().chooseSetup(setup.id);
  const actions = messages.map(({ target, time, value }): OutsideAction =>
    value === undefined
      ? { time, kind: 'send', target, value: 0 }
      : { time, kind: 'set', target, value: value === 'true' ? 1 : value === 'false' ? 0 : Number(value) },
  );
  await startRun({
    setup: setup.name,
    changes: Object.fromEntries(values.map((v) => [v.name, text(v.value)])),
    actions: [...actions].sort((a, b) => a.time - b.time),
    words: [words(values), ...messages.map((m) => `${m.target} at ${Number(m.time.toPrecision(5))} s`)]
      .filter((x) => x !== '')
      .join(', '),
  });
}

const carryOut = (edits: readonly Edit[], label: string): boolean => {
  if (edits.length === 0) return false;
  const refused = useProject.getState().edit(edits.length === 1 ? edits[0] : { kind: 'batch', label, edits }, label);
  if (refused) usePlace.getState().say(refused.message);
  return !refused;
};

/** Gives quantities these values in the design. What a setup changes itself is told, as the setup wins. */
export function applyToDesign(
  project: Project,
  study: Study,
  values: readonly Named[],
  notes: readonly string[] = [],
): void {
  const setup = setupOf(project, study);
  const { say } = usePlace.getState();
  const edits: Edit[] = [];
  let now = project;
  for (const [k, { name, value }] of values.entries()) {
    const found = designValueEdit(now, setup?.root ?? '', name, text(value), () => nanoid(8), notes[k] ?? '');
    if (typeof found === 'string') return say(`${found}. Nothing was changed; the setup can take the values`);
    edits.push(found.edit);
    // another value of the same part builds on this one
    now = applyEdit(now, found.edit).project;
  }
  const label = `Apply ${words(values)} to the design`;
  if (!carryOut(edits, label)) return;
  const own = setup?.changes.filter((c) => values.some((v) => v.name === c.name)).map((c) => c.name) ?? [];
  say(
    own.length > 0
      ? `The design has ${words(values)} now; the setup ${setup!.name} changes ${own.join(', ')} itself, and goes on doing so`
      : `The design has ${words(values)} now`,
    'note',
  );
}

/** Gives a setup these values. */
export function applyToSetup(project: Project, study: Study, values: readonly Named[]): void {
  const setup = setupOf(project, study);
  if (!setup) return;
  const changes = values.reduce((all, v) => withChange(all, v.name, text(v.value), () => nanoid(8)), setup.changes);
  const label = `Apply ${words(values)} to ${setup.name}`;
  if (carryOut([{ kind: 'update', list: 'setup', id: setup.id, changes: { changes } }], label))
    usePlace.getState().say(`${setup.name} runs with ${words(values)} now`, 'note');
}

/** Keeps a case as a setup of its own, which can be run like any other. */
export function keepAsSetup(
  project: Project,
  study: Study,
  name: string,
  note: string,
  values: readonly Named[],
  messages: readonly SentMessage[],
): void {
  const setup = setupOf(project, study);
  if (!setup) return;
  const free = (base: string): string => {
    const taken = new Set(project.setups.map((s) => s.name));
    for (let k = 1; ; k++) {
      const one = k === 1 ? base : `${base} ${k}`;
      if (!taken.has(one)) return one;
    }
  };
  const changed = new Set(values.map((v) => v.name));
  const entry: Setup = {
    ...setup,
    id: `u-${nanoid(8)}`,
    name: free(name),
    note,
    changes: [
      ...setup.changes.filter((c) => !changed.has(c.name)),
      ...values.map((v) => newChange(nanoid(8), v.name, text(v.value))),
    ],
    stimulus: [
      ...setup.stimulus,
      ...messages.map((m): StimulusRow => ({
        id: nanoid(8),
        time: m.time,
        kind: m.value === undefined ? 'send' : 'set',
        target: m.target,
        value: m.value ?? '',
      })),
    ],
  };
  if (!carryOut([{ kind: 'insert', list: 'setup', entry }], `Keep ${entry.name} as a setup`)) return;
  useRuns.getState().chooseSetup(entry.id);
  usePlace.getState().say(`Kept as the setup ${entry.name}`, 'note');
}
