'use client';
import { ArrowDown, ArrowUp, Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useState } from 'react';
import { sortOf } from '@/core/panels/arrange';
import {
  newShape,
  panelOf,
  type Control,
  type ControlKind,
  type Panel,
  type Project,
  type Shape,
} from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useMoment } from '@/ui/moment';
import { Button } from '@/ui/button';
import { commonUnits } from '@/core/language/units';
import { CellField, CellSelect } from '@/ui/cell-field';
import { runNames } from '@/ui/run-names';
import type { Suggestion } from '@/ui/suggestions';
import { TraceLinks } from '@/ui/trace-links';
import { Picture } from './control-view';
import { controlNames } from './panel-editor';
import { FieldRow } from '@/ui/field-row';

const product = runNames('');
const targetNames = (kind: ControlKind): (() => readonly Suggestion[]) | undefined =>
  kind === 'button'
    ? product.messages
    : kind === 'lamp'
      ? product.formula
      : kind === 'text' || kind === 'picture'
        ? undefined
        : kind === 'verdict'
          ? requirementKeys
          : product.quantities;
const requirementKeys = (): readonly Suggestion[] =>
  useProject.getState().project?.requirements.map((r) => ({ name: r.key, detail: r.text.slice(0, 80) })) ?? [];
const targetHint: Partial<Record<ControlKind, string>> = {
  button: 'part and message',
  lamp: 'yes-or-no quantity or condition',
  verdict: 'id of a requirement',
  text: '',
  picture: '',
};

/** `3 setups open this panel.` */
function openedBy(project: Project, panel: Panel): string {
  const count = project.setups.filter((s) => panelOf(project, s) === panel).length;
  return `${count === 0 ? 'No setup opens' : count === 1 ? '1 setup opens' : `${count} setups open`} this panel.`;
}

/** The control chosen on the panel being arranged. */
export function PanelDetails({ project, panel }: { readonly project: Project; readonly panel: Panel }) {
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const problems = useProject((s) => s.problems);
  const c = panel.controls.find((x) => `control/${x.id}` === item);
  const list = `panel/${panel.id}/control`;
  if (!c) {
    return (
      <>
        <div className="pane-head">
          <h2>
            <span className="quiet">panel</span> {panel.name}
          </h2>
        </div>
        <div className="pane-body">
          <p className="quiet px-3 pt-2">
            Choose a control to edit it; Shift chooses several. Arrow keys move what is chosen, corners change its size.{' '}
            {openedBy(project, panel)}
          </p>
          <TraceLinks address={`panel/${panel.id}`} what={panel.name} />
        </div>
      </>
    );
  }
  const set = (changes: Partial<Control>, what: string) =>
    edit({ kind: 'update', list, id: c.id, changes }, `${what} of ${c.label}`);
  const number = (key: 'min' | 'max' | 'x' | 'y' | 'width' | 'height', label: string) => (
    <FieldRow label={label}>
      <CellField
        value={String(c[key])}
        label={`${label} of the control`}
        mono
        onCommit={(text) =>
          Number.isFinite(Number(text)) && text.trim() !== ''
            ? set({ [key]: Number(text) }, `Change ${label.toLowerCase()}`)
            : { severity: 'error', code: 'number', message: 'A number is needed' }
        }
      />
    </FieldRow>
  );
  const problem = problems.find((p) => p.place === `panel/${panel.id}/control/${c.id}`)?.message;
  const kinds = sortOf(c.kind);
  return (
    <>
      <div className="pane-head">
        <h2 className="text-truncate">
          <span className="quiet">{controlNames[c.kind].toLowerCase()}</span> {c.label}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <FieldRow label="Label">
          <CellField
            value={c.label}
            label="Label of the control"
            onCommit={(label) => set({ label }, 'Change the label')}
          />
        </FieldRow>
        {kinds.length > 1 && (
          <FieldRow label="Shown as">
            <CellSelect
              value={c.kind}
              label="Kind of control"
              options={kinds.map((k) => [k, controlNames[k]] as const)}
              onCommit={(kind) => set({ kind: kind as ControlKind }, 'Change the kind')}
            />
          </FieldRow>
        )}
        {c.kind !== 'text' && c.kind !== 'picture' && (
          <FieldRow label={c.kind === 'button' ? 'Sends' : c.kind === 'verdict' ? 'Requirement' : 'Follows'}>
            <CellField
              value={c.target}
              label="What it is for"
              mono
              names={targetNames(c.kind)}
              placeholder={targetHint[c.kind] ?? 'quantity'}
              problem={problem}
              onCommit={(target) => set({ target: target.trim() }, 'Change the target')}
            />
          </FieldRow>
        )}
        {c.kind === 'button' && (
          <FieldRow label="When let go">
            <CellField
              value={c.release}
              label="Message when let go"
              mono
              names={product.messages}
              placeholder="nothing"
              onCommit={(release) => set({ release: release.trim() }, 'Change what letting go sends')}
            />
          </FieldRow>
        )}
        {!['button', 'switch', 'lamp', 'verdict', 'text', 'picture'].includes(c.kind) && (
          <FieldRow label="Unit">
            <CellField
              value={c.unit}
              label="Unit of the control"
              mono
              list={commonUnits}
              placeholder="as it is"
              onCommit={(unit) => set({ unit }, 'Change the unit')}
            />
          </FieldRow>
        )}
        {['slider', 'field', 'knob', 'dial', 'level'].includes(c.kind) && (
          <>
            {number('min', 'From')}
            {number('max', 'To')}
          </>
        )}
        {c.kind === 'picture' && <Shapes panel={panel} control={c} />}
        <h3 className="section-title">Place</h3>
        {number('x', 'Left')}
        {number('y', 'Top')}
        {number('width', 'Width')}
        {number('height', 'Height')}
      </div>
    </>
  );
}

const shapeKinds: readonly (readonly [Shape['kind'], string])[] = [
  ['box', 'box'],
  ['disc', 'disc'],
  ['line', 'line'],
  ['words', 'words'],
];
const tones: readonly (readonly [Shape['tone'], string])[] = [
  ['ink', 'dark'],
  ['pale', 'pale'],
  ['accent', 'accent'],
  ['now', 'amber'],
  ['good', 'green'],
  ['bad', 'red'],
];

/** The pieces of a picture, from the back to the front. */
function Shapes({ panel, control: c }: { readonly panel: Panel; readonly control: Control }) {
  const { edit } = useProject.getState();
  const now = useMoment();
  const [chosen, choose] = useState(c.shapes[0]?.id ?? '');
  const list = `panel/${panel.id}/control/${c.id}/shape`;
  const s = c.shapes.find((x) => x.id === chosen);
  const at = c.shapes.findIndex((x) => x.id === chosen);
  const set = (changes: Partial<Shape>) =>
    edit({ kind: 'update', list, id: chosen, changes }, `Change a piece of ${c.label}`);
  const field = (key: 'x' | 'y' | 'width' | 'height' | 'turn' | 'shown' | 'text' | 'sends', label: string, hint = '') =>
    s && (
      <FieldRow label={label}>
        <CellField
          value={s[key]}
          label={`${label} of the piece`}
          mono
          names={product.formula}
          placeholder={hint}
          onCommit={(text) => set({ [key]: text })}
        />
      </FieldRow>
    );
  const add = (kind: Shape['kind']): void => {
    const entry = newShape(`w-${nanoid(6)}`, kind);
    edit({ kind: 'insert', list, entry }, `Add a piece to ${c.label}`);
    choose(entry.id);
  };
  return (
    <>
      <h3 className="section-title">Pieces</h3>
      <div className="px-3">
        <Picture control={c} now={now} chosen={chosen} />
      </div>
      <div className="px-3 py-1 d-flex gap-1 flex-wrap">
        {shapeKinds.map(([kind, what]) => (
          <Button key={kind} size="sm" onClick={() => add(kind)}>
            <Plus size={12} aria-hidden /> {what}
          </Button>
        ))}
      </div>
      {c.shapes.length > 0 && (
        <FieldRow label="Piece" className="d-flex">
          <CellSelect
            value={chosen}
            label="Piece of the picture"
            options={c.shapes.map(
              (x, k) => [x.id, `${k + 1} ${x.kind}${x.text && x.kind === 'words' ? ` “${x.text}”` : ''}`] as const,
            )}
            onCommit={choose}
          />
          <Button
            variant="bare"
            label="Further back"
            disabled={at <= 0}
            onClick={() => edit({ kind: 'move', list, id: chosen, index: at - 1 }, 'Move a piece back')}
          >
            <ArrowUp size={13} aria-hidden />
          </Button>
          <Button
            variant="bare"
            label="Further to the front"
            disabled={at < 0 || at >= c.shapes.length - 1}
            onClick={() => edit({ kind: 'move', list, id: chosen, index: at + 1 }, 'Move a piece to the front')}
          >
            <ArrowDown size={13} aria-hidden />
          </Button>
          <Button
            variant="bare"
            label="Delete the piece"
            disabled={!s}
            onClick={() => {
              edit({ kind: 'remove', list, id: chosen }, 'Delete a piece');
              choose(c.shapes.find((x) => x.id !== chosen)?.id ?? '');
            }}
          >
            <Trash2 size={13} aria-hidden />
          </Button>
        </FieldRow>
      )}
      {s && (
        <>
          {field('x', 'Left', 'number or formula')}
          {field('y', 'Top', 'number or formula')}
          {field('width', 'Width')}
          {field('height', 'Height')}
          {s.kind !== 'words' && field('turn', 'Turned by', 'degrees')}
          {s.kind === 'words' && field('text', 'Words')}
          <FieldRow label="Tone">
            <CellSelect
              value={s.tone}
              label="Tone of the piece"
              options={tones}
              onCommit={(tone) => set({ tone: tone as Shape['tone'] })}
            />
          </FieldRow>
          {field('shown', 'Shown while', 'always')}
          {field('sends', 'Pressed, sends', 'nothing')}
        </>
      )}
    </>
  );
}
