'use client';
import {
  ArrowLeft,
  ArrowRight,
  ChevronRight,
  CircleHelp,
  Link2,
  Moon,
  PanelLeft,
  PanelRight,
  Redo2,
  Search,
  Sun,
  TriangleAlert,
  Undo2,
} from 'lucide-react';
import { useRef } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import type { Project } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useSeconds } from '@/ui/use-still';
import { takeOver } from '@/store/tabs';
import { useHere } from '@/store/derived';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { closeProject, exportProject, exportModels, exportRecording, importFile } from './files';
import { areaLook } from './rail';
import { compareWithKept } from './compare-dialog';
import { ProblemList } from './problem-list';
import { usePalette } from './palette-state';

export function TopBar() {
  const project = useProject((s) => s.project);
  const following = useProject((s) => s.following);
  const undoSteps = useProject((s) => s.undoSteps);
  const redoSteps = useProject((s) => s.redoSteps);
  const saved = useProject((s) => s.saved);
  const { undo, redo, edit } = useProject.getState();
  const area = usePlace((s) => s.area);
  const theme = usePlace((s) => s.theme);
  const showLinks = usePlace((s) => s.showLinks);
  const sheet = usePlace((s) => s.sheet);
  const { setTheme, toggle } = usePlace.getState();
  const openPalette = usePalette((s) => s.setOpen);
  const input = useRef<HTMLInputElement>(null);
  const here = useHere();
  return (
    <header className="top-bar">
      <span className="brand" aria-hidden>
        Zelvar
      </span>
      <Button variant="bare" label="Back" onClick={() => window.history.back()}>
        <ArrowLeft size={15} aria-hidden />
      </Button>
      <Button variant="bare" label="Forward" onClick={() => window.history.forward()}>
        <ArrowRight size={15} aria-hidden />
      </Button>
      <div className="crumbs">
        <span style={{ width: Math.max(90, (project?.name.length ?? 0) * 7.4 + 14) }}>
          <CellField
            value={project?.name ?? ''}
            label="Name of the project"
            onCommit={(name) =>
              edit({ kind: 'project', changes: { name: name.trim() || 'Project' } }, 'Rename the project')
            }
          />
        </span>
        <ChevronRight size={13} aria-hidden className="quiet" />
        <span>{areaLook[area].title}</span>
        {area === 'needs' && (
          <>
            <ChevronRight size={13} aria-hidden className="quiet" />
            <span className="last">{needsSheetName(project, sheet)}</span>
          </>
        )}
        {area !== 'bench' && area !== 'needs' && here.type && (
          <>
            <ChevronRight size={13} aria-hidden className="quiet" />
            <span className="last">
              {here.path ? (
                <>
                  <strong>{here.path}</strong> : <span className="type-tag">{here.type.name}</span>
                </>
              ) : (
                <span className="type-tag">{here.type.name}</span>
              )}
            </span>
          </>
        )}
      </div>
      {following ? (
        <span className="following text-nowrap" role="status" data-testid="following">
          edited in another tab
          <Button size="sm" onClick={() => void takeOver()}>
            Edit here
          </Button>
        </span>
      ) : (
        <span
          className={saved === 'failed' ? 'unsaved text-nowrap' : 'quiet text-nowrap'}
          aria-live="polite"
          style={{ fontSize: '0.92em' }}
          data-testid="saved"
        >
          {saved === 'saved' ? 'saved' : saved === 'saving' ? 'saving …' : 'not saved!'}
        </span>
      )}
      <Dropdown align="end">
        <Dropdown.Toggle as={Button} variant="bare" id="problems" data-testid="problems-button">
          <ProblemCount />
        </Dropdown.Toggle>
        <Dropdown.Menu style={{ width: 480, maxHeight: 420, overflow: 'auto', padding: 0 }}>
          <ProblemList />
        </Dropdown.Menu>
      </Dropdown>
      <Button
        variant="bare"
        label={undoSteps.length ? `Undo: ${undoSteps.at(-1)!.label} (Ctrl+Z)` : 'Nothing to undo'}
        onClick={undo}
        disabled={undoSteps.length === 0}
        data-testid="undo"
      >
        <Undo2 size={15} aria-hidden />
      </Button>
      <Button
        variant="bare"
        label={redoSteps.length ? `Redo: ${redoSteps.at(-1)!.label} (Ctrl+Shift+Z)` : 'Nothing to redo'}
        onClick={redo}
        disabled={redoSteps.length === 0}
        data-testid="redo"
      >
        <Redo2 size={15} aria-hidden />
      </Button>
      <Button variant="bare" label="Search and commands (Ctrl+K)" onClick={() => openPalette(true)}>
        <Search size={15} aria-hidden />
      </Button>
      <Button
        variant="bare"
        label={showLinks ? 'Stop showing trace links' : 'Show trace links'}
        aria-pressed={showLinks}
        onClick={() => toggle('links')}
        data-testid="show-links"
      >
        <Link2 size={15} aria-hidden color={showLinks ? 'var(--accent)' : undefined} />
      </Button>
      <Button variant="bare" label="Outline" onClick={() => toggle('outline')}>
        <PanelLeft size={15} aria-hidden />
      </Button>
      <Button variant="bare" label="Details" onClick={() => toggle('details')}>
        <PanelRight size={15} aria-hidden />
      </Button>
      <Button
        variant="bare"
        label="Help on the language (F1)"
        onClick={() => usePalette.getState().setLanguage(true)}
        data-testid="help"
      >
        <CircleHelp size={15} aria-hidden />
      </Button>
      <Button
        variant="bare"
        label={theme === 'dark' ? 'Light theme' : 'Dark theme'}
        onClick={() => setTheme(theme === 'dark' ? 'light' : 'dark')}
      >
        {theme === 'dark' ? <Sun size={15} aria-hidden /> : <Moon size={15} aria-hidden />}
      </Button>
      <Dropdown align="end">
        <Dropdown.Toggle as={Button} id="file-menu">
          File
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item onClick={compareWithKept}>Compare with another version …</Dropdown.Item>
          <Dropdown.Item onClick={exportProject}>Export the project</Dropdown.Item>
          <Dropdown.Item onClick={exportRecording}>Export the recording as CSV</Dropdown.Item>
          <Dropdown.Item onClick={exportModels}>Export the physics as Modelica text</Dropdown.Item>
          <Dropdown.Item onClick={() => input.current?.click()}>
            Import a project, models or a recording …
          </Dropdown.Item>
          <Dropdown.Divider />
          <Dropdown.Item onClick={closeProject}>Close the project</Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      <input
        ref={input}
        type="file"
        accept=".zelvar,.json,.csv,.mo"
        hidden
        aria-label="File to import"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) void importFile(file);
          e.target.value = '';
        }}
      />
    </header>
  );
}

function needsSheetName(project: Project | undefined, sheet: string): string {
  const [kind, id] = sheet.split('/');
  if (kind === 'flow') return project?.flows.find((f) => f.id === id)?.name ?? 'Use flow';
  if (kind === 'requirement') return project?.requirements.find((r) => r.id === id)?.key ?? 'Requirement';
  return (
    { glossary: 'Glossary', import: 'Import', matrix: 'Matrix', gaps: 'Gaps and links', report: 'Report' }[kind] ??
    'Requirements'
  );
}

function ProblemCount() {
  const problems = useProject((s) => s.problems);
  const errors = problems.filter((p) => p.severity === 'error').length;
  const seconds = useSeconds(useProject((s) => s.checking));
  if (seconds !== undefined) return <span className="quiet">checking … {seconds} s</span>;
  if (problems.length === 0) return <span className="quiet">no problems</span>;
  return (
    <span
      style={{ color: errors ? 'var(--bad)' : 'var(--now-ink)', display: 'inline-flex', gap: 5, alignItems: 'center' }}
    >
      <TriangleAlert size={14} aria-hidden /> {problems.length} problem{problems.length === 1 ? '' : 's'}
    </span>
  );
}
