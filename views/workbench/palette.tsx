'use client';
import { Command } from 'cmdk';
import Modal from 'react-bootstrap/Modal';
import { cancelRun, pauseRun, startRun, stepRun } from '@/store/engine';
import { allParts, useTree } from '@/store/derived';
import { areas, usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { closeProject, exportProject, exportRecording } from './files';
import { usePalette } from './palette-state';
import { areaLook } from './rail';

/** Search over everything, and every command. */
export function Palette() {
  const { open, help, setOpen, setHelp } = usePalette();
  const project = useProject((s) => s.project);
  const tree = useTree();
  const { go, setTheme, theme } = usePlace();
  if (!project) return null;
  const run = (work: () => unknown) => (): void => {
    setOpen(false);
    work();
  };
  const { undo, redo } = useProject.getState();
  return (
    <>
      <Modal show={open} onHide={() => setOpen(false)} className="palette" animation={false} aria-label="Search and commands">
        <Command label="Search and commands">
          <Command.Input placeholder="Go to a part, quantity, state or requirement, or type a command" autoFocus />
          <Command.List>
            <Command.Empty>Nothing has that name.</Command.Empty>
            <Command.Group heading="Commands">
              {areas.map((a) => (
                <Command.Item key={a} onSelect={run(() => go({ area: a }))}>
                  Go to {areaLook[a].title} <span className="keys">g {areaLook[a].key}</span>
                </Command.Item>
              ))}
              <Command.Item onSelect={run(() => void startRun())}>
                Run the setup <span className="keys">space</span>
              </Command.Item>
              <Command.Item onSelect={run(pauseRun)}>Pause the run</Command.Item>
              <Command.Item onSelect={run(() => void stepRun())}>
                Step to the next event <span className="keys">.</span>
              </Command.Item>
              <Command.Item onSelect={run(cancelRun)}>End the run</Command.Item>
              {project.setups.map((s) => (
                <Command.Item key={s.id} value={`choose setup ${s.name}`} onSelect={run(() => useRuns.getState().chooseSetup(s.id))}>
                  Choose setup {s.name}
                </Command.Item>
              ))}
              <Command.Item onSelect={run(undo)}>
                Undo <span className="keys">Ctrl+Z</span>
              </Command.Item>
              <Command.Item onSelect={run(redo)}>
                Redo <span className="keys">Ctrl+Shift+Z</span>
              </Command.Item>
              <Command.Item onSelect={run(exportProject)}>Export the project</Command.Item>
              <Command.Item onSelect={run(exportRecording)}>Export the recording as CSV</Command.Item>
              <Command.Item onSelect={run(() => setTheme(theme === 'dark' ? 'light' : 'dark'))}>Switch between light and dark</Command.Item>
              <Command.Item onSelect={run(() => setHelp(true))}>
                Show the keys <span className="keys">?</span>
              </Command.Item>
              <Command.Item onSelect={run(closeProject)}>Close the project</Command.Item>
            </Command.Group>
            <Command.Group heading="Requirements">
              {project.requirements.map((r) => (
                <Command.Item key={r.id} value={`${r.key} ${r.text}`} onSelect={run(() => go({ area: 'needs', item: `requirement/${r.id}` }))}>
                  <strong className="text-nowrap">{r.key}</strong> <span className="text-truncate">{r.text}</span>
                </Command.Item>
              ))}
            </Command.Group>
            <Command.Group heading="Parts and quantities">
              {allParts(tree).flatMap((p) => [
                <Command.Item key={p.path} value={`part ${p.path || p.name} ${p.type.name}`} onSelect={run(() => go({ area: 'product', part: p.path, type: '' }))}>
                  {p.path || p.name} <span className="quiet">: {p.type.name}</span>
                </Command.Item>,
                ...p.type.quantities.map((q) => (
                  <Command.Item key={`${p.path}.${q.id}`} value={`${p.path}.${q.name} ${q.note}`} onSelect={run(() => go({ area: 'product', part: p.path, type: '', item: `quantity/${q.id}` }))}>
                    <span className="mono">{p.path ? `${p.path}.` : ''}{q.name}</span> <span className="quiet text-truncate">{q.note}</span>
                  </Command.Item>
                )),
                ...p.type.charts.flatMap((c) => c.states.map((s) => (
                  <Command.Item key={`${p.path}.${s.id}`} value={`state ${p.path} ${s.name}`} onSelect={run(() => go({ area: 'behaviour', part: p.path, type: '', item: `state/${s.id}` }))}>
                    {s.name} <span className="quiet">state of {p.path || p.name}</span>
                  </Command.Item>
                ))),
              ])}
            </Command.Group>
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

const keyTable: readonly (readonly [string, string])[] = [
  ['Ctrl+K', 'search and commands'], ['g n', 'Needs'], ['g p', 'Product'], ['g b', 'Behaviour'], ['g y', 'Physics'], ['g e', 'Bench'],
  ['Space', 'run, pause, go on'], ['.', 'step to the next event'], ['Ctrl+Z', 'undo'], ['Ctrl+Shift+Z', 'redo'], ['← →', 'move the cursor (in the ribbon)'],
  ['Delete', 'delete what is selected on a sheet'], ['Escape', 'take typing back, close'], ['?', 'this list'],
];
