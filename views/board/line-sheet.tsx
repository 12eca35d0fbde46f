'use client';
import { ChartSpline } from 'lucide-react';
import { useState } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import type { PartType, Project, Quantity, Setup } from '@/core/project/project';
import { pinNameOn } from '@/core/pins/channels';
import { pinBoardNamed, pinBoardsOf, type PinBoard } from '@/core/pins/pin-boards';
import { mostWatched } from '@/core/serial/messages';
import { neededShare } from '@/core/serial/watcher';
import { serialIn } from '@/core/stepcode/stage';
import { heardName } from '@/core/stepcode/step-driver';
import { problemsAt, useSetup } from '@/store/derived';
import { canHear, hear } from '@/store/heard';
import { useProject } from '@/store/project-store';
import { setQuantity } from '@/store/running';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { FieldRow } from '@/ui/field-row';
import { formatNumber, withUnit } from '@/ui/format';
import { useMoment } from '@/ui/moment';
import { NumberRow } from '@/ui/number-row';
import { watch } from '@/ui/ribbon/watch';

const bauds = [9600, 19_200, 57_600, 115_200, 250_000, 500_000, 1_000_000];

/** The serial line of software on a board: what is told over it, what came, and what is given over it. */
export function LineSheet({
  project,
  type,
  part,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly part: string;
}) {
  const setup = useSetup();
  const problems = useProject((s) => s.problems);
  if (!setup || part === '')
    return (
      <div className="empty">
        <p>A serial line is that of a part: choose one of {type.name} on the left.</p>
      </div>
    );
  const k = setup.serial.findIndex((s) => s.part === part);
  const stage = setup.stages.find((s) => s.part === part && s.stage === 'board');
  const set = (changes: Partial<Setup>, what: string): void =>
    void useProject.getState().edit({ kind: 'update', list: 'setup', id: setup.id, changes }, what);
  if (k < 0 || !stage)
    return (
      <div className="empty">
        <h3>
          {part} is not watched in {setup.name}
        </h3>
        <p>
          Over a serial line a board tells some of its quantities after every few steps, as it would on the bench: a
          little later, and no more than the line can carry. What it tells is recorded beside what is there, and
          parameters that are changed while it runs go over the line.
        </p>
        <Button
          variant="primary"
          data-testid="watch-part"
          onClick={() =>
            set(
              {
                ...(stage ? {} : { stages: onBoard(project, setup, type, part) }),
                ...(k < 0 && { serial: [...setup.serial, { part, baud: 115_200, every: 10, noise: 0 }] }),
              },
              `Watch ${part} in ${setup.name}`,
            )
          }
        >
          Watch {part} in {setup.name}
          {stage ? '' : `, on ${freeBoard(project, type).name}`}
        </Button>
      </div>
    );
  const line = setup.serial[k];
  const boards = pinBoardsOf(project);
  const board = pinBoardNamed(stage.board, boards) ?? boards[0];
  const put = (more: Partial<Setup['serial'][number]>): Problem | undefined =>
    useProject.getState().edit(
      {
        kind: 'update',
        list: 'setup',
        id: setup.id,
        changes: { serial: setup.serial.map((s, n) => (n === k ? { ...s, ...more } : s)) },
      },
      `The line of ${part}`,
    );
  const at = `setup/${setup.id}/serial/${k}`;
  const problemOf = (field: string): string | undefined => problemsAt(problems, `${at}/${field}`)[0]?.message;
  const [leads, gives] = board.serial;
  return (
    <div className="pane-body line-sheet">
      <div className="line-settings">
        <FieldRow label="Bits per second">
          <CellSelect
            value={String(line.baud)}
            label={`Bits per second of ${part}`}
            options={[...new Set([...bauds, line.baud])]
              .sort((a, b) => a - b)
              .map((b) => [String(b), b.toLocaleString('en')])}
            onCommit={(baud) => put({ baud: Number(baud) })}
          />
          {problemOf('baud') && <div className="field-problem">{problemOf('baud')}</div>}
        </FieldRow>
        <NumberRow
          name="Told after every"
          label={`Steps from telling to telling of ${part}`}
          after="steps"
          value={line.every}
          whole
          onNumber={(every) => put({ every })}
          problem={problemOf('every')}
        />
        <NumberRow
          name="Damaged bytes"
          label={`Share of bytes of ${part} that are damaged`}
          after="of 1, put in on purpose"
          value={line.noise}
          onNumber={(noise) => put({ noise })}
        />
        <p className="px-3 quiet mb-1">
          In at {leads}, out at {gives} of {board.name}. In {setup.name}.{' '}
          <Button
            size="sm"
            onClick={() => set({ serial: setup.serial.filter((_, n) => n !== k) }, `Do not watch ${part}`)}
          >
            No line
          </Button>
        </p>
        {problemOf('part') && <div className="field-problem px-3">{problemOf('part')}</div>}
      </div>
      <LineFacts setup={setup} part={part} />
      <Told type={type} setup={setup} part={part} />
    </div>
  );
}

const valueWithUnit = (text: string, unit: string): string => (text === '' ? '' : withUnit(text, unit));

/** A board whose pins for the line nobody has taken. */
const freeBoard = (project: Project, type: PartType): PinBoard => {
  const boards = pinBoardsOf(project);
  return boards.find((b) => type.channels.every((c) => !b.serial.includes(pinNameOn(c, b)))) ?? boards[0];
};
const onBoard = (project: Project, setup: Setup, type: PartType, part: string): Setup['stages'] => [
  ...setup.stages.filter((s) => s.part !== part),
  { part, stage: 'board', board: freeBoard(project, type).id },
];

/** How full the line is, and what came over it in the run at hand. */
function LineFacts({ setup, part }: { readonly setup: Setup; readonly part: string }) {
  const found = useRuns((s) => s.current?.lines?.find((l) => l.part === part));
  const name = useRuns((s) => s.current?.setup);
  const period = useRuns((s) => s.current?.model.stages?.find((x) => x.part === part)?.period);
  const watching = serialIn(setup).get(part);
  const needed = watching && period !== undefined ? neededShare(watching, period) : undefined;
  return (
    <div className="line-facts" data-testid="line-facts">
      {found ? (
        <>
          <div>
            <b className="num">{found.received}</b> tellings came in {name}
          </div>
          <div className={found.lost > 0 ? 'bad' : 'quiet'}>
            <b className="num">{found.lost}</b> lost
          </div>
          <div className={found.broken > 0 ? 'bad' : 'quiet'}>
            <b className="num">{found.broken}</b> broken
          </div>
          <div className="quiet">
            <b className="num">{found.followed}</b> of <b className="num">{found.sent}</b> orders followed
          </div>
          <div className="quiet">
            <b className="num">{formatNumber(100 * found.load, 2)}</b> % of the line used
          </div>
        </>
      ) : (
        <div className="quiet">Nothing came yet: run {setup.name}.</div>
      )}
      {needed !== undefined && needed > 1 && (
        <div className="bad">What is asked for is {formatNumber(100 * needed, 3)} % of what the line can carry</div>
      )}
    </div>
  );
}

/** Quantities of a part: which are told, what was told last, and what is there. */
function Told({ type, setup, part }: { readonly type: PartType; readonly setup: Setup; readonly part: string }) {
  const moment = useMoment();
  const running = useRuns((s) => s.current?.status === 'running' || s.current?.status === 'paused');
  const order = (q: Quantity): number =>
    setup.heard.includes(`${part}.${q.name}`) ? -1 : ['output', 'variable', 'input', 'parameter'].indexOf(q.role);
  const shown = type.quantities.filter((q) => q.role !== 'constant').sort((a, b) => order(a) - order(b));
  const isFull = !canHear(setup, part);
  const [problem, setProblem] = useState('');
  return (
    <>
      <h3 className="section-title">
        Told over the line{' '}
        <span className="quiet">
          {setup.heard.filter((n) => n.startsWith(`${part}.`)).length} of {mostWatched}
        </span>
      </h3>
      {problem !== '' && <div className="field-problem px-3">{problem}</div>}
      <table className="table" data-testid="told">
        <thead>
          <tr>
            <th scope="col" style={{ width: 44 }} aria-label="Told" />
            <th scope="col">Quantity</th>
            <th scope="col" className="text-end">
              As told
            </th>
            <th scope="col" className="text-end">
              As it is
            </th>
            {running && (
              <th scope="col" style={{ width: 150 }}>
                New value
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {shown.map((q) => {
            const name = `${part}.${q.name}`;
            const isHeard = setup.heard.includes(name);
            const told = moment.text(heardName(part, q.name));
            return (
              <tr key={q.id} data-quantity={q.name}>
                <td>
                  <input
                    type="checkbox"
                    className="form-check-input"
                    checked={isHeard}
                    disabled={!isHeard && isFull}
                    aria-label={`${q.name} is told`}
                    onChange={(e) => hear(setup, name, e.target.checked)}
                  />
                </td>
                <td>
                  <span className="mono">{q.name}</span> <span className="quiet">{q.note}</span>
                </td>
                <td className="mono text-end text-nowrap">
                  {isHeard && (
                    <>
                      {told === '' || told === 'NaN' ? (
                        <span className="quiet">nothing yet</span>
                      ) : (
                        <DraggableName name={heardName(part, q.name)} from="told">
                          {withUnit(q.type === 'Boolean' ? String(told !== '0') : told, q.unit)}
                        </DraggableName>
                      )}
                      <Button
                        variant="bare"
                        label={`Draw ${q.name} as told`}
                        onClick={() => watch([heardName(part, q.name)], false)}
                      >
                        <ChartSpline size={13} aria-hidden />
                      </Button>
                    </>
                  )}
                </td>
                <td className="mono text-end">
                  {valueWithUnit(moment.text(name), q.unit) || <span className="quiet">–</span>}
                </td>
                {running && (
                  <td>
                    {q.role === 'parameter' && (
                      <CellField
                        value=""
                        label={`New value of ${q.name}`}
                        mono
                        placeholder="new value"
                        onCommit={(text) => {
                          if (text.trim() === '') return undefined;
                          const value = text.trim() === 'true' ? 1 : text.trim() === 'false' ? 0 : Number(text);
                          if (!Number.isFinite(value))
                            return { severity: 'error', code: 'value', message: 'A number, true or false' };
                          setProblem('');
                          setQuantity(name, value).catch((e: unknown) => setProblem(String(e)));
                          return undefined;
                        }}
                      />
                    )}
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
