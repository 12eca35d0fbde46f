'use client';
import { Play, Square } from 'lucide-react';
import { useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import type { BatchProgress, BatchResult } from '@/core/run/batch';
import type { Project, Setup } from '@/core/project/project';
import { setupDifferences } from '@/core/project/setup-differences';
import { signalShapes } from '@/core/run/signal-shapes';
import { cancelAll, unitOfQuantity } from '@/store/checking';
import { runSeveral } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';

export function SignalShapes({
  root,
  target,
  choose,
}: {
  /** The part type that is run; empty for the product. */
  readonly root: string;
  readonly target: string;
  readonly choose: (formula: string) => void;
}) {
  const [unit, setUnit] = useState<string>();
  return (
    <Dropdown
      align="end"
      onToggle={(shown) => void (shown && unitOfQuantity(root, target).then(setUnit, () => setUnit(undefined)))}
    >
      <Dropdown.Toggle as={Button} size="sm" id="signal-shapes">
        Shapes
      </Dropdown.Toggle>
      <Dropdown.Menu popperConfig={{ strategy: 'fixed' }} renderOnMount>
        {signalShapes(unit).map(([name, formula]) => (
          <Dropdown.Item key={name} onClick={() => choose(formula)}>
            {name}
            <div className="mono quiet" style={{ fontSize: '0.85em' }}>
              {formula}
            </div>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** Where two setups differ. */
export function SetupComparison({ project, setup }: { readonly project: Project; readonly setup: Setup }) {
  const [other, setOther] = useState('');
  const against = project.setups.find((s) => s.id === other);
  const rows = against ? setupDifferences(project, setup, against) : [];
  return (
    <>
      <h3 className="section-title">
        Compared with
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Setup to compare with"
          value={other}
          onChange={(e) => setOther(e.target.value)}
        >
          <option value="">nothing</option>
          {project.setups
            .filter((s) => s.id !== setup.id)
            .map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
        </select>
      </h3>
      {against && rows.length === 0 && <p className="px-3 quiet">They differ in their names only.</p>}
      {rows.length > 0 && (
        <table className="table" data-testid="setup-differences">
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">{setup.name}</th>
              <th scope="col">{against!.name}</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ what, here, there }) => (
              <tr key={what}>
                <td>{what}</td>
                <td className="mono">{here || '–'}</td>
                <td className="mono">{there || '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

/** Several setups one after the other: what each came to. */
export function BatchRun({ project, close }: { readonly project: Project; readonly close: () => void }) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set(project.setups.map((s) => s.id)));
  const [progress, setProgress] = useState<BatchProgress>();
  const [results, setResults] = useState<readonly BatchResult[]>([]);
  const [running, setRunning] = useState(false);
  const start = async (): Promise<void> => {
    setRunning(true);
    setResults([]);
    try {
      const found = await runSeveral(
        project,
        project.setups.filter((s) => chosen.has(s.id)).map((s) => s.id),
        setProgress,
      );
      setResults(found ?? []);
      if (!found) usePlace.getState().say('The setups were ended before they were through', 'note');
    } catch {
      usePlace.getState().say('The setups could not be run');
    } finally {
      setRunning(false);
      setProgress(undefined);
    }
  };
  const share = progress ? (progress.done + progress.share) / Math.max(1, progress.of) : 0;
  return (
    <div className="p-3" data-testid="batch">
      <div className="d-flex gap-2 align-items-center mb-2">
        <h3 className="section-title p-0 m-0">Several setups one after the other</h3>
        <span style={{ flex: 1 }} />
        {running ? (
          <Button onClick={cancelAll}>
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <Button variant="primary" disabled={chosen.size === 0} onClick={() => void start()} data-testid="run-all">
            <Play size={13} aria-hidden /> Run {chosen.size} setups
          </Button>
        )}
        <Button onClick={close}>Back to the setup</Button>
      </div>
      {running && (
        <div
          className="progress mb-2"
          role="progressbar"
          aria-label="Setups run"
          aria-valuenow={Math.round(share * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
          style={{ height: 6 }}
        >
          <div className="progress-bar" style={{ width: `${share * 100}%` }} />
        </div>
      )}
      <table className="table">
        <thead>
          <tr>
            <th scope="col" aria-label="Chosen" style={{ width: 30 }} />
            <th scope="col">Setup</th>
            <th scope="col">Holds</th>
            <th scope="col">Fails</th>
            <th scope="col">Open</th>
            <th scope="col">Sequences</th>
            <th scope="col">Took</th>
          </tr>
        </thead>
        <tbody>
          {project.setups.map((s) => {
            const r = results.find((x) => x.setup === s.id);
            const count = (v: string): string =>
              r && r.findings.length > 0 ? String(r.findings.filter((f) => f.verdict === v).length) : '';
            return (
              <tr key={s.id} data-setup={s.name}>
                <td>
                  <input
                    type="checkbox"
                    className="form-check-input"
                    aria-label={`Run ${s.name}`}
                    checked={chosen.has(s.id)}
                    onChange={(e) =>
                      setChosen(new Set(e.target.checked ? [...chosen, s.id] : [...chosen].filter((x) => x !== s.id)))
                    }
                  />
                </td>
                <td>
                  <button
                    type="button"
                    className="btn btn-link p-0"
                    onClick={() => {
                      useRuns.getState().chooseSetup(s.id);
                      close();
                    }}
                  >
                    {s.name}
                  </button>
                  {r?.problem && <div className="field-problem">{r.problem}</div>}
                </td>
                <td className="good">{count('holds')}</td>
                <td
                  className={count('fails') !== '0' ? 'bad' : ''}
                  title={r?.findings
                    .filter((f) => f.verdict === 'fails')
                    .map((f) => f.key)
                    .join(', ')}
                >
                  {count('fails')}
                </td>
                <td className="quiet">{count('undecided')}</td>
                <td>
                  {r?.sequences.map((q) => (
                    <div key={q.id} className={q.report.verdict === 'passed' ? 'good' : 'bad'}>
                      {q.name}: {q.report.verdict}
                    </div>
                  ))}
                </td>
                <td className="quiet num">
                  {r ? (r.status === 'finished' ? `${(r.seconds * 1000).toFixed(0)} ms` : r.status) : ''}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
