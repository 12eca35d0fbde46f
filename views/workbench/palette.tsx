'use client';
import { Command } from 'cmdk';
import { useEffect, useMemo, useState } from 'react';
import Modal from 'react-bootstrap/Modal';
import { cancelRun, pauseRun, startRun, stepBack, stepRun } from '@/store/running';
import type { PartType, Project } from '@/core/project/project';
import { elementIndex } from '@/core/trace/elements';
import { allParts, useHere, useTree, type PartTreeNode } from '@/store/derived';
import { goTo, selectedAddress } from '@/store/locate';
import { linkPair } from '@/store/trace';
import { chosen, duplicate, moveRows, removeChosen } from '@/ui/editing/commands';
import { makings } from '@/ui/editing/make';
import { toggleMark } from '@/ui/ribbon/mark';
import { showImpact } from '@/ui/impact';
import { areas, usePlace } from '@/store/place-store';
import { useLayout } from '@/store/layout-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { closeProject, exportModels, exportProject, exportRecording } from './files';
import { usePalette } from './palette-state';
import { areaLook } from './rail';

/** Search over everything, and every command. */
export function Palette() {
  const { open, help, setOpen, setHelp } = usePalette();
  const project = useProject((s) => s.project);
  const tree = useTree();
  const theme = usePlace((s) => s.theme);
  const { type } = useHere();
  const [search, setSearch] = useState('');
  const things = useMemo(
    () => (open && project ? [...elementThings(project), ...partThings(tree)] : []),
    [open, project, tree],
  );
  const linking = useMemo(() => (open && project ? linkChoices(project) : undefined), [open, project]);
  useEffect(() => {
    if (!open) setSearch('');
  }, [open]);
  if (!project) return null;
  const commands = commandList(project, type, theme);
  const run = (work: () => unknown) => (): void => {
    setOpen(false);
    work();
  };
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const matches = (hay: string): boolean => words.every((w) => hay.includes(w));
  const found = (list: readonly Thing[]): readonly Thing[] => {
    const some: Thing[] = [];
    for (const o of list) {
      if (matches(o.hay)) some.push(o);
      if (some.length >= mostHits) break;
    }
    return some;
  };
  const shown = commands.filter((c) => matches(c.text.toLowerCase()));
  const choices = linking ? found(linking.options) : [];
  const hits = found(things);
  return (
    <>
      <Modal
        show={open}
        onHide={() => setOpen(false)}
        className="palette"
        animation={false}
        aria-label="Search and commands"
      >
        <Command label="Search and commands" shouldFilter={false}>
          <Command.Input
            placeholder="Go to a part, quantity, state or requirement, or type a command"
            autoFocus
            value={search}
            onValueChange={setSearch}
          />
          <Command.List>
            <Command.Empty>Nothing has that name.</Command.Empty>
            {shown.length > 0 && (
              <Command.Group heading="Commands">
                {shown.map((c) => (
                  <Command.Item key={c.text} value={`command ${c.text}`} onSelect={run(c.run)}>
                    {c.text} {c.keys && <span className="keys">{c.keys}</span>}
                  </Command.Item>
                ))}
              </Command.Group>
            )}
            {linking && choices.length > 0 && (
              <Command.Group heading={linking.title}>
                {choices.map((o) => (
                  <Command.Item
                    key={o.address}
                    value={`link ${o.address}`}
                    onSelect={run(() => linkPair(linking.address, o.address))}
                  >
                    Link to {o.label} <span className="quiet text-truncate">{o.detail}</span>
                  </Command.Item>
                ))}
              </Command.Group>
            )}
            {hits.length > 0 && (
              <Command.Group heading="Go to">
                {hits.map((o) => (
                  <Command.Item key={o.address} value={`go ${o.address}`} onSelect={run(() => o.go())}>
                    <strong className="text-nowrap">{o.label}</strong>{' '}
                    <span className="quiet text-truncate">{o.detail}</span>
                  </Command.Item>
                ))}
              </Command.Group>
            )}
          </Command.List>
        </Command>
      </Modal>
      <Modal show={help} onHide={() => setHelp(false)} animation={false} centered>
        <Modal.Header closeButton>
          <Modal.Title style={{ fontSize: 16 }}>Keys</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <table className="table">
            <tbody>
              {keyTable.map(([keys, what]) => (
                <tr key={keys}>
                  <td className="text-nowrap">
                    {keys.split(' ').map((k, i) => (
                      <kbd key={i} className="me-1">
                        {k}
                      </kbd>
                    ))}
                  </td>
                  <td>{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Modal.Body>
      </Modal>
    </>
  );
}

interface Thing {
  readonly address: string;
  readonly label: string;
  readonly detail: string;
  /** What a search looks into. */
  readonly hay: string;
  go(): void;
}

const mostHits = 30;

/** Everything with an address of its own. */
const elementThings = (project: Project): Thing[] =>
  elementIndex(project).all.map((e) => {
    const detail = e.kind === 'requirement' ? e.content.split('|')[0] : e.kind;
    return {
      address: e.address,
      label: e.label,
      detail,
      hay: `${e.label} ${detail} ${e.kind}`.toLowerCase(),
      go: () => goTo(e.address),
    };
  });

/** Parts as they stand in the product, by their full names. */
const partThings = (tree: PartTreeNode | undefined): Thing[] =>
  allParts(tree).map((p) => ({
    address: `part ${p.path}`,
    label: p.path || p.name,
    detail: p.type.name,
    hay: `part ${p.path || p.name} ${p.type.name}`.toLowerCase(),
    go: () => usePlace.getState().go({ area: 'product', part: p.path, type: '' }),
  }));

/** What the selected thing can be linked to. */
function linkChoices(
  project: Project,
): { readonly title: string; readonly address: string; readonly options: readonly Thing[] } | undefined {
  const address = selectedAddress(project);
  const element = address === undefined ? undefined : elementIndex(project).byAddress.get(address);
  if (!element) return undefined;
  const isRequirement = element.kind === 'requirement';
  return {
    title: `Link ${element.label} to`,
    address: element.address,
    options: elementThings(project).filter((t) => t.address.startsWith('requirement/') !== isRequirement),
  };
}

interface PaletteCommand {
  readonly text: string;
  readonly keys?: string;
  readonly run: () => unknown;
}

function commandList(project: Project, type: PartType | undefined, theme: string): PaletteCommand[] {
  const { go, setTheme, toggle } = usePlace.getState();
  const { undo, redo } = useProject.getState();
  const needs = (sheet: string) => () => go({ area: 'needs', sheet });
  return [
    ...areas.map((a) => ({
      text: `Go to ${areaLook[a].title}`,
      keys: `g ${areaLook[a].key}`,
      run: () => go({ area: a }),
    })),
    { text: 'Run the setup', keys: 'space', run: () => void startRun() },
    { text: 'Pause the run', run: pauseRun },
    { text: 'Step to the next event', keys: '.', run: () => void stepRun() },
    { text: 'Back to the event before', keys: ',', run: () => void stepBack() },
    { text: 'End the run', run: cancelRun },
    ...project.setups.map((s) => ({ text: `Choose setup ${s.name}`, run: () => useRuns.getState().chooseSetup(s.id) })),
    ...makings(project, type),
    ...editingCommands,
    { text: 'Import requirements', run: needs('import') },
    { text: 'Open the glossary', run: needs('glossary') },
    { text: 'Open the trace matrix', run: needs('matrix') },
    { text: 'Show gaps and links to look at again', run: needs('gaps') },
    { text: 'Open the report', run: needs('report') },
    { text: 'Fold or unfold the ribbon', keys: 'r', run: () => useLayout.getState().toggleRibbon() },
    { text: 'Show the sheet alone, or all again', keys: 'f', run: () => useLayout.getState().toggleAlone() },
    { text: 'Mark the moment of the cursor, or take the mark away', keys: 'm', run: toggleMark },
    { text: 'Show trace links', keys: 'l', run: () => toggle('links') },
    { text: 'Show the impact of what is selected', keys: 'i', run: showImpact },
    { text: 'Undo', keys: 'Ctrl+Z', run: undo },
    { text: 'Redo', keys: 'Ctrl+Shift+Z', run: redo },
    { text: 'Print the sheet', keys: 'Ctrl+P', run: () => setTimeout(() => window.print(), 60) },
    { text: 'Export the project', run: exportProject },
    { text: 'Export the recording as CSV', run: exportRecording },
    { text: 'Export the physics as Modelica text', run: exportModels },
    { text: 'Switch between light and dark', run: () => setTheme(theme === 'dark' ? 'light' : 'dark') },
    { text: 'Help on the language', keys: 'F1', run: () => usePalette.getState().setLanguage(true) },
    { text: 'Show the keys', keys: '?', run: () => usePalette.getState().setHelp(true) },
    { text: 'Close the project', run: closeProject },
  ];
}

const editingCommands: readonly PaletteCommand[] = [
  { text: 'Duplicate what is chosen', keys: 'Ctrl+D', run: duplicate },
  { text: 'Move the chosen rows up', keys: 'Alt+↑', run: () => moveRows(-1) },
  { text: 'Move the chosen rows down', keys: 'Alt+↓', run: () => moveRows(1) },
  {
    text: 'Delete what is chosen',
    keys: 'Delete',
    run: () => {
      const { project } = useProject.getState();
      if (project) removeChosen(project, chosen(project));
    },
  },
];

const keyTable: readonly (readonly [string, string])[] = [
  ['Ctrl+K', 'search and commands'],
  ['g n', 'Needs'],
  ['g p', 'Product'],
  ['g b', 'Behaviour'],
  ['g y', 'Physics'],
  ['g c', 'Control'],
  ['g e', 'Bench'],
  ['Space', 'run, pause, go on'],
  ['.', 'step to the next event'],
  ['Ctrl+Z', 'undo'],
  ['Ctrl+Shift+Z', 'redo'],
  ['← →', 'move the cursor (in the ribbon)'],
  ['m', 'mark the moment of the cursor: differences are counted from it'],
  ['r', 'fold the ribbon to its bar, and back'],
  ['f', 'show the sheet alone, and all again'],
  ['l', 'show trace links'],
  ['i', 'impact of what is selected'],
  ['Ctrl+C Ctrl+X Ctrl+V', 'copy, cut and paste what is chosen, to other projects and spreadsheets too'],
  ['Ctrl+D', 'a copy beside it'],
  ['Ctrl+A', 'choose all of the list or drawing'],
  ['Shift+click Ctrl+click', 'choose several'],
  ['Alt+↑ Alt+↓', 'move rows'],
  ['a', 'on a signal sheet: add a block, an operation or a name; on a chosen wire: put it in between'],
  ['w', 'on a signal sheet: wire the chosen card to another one, by name'],
  ['t Shift+t', 'on a signal sheet: watch what is chosen, in a track of its own or in the newest'],
  ['F2', 'rename what is chosen'],
  ['Delete', 'delete what is chosen'],
  ['Enter', 'take a field over and go to the one below; in a new row, begin the next'],
  ['Ctrl+Space', 'names that can stand here'],
  ['Escape', 'take typing back, close'],
  ['F1', 'help on the language'],
  ['?', 'this list'],
];
