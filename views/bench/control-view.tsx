'use client';
import { useOutOfDate } from '@/store/standings';
import { CircleCheck, CircleDashed, OctagonX } from 'lucide-react';
import { useMemo, useRef, type PointerEvent } from 'react';
import Form from 'react-bootstrap/Form';
import type { Control, Shape } from '@/core/project/project';
import { valueOf, type Moment } from '@/core/run/why';
import { sendMessage, setQuantity } from '@/store/running';
import { rowAt } from '@/core/simulate/recording';
import type { RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { formatNumber, inUnit } from '@/ui/format';
import { momentAt, useMoment, type RunMoment } from '@/ui/moment';
import { marginText } from '@/ui/verdict';

/** A moment as conditions ask for it, seen from the product. */
export function productMoment(now: RunMoment): Moment {
  return {
    time: now.time,
    enteredAt: undefined,
    lastMessage: () => undefined,
    value: now.value,
    unit: (name) => now.unit(name) || undefined,
    isActive: (state) =>
      now.run?.model.charts.some((c) => now.leaves(c.name)?.some((leaf) => leaf.split('.').includes(state))) ?? false,
  };
}

/** Whether a lamp or a shape is on: a quantity, or a condition over the product. */
function isOn(text: string, now: RunMoment): boolean {
  const chart = /^in\((.+)\)$/.exec(text.trim());
  // the whole path of a state, so that two charts with states of one name are told apart
  const found = chart && now.run?.model.charts.find((c) => chart[1].startsWith(`${c.name}.`));
  const leaves = found && now.leaves(found.name);
  if (leaves) {
    const wanted = chart[1].slice(found.name.length + 1);
    return leaves.some((leaf) => `.${leaf}.`.includes(`.${wanted}.`));
  }
  const value = now.value(text.trim()) ?? valueOf(text, productMoment(now));
  return value !== undefined && value !== 0 && value !== false;
}

/** What a control is called where it is not seen: by what it shows or does where it has no words of its own. */
const called = (c: Control): string => c.label.trim() || c.target || c.kind;

/** A control as it is used: it acts on the run that is going on and shows the moment of the cursor. */
export function ControlView({ control: c, live }: { readonly control: Control; readonly live: boolean }) {
  const moment = useMoment();
  const { run, time: cursor } = moment;
  const raw = moment.value(c.target);
  const own = run?.model.units[c.target] ?? '';
  const shown = c.unit && raw !== undefined ? inUnit(raw, own, c.unit) : raw;
  const value = shown !== undefined && Math.abs(shown) < 5e-4 ? 0 : shown;
  const unit = c.unit || (own !== '1' ? own : '');
  // from the unit shown back to that of the quantity; both are linear
  const back = (x: number): number => {
    if (!c.unit || !own || c.unit === own) return x;
    const [zero, one] = [inUnit(0, own, c.unit) ?? 0, inUnit(1, own, c.unit) ?? 1];
    return (x - zero) / (one - zero || 1);
  };
  const set = (x: number): void => void setQuantity(c.target, back(x));
  switch (c.kind) {
    case 'button':
      return (
        <Button
          className="justify-content-center w-100 h-100"
          title={`sends ${c.target}${c.release ? `, ${c.release} when let go` : ''}`}
          aria-disabled={!live}
          onClick={() => !c.release && void sendMessage(c.target)}
          {...(c.release && {
            onPointerDown: () => void sendMessage(c.target),
            onPointerUp: () => void sendMessage(c.release),
            onKeyDown: (e: React.KeyboardEvent) =>
              (e.key === ' ' || e.key === 'Enter') && !e.repeat && void sendMessage(c.target),
            onKeyUp: (e: React.KeyboardEvent) => (e.key === ' ' || e.key === 'Enter') && void sendMessage(c.release),
          })}
        >
          {c.label}
        </Button>
      );
    case 'switch':
      return (
        <Form.Check
          type="switch"
          id={`switch-${c.id}`}
          label={c.label}
          aria-label={called(c)}
          checked={Boolean(raw)}
          onChange={(e) => void setQuantity(c.target, e.target.checked ? 1 : 0)}
          aria-disabled={!live}
        />
      );
    case 'slider':
      return (
        <>
          <span className="control-label">
            {c.label}{' '}
            <span className="mono">
              {formatNumber(value)} {unit}
            </span>
          </span>
          <Form.Range
            min={c.min}
            max={c.max}
            step="any"
            value={value ?? c.min}
            aria-label={called(c)}
            onChange={(e) => set(Number(e.target.value))}
          />
        </>
      );
    case 'field': {
      const commit = (text: string) => {
        const x = text.trim() === 'true' ? 1 : text.trim() === 'false' ? 0 : Number(text);
        if (text.trim() === '' || !Number.isFinite(x))
          return { severity: 'error' as const, code: 'number', message: `"${text}" is not a number` };
        if (c.max > c.min && (c.min !== 0 || c.max !== 1) && (x < c.min || x > c.max))
          return {
            severity: 'error' as const,
            code: 'limit',
            message: `From ${c.min} to ${c.max}${unit && ` ${unit}`}`,
          };
        set(x);
        return undefined;
      };
      return (
        <>
          <span className="control-label">{c.label}</span>
          <span className="d-flex align-items-baseline gap-1">
            <CellField
              value={value === undefined ? '' : formatNumber(value, 5)}
              label={called(c)}
              mono
              onCommit={commit}
            />{' '}
            <small className="quiet">{unit}</small>
          </span>
        </>
      );
    }
    case 'knob':
      return <Knob control={c} value={value} unit={unit} set={set} />;
    case 'readout': {
      const literal = run?.data.columns.get(c.target)?.kind === 'literal';
      return (
        <>
          <span className="control-label">{c.label}</span>
          <span className="readout text-truncate">
            {literal ? moment.text(c.target).split('.').at(-1) : formatNumber(value, 4)} <small>{unit}</small>
          </span>
        </>
      );
    }
    case 'lamp': {
      const on = isOn(c.target, moment);
      return (
        <span className={`lamp${on ? ' on' : ''}`} role="status">
          <span className="bulb" aria-hidden /> {c.label} {on ? 'on' : 'off'}
        </span>
      );
    }
    case 'dial':
      return <Dial control={c} value={value} unit={unit} />;
    case 'level':
      return (
        <div
          className="level"
          role="meter"
          aria-label={called(c)}
          aria-valuemin={c.min}
          aria-valuemax={c.max}
          aria-valuenow={value ?? c.min}
        >
          <span className="control-label text-truncate">{c.label}</span>
          <div className="level-bar">
            <div
              style={{ height: `${100 * fraction(c, value)}%` }}
              className={value !== undefined && (value > c.max || value < c.min) ? 'over' : ''}
            />
          </div>
          <span className="mono">
            {formatNumber(value, 3)} <small>{unit}</small>
          </span>
        </div>
      );
    case 'chart':
      return <MiniChart control={c} run={run} cursor={cursor} unit={unit} />;
    case 'text':
      return <strong className="panel-text">{c.label}</strong>;
    case 'picture':
      return <Picture control={c} now={moment} />;
    case 'verdict':
      return <VerdictLamp control={c} run={run} cursor={cursor} />;
  }
}

const fraction = (c: Control, value: number | undefined): number =>
  value === undefined || c.max <= c.min ? 0 : Math.max(0, Math.min(1, (value - c.min) / (c.max - c.min)));

/** Points on a circle that starts at the lower left and ends at the lower right. */
const onArc = (part: number, radius: number): [number, number] => {
  const angle = ((135 + 270 * part) * Math.PI) / 180;
  return [50 + radius * Math.cos(angle), 50 + radius * Math.sin(angle)];
};
const arc = (from: number, to: number, radius: number): string => {
  const [a, b] = [onArc(from, radius), onArc(to, radius)];
  return `M ${a[0]} ${a[1]} A ${radius} ${radius} 0 ${to - from > 2 / 3 ? 1 : 0} 1 ${b[0]} ${b[1]}`;
};

function Dial({
  control: c,
  value,
  unit,
}: {
  readonly control: Control;
  readonly value: number | undefined;
  readonly unit: string;
}) {
  const part = fraction(c, value);
  const over = value !== undefined && (value > c.max || value < c.min);
  return (
    <div
      className="dial"
      role="meter"
      aria-label={called(c)}
      aria-valuemin={c.min}
      aria-valuemax={c.max}
      aria-valuenow={value ?? c.min}
    >
      <svg viewBox="0 0 100 82" aria-hidden>
        <path d={arc(0, 1, 42)} className="dial-back" />
        {part > 0.002 && <path d={arc(0, part, 42)} className={`dial-value${over ? ' over' : ''}`} />}
        <text x="50" y="52" textAnchor="middle" className="dial-number">
          {formatNumber(value, 3)}
        </text>
        <text x="50" y="65" textAnchor="middle" className="dial-unit">
          {unit}
        </text>
      </svg>
      <span className="control-label text-truncate">{c.label}</span>
    </div>
  );
}

function Knob({
  control: c,
  value,
  unit,
  set,
}: {
  readonly control: Control;
  readonly value: number | undefined;
  readonly unit: string;
  readonly set: (x: number) => void;
}) {
  const start = useRef<{ y: number; value: number }>(undefined);
  const now = value ?? c.min;
  const put = (x: number): void => set(Math.max(c.min, Math.min(c.max, x)));
  const move = (e: PointerEvent): void => {
    if (start.current) put(start.current.value + ((start.current.y - e.clientY) / 120) * (c.max - c.min));
  };
  const [x, y] = onArc(fraction(c, value), 30);
  return (
    <div
      className="dial knob"
      role="slider"
      tabIndex={0}
      aria-label={called(c)}
      aria-valuemin={c.min}
      aria-valuemax={c.max}
      aria-valuenow={now}
      title="Drag up and down, or use the arrow keys"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        start.current = { y: e.clientY, value: now };
      }}
      onPointerMove={move}
      onPointerUp={() => (start.current = undefined)}
      onKeyDown={(e) => {
        const step = ((c.max - c.min) / 50) * (e.shiftKey ? 5 : 1);
        if (e.key === 'ArrowUp' || e.key === 'ArrowRight') put(now + step);
        else if (e.key === 'ArrowDown' || e.key === 'ArrowLeft') put(now - step);
        else return;
        e.preventDefault();
      }}
    >
      <svg viewBox="0 0 100 88" aria-hidden>
        <path d={arc(0, 1, 44)} className="dial-back" />
        <circle cx="50" cy="50" r="34" className="knob-face" />
        <line x1="50" y1="50" x2={x} y2={y} className="knob-hand" />
      </svg>
      <span className="control-label text-truncate">
        {c.label}{' '}
        <span className="mono">
          {formatNumber(value, 3)} {unit}
        </span>
      </span>
    </div>
  );
}

/** The last stretch of a quantity before the cursor. */
function MiniChart({
  control: c,
  run,
  cursor,
  unit,
}: {
  readonly control: Control;
  readonly run: RunView | undefined;
  readonly cursor: number;
  readonly unit: string;
}) {
  const column = run?.data.columns.get(c.target);
  const rows = run?.data.rows ?? 0;
  const points = useMemo(() => {
    if (!run || !column) return '';
    const last = rowAt(run.data.time, rows, cursor);
    const span = Math.max(run.stop / 4, 1e-6);
    const first = Math.max(0, rowAt(run.data.time, rows, cursor - span));
    const step = Math.max(1, Math.floor((last - first) / 200));
    let low = Infinity,
      high = -Infinity;
    for (let k = first; k <= last; k++) {
      low = Math.min(low, column.values[k]);
      high = Math.max(high, column.values[k]);
    }
    if (!(high > low)) high = low + 1;
    const found: string[] = [];
    for (let k = first; k <= last; k += step)
      found.push(
        `${(200 * (1 - (cursor - run.data.time[k]) / span)).toFixed(1)},${(56 - (50 * (column.values[k] - low)) / (high - low)).toFixed(1)}`,
      );
    return found.join(' ');
  }, [run, column, rows, cursor]);
  const value = momentAt(run, cursor).value(c.target);
  return (
    <>
      <span className="control-label d-flex justify-content-between">
        {c.label}{' '}
        <span className="mono">
          {formatNumber(
            c.unit && value !== undefined ? inUnit(value, run?.model.units[c.target] ?? '', c.unit) : value,
            3,
          )}{' '}
          {unit}
        </span>
      </span>
      <svg
        viewBox="0 0 200 60"
        preserveAspectRatio="none"
        className="mini-chart"
        role="img"
        aria-label={`${called(c)} before the cursor`}
      >
        <polyline
          points={points}
          fill="none"
          stroke="var(--accent)"
          strokeWidth="1.5"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </>
  );
}

const tones: Readonly<Record<Shape['tone'], string>> = {
  ink: 'var(--ink-2)',
  pale: 'var(--paper-3)',
  accent: 'var(--accent)',
  now: 'var(--now)',
  good: 'var(--good)',
  bad: 'var(--bad)',
};

/** A picture whose pieces follow the product; pieces that send a message can be pressed. */
export function Picture({
  control: c,
  now,
  chosen,
}: {
  readonly control: Control;
  readonly now: RunMoment;
  readonly chosen?: string;
}) {
  const moment = productMoment(now);
  const number = (text: string, otherwise: number): number => {
    if (text.trim() === '') return otherwise;
    const plain = Number(text);
    if (Number.isFinite(plain)) return plain;
    const value = valueOf(text, moment);
    return typeof value === 'number' && Number.isFinite(value)
      ? value
      : typeof value === 'boolean'
        ? Number(value)
        : otherwise;
  };
  const height = (100 * c.height) / c.width;
  return (
    <svg viewBox={`0 0 100 ${height}`} className="picture" role="img" aria-label={called(c)}>
      {c.shapes.map((s) => {
        if (s.shown.trim() !== '' && !conditionHolds(s.shown, now)) return null;
        const [x, y, w, h] = [number(s.x, 0), number(s.y, 0), number(s.width, 10), number(s.height, 10)];
        const turn = number(s.turn, 0);
        const fill = tones[s.tone];
        const press = s.sends
          ? {
              onClick: () => void sendMessage(s.sends),
              onKeyDown: (e: React.KeyboardEvent) => (e.key === 'Enter' || e.key === ' ') && void sendMessage(s.sends),
              role: 'button',
              tabIndex: 0,
              style: { cursor: 'pointer' },
              'aria-label': s.text || s.sends,
            }
          : {};
        const mark = chosen === s.id ? { stroke: 'var(--accent)', strokeWidth: 1.4 } : {};
        return (
          <g
            key={s.id}
            transform={turn ? `rotate(${turn} ${x + w / 2} ${y + h / 2})` : undefined}
            data-shape={s.id}
            {...press}
          >
            {s.kind === 'box' && (
              <rect
                x={x}
                y={y}
                width={Math.max(0, w)}
                height={Math.max(0, h)}
                fill={fill}
                stroke="var(--ink-3)"
                strokeWidth={0.5}
                {...mark}
              />
            )}
            {s.kind === 'disc' && (
              <ellipse
                cx={x + w / 2}
                cy={y + h / 2}
                rx={Math.max(0, w / 2)}
                ry={Math.max(0, h / 2)}
                fill={fill}
                stroke="var(--ink-3)"
                strokeWidth={0.5}
                {...mark}
              />
            )}
            {s.kind === 'line' && (
              <line x1={x} y1={y} x2={x + w} y2={y + h} stroke={fill} strokeWidth={1.5} {...mark} />
            )}
            {s.kind === 'words' && (
              <text
                x={x}
                y={y}
                fontSize={Math.max(2, h)}
                fill={fill}
                textAnchor="middle"
                fontWeight={600}
                {...(s.sends && { textDecoration: 'underline' })}
              >
                {s.text}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** `a or b` of states told apart by their whole path, otherwise as any condition. */
function conditionHolds(text: string, now: RunMoment): boolean {
  const parts = text.split(/\bor\b/);
  if (parts.every((p) => /^\s*in\([\w.]+\)\s*$/.test(p))) return parts.some((p) => isOn(p.trim(), now));
  return isOn(text, now);
}

function VerdictLamp({
  control: c,
  run,
  cursor,
}: {
  readonly control: Control;
  readonly run: RunView | undefined;
  readonly cursor: number;
}) {
  const finding = run?.findings.find((f) => f.key === c.target);
  const outOfDate = useOutOfDate();
  const old = finding ? outOfDate(finding.id) : '';
  const Icon = !finding
    ? CircleDashed
    : { holds: CircleCheck, fails: OctagonX, undecided: CircleDashed }[finding.verdict];
  // the lamp shows the moment of the cursor: it has not failed before it fails
  const failed = finding?.failsSince !== undefined && finding.failsSince <= cursor;
  const word = !finding
    ? 'not run yet'
    : failed
      ? `fails by ${marginText(finding)}`
      : finding.verdict === 'fails'
        ? 'holds until now'
        : finding.verdict;
  const tone = failed ? 'fails' : finding && finding.verdict !== 'undecided' ? 'holds' : 'undecided';
  return (
    <>
      <span className="control-label">
        {c.label} · {c.target}
      </span>
      <span
        className={`verdict ${tone}${old ? ' out-of-date' : ''}`}
        title={old ? `Out of date: ${old}` : undefined}
        data-testid={`lamp-${c.target}`}
      >
        {failed ? <OctagonX size={15} aria-hidden /> : <Icon size={15} aria-hidden />} {word}
        {old && <span className="old-word">out of date</span>}
      </span>
    </>
  );
}
