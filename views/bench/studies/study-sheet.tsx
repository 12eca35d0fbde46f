'use client';
import { Copy, Play, Square, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import type { Project, Study } from '@/core/project/project';
import { outOfDate } from '@/core/run/basis';
import type { StudyAnswer } from '@/core/studies/answer';
import { readStudy, studyMark } from '@/core/studies/study';
import { startStudy, stopStudy, type StudyState } from '@/store/study-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { addStudy } from '@/ui/editing/make';
import { FieldRow } from '@/ui/field-row';
import { formatNumber } from '@/ui/format';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { Progress } from '@/ui/progress';
import { BestAnswer, BorderAnswer } from './best-answer';
import { BreaksAnswer } from './breaks-answer';
import { CompareAnswer } from './compare-answer';
import { FitAnswer } from './fit-answer';
import { MattersAnswer } from './matters-answer';
import { useStudyFields } from './study-fields';
import { StudyQuestion } from './study-question';
import { kindWord, studyKinds } from '@/ui/study-kinds';
import { leftWords } from './study-words';
import { VaryAnswer } from './vary-answer';
import './studies.scss';

/** One study: what is asked on the left, what came of it beside it. */
export function StudySheet({ project, study }: { readonly project: Project; readonly study: Study }) {
  const fields = useStudyFields(project, study);
  const { state, set } = fields;
  const read = useMemo(() => readStudy(project, study), [project, study]);
  const { asking } = state;
  const runs = read.value?.runs;
  return (
    <>
      <div className="pane-head">
        <span className="type-tag">{kindWord(study.kind)}</span>
        <div className="study-name">
          <CellField
            value={study.name}
            label="Name of the study"
            onCommit={(name) => set({ name }, 'Change the name')}
          />
        </div>
        {asking ? (
          <Button onClick={() => stopStudy(study.id)} title="Ends it at once; what is there is kept">
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <Button
            variant="primary"
            disabled={!read.value}
            onClick={() => void startStudy(project, study)}
            data-testid="ask-study"
            title={read.value ? 'Asks it' : 'Something is missing or wrong in what it asks'}
          >
            <Play size={13} aria-hidden />{' '}
            {study.kind === 'compare' || study.kind === 'fit' || runs === undefined
              ? 'Ask'
              : `Ask: ${study.kind === 'best' || study.kind === 'breaks' ? 'up to ' : ''}${runs.toLocaleString('en')} ${runs === 1 ? 'run' : 'runs'}`}
          </Button>
        )}
        <Button variant="bare" label="Copy this study" onClick={() => addStudy(project, study.kind, study)}>
          <Copy size={14} aria-hidden />
        </Button>
        <Button
          variant="bare"
          label="Delete this study"
          onClick={() =>
            deleteWithImpact(
              `study/${study.id}`,
              { kind: 'remove', list: 'study', id: study.id },
              `Delete the study ${study.name}`,
            )
          }
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="study-frame">
        <div className={`study${state.answer || asking ? ' is-answered' : ''}`} data-testid="study">
          <div className="asks">
            <p className="quiet px-3 pt-2 mb-0">{studyKinds.find(([k]) => k === study.kind)![2]}</p>
            <StudyQuestion project={project} study={study} fields={fields} />
            <FieldRow label="Note">
              <CellField
                value={study.note}
                label="Note of the study"
                multiline
                onCommit={(note) => set({ note }, 'Change the note')}
              />
            </FieldRow>
            <TraceLinks address={`study/${study.id}`} what={study.name} />
          </div>
          <div className="answers" data-testid="study-answer">
            {asking && <Asking state={state} />}
            {fields.wrong.length > 0 && (
              <div className="study-wrong" role="alert">
                {fields.wrong.slice(0, 4).map((w) => (
                  <p key={w}>{w}</p>
                ))}
              </div>
            )}
            {!asking && state.answer && <Freshness project={project} study={study} answer={state.answer} />}
            <Answer project={project} study={study} state={state} />
          </div>
        </div>
      </div>
    </>
  );
}

function Asking({ state }: { readonly state: StudyState }) {
  const { done, of, since } = state.asking!;
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, []);
  return (
    <div className="study-asking" role="status" data-testid="asking">
      {of > 0 && <Progress now={(100 * done) / of} label="Runs that are done" />}
      <span className="quiet">
        {done === 0 && of === 0
          ? 'making the model ready'
          : of > 0
            ? `${done.toLocaleString('en')} of ${of.toLocaleString('en')} runs, ${leftWords(done, of, since, now) || 'begun'}`
            : `${done.toLocaleString('en')} runs`}
      </span>
    </div>
  );
}

/** When and with what it was found, and whether that is still what is there. */
function Freshness({
  project,
  study,
  answer,
}: {
  readonly project: Project;
  readonly study: Study;
  readonly answer: StudyAnswer;
}) {
  const old = useMemo(() => {
    if (answer.mark !== studyMark(study)) return 'the study has changed since';
    const why = outOfDate(project, answer.basis);
    return project.requirements.map(why).find((w) => w !== '') ?? '';
  }, [project, study, answer]);
  return (
    <p className={`study-when ${old ? 'now-ink' : 'quiet'}`} data-testid="study-when">
      {answer.runs.toLocaleString('en')} {answer.runs === 1 ? 'run' : 'runs'}
      {answer.found.kind !== 'compare' && ` of ${answer.setup}`} in {formatNumber(answer.seconds, 3)} s,{' '}
      {new Date(answer.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}
      {answer.isStopped && '; it was stopped before its end'}
      {old && `. Out of date: ${old.replace('since the run', 'since')}`}
      {answer.remarks.length > 0 && `. ${answer.remarks.join('. ')}`}
    </p>
  );
}

function Answer({
  project,
  study,
  state,
}: {
  readonly project: Project;
  readonly study: Study;
  readonly state: StudyState;
}) {
  const { answer, table, asking } = state;
  if (study.kind === 'vary' && table && table.over.length > 0)
    return <VaryAnswer project={project} study={study} state={state} />;
  if (!answer)
    return asking ? null : (
      <div className="empty">
        <h3>Not asked yet</h3>
        <p>{emptyWords[study.kind]}</p>
      </div>
    );
  const { found } = answer;
  switch (found.kind) {
    case 'matters':
      return <MattersAnswer found={found.found} />;
    case 'best':
      return <BestAnswer key={answer.at} project={project} study={study} found={found.found} />;
    case 'border':
      return <BorderAnswer key={answer.at} project={project} study={study} found={found.found} />;
    case 'breaks':
      return <BreaksAnswer key={answer.at} project={project} study={study} found={found.found} />;
    case 'fit':
      return <FitAnswer key={answer.at} project={project} study={study} found={found.found} at={answer.at} />;
    case 'compare':
      return <CompareAnswer key={answer.at} found={found.found} />;
    case 'vary':
      return null;
  }
}

const emptyWords: Readonly<Record<Study['kind'], string>> = {
  vary: 'Name a value and the numbers it takes, then ask. Margins come as curves over one value, as a map over two, as lines over many.',
  matters: 'Name the values in question, each with the range it lies in, then ask.',
  best: 'Name the values that may change and a formula that is to be lowest or highest, then ask.',
  breaks: 'Choose a requirement, name values and messages that may be different, then ask.',
  fit: 'Bring a recording, say which columns are which quantities, and name the values to be found, then ask.',
  compare: 'Choose two of setups, runs made before and recordings, then ask.',
};
