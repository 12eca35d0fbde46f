'use client';
import { archiveOf } from '@/core/formats/archive';
import { ChevronDown, Download, ExternalLink, FileUp, PenLine, RotateCcw } from 'lucide-react';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { PartType, Project } from '@/core/project/project';
import type { CodeOfType } from '@/core/run/protocol';
import { mayBeFrom } from '@/core/stepcode/read-back/read-back';
import { elementIndex, type TraceElement } from '@/core/trace/elements';
import { goTo } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { keepWrittenCode, writtenCode, type WrittenCode } from '@/store/storage';
import { Button } from '@/ui/button';
import { Choices } from '@/ui/choices';
import { CodeText, type ChangedLines, type Lines } from '@/ui/code-text';
import { download } from '@/ui/download';
import { FileButton } from '@/ui/file-button';
import { changesSince, elementOfLine, elementsOf, type ElementLines } from './code-lines';
import { ComingBack } from './coming-back';
import { useCode } from './use-code';
import { useDraft } from './use-draft';

/** The C of a part type beside its elements: choosing one lights its lines, choosing a line shows its element. */
export function CodeSheet({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const code = useCode(project, type);
  const [written, write] = useWritten(project, type);
  const empty: WrittenCode = { projectId: project.id, type: type.id, at: 0, files: [] };
  const [file, setFile] = useState('');
  const [look, setLook] = useState<{ readonly line: number }>();
  const item = usePlace((s) => s.item);
  const { all, byAddress } = elementIndex(project);
  const names = code?.files.map(([name]) => name) ?? [];
  const main = names.find((n) => n.endsWith('.c')) ?? '';
  const source = code?.files.find(([name]) => name === main)?.[1] ?? '';
  const draft = useDraft(project.id, type.id, source, written, write);
  const isEditing = draft.text !== undefined && code !== undefined && code.files.length > 0;
  const shown = isEditing || !names.includes(file) ? main : file;
  const text = (isEditing ? draft.text : code?.files.find(([name]) => name === shown)?.[1]) ?? '';
  const side = shown === names[0] ? 'header' : shown === names[1] ? 'source' : undefined;
  const elements = useMemo(
    () => (code && side ? elementsOf(code.lines, side, all, byAddress) : []),
    [code, side, all, byAddress],
  );
  const prefix = `type/${type.id}/`;
  const chosen = item === '' ? undefined : byAddress.get(prefix + item);
  const lit = useMemo(() => elements.find((e) => e.element === chosen)?.lines ?? [], [elements, chosen]);
  const before = isEditing ? source : written?.files.find(([name]) => name === shown)?.[1];
  const changed = useMemo(() => (before === undefined ? [] : changesSince(before, text)), [before, text]);
  const choose = useCallback(
    (element: TraceElement | undefined) =>
      usePlace.getState().select(element?.address.startsWith(prefix) ? element.address.slice(prefix.length) : ''),
    [prefix],
  );
  if (!code)
    return (
      <div className="empty">
        <p>Writing the code…</p>
      </div>
    );
  if (code.files.length === 0) return <Refused code={code} type={type} />;
  const handOut = (): void => {
    download(`${type.name}.zip`, 'application/zip', archiveOf(code.files));
    write({ ...empty, ...written, at: Date.now(), files: code.files });
  };
  const lookAt = (line: number): void => setLook({ line });
  /** The lines that are looked at stay in sight. */
  const edit = (): void => {
    draft.take(source);
    if (shown === main && lit[0]) lookAt(lit[0].from);
  };
  const readFile = (read: File): void => {
    if (read.size > largestSource)
      return usePlace.getState().say(`${read.name} is larger than any source of ${type.name}`);
    void read.text().then(
      // what was handed out is what it was made of, where that is known
      (t) =>
        mayBeFrom(source, t)
          ? draft.take(t, written?.files.find(([name]) => name === main)?.[1] ?? source)
          : usePlace.getState().say(`${read.name} is no source of ${type.name}: none of its functions is in it`),
      () => usePlace.getState().say(`${read.name} could not be read`),
    );
  };
  return (
    <div className="code-split">
      {isEditing ? (
        <ComingBack found={draft.found} isEdited={draft.text !== source} look={lookAt} />
      ) : (
        <ElementList type={type} elements={elements} chosen={chosen} choose={choose} />
      )}
      <div className="code-side">
        <div className="code-bar">
          {isEditing ? (
            <span>
              Editing <strong>{main}</strong>
            </span>
          ) : (
            <Choices
              label="File"
              choices={names.map((n) => ({ key: n, text: n.replace(type.name, '').replace(/^_/, '') || n }))}
              chosen={shown}
              onChoose={setFile}
            />
          )}
          <span style={{ flex: 1 }} />
          {isEditing ? (
            <Button
              size="sm"
              onClick={draft.drop}
              title={draft.text === source ? 'Back to reading' : 'What has been edited and not taken over is gone then'}
              data-testid="drop-edit"
            >
              <RotateCcw size={13} aria-hidden /> {draft.text === source ? 'Done' : 'Drop the edit'}
            </Button>
          ) : (
            <>
              <WhatChanged written={written} changed={changed} look={lookAt} />
              <Button size="sm" onClick={edit} data-testid="edit-code">
                <PenLine size={13} aria-hidden /> Edit
              </Button>
            </>
          )}
          {/* an edit that is open is not lost to a file */}
          {(!isEditing || draft.text === source) && (
            <FileButton
              size="sm"
              label="An edited source"
              accept=".c,.txt,text/plain"
              title={`${main} as somebody has edited it elsewhere: what comes of it is shown before anything is taken over`}
              onFile={readFile}
            >
              <FileUp size={13} aria-hidden /> Read back
            </FileButton>
          )}
          {/* what is handed out is what is written, not what somebody makes of it */}
          {!isEditing && (
            <>
              <Button size="sm" onClick={handOut} data-testid="download-code">
                <Download size={13} aria-hidden /> Sources
              </Button>
              <Button
                size="sm"
                title="A unit for co-simulation after FMI 3.0, as sources"
                onClick={() => download(`${type.name}.fmu`, 'application/zip', archiveOf(code.unit))}
                data-testid="download-unit"
              >
                <Download size={13} aria-hidden /> FMI unit
              </Button>
            </>
          )}
        </div>
        {!isEditing && <Chosen element={chosen} lines={lit} project={project} />}
        <CodeText
          key={`${shown} ${isEditing}`}
          text={text}
          label={`Code of ${shown}`}
          lit={isEditing ? noLines : lit}
          changed={changed}
          look={look}
          onLine={(line) => !isEditing && side && choose(elementOfLine(line, code.lines, side, byAddress))}
          onChange={isEditing ? draft.change : undefined}
        />
      </div>
    </div>
  );
}

const noLines: readonly Lines[] = [];
/** Bytes. */
const largestSource = 4_000_000;

/** What was handed out last and what is edited, and a way to keep that. */
function useWritten(
  project: Project,
  type: PartType,
): readonly [WrittenCode | undefined, (written: WrittenCode) => void] {
  const [written, setWritten] = useState<WrittenCode>();
  useEffect(() => {
    let isCurrent = true;
    writtenCode(project.id, type.id).then(
      (found) => isCurrent && setWritten(found),
      // without a memory nothing is marked
      () => undefined,
    );
    return () => void (isCurrent = false);
  }, [project.id, type.id]);
  return [
    written,
    (kept) => {
      setWritten(kept);
      keepWrittenCode(kept).catch(() => usePlace.getState().say('What was written is not kept in this browser'));
    },
  ];
}

function WhatChanged({
  written,
  changed,
  look,
}: {
  readonly written: WrittenCode | undefined;
  readonly changed: readonly ChangedLines[];
  readonly look: (line: number) => void;
}) {
  const [shown, setShown] = useState(-1);
  if (!written || written.files.length === 0) return null;
  const count = changed.reduce((n, c) => n + c.to - c.from + 1, 0);
  const at = new Date(written.at).toLocaleString([], { dateStyle: 'short', timeStyle: 'short' });
  if (count === 0)
    return (
      <span className="quiet" data-testid="code-changes">
        As handed out {at}
      </span>
    );
  return (
    <Button
      size="sm"
      variant="bare"
      data-testid="code-changes"
      title="Goes from one change to the next"
      onClick={() => {
        const next = (shown + 1) % changed.length;
        setShown(next);
        look(changed[next].from);
      }}
    >
      ± {count} {count === 1 ? 'line' : 'lines'} not as handed out {at}
    </Button>
  );
}

/** What is chosen, with its requirements and the way to it. */
function Chosen({
  element,
  lines,
  project,
}: {
  readonly element: TraceElement | undefined;
  readonly lines: readonly Lines[];
  readonly project: Project;
}) {
  const keys = useMemo(() => {
    if (!element) return [];
    const known = new Map(project.requirements.map((r) => [r.id, r.key]));
    return project.traces.flatMap((t) => (t.element === element.address ? (known.get(t.requirement) ?? []) : []));
  }, [element, project]);
  return (
    <div className="code-chosen" data-testid="code-chosen" aria-live="polite">
      {element ? (
        <>
          <strong>{element.label}</strong>
          <span className="quiet">{element.kind}</span>
          {keys.length > 0 && <span>{keys.join(', ')}</span>}
          <span className="quiet">
            {lines.length === 0
              ? 'has no lines in this file'
              : `${lines.length === 1 ? 'line' : 'lines'} ${lines.map((l) => (l.from === l.to ? l.from : `${l.from}–${l.to}`)).join(', ')}`}
          </span>
          <Button size="sm" variant="bare" onClick={() => goTo(element.address)}>
            <ExternalLink size={13} aria-hidden /> Open
          </Button>
        </>
      ) : (
        <span className="quiet">Choose an element to see its lines, or a line to see what it is of.</span>
      )}
    </div>
  );
}

/** Elements with lines, under the chart or the sheet they stand in. */
function ElementList({
  type,
  elements,
  chosen,
  choose,
}: {
  readonly type: PartType;
  readonly elements: readonly ElementLines[];
  readonly chosen: TraceElement | undefined;
  readonly choose: (element: TraceElement | undefined) => void;
}) {
  const [search, setSearch] = useState('');
  const here = useRef<HTMLButtonElement>(null);
  useEffect(() => void here.current?.scrollIntoView({ block: 'nearest' }), [chosen]);
  const wanted = search.trim().toLowerCase();
  const nameOf = ({ label }: TraceElement): string =>
    label.startsWith(`${type.name}.`) ? label.slice(type.name.length + 1) : label;
  const shown = elements.filter(({ element }) => `${nameOf(element)} ${element.kind}`.toLowerCase().includes(wanted));
  return (
    <nav className="code-elements" aria-label="Elements with code">
      <input
        className="form-control form-control-sm"
        placeholder="Search elements"
        aria-label="Search elements"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <ul data-testid="code-elements">
        {shown.map(({ element }) => (
          <li key={element.address}>
            <button
              type="button"
              ref={element === chosen ? here : undefined}
              className={element === chosen ? 'here' : ''}
              aria-current={element === chosen}
              onClick={() => choose(element === chosen ? undefined : element)}
            >
              <span className="text-truncate">{nameOf(element)}</span>
              <span className="quiet">{element.kind}</span>
            </button>
          </li>
        ))}
        {shown.length === 0 && (
          <li className="quiet px-2">
            {wanted === '' ? 'No lines of this file are of an element.' : 'Nothing is called so.'}
          </li>
        )}
      </ul>
    </nav>
  );
}

/** Why there is no code, each reason with the way to its place. */
function Refused({ code, type }: { readonly code: CodeOfType; readonly type: PartType }) {
  return (
    <div className="empty" style={{ maxWidth: '80ch' }} data-testid="code-refused">
      <h3>{type.name} cannot be put into code as it is</h3>
      {code.problems.length === 0 && <p>The code could not be written.</p>}
      <ul className="refusals">
        {code.problems.map((p, k) => (
          <li key={k}>
            {p.message}
            {p.place && p.place !== `type/${type.id}/software` && (
              <Button size="sm" variant="bare" onClick={() => goTo(p.place!)}>
                <ChevronDown size={13} aria-hidden style={{ transform: 'rotate(-90deg)' }} /> Show
              </Button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
