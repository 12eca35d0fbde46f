'use client';
import { Download, Layers, Play, Square } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import Papa from 'papaparse';
import type { LoopPicture } from '@/core/linear/loop-picture';
import type { PartType, Project } from '@/core/project/project';
import { askLoop, type Asked } from '@/store/control-service';
import { fullName, useSetup } from '@/store/derived';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { download, fileName } from '@/ui/download';
import { formatNumber } from '@/ui/format';
import { NameField } from '@/ui/name-field';
import { productNames } from '@/ui/run-names';
import { useHandler } from '@/ui/use-handler';
import { XyPlot, type Curve } from '@/ui/xy-plot';
import { ControlChoice } from './control-choice';

interface Kept {
  readonly name: string;
  readonly picture: LoopPicture;
}

const hertz = (w: number): number => w / (2 * Math.PI);
const seconds = (t: number): string => (t < 1 ? `${formatNumber(1000 * t, 4)} ms` : `${formatNumber(t, 4)} s`);
const degrees = (x: number): number => (x * 180) / Math.PI;

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
    const work = askLoop(project, {
      from: u,
      to: y,
      ...(place !== '' && { open: place }),
      ...(setup && { setup: setup.id }),
      at: cursor,
    });
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
      const name = `${place === '' ? `${u} to ${y}` : `opened at ${place}`}, ${formatNumber(answer.value.time, 3)} s`;
      const picture = answer.value;
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
  const plots = useMemo(() => curvesOf(kept), [kept]);
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
  const names = (): ReturnType<typeof productNames.quantities> => productNames.quantities();
  return (
    <>
      <div className="pane-head">
        <h2 className="text-nowrap own-width">Loop in frequency</h2>
        <ControlChoice />
        <span style={{ flex: 1 }} />
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
        {busy ? (
          <Button onClick={() => asked.current?.stop()}>
            <Square size={12} aria-hidden /> Stop
          </Button>
        ) : (
          <>
            <Button variant="primary" type="submit" data-testid="look">
              <Play size={13} aria-hidden /> Look at {formatNumber(cursor, 4)} s
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
      <div className="pane-body loop" data-testid="loop">
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
              <h3 className="plot-title">{open.trim() === '' ? 'Gain and phase' : 'Loop gain and phase'}</h3>
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
              <h3 className="plot-title">
                {open.trim() === '' ? 'Answer to a step by 1' : 'What comes back in the closed loop for a step by 1'}
              </h3>
              <XyPlot label="Answer to a step by 1" curves={plots.step} xName="time, s" yName="y" height={150} />
            </div>
            <div>
              <Facts picture={last} isOpen={open.trim() !== ''} />
              <h3 className="plot-title">The loop in the complex plane</h3>
              <XyPlot
                label="Loop in the complex plane"
                curves={plots.plane}
                xName="real part"
                yName="imaginary part"
                height={210}
                marks={originMarks}
              />
              <h3 className="plot-title">
                {open.trim() === '' ? 'Poles and zeros' : 'Poles of the closed loop, zeros of the opened one'}
              </h3>
              <XyPlot
                label="Poles and zeros"
                curves={plots.poles}
                xName={last.every === null ? 'real part, rad/s' : 'real part of z'}
                yName="imaginary part"
                height={190}
              />
            </div>
          </div>
        )}
      </div>
    </>
  );
}

const originMarks = [{ axis: 'x' as const, at: -1, name: '-1' }];

function curvesOf(kept: readonly Kept[]): Record<'gain' | 'phase' | 'step' | 'plane' | 'poles', readonly Curve[]> {
  const over = (of: (p: LoopPicture) => readonly number[]): Curve[] =>
    kept.map(({ name, picture: p }) => ({ name, x: p.w.map(hertz), y: of(p) }));
  // far from the origin nothing is to be seen
  const near = (x: number): number => (Math.abs(x) > 6 ? NaN : x);
  return {
    gain: over((p) => p.loop.map(([re, im]) => 20 * Math.log10(Math.hypot(re, im)))),
    phase: over((p) => unwrap(p.loop)),
    step: kept.map(({ name, picture: p }) => ({ name, x: p.step.time, y: p.step.y })),
    plane: kept.map(({ name, picture: p }) => ({
      name,
      x: p.loop.map(([re]) => near(re)),
      y: p.loop.map(([, im]) => near(im)),
    })),
    poles: kept.flatMap(({ name, picture: p }): Curve[] => [
      {
        name: `poles, ${name}`,
        x: p.closedPoles.map(([re]) => re),
        y: p.closedPoles.map(([, im]) => im),
        points: 'cross',
      },
      ...(p.zeros.length > 0
        ? [
            {
              name: `zeros, ${name}`,
              x: p.zeros.map(([re]) => re),
              y: p.zeros.map(([, im]) => im),
              points: 'ring' as const,
            },
          ]
        : []),
    ]),
  };
}

function unwrap(values: LoopPicture['loop']): number[] {
  let before = 0;
  return values.map(([re, im], k) => {
    let phase = degrees(Math.atan2(im, re));
    if (k > 0) phase += 360 * Math.round((before - phase) / 360);
    before = phase;
    return phase;
  });
}

function marksOf(
  p: LoopPicture | undefined,
): Record<'gain' | 'phase', readonly { axis: 'x' | 'y'; at: number; name: string }[]> {
  if (!p) return { gain: [], phase: [] };
  const crossing = p.phaseMarginAt === null ? [] : [{ axis: 'x' as const, at: hertz(p.phaseMarginAt), name: 'gain 1' }];
  const turn = p.gainMarginAt === null ? [] : [{ axis: 'x' as const, at: hertz(p.gainMarginAt), name: '-180°' }];
  return {
    gain: [{ axis: 'y', at: 0, name: '0 dB' }, ...crossing, ...turn],
    phase: [{ axis: 'y', at: -180, name: '-180°' }, ...crossing, ...turn],
  };
}

/** Numbers of a loop, with what there is no end to said so. */
function Facts({ picture: p, isOpen }: { readonly picture: LoopPicture; readonly isOpen: boolean }) {
  const rows: readonly (readonly [string, string])[] = [
    [
      'Phase margin',
      p.phaseMargin === null
        ? 'none: its gain never is 1'
        : `${formatNumber(degrees(p.phaseMargin), 4)} deg at ${formatNumber(hertz(p.phaseMarginAt ?? NaN), 3)} Hz`,
    ],
    [
      'Gain margin',
      p.gainMargin === null
        ? 'none: it has no end'
        : `${formatNumber(p.gainMargin, 4)} (${formatNumber(20 * Math.log10(p.gainMargin), 3)} dB) at ${formatNumber(hertz(p.gainMarginAt ?? NaN), 3)} Hz`,
    ],
    ['Delay margin', p.delayMargin === null ? 'none: it has no end' : seconds(p.delayMargin)],
    ['Bandwidth', p.bandwidth === null ? 'none' : `${formatNumber(hertz(p.bandwidth), 4)} Hz`],
    ['Gain at rest', p.dcGain === null ? 'grows without end' : formatNumber(p.dcGain, 4)],
    ['What is disturbed', p.isStable ? 'dies away' : 'does not die away'],
    ['States', p.states.length === 0 ? 'none' : `${p.states.length}: ${p.states.join(', ')}`],
    ['Computed', p.every === null ? 'continuously' : `every ${seconds(p.every)}, from tick to tick`],
  ];
  return (
    <dl className="small-facts loop-facts" data-testid="loop-facts">
      {rows.map(([what, value]) => (
        <div key={what} className="d-contents">
          <dt>{what}</dt>
          <dd className="num" title={value}>
            {value}
          </dd>
        </div>
      ))}
      {!isOpen && <p className="quiet m-0">Margins take the way from input to output as a loop gain.</p>}
      {!p.reaches && (
        <p className="quiet m-0">
          Nothing passes at this moment: something on the way is at its limit, or there is no way. Move the cursor to
          another one.
        </p>
      )}
    </dl>
  );
}
