'use client';
import { CircleAlert, CircleCheck, CircleDashed, Download, FileCheck, FileSearch, Square } from 'lucide-react';
import type { Checked } from '@/core/evidence/check';
import type { Evidence } from '@/core/evidence/evidence';
import { fileNameOf } from '@/core/evidence/file-name';
import { momentText } from '@/core/evidence/tables';
import type { Project } from '@/core/project/project';
import {
  checkEvidenceFile,
  evidenceHtml,
  evidenceXlsx,
  makeEvidence,
  stopEvidence,
  useEvidence,
  type CheckedFile,
} from '@/store/evidence-store';
import { goTo } from '@/store/locate';
import { useProof } from '@/store/proof-store';
import { Button } from '@/ui/button';
import { download } from '@/ui/download';
import { FileButton } from '@/ui/file-button';
import { AskedForm } from './asked-form';
import { stagesChosen } from './stage-choice';
import { ProofTabs } from './proof-tabs';

/** What was tested, on what, and with which outcome, to hand over; and whether a file that was handed over still fits. */
export function EvidenceSheet({ project }: { readonly project: Project }) {
  const { made, isWorking, problem, checked } = useEvidence();
  const shown = useProof((s) => s.shown);
  const own = made?.project.id === project.id ? made : undefined;
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="evidence" />
        {isWorking ? (
          <Button onClick={stopEvidence}>
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <Button
            variant={own === undefined ? 'primary' : 'plain'}
            disabled={shown.length === 0}
            onClick={() => void makeEvidence(project, stagesChosen(project))}
            data-testid="make-evidence"
          >
            <FileCheck size={13} aria-hidden /> Put it together
          </Button>
        )}
        <FileButton
          label="Evidence to check"
          accept=".html,.xlsx,.json"
          title="Whether a file is as it was written, and of this project as it is"
          onFile={(file) => void checkEvidenceFile(project, file)}
        >
          <FileSearch size={13} aria-hidden /> Check a file
        </FileButton>
      </div>
      <div className="coverage">
        <AskedForm project={project} />
        <div className="coverage-items">
          {problem !== '' && (
            <p className="px-3 py-2 mb-0 bad" role="alert">
              {problem}
            </p>
          )}
          {checked && <CheckedPanel of={checked} />}
          {own ? (
            <Told evidence={own.evidence} isOld={own.project !== project} isWorking={isWorking} />
          ) : (
            !checked && (
              <div className="empty">
                <h3>Nothing is put together yet</h3>
                <p>
                  Evidence says what was tested, on what, and with which outcome, in files that somebody else can check
                  without this application. What is out of date, or was never run, counts as not passed.
                </p>
              </div>
            )
          )}
        </div>
      </div>
    </>
  );
}

const most = 200;

/** What it says, and the files. */
function Told({
  evidence: e,
  isOld,
  isWorking,
}: {
  readonly evidence: Evidence;
  readonly isOld: boolean;
  readonly isWorking: boolean;
}) {
  const { conclusion: c } = e;
  const isBad = c.verdict === 'does not conform';
  const isOpen = c.verdict === 'not decided';
  const name = fileNameOf(e.project.name);
  const take = (ending: string, type: string, content: string | Uint8Array | undefined): void => {
    if (content !== undefined) download(`${name}.${ending}`, type, content as BlobPart);
  };
  const share = c.wanted === 0 ? '–' : `${(Math.floor((1000 * c.covered) / c.wanted) / 10).toFixed(1)} %`;
  return (
    <section className="evidence-told" data-testid="evidence">
      <div className="d-flex flex-wrap align-items-center gap-2">
        <h3 className={`mb-0 ${isBad ? 'bad' : isOpen ? '' : 'good'}`} data-testid="evidence-words">
          {isBad ? 'It does not conform' : isOpen ? 'Not everything is decided' : 'It conforms'}
        </h3>
        <span className="quiet">put together {momentText(e.made)}</span>
        <span className="ms-auto d-inline-flex gap-2">
          <Button
            size="sm"
            disabled={isWorking}
            onClick={() => void evidenceHtml(e).then((t) => take('html', 'text/html', t))}
          >
            <Download size={13} aria-hidden /> HTML
          </Button>
          <Button
            size="sm"
            disabled={isWorking}
            onClick={() =>
              void evidenceXlsx(e).then((t) =>
                take('xlsx', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet', t),
              )
            }
          >
            <Download size={13} aria-hidden /> XLSX
          </Button>
          <Button size="sm" onClick={() => take('json', 'application/json', `${JSON.stringify(e, null, 1)}\n`)}>
            <Download size={13} aria-hidden /> JSON
          </Button>
        </span>
      </div>
      {isOld && <p className="now-ink mb-0">The project is another one since: put it together again.</p>}
      <dl className="evidence-figures">
        {(
          [
            ['Requirements met', `${c.met} of ${e.requirements.length}`],
            ['Not met', String(c.notMet)],
            ['Open', String(c.open)],
            ['Exercised', `${c.exercised} of ${e.requirements.length}`],
            ['Outcomes passed', `${c.passed} of ${c.passed + c.failed + c.without}`],
            ['Come through', share],
            ['Stages', e.stages.join(', ')],
          ] as const
        ).map(([what, which]) => (
          <div key={what}>
            <dt>{what}</dt>
            <dd>{which}</dd>
          </div>
        ))}
      </dl>
      <h4 className="section-title p-0">
        {c.points.length === 0 ? 'No point is open' : `${c.points.length} open points`}
      </h4>
      <table className="table evidence-points" data-testid="evidence-points">
        <tbody>
          {c.points.slice(0, most).map((p, k) => (
            <tr key={k}>
              <td className="quiet">{p.kind}</td>
              <td>
                {p.of.includes('/') ? (
                  <button type="button" className="btn btn-link p-0 text-start" onClick={() => goTo(p.of)}>
                    {p.text}
                  </button>
                ) : (
                  p.text
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {c.points.length > most && <p className="quiet">and {c.points.length - most} more, in the files</p>}
    </section>
  );
}

const icons = { right: CircleCheck, wrong: CircleAlert, open: CircleDashed } as const;
const tones = { right: 'good', wrong: 'bad', open: 'quiet' } as const;

/** What came of looking at a file. */
function CheckedPanel({ of }: { readonly of: CheckedFile }) {
  const { set } = useEvidence.getState();
  const isWrong = of.problem !== '' || of.checks.some((c) => c.kind === 'wrong');
  return (
    <section className="evidence-told" data-testid="evidence-checked" aria-live="polite">
      <div className="d-flex flex-wrap align-items-center gap-2">
        <h3 className={`mb-0 ${isWrong ? 'bad' : 'good'}`}>
          {of.name}: {isWrong ? 'something is wrong' : 'nothing is wrong'}
        </h3>
        {of.made !== '' && (
          <span className="quiet">
            {of.of}, put together {momentText(of.made)}
          </span>
        )}
        <Button size="sm" className="ms-auto" onClick={() => set({ checked: undefined })}>
          Close
        </Button>
      </div>
      {of.problem !== '' && <p className="mb-0">{of.problem}</p>}
      <ul className="evidence-checks">
        {of.checks.map((c) => (
          <CheckedRow key={c.text} of={c} />
        ))}
      </ul>
    </section>
  );
}

function CheckedRow({ of: { kind, text, details } }: { readonly of: Checked }) {
  const Icon = icons[kind];
  return (
    <li data-kind={kind}>
      <span className={tones[kind]}>
        <Icon size={14} aria-label={kind} />
      </span>
      <div>
        {text}
        {details.length > 0 && (
          <ul>
            {details.slice(0, 30).map((d) => (
              <li key={d}>{d}</li>
            ))}
            {details.length > 30 && <li className="quiet">and {details.length - 30} more</li>}
          </ul>
        )}
      </div>
    </li>
  );
}
