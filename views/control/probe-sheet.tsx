'use client';
import { CircleCheck, CircleDashed, OctagonX, Play, Square } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { PartType, Project } from '@/core/project/project';
import { meanings, propertyNames, type PropertyName } from '@/core/probe/properties';
import type { ProbeReport, PropertyAnswer } from '@/core/probe/report';
import { askProbe, type Asked } from '@/store/control-service';
import { goTo } from '@/store/locate';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';
import { Progress } from '@/ui/progress';
import { useHandler } from '@/ui/use-handler';
import { XyPlot } from '@/ui/xy-plot';
import { ControlChoice } from './control-choice';

const words: Readonly<Record<PropertyName, string>> = {
  homogeneous: 'homogeneous',
  additive: 'additive',
  timeInvariant: 'time-invariant',
  memoryless: 'without memory',
  causal: 'no passage at once',
  bounded: 'bounded',
  odd: 'odd',
  monotone: 'monotone',
};

const efforts = [
  [60, 'quick'],
  [200, 'usual'],
  [1000, 'thorough'],
] as const;

const together = 'all inputs';

/** Whether a part type is what theory assumes of a box; a counterexample where it is not. */
export function ProbeSheet({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const inputs = type.quantities.filter((q) => q.role === 'input');
  const names = inputs.map((q) => q.name);
  const numbers = inputs.filter((q) => q.type === 'Real').map((q) => q.name);
  const outputs = useMemo(
    () =>
      [
        ...type.quantities.filter((q) => q.role === 'output'),
        ...type.quantities.filter((q) => q.role === 'variable'),
      ].map((q) => q.name),
    [type.quantities],
  );
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [effort, setEffort] = useState<number>(200);
  const [share, setShare] = useState<number>();
  const [report, setReport] = useState<{ readonly of: PartType; readonly value: ProbeReport }>();
  const [wrong, setWrong] = useState<string>();
  const [shown, setShown] = useState<PropertyName>();
  const asked = useRef<Asked<ProbeReport>>(undefined);
  useEffect(() => () => asked.current?.stop(), []);
  // several are driven together unless one is chosen
  const choices = numbers.length > 1 ? [together, ...names] : names;
  const [u, y] = [choices.includes(from) ? from : choices[0], outputs.includes(to) ? to : outputs[0]];
  const ask = useHandler(async (): Promise<void> => {
    if (u === undefined || y === undefined) return;
    setWrong(undefined);
    setShare(0);
    const question = { from: u === together ? numbers : [u], to: [y], properties: propertyNames, effort, seed: 1 };
    const work = askProbe(project, type.id, question, setShare);
    asked.current = work;
    try {
      const answer = await work.answer;
      if (!answer) return;
      if (answer.value) {
        setReport({ of: type, value: answer.value });
        setShown(answer.value.answers.find((a) => a.holds === false)?.property ?? answer.value.answers[0]?.property);
      } else
        setWrong(
          answer.problems
            .map((p) => p.message)
            .slice(0, 3)
            .join(' · ') || 'It could not be asked',
        );
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    } finally {
      setShare(undefined);
    }
  });
  const answers = report?.value.answers ?? [];
  const one = answers.find((a) => a.property === shown);
  const isOld = report !== undefined && report.of !== type;
  return (
    <>
      <div className="pane-head">
        <h2 className="text-nowrap own-width">
          What <span className="type-tag">{type.name}</span> is
        </h2>
        <ControlChoice />
        <span style={{ flex: 1 }} />
        {inputs.length > 0 && outputs.length > 0 && (
          <>
            <EndChoice label="Input" value={u} names={choices} onChoose={setFrom} />
            <span className="quiet">to</span>
            <EndChoice label="Output" value={y} names={outputs} onChoose={setTo} />
            <select
              className="form-select form-select-sm ends"
              aria-label="Effort"
              value={effort}
              onChange={(e) => setEffort(Number(e.target.value))}
            >
              {efforts.map(([n, word]) => (
                <option key={n} value={n}>
                  {word}: {n} inputs
                </option>
              ))}
            </select>
            {share === undefined ? (
              <Button variant="primary" onClick={() => void ask()} data-testid="ask">
                <Play size={13} aria-hidden /> Ask
              </Button>
            ) : (
              <Button onClick={() => asked.current?.stop()}>
                <Square size={12} aria-hidden /> Stop
              </Button>
            )}
          </>
        )}
      </div>
      <div className="pane-body probe" data-testid="probe">
        {(inputs.length === 0 || outputs.length === 0) && (
          <div className="empty">
            <h3>{type.name} is no box</h3>
            <p>
              A part type with an input and an output can be asked whether it is linear, remembers, changes with time …
              It has no {inputs.length === 0 ? 'input' : 'output or variable'}.
            </p>
          </div>
        )}
        {share !== undefined && (
          <div className="px-3 pt-3">
            <Progress now={100 * share} label="How much has been asked" />
          </div>
        )}
        {wrong !== undefined && (
          <p className="px-3 pt-3 field-problem" role="alert">
            {wrong}
          </p>
        )}
        {answers.length === 0 &&
          share === undefined &&
          wrong === undefined &&
          inputs.length > 0 &&
          outputs.length > 0 && (
            <div className="empty">
              <h3>Is it what theory assumes?</h3>
              <p>
                Both sides of each property are driven with many inputs, the same start and one time axis. A difference
                is shown with the plainest input that still shows it, and with the line or equation to blame. Where none
                is found, that is said, with how hard it was looked for.
              </p>
            </div>
          )}
        {answers.length > 0 && (
          <div className={`probe-split${isOld ? ' out-of-date' : ''}`}>
            <table className="table" aria-label="Properties">
              <tbody>
                {answers.map((a) => (
                  <tr
                    key={a.property}
                    className={a.property === shown ? 'here' : ''}
                    data-property={a.property}
                    tabIndex={0}
                    onClick={() => setShown(a.property)}
                    onKeyDown={(e) => e.key === 'Enter' && setShown(a.property)}
                  >
                    <td>
                      <strong>{words[a.property]}</strong>
                      <small className="quiet d-block">{meanings[a.property]}</small>
                    </td>
                    <td className="text-nowrap">
                      <Verdict answer={a} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="probe-told">
              {isOld && <p className="old-word">The part type has changed since it was asked.</p>}
              {one && <Told answer={one} />}
            </div>
          </div>
        )}
      </div>
    </>
  );
}

function EndChoice({
  label,
  value,
  names,
  onChoose,
}: {
  readonly label: string;
  readonly value: string | undefined;
  readonly names: readonly string[];
  readonly onChoose: (name: string) => void;
}) {
  return (
    <select
      className="form-select form-select-sm ends"
      aria-label={label}
      value={value}
      onChange={(e) => onChoose(e.target.value)}
    >
      {names.map((n) => (
        <option key={n}>{n}</option>
      ))}
    </select>
  );
}

function Verdict({ answer: { holds } }: { readonly answer: PropertyAnswer }) {
  const [kind, word, Icon] =
    holds === true
      ? (['holds', 'holds', CircleCheck] as const)
      : holds === false
        ? (['fails', 'refuted', OctagonX] as const)
        : (['undecided', 'not refuted', CircleDashed] as const);
  return (
    <span className={`verdict ${kind}`}>
      <Icon size={15} aria-hidden /> {word}
    </span>
  );
}

/** Why, with both sides where it is refuted. */
function Told({ answer: a }: { readonly answer: PropertyAnswer }) {
  const c = a.counterexample;
  const [curves, difference] = useMemo(() => {
    if (!c) return [[], []];
    const { time, left, right } = c.traces;
    return [
      [
        { name: c.leftText, x: time, y: left },
        { name: c.rightText, x: time, y: right, isDashed: true },
      ],
      [{ name: 'difference', x: time, y: left.map((v, k) => v - right[k]) }],
    ];
  }, [c]);
  const marks = useMemo(() => (c ? [{ axis: 'x' as const, at: c.at, name: `${formatNumber(c.at, 3)} s` }] : []), [c]);
  const [at, setAt] = useState<number>();
  return (
    <div data-testid="told">
      <h3>{words[a.property]}</h3>
      <p>{a.because}.</p>
      {a.culprit && (
        <p data-testid="culprit">
          <button type="button" className="btn btn-link p-0 mono" onClick={() => goTo(a.culprit!.place)}>
            {a.culprit.equation.replace(/\s*\n\s*/g, ' ')}
          </button>
          <br />
          {a.culprit.without}.
        </p>
      )}
      {c && (
        <>
          <ul className="probe-inputs">
            {c.inputs.map((i) => (
              <li key={i.label}>
                <span className="quiet">{i.label}:</span> {i.text}
                {i.shift !== 0 && `, started ${formatNumber(i.shift, 3)} s later`}
              </li>
            ))}
          </ul>
          <XyPlot
            label="Both sides"
            curves={curves}
            xName="time, s"
            yName=""
            height={190}
            marks={marks}
            at={at}
            onPoint={setAt}
          />
          <XyPlot
            label="Their difference"
            curves={difference}
            xName="time, s"
            yName=""
            height={110}
            marks={marks}
            at={at}
            onPoint={setAt}
          />
        </>
      )}
      {a.tried.inputs > 0 && (
        <p className="quiet">
          {a.tried.inputs} inputs, {a.tried.runs} runs
          {a.tried.failed > 0 ? `, ${a.tried.failed} of them could not be carried out` : ''}; seed {a.tried.seed}.
        </p>
      )}
    </div>
  );
}
