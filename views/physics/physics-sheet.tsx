'use client';
import { useMemo } from 'react';
import { physicsEquations } from '@/core/project/equations';
import { fullName, problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { traceLook } from '@/store/trace';
import { DraggableName } from '@/ui/draggable-name';
import { FormulaEditor, type LinkedSpan } from '@/ui/formula-editor';
import { RelationsSheet } from './relation-sheet';
import { SharedSheet } from './shared-sheet';
import { PhysicsChoice, StructureSheet } from './structure-sheet';
import { withUnit } from '@/ui/format';
import { namesIn } from '@/ui/known-names';
import { InsideSheet } from '@/ui/inside/inside-sheet';
import { PartSettings, selectedPart } from '@/ui/inside/part-settings';
import { TraceLinks } from '@/ui/trace-links';
import { useMoment } from '@/ui/moment';

const noSpans: LinkedSpan[] = [];
const starter = `// one equation per unknown, for example
// der(position) = speed;
`;

/** The physics of a part type: its equations as text, or how they are solved. */
export function PhysicsSheet() {
  const sheet = usePlace((s) => s.sheet);
  const [kind] = sheet.split('/');
  if (kind === 'relations') return <RelationsSheet />;
  if (kind === 'shared') return <SharedSheet />;
  return sheet === 'structure' ? <StructureSheet /> : <EquationsSheet withNetwork={sheet === 'network'} />;
}

/** The equations of a part type as text. */
function EquationsSheet({ withNetwork }: { readonly withNetwork: boolean }) {
  const { type, path, project } = useHere();
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const now = useMoment();
  const { run } = now;
  const { say } = usePlace.getState();
  const names = useMemo(() => (project && type ? namesIn(project, type) : []), [project, type]);
  const place = type ? `type/${type.id}/physics` : '';
  const mine = useMemo(() => problems.filter((p) => p.place === place), [problems, place]);
  const showLinks = usePlace((s) => s.showLinks);
  const item = usePlace((s) => s.item);
  const linked = useMemo((): LinkedSpan[] => {
    if (!project || !type || !showLinks) return noSpans;
    return physicsEquations(type).map((e) => {
      const look = traceLook(project, `type/${type.id}/equation/${e.id}`, true);
      return { from: e.span.start, to: e.span.end, title: look.title ?? '', linked: look.count > 0 };
    });
  }, [project, type, showLinks]);
  if (!project || !type) return null;
  const choose = (at: number): void => {
    const equation = physicsEquations(type).find((e) => e.span.start <= at && at <= e.span.end);
    const next = equation ? `equation/${equation.id}` : '';
    if (next !== item) usePlace.getState().select(next);
  };
  const part = selectedPart(type, item);
  const unitOf = (name: string): string => type.quantities.find((q) => q.name === name)?.unit ?? '';
  const valueOf = (name: string): string | undefined => {
    if (!run || path === undefined) return undefined;
    const text = now.text(fullName(path, name));
    return text ? withUnit(text, unitOf(name)) : undefined;
  };
  const change = (physics: string): void => {
    if (physics === type.physics) return;
    const refused = edit(
      { kind: 'update', list: 'type', id: type.id, changes: { physics } },
      `Change the physics of ${type.name}`,
      `physics-${type.id}`,
    );
    if (refused) say(refused.message);
  };
  return (
    <>
      <div className="pane-head">
        <h2>
          Physics of <span className="type-tag">{type.name}</span>
        </h2>
        <PhysicsChoice />
        <span className="quiet text-nowrap text-truncate">
          {path !== undefined && run ? `values of ${path || 'the product'} at the cursor` : 'run it to see values'}
        </span>
      </div>
      <div className={`physics-split${withNetwork ? ' with-network' : ''}`}>
        {withNetwork && <InsideSheet project={project} type={type} path={path} />}
        <div className="physics-text">
          {withNetwork && part !== undefined && (
            <div className="physics-part">
              <PartSettings name={part} />
            </div>
          )}
          <div className="pane-body" style={{ background: 'var(--card)' }}>
            <FormulaEditor
              key={type.id}
              value={type.physics}
              label={`Physics text of ${type.name}`}
              onChange={change}
              problems={mine}
              names={names}
              readValue={valueOf}
              lineValues
              moment={now}
              linked={linked}
              onCursor={choose}
              minHeight="100%"
            />
            {type.physics.trim() === '' && (
              <div className="empty">
                <h3>No equations yet</h3>
                <p>
                  Write what holds, in any order and direction; Zelvar finds out how to solve it. Names are the
                  quantities of this part type.
                </p>
                <pre className="mono">{starter}</pre>
              </div>
            )}
          </div>
        </div>
      </div>
    </>
  );
}

/** Quantities of the part with their values, and the problems of the text. */
export function PhysicsDetails() {
  const { type, path } = useHere();
  const problems = useProject((s) => s.problems);
  const moment = useMoment();
  const go = usePlace((s) => s.go);
  const item = usePlace((s) => s.item);
  if (!type) return null;
  const part = selectedPart(type, item);
  if (part !== undefined) return <PartSettings name={part} />;
  const equation = item.startsWith('equation/')
    ? physicsEquations(type).find((e) => `equation/${e.id}` === item)
    : undefined;
  const mine = problemsAt(problems, `type/${type.id}`);
  return (
    <>
      <div className="pane-head">
        <h2>Quantities</h2>
        <button
          type="button"
          className="btn btn-link p-0"
          style={{ fontSize: 'inherit' }}
          onClick={() => go({ area: 'product' })}
        >
          edit
        </button>
      </div>
      <div className="pane-body">
        {equation && (
          <div data-testid="equation-links">
            <p className="mono px-3 pt-2 mb-0" style={{ overflowWrap: 'anywhere' }}>
              {equation.text}
            </p>
            <TraceLinks address={`type/${type.id}/equation/${equation.id}`} what={equation.text} />
          </div>
        )}
        {mine.length > 0 && (
          <ul
            className="list-unstyled px-3 py-2 m-0"
            style={{ color: 'var(--bad)', borderBottom: '1px solid var(--hair)' }}
            data-testid="physics-problems"
          >
            {mine.map((p, k) => (
              <li key={k} className="mb-1">
                {p.message}
              </li>
            ))}
          </ul>
        )}
        <table className="table" style={{ tableLayout: 'fixed' }}>
          <colgroup>
            <col style={{ width: '48%' }} />
            <col />
          </colgroup>
          <tbody>
            {type.quantities.map((q) => {
              const name = fullName(path, q.name);
              return (
                <tr key={q.id} title={`${q.role}${q.note ? `: ${q.note}` : ''}`} data-value-of={q.name}>
                  <td className="mono text-truncate">
                    <DraggableName name={name} from="physics">
                      {q.name}
                    </DraggableName>
                  </td>
                  <td className="mono text-end text-nowrap text-truncate" style={{ fontSize: '0.86em' }}>
                    {(path !== undefined && moment.text(name)) || '–'}{' '}
                    <span className="quiet">{q.unit !== '1' && q.unit}</span>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </>
  );
}
