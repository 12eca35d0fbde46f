'use client';
import { CircleCheck, CircleDashed, OctagonX, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import Form from 'react-bootstrap/Form';
import type { Control, Panel, Project } from '@/core/project/project';
import { sendMessage, setQuantity } from '@/store/engine';
import { useSetup } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber, inUnit } from '@/ui/format';
import { valueNow } from '@/ui/value-now';
import { marginText } from '@/ui/verdict';

/** The operator's panel: it acts on the run that is going on, and shows the moment of the cursor. */
export function PanelView({ project }: { readonly project: Project }) {
  const setup = useSetup();
  const panel = project.panels.find((p) => p.id === setup?.panel) ?? project.panels[0];
  const run = useRuns((s) => s.current);
  const { edit } = useProject.getState();
  const live = run?.status === 'running' || run?.status === 'paused';
  if (!panel) {
    const add = (): void => void edit({ kind: 'insert', list: 'panels', entry: { id: `a-${nanoid(8)}`, name: 'Panel', controls: [] } }, 'Add a panel');
    return (
      <div className="empty">
        <h3>No panel</h3>
        <p>A panel has keys that send messages, switches that set inputs, readouts and lamps.</p>
        <Button onClick={add}>Add a panel</Button>
      </div>
    );
  }
  return (
    <section aria-label={`Panel ${panel.name}`}>
      <div className="section-title" style={{ paddingTop: 12 }}>
        Panel: {panel.name}
        <span className="quiet" style={{ fontWeight: 400 }}>
          {live ? 'acts on the run' : 'shows the cursor’s moment'}
        </span>
        <AddControl panel={panel} />
      </div>
      <div className="panel-grid">
        {panel.controls.map((c) => (
          <div key={c.id} data-control={c.label} style={{ position: 'relative' }} className="panel-cell">
            <ControlView control={c} live={live} />
            <span style={{ position: 'absolute', top: 2, right: 2 }} className="panel-remove">
              <Button variant="bare" label={`Delete ${c.label} from the panel`} onClick={() => edit({ kind: 'remove', list: `panels/${panel.id}/controls`, id: c.id }, `Delete ${c.label} from the panel`)}>
                <Trash2 size={12} aria-hidden />
              </Button>
            </span>
          </div>
        ))}
      </div>
      {!live && <p className="px-3 pt-2 quiet">Choose a pace of 1× or slower to use the keys while the product runs.</p>}
    </section>
  );
}

const kinds: readonly (readonly [Control['kind'], string, string])[] = [
  ['button', 'Button that sends a message', 'part and message, such as ctrl.start'], ['switch', 'Switch of a yes-or-no input', 'input, such as guard.open'], ['slider', 'Slider of an input', 'input or parameter'],
  ['readout', 'Readout of a quantity', 'quantity, such as spindle.speed'], ['lamp', 'Lamp', 'yes-or-no quantity'], ['verdict', 'Verdict lamp', 'id of a requirement, such as CAP-02'],
];

function AddControl({ panel }: { readonly panel: Panel }) {
  const { edit } = useProject.getState();
  const [kind, setKind] = useState<Control['kind']>('readout');
  const [open, setOpen] = useState(false);
  const add = (target: string): ReturnType<typeof edit> => {
    if (!target.trim()) return undefined;
    const entry: Control = { id: `n-${nanoid(8)}`, kind, label: target.trim(), target: target.trim(), unit: '', min: 0, max: 1 };
    const refused = edit({ kind: 'insert', list: `panels/${panel.id}/controls`, entry }, `Add ${target} to the panel`);
    if (!refused) setOpen(false);
    return refused;
  };
  const hint = kinds.find(([k]) => k === kind)?.[2];
  return (
    <Dropdown align="end" className="ms-auto" show={open} onToggle={setOpen} autoClose="outside">
      <Dropdown.Toggle as={Button} size="sm" id="add-control">
        Add
      </Dropdown.Toggle>
      <Dropdown.Menu style={{ width: 290, padding: 10 }}>
        <CellSelect value={kind} label="What to add" options={kinds.map(([k, text]) => [k, text] as const)} onCommit={(k) => setKind(k as Control['kind'])} />
        <div className="my-2">
          <CellField value="" label="What it is for" mono {...(hint && { placeholder: hint })} onCommit={add} />
        </div>
        <span className="quiet">Enter adds it.</span>
      </Dropdown.Menu>
    </Dropdown>
  );
}

function ControlView({ control: c, live }: { readonly control: Control; readonly live: boolean }) {
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  useRuns((s) => s.version);
  const value = valueNow(run, c.target, cursor);
  switch (c.kind) {
    case 'button':
      return (
        <Button className="justify-content-center w-100" onClick={() => void sendMessage(c.target)} title={`sends ${c.target}`} aria-disabled={!live}>
          {c.label}
        </Button>
      );
    case 'switch':
      return (
        <Form.Check type="switch" id={`switch-${c.id}`} label={c.label} checked={Boolean(value)} onChange={(e) => void setQuantity(c.target, e.target.checked ? 1 : 0)} aria-disabled={!live} />
      );
    case 'slider':
      return (
        <>
          <span className="control-label">
            {c.label} <span className="mono">{formatNumber(value)}</span>
          </span>
          <Form.Range min={c.min} max={c.max} step="any" value={value ?? c.min} aria-label={c.label} onChange={(e) => void setQuantity(c.target, Number(e.target.value))} />
        </>
      );
    case 'readout': {
      const unit = run?.model.units[c.target] ?? '';
      const shown = c.unit ? inUnit(value, unit, c.unit) : value;
      const quiet = shown !== undefined && Math.abs(shown) < 5e-4 ? 0 : shown;
      return (
        <>
          <span className="control-label">{c.label}</span>
          <span className="readout">
            {formatNumber(quiet, 4)} <small>{c.unit || (unit !== '1' && unit)}</small>
          </span>
        </>
      );
    }
    case 'lamp':
      return (
        <span className={`lamp${value ? ' on' : ''}`} role="status">
          <span className="bulb" aria-hidden /> {c.label} {value ? 'on' : 'off'}
        </span>
      );
    case 'verdict': {
      const finding = run?.findings.find((f) => f.key === c.target);
      const Icon = !finding ? CircleDashed : { holds: CircleCheck, fails: OctagonX, undecided: CircleDashed }[finding.verdict];
      // the lamp shows the moment of the cursor: it has not failed before it fails
      const failed = finding?.failsSince !== undefined && finding.failsSince <= cursor;
      const word = !finding ? 'not run yet' : failed ? `fails by ${marginText(finding)}` : finding.verdict === 'fails' ? 'holds until now' : finding.verdict;
      const tone = failed ? 'fails' : finding && finding.verdict !== 'undecided' ? 'holds' : 'undecided';
      return (
        <>
          <span className="control-label">
            {c.label} · {c.target}
          </span>
          <span className={`verdict ${tone}`} data-testid={`lamp-${c.target}`}>
            {failed ? <OctagonX size={15} aria-hidden /> : <Icon size={15} aria-hidden />} {word}
          </span>
        </>
      );
    }
  }
}
