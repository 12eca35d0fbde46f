'use client';
import { OctagonX, TriangleAlert } from 'lucide-react';
import type { Problem } from '@/core/language/diagnostics';
import { entryAddress, findAt, readAddress } from '@/core/project/address';
import { partType } from '@/core/project/document';
import type { Project } from '@/core/project/project';
import { locate } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { stopChecking } from '@/store/checking';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { useSeconds } from '@/ui/use-still';
import { useRuns } from '@/store/run-store';

export function ProblemList() {
  const project = useProject((s) => s.project);
  const problems = useProject((s) => s.problems);
  const run = useRuns((s) => s.current);
  const go = usePlace((s) => s.go);
  const seconds = useSeconds(useProject((s) => s.checking));
  const all: readonly Problem[] = run?.problem ? [run.problem, ...problems] : problems;
  if (seconds !== undefined)
    return (
      <div className="p-3 d-flex gap-3 align-items-center">
        <span className="quiet">What has changed is still being checked, for {seconds} s now.</span>
        <Button size="sm" onClick={stopChecking}>
          Stop checking
        </Button>
      </div>
    );
  if (!project || all.length === 0)
    return <div className="p-3 quiet">Nothing is wrong with this project as far as Zelvar can see.</div>;
  return (
    <div>
      {all.slice(0, mostShown).map((p, k) => (
        <button key={k} type="button" className="problem-item" onClick={() => go(locate(project, p.place))}>
          <span style={{ color: p.severity === 'error' ? 'var(--bad)' : 'var(--now-ink)', flex: 'none' }}>
            {p.severity === 'error' ? (
              <OctagonX size={13} aria-label="error" />
            ) : (
              <TriangleAlert size={13} aria-label="warning" />
            )}
          </span>
          <span>
            {p.message}
            <span className="quiet d-block" style={{ fontSize: '0.9em' }}>
              {placeWords(project, p.place)}
            </span>
          </span>
        </button>
      ))}
      {all.length > mostShown && <p className="px-3 py-2 m-0 quiet">and {all.length - mostShown} more</p>}
    </div>
  );
}

const mostShown = 200;

function placeWords(project: Project, place: string | undefined): string {
  const found = place === undefined ? undefined : findAt(project, entryAddress(place));
  if (!found) return '';
  const { description } = found.steps.at(-1)!;
  const own = description.says(found.chain);
  const field = readAddress(place!)?.field;
  const type = found.steps[0].description === partType ? found.chain[0].name : undefined;
  if (type === undefined) return own;
  return found.chain.length > 1 ? `${type}, ${own}` : `${type}${field ? `, ${field}` : ''}`;
}
