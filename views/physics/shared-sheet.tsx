'use client';
import { Plus, Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import { problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { FormulaEditor } from '@/ui/formula-editor';
import { addSharedText } from '@/ui/editing/make';
import { tryEdit } from '@/ui/names';
import { PhysicsChoice } from './structure-sheet';

const none = (): undefined => undefined;

/** Texts of classes that every physics text of the project can name. */
export function SharedSheet() {
  const { project } = useHere();
  const sheet = usePlace((s) => s.sheet);
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const { go } = usePlace.getState();
  const text = project?.libraries.find((l) => sheet === `shared/${l.id}`) ?? project?.libraries[0];
  const mine = useMemo(() => (text ? problemsAt(problems, `library/${text.id}`) : []), [problems, text]);
  if (!project) return null;
  return (
    <>
      <div className="pane-head">
        <h2 className="text-nowrap">Shared classes</h2>
        <PhysicsChoice />
        {text && project.libraries.length > 1 && (
          <select
            className="form-select form-select-sm"
            style={{ width: 150 }}
            aria-label="Shared text"
            value={text.id}
            onChange={(e) => go({ sheet: `shared/${e.target.value}` })}
          >
            {project.libraries.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
        )}
        {text && (
          <span style={{ width: 150 }}>
            <CellField
              value={text.name}
              label="Name of the shared text"
              onCommit={(name) =>
                edit({ kind: 'update', list: 'library', id: text.id, changes: { name } }, `Rename ${text.name}`)
              }
            />
          </span>
        )}
        <span style={{ flex: 1 }} />
        {text && (
          <Button
            variant="bare"
            label={`Delete the shared text ${text.name}`}
            onClick={() => tryEdit({ kind: 'remove', list: 'library', id: text.id }, `Delete ${text.name}`)}
          >
            <Trash2 size={14} aria-hidden />
          </Button>
        )}
        <Button onClick={() => addSharedText(project)}>
          <Plus size={14} aria-hidden /> Text
        </Button>
      </div>
      {text ? (
        <div className="pane-body" style={{ background: 'var(--card)' }}>
          <FormulaEditor
            key={text.id}
            value={text.text}
            label={`Shared classes of ${text.name}`}
            problems={mine}
            names={[]}
            readValue={none}
            minHeight="100%"
            onChange={(next) => {
              if (next !== text.text)
                tryEdit(
                  { kind: 'update', list: 'library', id: text.id, changes: { text: next } },
                  `Change ${text.name}`,
                );
            }}
          />
        </div>
      ) : (
        <div className="empty">
          <h3>No shared classes yet</h3>
          <p>
            Functions, records, connectors and models that several part types use stand here; any physics text can name
            them. Files of models bring theirs along.
          </p>
          <Button variant="primary" onClick={() => addSharedText(project)}>
            <Plus size={14} aria-hidden /> Begin a text
          </Button>
        </div>
      )}
    </>
  );
}
