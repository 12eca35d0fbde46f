'use client';
import { Play, Square } from 'lucide-react';
import { useState } from 'react';
import { boardsOf } from '@/core/boards/board';
import type { PartType, Project, Setup } from '@/core/project/project';
import { namesOfRun } from '@/core/run/names-of-run';
import type { HostOutcome, StagePair, StagesAnswer } from '@/core/studies/compare-stages';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { stagesKey, useStages, type FoundStages } from '@/store/stages-store';
import { Button } from '@/ui/button';
import { CellSelect } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { formatNumber } from '@/ui/format';
import { NumberRow } from '@/ui/number-row';
import { Progress } from '@/ui/progress';
import { VerdictMark } from '@/ui/verdict';
import { stageWords } from '@/ui/stage-words';

/** One part in all its stages, everything else being the same: where they differ first and most, and what that does to the verdicts. */
export function StagesSheet({
  project,
  type,
  part,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly part: string;
}) {
  const chosenSetup = useRuns((s) => s.setupId);
  const [tolerance, setTolerance] = useState(1e-3);
  const [onBoards, setOnBoards] = useState<readonly string[]>([]);
  const [onHost, setOnHost] = useState(false);
  const [isDirect, setDirect] = useState(false);
  const { found, asking } = useStages();
  const runs = project.setups.flatMap((setup) => {
    const parts = partsOf(project, setup, type);
    return parts.length > 0 ? [{ setup, parts }] : [];
  });
  const at = runs.find((r) => r.setup.id === chosenSetup) ?? runs[0];
  if (!at)
    return (
      <div className="empty">
        <h3>No setup runs a part of {type.name}</h3>
        <p>Its stages are compared in a run: use it in the product, or add a setup that runs what it is in.</p>
      </div>
    );
  const name = at.parts.includes(part) ? part : at.parts[0];
  const key = stagesKey(name, at.setup.id);
  const { ask, stop } = useStages.getState();
  return (
    <div className="pane-body">
      <div className="stages-question">
        <FieldRow label="Setup">
          <CellSelect
            value={at.setup.id}
            label="Setup whose run is repeated"
            options={runs.map(({ setup }) => [setup.id, setup.name] as const)}
            onCommit={(id) => useRuns.getState().chooseSetup(id)}
          />
        </FieldRow>
        {at.parts.length > 1 && (
          <FieldRow label="Part">
            <CellSelect
              value={name}
              label="Part whose stages are compared"
              options={at.parts.map((p) => [p, p] as const)}
              onCommit={(p) => usePlace.getState().go({ part: p, type: '', sheet: 'stages' })}
            />
          </FieldRow>
        )}
        <NumberRow
          name="Tolerance"
          label="Tolerance of differences"
          unit="1"
          value={tolerance}
          after="of the largest value; up to two steps earlier or later"
          onNumber={(value) => {
            setTolerance(value);
            return undefined;
          }}
        />
        <FieldRow label="Also on" className="d-flex flex-wrap column-gap-3">
          <label className="d-flex gap-2 align-items-center" title="The C compiled on the machine that serves the page">
            <input
              type="checkbox"
              className="form-check-input mt-0"
              checked={onHost}
              onChange={(e) => setOnHost(e.target.checked)}
            />
            this machine, as C
          </label>
          {boardsOf(project).map((b) => (
            <label key={b.id} className="d-flex gap-2 align-items-center">
              <input
                type="checkbox"
                className="form-check-input mt-0"
                checked={onBoards.includes(b.id)}
                onChange={(e) =>
                  setOnBoards(e.target.checked ? [...onBoards, b.id] : onBoards.filter((x) => x !== b.id))
                }
              />
              {b.name}
            </label>
          ))}
        </FieldRow>
        {type.channels.length > 0 && (
          <FieldRow label="Signals">
            <CellSelect
              value={isDirect ? 'direct' : 'channels'}
              label="How signals get in and out"
              options={[
                ['channels', 'through their channels, except as designed'],
                ['direct', 'directly: only the software differs'],
              ]}
              onCommit={(way) => setDirect(way === 'direct')}
            />
          </FieldRow>
        )}
        <div className="px-3 py-2 d-flex gap-2 align-items-center">
          {asking?.key === key ? (
            <>
              <Button onClick={stop}>
                <Square size={13} aria-hidden /> Stop
              </Button>
              <div style={{ flex: 1 }}>
                <Progress now={asking.share * 100} label="Stages run" />
              </div>
            </>
          ) : (
            <Button
              variant="primary"
              onClick={() => void ask(project, at.setup, name, tolerance, onBoards, onHost, isDirect)}
              data-testid="compare-stages"
            >
              <Play size={13} aria-hidden /> Run {name} in all stages
            </Button>
          )}
        </div>
      </div>
      {found[key] ? <Found project={project} setup={at.setup} found={found[key]} /> : asking?.key !== key && <What />}
    </div>
  );
}

const partsOf = (project: Project, setup: Setup, type: PartType): readonly string[] =>
  namesOfRun(project, setup.root || project.root).flatMap((n) =>
    n.kind === 'part' && n.detail === type.name ? [n.name] : [],
  );

/** What the stages are. */
function What() {
  return (
    <dl className="px-3 stage-words">
      {(['designed', 'sampled', 'code'] as const).map((s) => (
        <div key={s}>
          <dt>{s}</dt>
          <dd className="quiet">{stageWords[s]}</dd>
        </div>
      ))}
    </dl>
  );
}

function Found({
  project,
  setup,
  found,
}: {
  readonly project: Project;
  readonly setup: Setup;
  readonly found: FoundStages;
}) {
  const { answer } = found;
  if (!answer)
    return (
      <p className="px-3 field-problem" role="alert" data-testid="stages-problem">
        {found.problem}
      </p>
    );
  const stages = answer.runs.map((r) => r.stage);
  const broken = answer.runs.filter((r) => r.problem !== '');
  return (
    <div data-testid="stages-found">
      {found.project !== project && <p className="px-3 now-ink mb-1">The project has changed since.</p>}
      {broken.map((r) => (
        <p key={r.stage} className="px-3 field-problem">
          {stageName(r.stage)}: {r.problem}
        </p>
      ))}
      <Words answer={answer} setup={setup} tolerance={found.tolerance} />
      {answer.host && <OnHost {...answer.host} answer={answer} />}
      <Differences answer={answer} />
      <h3 className="section-title">Verdicts</h3>
      <table className="table" data-testid="stages-verdicts">
        <thead>
          <tr>
            <th scope="col">Requirement</th>
            {stages.map((s) => (
              <th key={s} scope="col">
                {stageName(s)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {answer.runs[0]?.findings.map((f, k) => (
            <tr key={f.id}>
              <td>{f.key}</td>
              {answer.runs.map((r) => (
                <td key={r.stage}>
                  <VerdictMark finding={r.findings[k]} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What came of it in a sentence or two. */
function Words({
  answer,
  setup,
  tolerance,
}: {
  readonly answer: StagesAnswer;
  readonly setup: Setup;
  readonly tolerance: number;
}) {
  const different = answer.pairs.filter((p) => !p.same);
  const first = different.reduce<StagePair | undefined>(
    (least, p) => (p.first && (!least?.first || p.first.time < least.first.time) ? p : least),
    undefined,
  );
  return (
    <div className="px-3 pt-2" data-testid="stages-words">
      <p className="mb-1">
        {different.length === 0
          ? `In ${setup.name}, ${answer.part} does the same in all stages, within ${formatNumber(tolerance, 3)} of the largest value.`
          : first?.first
            ? `In ${setup.name}, ${first.quantity} is the first to differ: at ${formatNumber(first.first.time, 5)} s it is ${show(first.first.b)} ${asStage(first.b)}, ${show(first.first.a)} ${asStage(first.a)}.`
            : `In ${setup.name}, ${different.length} differ.`}
      </p>
      <p className="quiet">
        {answer.period !== undefined && `A step every ${formatNumber(answer.period, 4)} s. `}
        Time to compute: {answer.runs.map((r) => `${stageName(r.stage)} ${formatNumber(r.seconds, 2)} s`).join(', ')}.
      </p>
    </div>
  );
}

/** What the compiled C took on the machine that serves the page. */
function OnHost({ problem, profile, answer }: HostOutcome & { readonly answer: StagesAnswer }) {
  const [step] = profile?.functions ?? [];
  const own = answer.pairs.filter((p) => p.b === 'host');
  const different = own.filter((p) => !p.same).length;
  const equal =
    different === 0 ? `it is equal in all ${own.length} quantities` : `${different} of ${own.length} quantities differ`;
  return (
    <p className={`px-3 mb-1 ${problem === '' ? '' : 'now-ink'}`} data-testid="stages-host">
      {problem !== ''
        ? `As C on this machine: ${problem}`
        : step &&
          `As C on this machine, on the inputs that the code had, ${equal}: a step of ${answer.part} takes ${formatNumber(step.min, 3)} to ${formatNumber(step.max, 3)} ns, ${formatNumber(step.mean, 3)} on average.`}
      {profile && <span className="quiet"> {profile.note}.</span>}
    </p>
  );
}

/** A stage as people call it: a board by its name. */
const stageName = (stage: string): string => (stage === 'host' ? 'compiled C' : nameOfBoard(stage));
/** Of the document that is open: who shows it shows that. */
const nameOfBoard = (stage: string): string =>
  boardsOf(useProject.getState().project ?? { boards: [] }).find((b) => stage === `board:${b.id}`)?.name ?? stage;
const asStage = (stage: string): string => `${stage.startsWith('board:') ? 'on' : 'as'} ${stageName(stage)}`;

const show = (x: number | string): string => (typeof x === 'string' ? x : formatNumber(x, 6));

/** Per quantity: where two stages differ first, and most. */
function Differences({ answer }: { readonly answer: StagesAnswer }) {
  const [all, setAll] = useState(false);
  const names = [...new Set(answer.pairs.map((p) => p.quantity))];
  const kinds = [...new Map(answer.pairs.map((p) => [`${p.a} ${p.b}`, p] as const)).values()];
  const differs = (name: string): boolean => answer.pairs.some((p) => p.quantity === name && !p.same);
  const shown = [...names.filter(differs), ...(all ? names.filter((n) => !differs(n)) : [])];
  const same = names.length - names.filter(differs).length;
  return (
    <>
      <h3 className="section-title">
        Outputs and states
        {same > 0 && (
          <Button size="sm" aria-pressed={all} onClick={() => setAll(!all)}>
            {all ? 'Only what differs' : `${same} the same`}
          </Button>
        )}
      </h3>
      {shown.length > 0 && (
        <table className="table" data-testid="stages-differences">
          <thead>
            <tr>
              <th scope="col">Quantity</th>
              {kinds.map(({ a, b }) => (
                <th key={a + b} scope="col">
                  {stageName(b)} to {stageName(a)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((name) => (
              <tr key={name}>
                <td className="mono">{name}</td>
                {kinds.map(({ a, b }) => (
                  <td key={a + b}>
                    <Difference pair={answer.pairs.find((p) => p.quantity === name && p.a === a && p.b === b)} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Difference({ pair }: { readonly pair: StagePair | undefined }) {
  if (!pair) return <span className="quiet">–</span>;
  const most = pair.largest
    ? `at most ${formatNumber(pair.largest.difference, 3)}, at ${formatNumber(pair.largest.time, 4)} s`
    : 'equal';
  if (pair.same) return <span className="quiet">{most}</span>;
  return (
    <span className="stage-differs">
      {pair.first && `from ${formatNumber(pair.first.time, 5)} s on: ${show(pair.first.b)} for ${show(pair.first.a)}; `}
      {most}
    </span>
  );
}
