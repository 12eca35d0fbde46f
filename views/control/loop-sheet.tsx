'use client';
import { Download, ImageDown, Layers, Play, Square } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import Papa from 'papaparse';
import type { Locus } from '@/core/linear/locus';
import type { LoopPicture, LoopQuestion } from '@/core/linear/loop-picture';
import type { Sweep } from '@/core/linear/sweep';
import type { PartType, Project } from '@/core/project/project';
import { namesOfRun } from '@/core/run/names-of-run';
import { askLoop, type Asked } from '@/store/control-service';
import { fullName, useSetup } from '@/store/derived';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { download, fileName } from '@/ui/download';
import { formatNumber } from '@/ui/format';
import { saveCharts } from '@/ui/picture';
import { NameField } from '@/ui/name-field';
import { productNames } from '@/ui/run-names';
import { useHandler } from '@/ui/use-handler';
import { XyPlot } from '@/ui/xy-plot';
import { ControlChoice } from './control-choice';
import {
  curvesOf,
  hertz,
  locusCurve,
  marksOf,
  originMarks,
  sweepCurves,
  worthMeasuring,
  type Kept,
} from './loop-curves';
import { LoopFacts, LoopModes } from './loop-facts';
import { LocusForm, SweepForm } from './loop-studies';

/** A loop in frequency, around the moment of the cursor: gains, margins, poles, and the answer to a step. */
export function LoopSheet({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const setup = useSetup();
  const cursor = useRuns((s) => s.cursor);
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [open, setOpen] = useState('');
  const [kept, setKept] = useState<readonly Kept[]>([]);
  const [busy, setBusy] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const [at, setAt] = useState<number>();
  const [rest, setRest] = useState(false);
  /** What the newest picture was asked with: studies are about the same. */
  const [question, setQuestion] = useState<LoopQuestion>();
  const [locus, setLocus] = useState<{ readonly found: Locus; readonly over: string }>();
  const [sweep, setSweep] = useState<Sweep>();
  const asked = useRef<Asked<LoopPicture>>(undefined);
  useEffect(() => () => asked.current?.stop(), []);
  const output = type.quantities.find((q) => q.role === 'output')?.name;
  const example = output === undefined ? 'ctrl.u' : fullName(path, output);
  const look = useHandler(async (beside: boolean): Promise<void> => {
    const place = open.trim();
    const [u, y] = [from.trim() || place, to.trim() || place];
    if (u === '' || y === '') return setWrong('Say where the loop is opened, or an input and an output');
    setWrong(undefined);
    setBusy(true);
    const asking: LoopQuestion = {
      from: u,
      to: y,
      ...(place !== '' && { open: place }),
      ...(setup && { setup: setup.id }),
      at: cursor,
      rest,
    };
    const work = askLoop(project, asking);
    asked.current = work;
    try {
      const answer = await work.answer;
      if (!answer) return;
      if (!answer.value)
        return setWrong(
          answer.problems
            .map((p) => p.message)
            .slice(0, 3)
            .join(' · ') || 'It could not be looked at',
        );
      const moment = rest ? 'at rest' : `${formatNumber(answer.value.time, 3)} s`;
      const name = `${place === '' ? `${u} to ${y}` : `opened at ${place}`}, ${moment}`;
      const picture = answer.value;
      setQuestion(asking);
      setLocus(undefined);
      setSweep(undefined);
      setKept((k) => {
        const before = beside ? k : [];
        const same = before.filter((x) => x.name === name || x.name.startsWith(`${name} (`)).length;
        return [...before, { name: same === 0 ? name : `${name} (${same + 1})`, picture }].slice(-5);
      });
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  });
  const last = kept.at(-1)?.picture;
  const plots = useMemo(() => {
    const own = curvesOf(kept);
    const over = sweep && last ? sweepCurves(sweep, last) : undefined;
    return {
      ...own,
      gain: over ? [...own.gain, over.gain] : own.gain,
      phase: over ? [...own.phase, over.phase] : own.phase,
      poles: locus ? [...own.poles, locusCurve(locus.found, locus.over)] : own.poles,
    };
  }, [kept, last, sweep, locus]);
  const marks = useMemo(() => marksOf(last), [last]);
  const exportCsv = (): void => {
    if (!last) return;
    const rows = last.w.map((w, k) => [hertz(w), w, last.gain[k], last.phase[k], last.loop[k][0], last.loop[k][1]]);
    const text = Papa.unparse({
      fields: ['frequency/Hz', 'w/(rad/s)', 'gain/dB', 'phase/deg', 'loop re', 'loop im'],
      data: rows,
    });
    download(`${fileName(kept.at(-1)!.name)}.csv`, 'text/csv', text);
  };
  const body = useRef<HTMLDivElement>(null);
  const unitOf = (name: string): string =>
    namesOfRun(project, setup?.root || project.root).find((n) => n.name === name)?.unit ?? '';
  const names = (): ReturnType<typeof productNames.quantities> => productNames.quantities();
  return (
    <>
      <div className="pane-head">
        <h2 className="text-nowrap own-width">Loop in frequency</h2>
        <ControlChoice />
        <span style={{ flex: 1 }} />
        <Button
          onClick={() => body.current && void saveCharts(body.current, kept.at(-1)!.name)}
          disabled={!last}
          title="All charts as one picture"
        >
          <ImageDown size={13} aria-hidden /> Picture
        </Button>
        <Button onClick={exportCsv} disabled={!last} title="The newest curves as CSV">
          <Download size={13} aria-hidden /> CSV
        </Button>
      </div>
      <form
        className="type-tray loop-form"
        onSubmit={(e) => {
          e.preventDefault();
          void look(false);
        }}
      >
        <label>
          Open the loop at
          <NameField
            value={open}
            onText={setOpen}
            names={names}
            aria-label="Where the loop is opened"
            placeholder={example}
          />
        </label>
        <label>
          from
          <NameField
            value={from}
            onText={setFrom}
            names={names}
            aria-label="From which quantity"
            placeholder={open || 'an input'}
          />
        </label>
        <label>
          to
          <NameField
            value={to}
            onText={setTo}
            names={names}
            aria-label="To which quantity"
            placeholder={open || 'an output'}
          />
        </label>
        <label title="From the moment of the cursor on, with the inputs as they are there, until everything stands still">
          <input
            type="checkbox"
            className="form-check-input m-0"
            checked={rest}
            onChange={(e) => setRest(e.target.checked)}
          />
          at rest
        </label>
        {busy ? (
          <Button onClick={() => asked.current?.stop()}>
            <Square size={12} aria-hidden /> Stop
          </Button>
        ) : (
          <>
            <Button variant="primary" type="submit" data-testid="look">
              <Play size={13} aria-hidden /> Look {rest ? 'from' : 'at'} {formatNumber(cursor, 4)} s
            </Button>
            <Button
              disabled={kept.length === 0}
              onClick={() => void look(true)}
              title="Keep what is shown and lay this over it"
            >
              <Layers size={13} aria-hidden /> Lay over
            </Button>
          </>
        )}
        <span className="quiet">{setup?.name ?? ''}</span>
      </form>
      <div className="pane-body loop" data-testid="loop" ref={body}>
        {wrong !== undefined && (
          <p className="px-3 pt-2 field-problem" role="alert">
            {wrong}
          </p>
        )}
        {!last && wrong === undefined && (
          <div className="empty">
            <h3>Gain, margins and poles</h3>
            <p>
              The model is run to the moment of the cursor with the setup at hand, and every slope there is exact. Open
              the loop at a quantity, such as <span className="mono">{example}</span>, to see its margins; or give an
              input and an output. What is at its ticks is taken from tick to tick.
            </p>
          </div>
        )}
        {last && (
          <div className="loop-split">
            <div>
              <h3 className="plot-title">{question?.open === undefined ? 'Gain and phase' : 'Loop gain and phase'}</h3>
              <XyPlot
                label="Gain over frequency"
                curves={plots.gain}
                xName="frequency, Hz"
                yName="gain, dB"
                height={170}
                logX
                at={at}
                onPoint={setAt}
                marks={marks.gain}
              />
              <XyPlot
                label="Phase over frequency"
                curves={plots.phase}
                xName="frequency, Hz"
                yName="phase, deg"
                height={150}
                logX
                at={at}
                onPoint={setAt}
                marks={marks.phase}
              />
              {question && question.open === undefined && (
                <SweepForm
                  key={`${question.from} ${question.to}`}
                  project={project}
                  question={question}
                  unit={unitOf(question.from)}
                  range={worthMeasuring(last)}
                  onFound={setSweep}
                />
              )}
              <h3 className="plot-title">
                {question?.open === undefined
                  ? 'Answer to a step by 1'
                  : 'What comes back in the closed loop for a step by 1'}
              </h3>
              <XyPlot label="Answer to a step by 1" curves={plots.step} xName="time, s" yName="y" height={150} />
              <h3 className="plot-title">
                {question?.open === undefined ? 'Poles and zeros' : 'Poles of the closed loop, zeros of the opened one'}
              </h3>
              <XyPlot
                label="Poles and zeros"
                curves={plots.poles}
                xName={last.every === null ? 'real part, rad/s' : 'real part of z'}
                yName="imaginary part"
                height={190}
              />
              {question && (
                <LocusForm
                  project={project}
                  question={question}
                  onFound={(found, over) => setLocus(found && { found, over })}
                />
              )}
            </div>
            <div>
              <LoopFacts picture={last} isOpen={question?.open !== undefined} />
              <LoopModes picture={last} isOpen={question?.open !== undefined} />
              <h3 className="plot-title">The loop in the complex plane</h3>
              <XyPlot
                label="Loop in the complex plane"
                curves={plots.plane}
                xName="real part"
                yName="imaginary part"
                height={210}
                marks={originMarks}
              />
            </div>
          </div>
        )}
      </div>
    </>
  );
}
