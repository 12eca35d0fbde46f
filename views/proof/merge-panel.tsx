'use client';
import { FileInput } from 'lucide-react';
import { useMemo, useRef, useState } from 'react';
import { readProjectFile } from '@/core/formats/project-file';
import type { Project } from '@/core/project/project';
import { changesSince, editsTo } from '@/core/versions/changes';
import { merge, type Conflict, type Side } from '@/core/versions/merge';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';

interface Given {
  readonly name: string;
  readonly there: Project;
}

/** Asks for a file that grew from a baseline. */
export function BringIn({
  before,
  give,
}: {
  readonly before: Project;
  readonly give: (given: Given | { readonly why: string }) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const read = async (file: File): Promise<void> => {
    const { value, problems } = readProjectFile(new Uint8Array(await file.arrayBuffer()));
    const own = new Set(before.types.map((t) => t.id));
    if (!value) give({ why: `${file.name}: ${problems[0]?.message ?? 'It cannot be read'}` });
    else if (before.types.length > 0 && !value.types.some((t) => own.has(t.id)))
      give({ why: `${file.name} has no part type of this baseline: it has not grown from it` });
    else give({ name: file.name, there: value });
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        accept=".zelvar,.json"
        hidden
        data-testid="merge-file"
        onChange={(e) => {
          const [file] = e.target.files ?? [];
          e.target.value = '';
          if (file) void read(file);
        }}
      />
      <Button
        size="sm"
        onClick={() => input.current?.click()}
        title="What somebody else has made of this baseline is brought together with the project as it is now"
      >
        <FileInput size={13} aria-hidden /> Bring in a file
      </Button>
    </>
  );
}

/** What a file that grew from a baseline changes here, and what both have changed. */
export function MergePanel({
  before,
  project,
  given: { name, there },
  close,
}: {
  readonly before: Project;
  readonly project: Project;
  readonly given: Given;
  readonly close: () => void;
}) {
  const [decided, setDecided] = useState<ReadonlyMap<string, Side>>(new Map());
  const merged = useMemo(() => merge(before, project, there, decided), [before, project, there, decided]);
  const { said, moved } = useMemo(() => changesSince(project, merged.project), [project, merged]);
  const open = merged.conflicts.filter((c) => !decided.has(c.address));
  const take = (): void => {
    const { edits, left } = editsTo(merged.project, project);
    if (edits.length > 0) useProject.getState().edit({ kind: 'batch', label: `Merge ${name}`, edits }, `Merge ${name}`);
    if (left.length > 0)
      usePlace.getState().say(
        `Not taken from ${name}: ${left
          .map((d) => d.what)
          .join(', ')
          .slice(0, 400)}`,
      );
    close();
  };
  return (
    <section className="merge-panel" data-testid="merge" aria-label={`Merge ${name}`}>
      <p className="mb-2">
        <strong>{name}</strong> changes {said.length === 1 ? '1 thing' : `${said.length} things`} here
        {moved.length > 0 && `, and where ${moved.length} stand`}
        {merged.conflicts.length === 0
          ? '.'
          : `; ${merged.conflicts.length === 1 ? '1 was' : `${merged.conflicts.length} were`} changed on both sides.`}
      </p>
      {merged.conflicts.map((c) => (
        <Decision
          key={c.address}
          of={c}
          side={decided.get(c.address)}
          decide={(side) => setDecided(new Map(decided).set(c.address, side))}
        />
      ))}
      <div className="d-flex gap-2">
        <Button variant="primary" disabled={open.length > 0} onClick={take} data-testid="take-merged">
          {open.length > 0 ? `${open.length} to decide` : 'Take it in'}
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </section>
  );
}

const said = (value: unknown): string =>
  value === undefined ? '' : typeof value === 'string' ? value : JSON.stringify(value);

function Decision({
  of,
  side,
  decide,
}: {
  readonly of: Conflict;
  readonly side: Side | undefined;
  readonly decide: (side: Side) => void;
}) {
  // of an entry that one side has taken away it is enough to say so
  const isEntry = of.here === undefined || of.there === undefined;
  const text = (value: unknown): string => (value === undefined ? 'taken away' : isEntry ? 'kept' : said(value));
  return (
    <fieldset className="merge-decision" data-conflict={of.address}>
      <legend>{of.what}</legend>
      {!isEntry && (
        <p className="mb-1 quiet">
          before: <span className="said">{said(of.before) || 'nothing'}</span>
        </p>
      )}
      {(
        [
          ['here', 'here'],
          ['there', 'in the file'],
        ] as const
      ).map(([which, words]) => (
        <label key={which}>
          <input
            type="radio"
            className="form-check-input"
            name={`decide ${of.address}`}
            checked={side === which}
            onChange={() => decide(which)}
          />
          <span className="quiet">{words}:</span> <span className="said">{text(of[which]) || 'nothing'}</span>
        </label>
      ))}
    </fieldset>
  );
}
