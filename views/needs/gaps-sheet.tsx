'use client';
import { Check, Link2Off } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { Project } from '@/core/project/project';
import { completeness, gapWords, type Gap, type GapKind } from '@/core/trace/completeness';
import { confirmEdit, linkIndex, whyNotSound } from '@/core/trace/links';
import { elementIndex } from '@/core/trace/elements';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { unlink } from '@/store/trace';
import { Button } from '@/ui/button';
import { VirtualRows } from '@/ui/virtual-rows';

type Line =
  | { readonly kind: 'head'; readonly gap: GapKind; readonly count: number }
  | { readonly kind: 'gap'; readonly gap: Gap };

/** How completely everything is traced, and every place where it is not. */
export function GapsSheet({ project }: { readonly project: Project }) {
  const complete = useMemo(() => completeness(project), [project]);
  const links = useMemo(() => linkIndex(project), [project]);
  const { edit } = useProject.getState();
  const [only, setOnly] = useState<GapKind>();
  const lines = useMemo(() => {
    const kinds = (Object.keys(gapWords) as GapKind[]).filter(
      (k) =>
        (only === undefined || k === only) &&
        complete.gaps.some((g) => g.kind === k) &&
        k !== 'suspect' &&
        k !== 'broken',
    );
    return kinds.flatMap((k): Line[] => {
      const some = complete.gaps.filter((g) => g.kind === k);
      return [{ kind: 'head', gap: k, count: some.length }, ...some.map((gap): Line => ({ kind: 'gap', gap }))];
    });
  }, [complete, only]);
  const doubtful = [...links.broken, ...links.suspect];
  return (
    <>
      <div className="pane-head">
        <h2>Gaps and links</h2>
        <span className="quiet">
          {complete.of === 0
            ? 'nothing to trace yet'
            : `${complete.done} of ${complete.of} tied, ${Math.floor((100 * complete.done) / complete.of)} %`}
        </span>
      </div>
      <div className="pane-body gaps-sheet" data-testid="gaps">
        <div>
          <ul className="gap-bars" aria-label="Completeness">
            {complete.bars.map((b) => (
              <li key={b.kind}>
                <button
                  type="button"
                  className={only === b.kind ? 'here' : ''}
                  onClick={() => setOnly(only === b.kind ? undefined : b.kind)}
                  aria-pressed={only === b.kind}
                >
                  <span>{doneWords[b.kind]}</span>
                  <span className="bar" role="img" aria-label={`${b.done} of ${b.of}`}>
                    <span style={{ width: `${(100 * b.done) / Math.max(1, b.of)}%` }} />
                  </span>
                  <span className="mono">
                    {b.done}/{b.of}
                  </span>
                </button>
              </li>
            ))}
          </ul>
          {lines.length === 0 ? (
            <div className="empty">
              {complete.of === 0
                ? 'Write requirements and use flows, and link them to the product: what is missing then stands here.'
                : 'There is no gap.'}
            </div>
          ) : (
            <VirtualRows items={lines} estimate={28} className="gap-list" testId="gap-list">
              {(l) =>
                l.kind === 'head' ? (
                  <h3 className="section-title">
                    {gapWords[l.gap]} ({l.count})
                  </h3>
                ) : (
                  <button type="button" className="gap-line" onClick={() => goTo(l.gap.address)}>
                    <strong>{l.gap.label}</strong>{' '}
                    <span className="quiet">
                      {l.gap.address.startsWith('requirement/') &&
                        elementIndex(project).byAddress.get(l.gap.address)?.content.split('|')[0]}
                    </span>
                  </button>
                )
              }
            </VirtualRows>
          )}
        </div>
        <div className="outline">
          <h3 className="section-title">
            Links to look at again ({doubtful.length})
            {links.suspect.length > 1 && (
              <Button size="sm" onClick={() => edit(confirmEdit(project, links.suspect), 'Confirm trace links')}>
                All {links.suspect.length} still hold
              </Button>
            )}
          </h3>
          {doubtful.length === 0 ? (
            <p className="px-3 quiet">
              Every link leads somewhere, and neither of its ends has changed since it was confirmed.
            </p>
          ) : (
            <VirtualRows items={doubtful} estimate={64} className="doubtful" testId="doubtful">
              {(l) => (
                <div className="doubtful-line" data-state={l.state}>
                  <div>
                    <button
                      type="button"
                      className="btn btn-link p-0"
                      style={{ fontSize: 'inherit' }}
                      onClick={() => l.requirement && goTo(l.requirement.address)}
                    >
                      {l.requirement?.label ?? 'gone'}
                    </button>{' '}
                    –{' '}
                    <button
                      type="button"
                      className="btn btn-link p-0 text-start"
                      style={{ fontSize: 'inherit', whiteSpace: 'normal' }}
                      onClick={() => l.element && goTo(l.element.address)}
                    >
                      {l.element?.label ?? 'gone'}
                    </button>
                  </div>
                  <div className={l.state === 'broken' ? 'bad-ink' : 'now-ink'}>{whyNotSound(l)}</div>
                  <div className="d-flex gap-1">
                    {l.state === 'suspect' && (
                      <Button size="sm" onClick={() => edit(confirmEdit(project, [l]), 'Confirm a trace link')}>
                        <Check size={13} aria-hidden /> It still holds
                      </Button>
                    )}
                    <Button size="sm" onClick={() => unlink([l], 'Remove a trace link')}>
                      <Link2Off size={13} aria-hidden /> Remove
                    </Button>
                  </div>
                </div>
              )}
            </VirtualRows>
          )}
        </div>
      </div>
    </>
  );
}

const doneWords: Readonly<Record<GapKind, string>> = {
  step: 'Steps with a requirement',
  branch: 'Guarded branches with a requirement',
  'no-step': 'Requirements from a step',
  'no-formula': 'Requirements that can be checked',
  'no-element': 'Requirements an element serves',
  suspect: '',
  broken: '',
};
