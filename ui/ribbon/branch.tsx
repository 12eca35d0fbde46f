'use client';
import { CircleStop, GitBranch, Plus, X } from 'lucide-react';
import { useCallback, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { parseExpressionText } from '@/core/language/parse';
import { branchAt, toggleBreakpoint } from '@/store/running';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { NameField } from '../name-field';
import { productNames, useExample } from '../run-names';
import { useMoment } from '../moment';
import { Button } from '../button';
import { formatNumber, formatTime } from '../format';

/** Goes another way from the cursor: the run so far stays as it is, then the chosen quantities get other values. */
export function BranchButton() {
  const moment = useMoment();
  const { run, time: cursor } = moment;
  const [open, setOpen] = useState(false);
  const [rows, setRows] = useState<readonly { readonly name: string; readonly value: string }[]>([
    { name: '', value: '' },
  ]);
  const past = run !== undefined && run.status !== 'running' && run.model.parts.length > 0 && cursor <= run.time;
  const now = moment.value;
  const number = (text: string): number => (text.trim() === 'true' ? 1 : text.trim() === 'false' ? 0 : Number(text));
  const chosen = rows.filter((r) => r.name !== '');
  const wrong = chosen.find(
    (r) => !run?.model.settable.includes(r.name) || r.value.trim() === '' || !Number.isFinite(number(r.value)),
  );
  const model = run?.model;
  const settable = useCallback(
    () => (model?.settable ?? []).map((name) => ({ name, detail: model?.units[name] ?? '' })),
    [model],
  );
  const set = (k: number, change: Partial<{ name: string; value: string }>): void =>
    setRows(rows.map((r, j) => (j === k ? { ...r, ...change } : r)));
  return (
    <Dropdown show={open} onToggle={setOpen} autoClose="outside" drop="up">
      <Dropdown.Toggle
        as="button"
        type="button"
        className="btn btn-sm btn-plain tool-toggle"
        disabled={!past}
        aria-label="Branch here"
        title="Branch here: run on from the cursor with other values"
        data-testid="branch"
      >
        <GitBranch size={14} aria-hidden />
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-3" style={{ width: 380 }} popperConfig={{ strategy: 'fixed' }} renderOnMount>
        <h3 className="section-title px-0 mt-0">Branch at t = {formatTime(cursor)}</h3>
        <p className="quiet mb-2">
          Everything up to here is done again as it was, with what was done on panels. From here on:
        </p>
        {rows.map((r, k) => (
          <div key={k} className="d-flex gap-2 mb-1 align-items-center">
            <NameField
              className="mono"
              names={settable}
              placeholder="quantity"
              aria-label={`Quantity ${k + 1}`}
              value={r.name}
              onText={(name) =>
                set(k, {
                  name,
                  ...(r.value === '' && now(name) !== undefined && { value: formatNumber(now(name)!, 5) }),
                })
              }
            />
            <span>=</span>
            <input
              className="form-control form-control-sm mono"
              style={{ width: 110 }}
              placeholder="value"
              aria-label={`Value ${k + 1}`}
              value={r.value}
              onChange={(e) => set(k, { value: e.target.value })}
            />
            <span className="quiet" style={{ minWidth: 46 }}>
              {run?.model.units[r.name] ?? ''}
            </span>
          </div>
        ))}
        {wrong && (
          <div className="field-problem">
            {run?.model.settable.includes(wrong.name)
              ? `${wrong.name} needs a number, true or false`
              : `${wrong.name} cannot be set during a run: inputs, what charts set, and parameters that decide nothing about the model can`}
          </div>
        )}
        <div className="d-flex gap-2 mt-2">
          <Button size="sm" onClick={() => setRows([...rows, { name: '', value: '' }])}>
            <Plus size={13} aria-hidden /> Another
          </Button>
          <Button
            variant="primary"
            size="sm"
            disabled={wrong !== undefined}
            onClick={() => {
              setOpen(false);
              void branchAt(
                cursor,
                chosen.map((r) => ({ name: r.name, value: number(r.value) })),
              );
            }}
            data-testid="branch-run"
          >
            Run on from here
          </Button>
        </div>
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** Where runs stop: states, transitions and conditions. */
export function StopsButton() {
  const stops = useRuns((s) => s.breakpoints);
  const conditions = useRuns((s) => s.stopConditions);
  const project = useProject((s) => s.project);
  const [text, setText] = useState('');
  const example = useExample();
  const problem = text.trim() === '' ? undefined : parseExpressionText(text).problems[0];
  const { setStopConditions } = useRuns.getState();
  const nameOf = (address: string): string => {
    for (const t of project?.types ?? []) {
      for (const c of t.charts) {
        const s = c.states.find((x) => address.endsWith(`/state/${x.id}`));
        if (s) return `entering ${s.name}`;
        const x = c.transitions.find((y) => address.endsWith(`/transition/${y.id}`));
        const state = (id: string): string => c.states.find((y) => y.id === id)?.name ?? '';
        if (x) return `${state(x.from)} to ${state(x.to) || 'itself'}`;
      }
    }
    return address;
  };
  const count = stops.size + conditions.length;
  const add = (): void => {
    if (text.trim() === '' || problem) return;
    setStopConditions([...conditions, text.trim()]);
    setText('');
  };
  return (
    <Dropdown autoClose="outside" drop="up">
      <Dropdown.Toggle
        as="button"
        type="button"
        className="btn btn-sm btn-plain tool-toggle"
        aria-label={`Where runs stop${count ? `, ${count}` : ''}`}
        title="Where runs stop"
        data-testid="stops"
      >
        <CircleStop size={14} aria-hidden /> {count > 0 && <span className="num">{count}</span>}
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-3" style={{ width: 360 }} popperConfig={{ strategy: 'fixed' }} renderOnMount>
        <h3 className="section-title px-0 mt-0">Runs stop when</h3>
        {count === 0 && (
          <p className="quiet mb-2">
            Nothing stops a run yet. States and transitions are chosen on their sheet; a condition can be written here.
          </p>
        )}
        {[...stops].map((address) => (
          <div key={address} className="d-flex align-items-center gap-2">
            <button type="button" className="btn btn-link p-0 text-truncate" onClick={() => goTo(address)}>
              {nameOf(address)}
            </button>
            <span className="spacer" style={{ flex: 1 }} />
            <Button
              variant="bare"
              label={`No longer stop at ${nameOf(address)}`}
              onClick={() => toggleBreakpoint(address)}
            >
              <X size={13} aria-hidden />
            </Button>
          </div>
        ))}
        {conditions.map((c) => (
          <div key={c} className="d-flex align-items-center gap-2">
            <span className="mono text-truncate">{c}</span>
            <span className="spacer" style={{ flex: 1 }} />
            <Button
              variant="bare"
              label={`No longer stop when ${c}`}
              onClick={() => setStopConditions(conditions.filter((x) => x !== c))}
            >
              <X size={13} aria-hidden />
            </Button>
          </div>
        ))}
        <div className="d-flex gap-2 mt-2">
          <NameField
            className="mono"
            names={productNames.formula}
            placeholder={`${example.name} > ${example.value}`}
            aria-label="Condition that stops a run"
            value={text}
            onText={setText}
            onKeyDown={(e) => e.key === 'Enter' && add()}
          />
          <Button size="sm" onClick={add} disabled={text.trim() === '' || problem !== undefined}>
            Add
          </Button>
        </div>
        {problem && <div className="field-problem">{problem.message}</div>}
        <p className="quiet mb-0 mt-2">Conditions count from the next run on.</p>
      </Dropdown.Menu>
    </Dropdown>
  );
}
