import { nanoid } from 'nanoid';
import { freshKeys } from '@/core/project/keys';
import {
  newCase,
  newChart,
  newFlow,
  newProcedure,
  newRelationSheet,
  newRequirement,
  newSequence,
  newSetup,
  newSignalLine,
  newSignalSheet,
  newState,
  newStudy,
  newType,
  type PartType,
  type Project,
  type Requirement,
  type Setup,
  type Study,
  type TestCase,
} from '@/core/project/project';
import type { Edit } from '@/core/project/edit';
import { caseOfRun } from '@/core/proof/case-of-run';
import { allParts, partTree } from '@/store/derived';
import { usePlace, type Location } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { toRecording } from '@/store/run-data';
import { useRuns, type RunView } from '@/store/run-store';
import { focusName } from '../focus-name';
import { kindWord, studyKinds } from '../study-kinds';
import { allNames, freeName, numberedName } from '../names';

/** Making new things: each with a name that is free, shown where it stands. Views and the search over commands use the same. */

type Entry = Extract<Edit, { kind: 'insert' }>['entry'];

function put(list: string, entry: Entry, label: string, then: Partial<Location>): boolean {
  const refused = useProject.getState().edit({ kind: 'insert', list, entry }, label);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go(then);
  return !refused;
}

const taken = (type: PartType): string[] => [...allNames(type), ...type.procedures.map((x) => x.name)];
export const numbered = (names: readonly { readonly name: string }[], base: string): string =>
  freeName(
    names.map((x) => x.name),
    base,
    ' ',
  );

/** Where a part type is looked at in an area: at one of its parts, where the product has one. */
function placeOf(project: Project, type: PartType, area: Location['area']): Partial<Location> {
  const { part } = usePlace.getState();
  const parts = allParts(partTree(project)).filter((p) => p.type.id === type.id);
  const path = (parts.find((p) => p.path === part) ?? parts[0])?.path;
  return { area, part: path ?? '', type: path === undefined ? type.id : '', item: '' };
}

export function addChart(project: Project, type: PartType): void {
  const first = { ...newState(`s-${nanoid(8)}`, 'Idle', null, 40, 40), initial: true };
  const name = taken(type).includes('mode') ? numberedName(taken(type), 'mode') : 'mode';
  const entry = { ...newChart(`c-${nanoid(8)}`, name), states: [first] };
  const to = { ...placeOf(project, type, 'behaviour'), sheet: `chart/${entry.id}`, item: `state/${first.id}` };
  if (put(`type/${type.id}/chart`, entry, `Give ${type.name} a state chart`, to)) focusName();
}

export function addProcedure(project: Project, type: PartType): void {
  const entry = newProcedure(`d-${nanoid(8)}`, numberedName(taken(type), 'work'));
  const to = { ...placeOf(project, type, 'behaviour'), sheet: `procedure/${entry.id}` };
  put(`type/${type.id}/procedure`, entry, `Give ${type.name} a procedure`, to);
}

export function addSignalSheet(project: Project, type: PartType, lines: readonly string[] = [], every = ''): void {
  const entry = {
    ...newSignalSheet(`g-${nanoid(8)}`, numbered(type.signals, 'Control')),
    every,
    lines: lines.map((text) => newSignalLine(`z-${nanoid(8)}`, text)),
  };
  put(`type/${type.id}/signals`, entry, `Give ${type.name} a signal sheet`, {
    ...placeOf(project, type, 'control'),
    sheet: `signals/${entry.id}`,
  });
}

export function addSequence(project: Project, type: PartType): void {
  const entry = newSequence(
    `q-${nanoid(8)}`,
    numberedName(
      type.sequences.map((s) => s.name),
      'Sequence ',
    ),
  );
  const to = { ...placeOf(project, type, 'behaviour'), sheet: `sequence/${entry.id}` };
  put(`type/${type.id}/sequence`, entry, `Give ${type.name} a sequence`, to);
}

export function addRelationSheet(project: Project, type: PartType): void {
  const entry = {
    ...newRelationSheet(`k-${nanoid(8)}`, numbered(type.sheets, 'Relations')),
    relations: [{ id: `r-${nanoid(8)}`, text: '', note: '' }],
  };
  const to = { ...placeOf(project, type, 'physics'), sheet: `relations/${entry.id}` };
  put(`type/${type.id}/sheet`, entry, 'Add a relation sheet', to);
}

const sharedBegin = `function half "of what it is given"
  input Real x;
  output Real y;
algorithm
  y := x/2;
end half;
`;

export function addSharedText(project: Project): void {
  const entry = { id: `x-${nanoid(8)}`, name: numbered(project.libraries, 'Shared'), note: '', text: sharedBegin };
  put('library', entry, 'Add a shared text', { area: 'physics', sheet: `shared/${entry.id}` });
}

export function addFlow(project: Project): void {
  const entry = {
    ...newFlow(`f-${nanoid(8)}`, numbered(project.flows, 'New flow')),
    lines: [{ id: `z-${nanoid(6)}`, depth: 0, text: '' }],
  };
  put('flow', entry, 'Add a use flow', { area: 'needs', sheet: `flow/${entry.id}` });
}

/** A requirement with an identifier nobody has had. */
export function addRequirement(project: Project, more: Partial<Requirement> = {}): Requirement | undefined {
  const like = project.requirements.find((r) => /\d+$/.test(r.key))?.key ?? 'REQ-00';
  const entry: Requirement = { ...newRequirement(`r-${nanoid(8)}`, freshKeys(project)(like)), ...more };
  const refused = useProject.getState().edit({ kind: 'insert', list: 'requirement', entry }, 'Add a requirement');
  if (refused) usePlace.getState().say(refused.message);
  return refused ? undefined : entry;
}

export function addSetup(project: Project, base?: Setup): void {
  const entry: Setup = {
    ...(base ?? { ...newSetup('', ''), panel: project.panels[0]?.id ?? '' }),
    id: `u-${nanoid(8)}`,
    name: numbered(project.setups, base ? `${base.name} copy` : 'Setup'),
  };
  if (put('setup', entry, base ? `Copy the setup ${base.name}` : 'Add a setup', { area: 'bench', sheet: '' }))
    useRuns.getState().chooseSetup(entry.id);
}

/** A study of a kind, of the setup at hand; or one like another. */
export function addStudy(project: Project, kind: Study['kind'], base?: Study): void {
  const { setupId } = useRuns.getState();
  const setup = kind !== 'compare' && setupId !== project.setups[0]?.id ? setupId : '';
  const entry: Study = {
    ...(base ?? {
      ...newStudy('', '', kind),
      setup,
      ...(kind === 'compare' && { setups: project.setups.slice(0, 2).map((s) => s.id) }),
    }),
    id: `y-${nanoid(8)}`,
    name: numbered(project.studies, base ? `${base.name} copy` : kindWord(kind)),
  };
  put('study', entry, base ? `Copy the study ${base.name}` : 'Add a study', {
    area: 'bench',
    sheet: `study/${entry.id}`,
  });
}

/** A test case of the setup at hand; or one like another. */
export function addCase(project: Project, base?: TestCase): void {
  const { setupId } = useRuns.getState();
  const entry: TestCase = {
    ...(base ?? {
      ...newCase('', ''),
      // where nothing says how the product runs, it is tried alone
      ...(project.setups.length === 0
        ? { alone: project.root }
        : { setup: project.setups.some((s) => s.id === setupId) ? setupId : '' }),
    }),
    id: `k-${nanoid(8)}`,
    name: numbered(project.cases, base ? `${base.name} copy` : 'Case'),
  };
  put('case', entry, base ? `Copy the test case ${base.name}` : 'Add a test case', {
    area: 'proof',
    sheet: `case/${entry.id}`,
  });
}

/** What a run did becomes a test case: what was done by hand is given again, what the ribbon shows is expected. */
export function addCaseOfRun(project: Project, run: RunView): void {
  const setup = project.setups.find((s) => s.name === run.setup);
  if (!setup) return usePlace.getState().say(`${run.setup} is no setup of this project any more`);
  const shown = project.tracks.filter((t) => setup.tracks.length === 0 || setup.tracks.includes(t.id));
  const names = [...new Set(shown.flatMap((t) => t.items))];
  const made = caseOfRun(
    numbered(project.cases, `${run.setup} as it was`),
    { setup, actions: run.actions, recording: toRecording(run.data) },
    names,
    () => `v-${nanoid(8)}`,
  );
  const entry: TestCase = { ...made, id: `k-${nanoid(8)}` };
  if (
    put('case', entry, `Make a test case of the run of ${run.setup}`, { area: 'proof', sheet: `case/${entry.id}` }) &&
    run.changes !== ''
  )
    usePlace
      .getState()
      .say(`The run had ${run.changes}: what of it is not in ${setup.name} is not in the case`, 'note');
}

export function addPanel(project: Project): void {
  const entry = { id: `a-${nanoid(8)}`, name: numbered(project.panels, 'Panel'), controls: [] };
  put('panel', entry, 'Add a panel', { area: 'bench', sheet: `panel/${entry.id}` });
}

export function addType(project: Project): void {
  const name = freeName(
    project.types.map((t) => t.name),
    'NewType',
  );
  const entry = newType(`t-${nanoid(8)}`, name);
  put('type', entry, 'Add a part type', { area: 'product', part: '', type: entry.id, sheet: '' });
}

/** Goes where a list is shown, and begins a row of it as its button does. */
function beginAt(list: string, to: Partial<Location>): void {
  usePlace.getState().go({ sheet: '', ...to });
  const press = (tries: number): void => {
    const button = document.querySelector<HTMLElement>(`main [data-adds="${CSS.escape(list)}"]`);
    if (button) button.click();
    else if (tries > 0) setTimeout(() => press(tries - 1), 50);
  };
  setTimeout(() => press(20), 30);
}

export interface Making {
  readonly text: string;
  readonly run: () => void;
}

/** Everything that can be made, as seen from a part type. */
export function makings(project: Project, type: PartType | undefined): readonly Making[] {
  const chart = type?.charts[0];
  const at = type && `type/${type.id}`;
  const inProduct = type && placeOf(project, type, 'product');
  const setup = project.setups.find((s) => s.id === useRuns.getState().setupId) ?? project.setups[0];
  const ofType: Making[] =
    type && inProduct
      ? [
          { text: `New quantity of ${type.name}`, run: () => beginAt(`${at}/quantity`, inProduct) },
          { text: `New message port of ${type.name}`, run: () => beginAt(`${at}/port`, inProduct) },
          ...(type.parts.length > 1
            ? [{ text: `New link in ${type.name}`, run: () => beginAt(`${at}/link`, inProduct) }]
            : []),
          ...(chart
            ? [
                {
                  text: `New state in ${type.name}.${chart.name}`,
                  run: () =>
                    beginAt(`${at}/chart/${chart.id}/state`, {
                      ...placeOf(project, type, 'behaviour'),
                      sheet: `chart/${chart.id}`,
                    }),
                },
              ]
            : []),
          { text: `New state chart of ${type.name}`, run: () => addChart(project, type) },
          { text: `New procedure of ${type.name}`, run: () => addProcedure(project, type) },
          { text: `New sequence of ${type.name}`, run: () => addSequence(project, type) },
          { text: `New signal sheet of ${type.name}`, run: () => addSignalSheet(project, type) },
          { text: `New relation sheet of ${type.name}`, run: () => addRelationSheet(project, type) },
        ]
      : [];
  return [
    ...ofType,
    { text: 'New part type', run: () => addType(project) },
    { text: 'New shared text of physics', run: () => addSharedText(project) },
    {
      text: 'New requirement',
      run: () => {
        const entry = addRequirement(project);
        if (entry) usePlace.getState().go({ area: 'needs', sheet: '', item: `requirement/${entry.id}` });
      },
    },
    { text: 'New phrase of the glossary', run: () => beginAt('glossary', { area: 'needs', sheet: 'glossary' }) },
    { text: 'New use flow', run: () => addFlow(project) },
    { text: 'New setup', run: () => addSetup(project) },
    ...(setup
      ? [
          {
            text: `New changed value of the setup ${setup.name}`,
            run: () => beginAt(`setup/${setup.id}/change`, { area: 'bench' }),
          },
          {
            text: `New stimulus row of the setup ${setup.name}`,
            run: () => beginAt(`setup/${setup.id}/stimulus`, { area: 'bench' }),
          },
        ]
      : []),
    ...studyKinds.map(([kind, word]) => ({
      text: `New study: ${word}`,
      run: () => addStudy(project, kind),
    })),
    { text: 'New test case', run: () => addCase(project) },
    { text: 'New panel', run: () => addPanel(project) },
  ];
}
