'use client';
import { Play, Square } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import type { Locus } from '@/core/linear/locus';
import type { LoopQuestion } from '@/core/linear/loop-picture';
import type { Sweep } from '@/core/linear/sweep';
import type { Project } from '@/core/project/project';
import { askLocus, askSweep } from '@/store/control-service';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';
import { NameField } from '@/ui/name-field';
import { productNames } from '@/ui/run-names';
import { useHandler } from '@/ui/use-handler';
import { hertz } from './loop-curves';
import { useLongWork } from './use-long-work';

/** Fields of a study, its start, and how far it is or what came of it. */
function StudyForm({
  id,
  work,
  verb,
  title,
  told,
  onStart,
  children,
}: {
  readonly id: string;
  readonly work: Pick<ReturnType<typeof useLongWork>, 'progress' | 'wrong' | 'stop'>;
  readonly verb: string;
  readonly title: string;
  readonly told: string | undefined;
  readonly onStart: () => void;
  readonly children: ReactNode;
}) {
  return (
    <form
      className="loop-study"
      data-testid={id}
      onSubmit={(e) => {
        e.preventDefault();
        onStart();
      }}
    >
      {children}
      {work.progress === undefined ? (
        <Button type="submit" size="sm" title={title}>
          <Play size={12} aria-hidden /> {verb}
        </Button>
      ) : (
        <Button size="sm" onClick={work.stop} title="Stop">
          <Square size={12} aria-hidden /> {Math.round(100 * work.progress)} %
        </Button>
      )}
      {work.wrong !== undefined ? (
        <p className="field-problem m-0" role="alert">
          {work.wrong}
        </p>
      ) : (
        told !== undefined && (
          <p className="quiet m-0" data-testid={`${id}-told`}>
            {told}
          </p>
        )
      )}
    </form>
  );
}

const numberIn = (text: string): number => (text.trim() === '' ? NaN : Number(text.trim().replace('−', '-')));

function Field({
  label,
  value,
  onText,
  unit,
}: {
  readonly label: string;
  readonly value: string;
  readonly onText: (text: string) => void;
  readonly unit?: string;
}) {
  return (
    <label>
      {label.split(' of ')[0]}
      <input
        className="form-control form-control-sm mono short"
        aria-label={label}
        value={value}
        onChange={(e) => onText(e.target.value)}
      />
      {unit}
    </label>
  );
}

/** Where the poles go while the gain or a parameter takes other values. */
export function LocusForm({
  project,
  question,
  onFound,
}: {
  readonly project: Project;
  readonly question: LoopQuestion;
  readonly onFound: (locus: Locus | undefined, over: string) => void;
}) {
  const [over, setOver] = useState('');
  const [low, setLow] = useState('0.1');
  const [high, setHigh] = useState('10');
  const [told, setTold] = useState<string>();
  const work = useLongWork<Locus>();
  const trace = useHandler(async (): Promise<void> => {
    const [from, to] = [numberIn(low), numberIn(high)];
    if (!Number.isFinite(from) || !Number.isFinite(to)) return work.setWrong('From which value to which? Two numbers');
    const name = over.trim();
    const found = await work.start((tell) =>
      askLocus(project, { ...question, over: name, low: from, high: to, count: 60 }, tell),
    );
    onFound(found, name);
    setTold(found && tellLocus(found, name));
  });
  return (
    <StudyForm
      id="locus"
      work={work}
      verb="Trace"
      title="Shows where the poles go while it takes these values"
      told={told}
      onStart={() => void trace()}
    >
      <label>
        Poles over
        <NameField
          value={over}
          onText={setOver}
          names={productNames.parameters}
          aria-label="Over which parameter the poles are traced"
          placeholder="the gain"
        />
      </label>
      <Field label="from of the trace" value={low} onText={setLow} />
      <Field label="to of the trace" value={high} onText={setHigh} />
    </StudyForm>
  );
}

function tellLocus({ edges, holds }: Locus, over: string): string {
  const what = over === '' ? 'the gain times' : over;
  if (edges.length > 0)
    return `Whether the closed loop holds changes at ${what} ${edges.map((x) => formatNumber(x, 4)).join(', ')}.`;
  return `The closed loop ${holds[0] ? 'holds for all' : 'holds for none'} of these values.`;
}

/** The response measured with sines, one frequency after the other. */
export function SweepForm({
  project,
  question,
  unit,
  range,
  onFound,
}: {
  readonly project: Project;
  readonly question: LoopQuestion;
  readonly unit: string;
  /** In Hz. */
  readonly range: readonly [low: number, high: number];
  readonly onFound: (sweep: Sweep | undefined) => void;
}) {
  const [amplitude, setAmplitude] = useState('0.1');
  const [low, setLow] = useState(String(Number(range[0].toPrecision(2))));
  const [high, setHigh] = useState(String(Number(range[1].toPrecision(2))));
  const [told, setTold] = useState<string>();
  const work = useLongWork<Sweep>();
  const measure = useHandler(async (): Promise<void> => {
    const [a, from, to] = [numberIn(amplitude), numberIn(low), numberIn(high)];
    if (![a, from, to].every(Number.isFinite)) return work.setWrong('An amplitude and two frequencies are needed');
    const found = await work.start((tell) =>
      askSweep(
        project,
        { ...question, amplitude: a, low: 2 * Math.PI * from, high: 2 * Math.PI * to, count: 15 },
        tell,
      ),
    );
    onFound(found);
    if (!found) return setTold(undefined);
    const worst = Math.max(...found.rest);
    const open = found.settled.flatMap((s, k) => (s ? [] : [`${formatNumber(hertz(found.w[k]), 3)} Hz`]));
    setTold(
      [
        worst > 0.05
          ? `Up to ${formatNumber(100 * worst, 2)} % of what comes out has other frequencies: something bends it.`
          : 'Nearly all that comes out has the frequency of what goes in.',
        ...(open.length > 0 ? [`Not settled at ${open.join(', ')}.`] : []),
      ].join(' '),
    );
  });
  return (
    <StudyForm
      id="sweep"
      work={work}
      verb="Measure"
      title="Runs the model as it is with sines at the input, and lays what comes out over the curves"
      told={told}
      onStart={() => void measure()}
    >
      <Field label="Swing of the input" value={amplitude} onText={setAmplitude} unit={unit} />
      <Field label="from of the sweep" value={low} onText={setLow} />
      <Field label="to of the sweep" value={high} onText={setHigh} unit="Hz" />
    </StudyForm>
  );
}
