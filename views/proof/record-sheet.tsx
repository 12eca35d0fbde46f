'use client';
import { CircleAlert, CircleCheck, CircleDashed, Download, Hammer, LoaderCircle, Square } from 'lucide-react';
import { phaseNames, type BuildRecord, type Phase, type PhaseName } from '@/core/evidence/build-record';
import { fileNameOf } from '@/core/evidence/file-name';
import { momentText } from '@/core/evidence/tables';
import { boardsOf } from '@/core/boards/board';
import type { Project } from '@/core/project/project';
import { useProof } from '@/store/proof-store';
import { makeBuildRecord, stopRecord, useRecord } from '@/store/record-store';
import { Button } from '@/ui/button';
import { download } from '@/ui/download';
import { Progress } from '@/ui/progress';
import { AskedForm } from './asked-form';
import { stagesChosen } from './stage-choice';
import { ProofTabs } from './proof-tabs';

/** One state of the project, checked, generated, compiled, tested and proved, phase by phase, and whether it is ready. */
export function RecordSheet({ project }: { readonly project: Project }) {
  const { tag, least, boards, running, phases, made, problem, set } = useRecord();
  const shown = useProof((s) => s.shown);
  const own = made?.project.id === project.id ? made : undefined;
  const isLeastWrong = least.trim() !== '' && !(Number(least) >= 0 && Number(least) <= 100);
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="builds" />
        {running ? (
          <Button onClick={stopRecord} data-testid="stop-record">
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <Button
            variant={own === undefined ? 'primary' : 'plain'}
            disabled={shown.length === 0 || isLeastWrong}
            onClick={() => void makeBuildRecord(project, stagesChosen(project))}
            data-testid="make-record"
          >
            <Hammer size={13} aria-hidden /> Make a record
          </Button>
        )}
      </div>
      <div className="coverage">
        <AskedForm project={project}>
          <fieldset>
            <legend className="section-title p-0">Images for</legend>
            {boardsOf(project).map((b) => {
              const id = b.isOwn ? b.name : b.id;
              return (
                <label key={id} className="proof-check">
                  <input
                    type="checkbox"
                    className="form-check-input"
                    aria-label={`An image for ${b.name}`}
                    checked={boards.includes(id)}
                    onChange={(e) =>
                      set({ boards: e.target.checked ? [...boards, id] : boards.filter((x) => x !== id) })
                    }
                  />
                  {b.name}
                </label>
              );
            })}
          </fieldset>
          <span>Least coverage, in %</span>
          <input
            className="form-control form-control-sm"
            aria-label="Least coverage"
            inputMode="decimal"
            placeholder="any"
            autoComplete="off"
            value={least}
            aria-invalid={isLeastWrong}
            onChange={(e) => set({ least: e.target.value })}
          />
          {isLeastWrong && <span className="field-problem">A number from 0 to 100</span>}
          <span>Called</span>
          <input
            className="form-control form-control-sm"
            aria-label="What the record is called"
            placeholder="such as 1.2, first try"
            maxLength={120}
            autoComplete="off"
            value={tag}
            onChange={(e) => set({ tag: e.target.value })}
          />
        </AskedForm>
        <div className="coverage-items">
          {problem !== '' && (
            <p className="px-3 py-2 mb-0 bad" role="alert">
              {problem}
            </p>
          )}
          {running || own ? (
            <section className="evidence-told" data-testid="record">
              {own && <Verdict record={own.record} archive={own.archive} isOld={own.project !== project} />}
              <ol className="record-phases">
                {phaseNames.map((name) => (
                  <PhaseRow
                    key={name}
                    name={name}
                    over={phases.find((p) => p.name === name)}
                    share={running?.phase === name ? running.share : undefined}
                  />
                ))}
              </ol>
            </section>
          ) : (
            <div className="empty">
              <h3>No record is made yet</h3>
              <p>
                A build record is made of the project as it is: problems are looked for, code is generated and compiled,
                test cases run, what they come through and what follows is put together. It says whether that is ready
                for the product, and is one file to hand over.
              </p>
            </div>
          )}
        </div>
      </div>
    </>
  );
}

function Verdict({
  record,
  archive,
  isOld,
}: {
  readonly record: BuildRecord;
  readonly archive: Uint8Array;
  readonly isOld: boolean;
}) {
  const isReady = record.verdict === 'ready for test';
  const name = fileNameOf(record.project.name).replace(/evidence$/, 'record');
  const size = `${Math.ceil(archive.length / 1000)} kB`;
  return (
    <>
      <div className="d-flex flex-wrap align-items-center gap-2">
        <h3 className={`mb-0 ${isReady ? 'good' : 'bad'}`} data-testid="record-verdict">
          {{ 'ready for test': 'Ready for test', 'not ready': 'Not ready', failed: 'Failed' }[record.verdict]}
          {record.tag !== '' && <span className="quiet">, {record.tag}</span>}
        </h3>
        <span className="quiet">begun {momentText(record.made)}</span>
        <Button
          size="sm"
          className="ms-auto"
          onClick={() => download(`${name}.zip`, 'application/zip', archive as BlobPart)}
        >
          <Download size={13} aria-hidden /> {record.files.length} files, {size}
        </Button>
      </div>
      {record.why.length > 0 && (
        <ul className="mb-0 ps-3">
          {record.why.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
      )}
      {isOld && <p className="now-ink mb-0">The project is another one since.</p>}
    </>
  );
}

const titles: Readonly<Record<PhaseName, string>> = {
  check: 'Check',
  generate: 'Generate code',
  compile: 'Compile',
  test: 'Run test cases',
  coverage: 'Coverage',
  evidence: 'Evidence',
};

const mostWords = 12;

function PhaseRow({
  name,
  over,
  share,
}: {
  readonly name: PhaseName;
  readonly over: Phase | undefined;
  /** Of what is under way. */
  readonly share: number | undefined;
}) {
  const stands = over?.outcome ?? (share === undefined ? 'waits' : 'under way');
  return (
    <li data-phase={name} data-outcome={stands}>
      <span className={{ done: 'good', failed: 'bad' }[stands as string] ?? 'quiet'}>
        {stands === 'done' ? (
          <CircleCheck size={15} aria-hidden />
        ) : stands === 'failed' ? (
          <CircleAlert size={15} aria-hidden />
        ) : stands === 'under way' ? (
          <LoaderCircle size={15} className="turning" aria-hidden />
        ) : (
          <CircleDashed size={15} aria-hidden />
        )}
      </span>
      <div>
        <strong>{titles[name]}</strong> <span className="quiet">{stands === 'done' ? '' : stands}</span>
        {stands === 'under way' && <Progress now={100 * (share ?? 0)} label={titles[name]} />}
        {over?.words.slice(0, mostWords).map((w, k) => (
          <div key={k} className="record-words">
            {w}
          </div>
        ))}
        {over && over.words.length > mostWords && (
          <div className="quiet">and {over.words.length - mostWords} more, in the file</div>
        )}
      </div>
    </li>
  );
}
