'use client';
import { BookA, FileText, Grid3x3, ListChecks, ListTree, Plus, Route } from 'lucide-react';
import { useMemo, useState, type ReactNode } from 'react';
import { completeness } from '@/core/trace/completeness';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { addFlow } from '@/ui/editing/make';
import { useThrottled } from '@/ui/use-throttled';

/** The sheets of the needs: requirements, words, use flows, and what ties them to the product. */
export function NeedsOutline() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  const [search, setSearch] = useState('');
  const { go } = usePlace.getState();
  const calm = useThrottled(project, 900);
  const complete = useMemo(() => calm && completeness(calm), [calm]);
  if (!project || !complete) return null;
  const open = (to: string): void => go({ area: 'needs', sheet: to });
  const row = (to: string, icon: ReactNode, name: string, more: ReactNode = null, depth = 0): ReactNode =>
    name.toLowerCase().includes(search.toLowerCase()) && (
      <button
        key={to || 'requirements'}
        type="button"
        className={`outline-row as-button${sheet === to || (to === '' && sheet.startsWith('requirement/')) ? ' here' : ''}`}
        style={{ paddingLeft: 10 + depth * 14 }}
        onClick={() => open(to)}
        aria-current={sheet === to ? 'page' : undefined}
      >
        {icon}
        <span className="text-truncate">{name}</span>
        <span className="type-name ms-auto">{more}</span>
      </button>
    );
  const share = complete.of === 0 ? undefined : Math.floor((100 * complete.done) / complete.of);
  return (
    <>
      <div className="pane-head">
        <input
          className="form-control form-control-sm"
          placeholder="Search sheets"
          aria-label="Search the outline"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      </div>
      <div className="pane-body" role="navigation" aria-label="Outline">
        {row('', <ListChecks size={14} aria-hidden />, 'Requirements', project.requirements.length)}
        {row('glossary', <BookA size={14} aria-hidden />, 'Glossary', project.glossary.length)}
        <h3 className="section-title">
          Use flows
          <Button size="sm" onClick={() => addFlow(project)} label="Add a use flow">
            <Plus size={13} aria-hidden />
          </Button>
        </h3>
        {project.flows.map((f) => row(`flow/${f.id}`, <Route size={14} aria-hidden />, f.name))}
        {project.flows.length === 0 && (
          <p className="px-3 quiet">How somebody reaches a goal with the product, step by step.</p>
        )}
        <h3 className="section-title">Traces</h3>
        {row('matrix', <Grid3x3 size={14} aria-hidden />, 'Matrix')}
        {row('gaps', <ListTree size={14} aria-hidden />, 'Gaps and links', share === undefined ? '' : `${share} %`)}
        {row('report', <FileText size={14} aria-hidden />, 'Report')}
      </div>
    </>
  );
}
