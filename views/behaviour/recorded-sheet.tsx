'use client';
import { GitCompareArrows, Pause, Pencil, Search, Timer } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useCallback, useMemo, useState } from 'react';
import { compareSequences } from '@/core/sequences/compare';
import { writtenPicture, type PictureRow, type SequencePicture } from '@/core/sequences/picture';
import { outside } from '@/core/sequences/read-sequence';
import { recordedPicture } from '@/core/sequences/recorded';
import { newSequence, type PartType, type Project } from '@/core/project/project';
import { changePace } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { leavesAtTime } from '@/store/run-data';
import { useRuns, type RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';
import { NameField } from '@/ui/name-field';
import { usePlayback } from '@/ui/use-playback';
import { BehaviourPicker } from './behaviour-picker';
import { SequenceTip, SequenceView } from './sequence-view';

const recordOf = (run: RunView, product: string) => ({
  parts: run.model.parts.map((path, k) => ({ path, typeName: run.model.partTypes?.[k] ?? '' })),
  product,
  messages: run.data.messages,
  transitions: run.data.transitions,
  charts: run.model.charts.map((c) => ({ part: c.part ?? '', targets: c.isProcedure ? [] : (c.targets ?? []) })),
  starts: run.model.charts.flatMap((c) => {
    const states = c.isProcedure ? undefined : leavesAtTime(run.data, c.name, 0);
    return states === undefined ? [] : [{ part: c.part ?? '', states }];
  }),
});

/** The sequence the newest run has left; it follows the cursor, and can be compared with another one. */
export function RecordedSheet({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const run = useRuns((s) => s.current);
  const earlier = useRuns((s) => s.earlier);
  const version = useRuns((s) => s.version);
  const cursor = useRuns((s) => s.cursor);
  const [hidden, setHidden] = useState<ReadonlySet<string>>(new Set());
  const [collapsed, setCollapsed] = useState<ReadonlySet<string>>(new Set());
  const [states, setStates] = useState(true);
  const [toScale, setToScale] = useState(false);
  const { playing, toggle: play } = usePlayback(1);
  const followClock = (): void => {
    setToScale(true);
    // what is still running is slowed down to the clock; what has ended is played
    if (run?.status === 'running' && useRuns.getState().pace !== 1) changePace(1);
    else play();
  };
  const [search, setSearch] = useState('');
  const [against, setAgainst] = useState('');
  // messages that were sent in this run
  const sent = run?.data.messages;
  const messages = useCallback(() => {
    const counts = new Map<string, number>();
    for (const { message } of sent ?? []) counts.set(message, (counts.get(message) ?? 0) + 1);
    return [...counts].map(([name, n]) => ({ name, detail: n === 1 ? 'once' : `${n} times` }));
  }, [sent]);
  const product = project.types.find((t) => t.id === project.root)?.name ?? '';
  // all that take part, whether shown or not
  const all = useMemo(
    () => (run ? recordedPicture(recordOf(run, product), { collapsed, states }).participants : []),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run?.model, version, product, collapsed, states],
  );
  const shown = useMemo(
    () => (hidden.size > 0 ? new Set(all.map((p) => p.id).filter((p) => !hidden.has(p))) : undefined),
    [all, hidden],
  );
  const picture = useMemo(
    () =>
      run ? recordedPicture(recordOf(run, product), { collapsed, states, search, ...(shown && { shown }) }) : undefined,
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run?.model, version, product, collapsed, states, search, shown],
  );
  const root = project.types.find((t) => t.id === project.root);
  const comparison = useMemo(() => {
    if (!picture || against === '') return undefined;
    if (against === 'earlier')
      return earlier
        ? compareSequences(
            recordedPicture(recordOf(earlier, product), { collapsed, states: false, search, ...(shown && { shown }) }),
            { ...picture, rows: picture.rows.filter((r) => r.kind === 'message') },
          )
        : undefined;
    const sequence = root?.sequences.find((s) => s.id === against);
    if (!sequence) return undefined;
    const written = writtenPicture(sequence.lines, [], product);
    // a written sequence only speaks of its own messages
    const named = new Set(written.rows.flatMap((r) => (r.kind === 'message' ? [r.text.replace(/\(.*$/, '')] : [])));
    return compareSequences(written, {
      ...picture,
      rows: picture.rows.filter((r) => r.kind === 'message' && named.has(r.text.replace(/\(.*$/, ''))),
    });
  }, [picture, against, earlier, product, collapsed, search, shown, root]);
  const marks = useMemo(
    () =>
      comparison &&
      new Map(
        comparison.pairs.flatMap((p) =>
          p.b && p.kind !== 'same' ? [[p.b.id, p.kind as 'extra' | 'moved'] as const] : [],
        ),
      ),
    [comparison],
  );
  const withMissing = useMemo(
    () => (picture && comparison ? mergeMissing(picture, comparison.pairs) : picture),
    [picture, comparison],
  );
  const allMarks = useMemo(
    () =>
      marks && comparison
        ? new Map<string, 'missing' | 'extra' | 'moved'>([
            ...marks,
            ...comparison.pairs.flatMap((p) =>
              p.kind === 'missing' && p.a ? [[`missing ${p.a.id}`, 'missing'] as const] : [],
            ),
          ])
        : undefined,
    [marks, comparison],
  );
  const toggle = (set: ReadonlySet<string>, id: string): ReadonlySet<string> => {
    const next = new Set(set);
    if (!next.delete(id)) next.add(id);
    return next;
  };
  if (!run || !picture) {
    return (
      <>
        <div className="pane-head">
          <BehaviourPicker type={type} />
        </div>
        <div className="empty">
          <h3>No run yet</h3>
          <p>
            Every run leaves its sequence here: who said what to whom, and which states it led to.{' '}
            {project.setups.length > 0 ? 'Press Run below.' : 'Add a setup on the Bench, then press Run below.'}
          </p>
        </div>
      </>
    );
  }
  const inner = new Set(run.model.parts.filter((p) => p.includes('.')).map((p) => p.split('.')[0]));
  const difference = comparison && comparison.first >= 0 ? comparison.pairs[comparison.first] : undefined;
  return (
    <>
      <div className="pane-head">
        <BehaviourPicker type={type} />
        <span className="quiet num text-nowrap">{picture.rows.length} rows</span>
        <span style={{ flex: 1 }} />
        <label className="d-flex gap-2 align-items-center text-nowrap">
          <input
            type="checkbox"
            className="form-check-input mt-0"
            checked={states}
            onChange={(e) => setStates(e.target.checked)}
          />{' '}
          states
        </label>
        <label className="d-flex gap-2 align-items-center text-nowrap">
          <input
            type="checkbox"
            className="form-check-input mt-0"
            checked={toScale}
            onChange={(e) => setToScale(e.target.checked)}
          />{' '}
          to scale
        </label>
        <Button
          onClick={followClock}
          className={playing ? 'active' : ''}
          aria-pressed={playing}
          title="The line of now moves with the clock on the wall"
          data-testid="real-time"
        >
          {playing ? <Pause size={14} aria-hidden /> : <Timer size={14} aria-hidden />} Real time
        </Button>
        <GitCompareArrows size={14} aria-hidden style={{ flex: 'none' }} />
        <select
          className="form-select form-select-sm"
          style={{ width: 150, flex: 'none' }}
          aria-label="Compare with"
          value={against}
          onChange={(e) => setAgainst(e.target.value)}
        >
          <option value="">not compared</option>
          {earlier && <option value="earlier">the earlier run ({earlier.setup})</option>}
          {root?.sequences.map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
            </option>
          ))}
        </select>
        <Button
          onClick={() => writeDown(run, picture, root)}
          title="Makes a written sequence of what is shown"
          data-testid="write-down"
        >
          <Pencil size={14} aria-hidden /> Write it down
        </Button>
      </div>
      <div className="chips">
        <Search size={13} aria-hidden className="quiet" />
        <NameField
          names={messages}
          style={{ width: 130 }}
          placeholder="message"
          aria-label="Search messages"
          value={search}
          onText={setSearch}
        />
        {all.map((p) => (
          <button
            key={p.id}
            type="button"
            className="chip"
            aria-pressed={!hidden.has(p.id)}
            onClick={() => setHidden(toggle(hidden, p.id))}
            title={hidden.has(p.id) ? 'Show it' : 'Hide it'}
          >
            {p.label}
          </button>
        ))}
        {[...inner].map((p) => (
          <button
            key={p}
            type="button"
            className="chip"
            aria-pressed={collapsed.has(p)}
            onClick={() => setCollapsed(toggle(collapsed, p))}
          >
            {collapsed.has(p) ? `open ${p}` : `${p} as one`}
          </button>
        ))}
      </div>
      {comparison && (
        <div className="chips" data-testid="comparison">
          {comparison.first < 0 ? (
            <span className="good">
              The same messages in the same order
              {comparison.latest > 0 && `, at most ${formatNumber(comparison.latest, 3)} s apart`}
            </span>
          ) : (
            <>
              <strong className="bad">
                {comparison.missing} missing, {comparison.extra} extra, {comparison.moved} in another order
              </strong>
              <span className="quiet">
                {comparison.latest > 0 && `times differ by up to ${formatNumber(comparison.latest, 3)} s`}
              </span>
              {difference && (
                <button
                  type="button"
                  className="btn btn-link p-0"
                  onClick={() => {
                    const t = difference.b?.time ?? difference.a?.time;
                    if (t !== undefined) useRuns.getState().moveCursor(t);
                  }}
                >
                  first difference:{' '}
                  {difference.kind === 'missing'
                    ? `${rowText(difference.a)} does not come`
                    : `${rowText(difference.b)}${difference.kind === 'moved' ? ' comes elsewhere' : ' comes besides'}`}
                </button>
              )}
            </>
          )}
        </div>
      )}
      <SequenceTip />
      <SequenceView
        picture={withMissing ?? picture}
        cursor={cursor}
        selected=""
        toScale={toScale}
        {...(allMarks && { marks: allMarks })}
        empty={
          hidden.size > 0 || search ? 'Nothing that is shown says anything.' : 'Nobody has said anything in this run.'
        }
        choose={(row) => row.time !== undefined && useRuns.getState().moveCursor(row.time)}
        headClick={(id) => id !== outside && usePlace.getState().go({ area: 'behaviour', part: id, type: '' })}
      />
    </>
  );
}

const rowText = (r: PictureRow | undefined): string =>
  r?.kind === 'message' ? `${r.from || 'the product'} -> ${r.to}: ${r.text}` : '';

/** Rows only the other sequence has, put in where they are missed. */
function mergeMissing(picture: SequencePicture, pairs: ReturnType<typeof compareSequences>['pairs']): SequencePicture {
  const before = new Map<string, PictureRow[]>();
  let pending: PictureRow[] = [];
  for (const p of pairs) {
    if (p.kind === 'missing' && p.a) pending.push({ ...p.a, id: `missing ${p.a.id}`, time: undefined } as PictureRow);
    else if (p.b && pending.length > 0) {
      before.set(p.b.id, pending);
      pending = [];
    }
  }
  return { ...picture, rows: [...picture.rows.flatMap((r) => [...(before.get(r.id) ?? []), r]), ...pending] };
}

/** What a run has left, as a written sequence that can be run again. */
function writeDown(run: RunView, picture: SequencePicture, root: PartType | undefined): void {
  if (!root) return;
  let last = 0;
  const rows: string[] = [];
  for (const r of picture.rows) {
    if (r.kind !== 'message' || r.from === '' || r.to === '' || r.from.includes('.') || r.to.includes('.')) continue;
    const gap = (r.time ?? 0) - last;
    if (r.from === outside && gap > 1e-6) rows.push(`wait ${formatNumber(gap, 6)} s`);
    rows.push(`${r.from} -> ${r.to}: ${r.text}`);
    last = r.time ?? last;
  }
  const id = `q-${nanoid(8)}`;
  const taken = root.sequences.map((s) => s.name);
  let name = `As in ${run.setup}`;
  for (let k = 2; taken.includes(name); k++) name = `As in ${run.setup} ${k}`;
  const entry = {
    ...newSequence(id, name),
    note: `Written down from a run of ${run.setup}.`,
    lines: rows.map((text, k) => ({ id: `z-${k + 1}`, depth: 0, text })),
  };
  const refused = useProject
    .getState()
    .edit({ kind: 'insert', list: `type/${root.id}/sequence`, entry }, `Write down ${name}`);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ area: 'behaviour', part: '', type: '', sheet: `sequence/${id}` });
}
