'use client';
import type { Problem } from '@/core/language/diagnostics';
import { directionOf, isTwofold, otherPinOf, takenBy } from '@/core/pins/channels';
import { neededFor, usesOf, type Pin, type PinBoard } from '@/core/pins/pin-boards';
import type { Channel, PartType } from '@/core/project/project';
import { problemsAt } from '@/store/derived';

const words = { analog: 'measures', pwm: 'pulses', digital: 'on or off' } as const;

/** A board with its pins, what is on them, and what they can do. A free pin takes the chosen channel. */
export function BoardPicture({
  type,
  board,
  chosen,
  choose,
  put,
  problems,
}: {
  readonly type: PartType;
  readonly board: PinBoard;
  readonly chosen: Channel | undefined;
  readonly choose: (id: string) => void;
  readonly put: (pin: string) => void;
  readonly problems: readonly Problem[];
}) {
  const left = board.pins.filter((p) => p.side === 'left');
  const right = board.pins.filter((p) => p.side === 'right').reverse();
  // of two pins of one channel the other one is marked
  const nameAt = (c: Channel, pin: Pin): string =>
    isTwofold(c) && otherPinOf(c, board) === pin ? `${c.name} ′` : c.name;
  const row = (pin: Pin, side: Pin['side']) => {
    const on = type.channels.filter((c) => takenBy(c, board).includes(pin));
    const [first] = on;
    const isWrong =
      on.length > 1 ||
      on.some((c) =>
        problemsAt(problems, `type/${type.id}/channel/${c.id}`).some(
          (p) => p.severity === 'error' && p.message.includes(pin.name),
        ),
      );
    const takes = chosen !== undefined && on.length === 0 && usesOf(pin).includes(neededFor(chosen.kind));
    const says = `${pin.name}: ${usesOf(pin)
      .map((u) => words[u])
      .join(', ')}${on.length > 0 ? `; ${on.map((c) => c.name).join(' and ')}` : '; free'}`;
    const isHere = chosen !== undefined && on.includes(chosen);
    return (
      <button
        key={pin.name}
        type="button"
        className={`board-pin ${side}${isHere ? ' here' : ''}${isWrong ? ' wrong' : ''}${takes ? ' takes' : ''}${first ? '' : ' free'}`}
        title={takes ? `${says}. Press to put ${chosen.name} here` : says}
        aria-label={says}
        data-pin={pin.name}
        disabled={!first && !takes}
        onClick={() => (first ? choose(isHere ? '' : first.id) : put(pin.name))}
      >
        <span className="on">{on.map((c) => nameAt(c, pin)).join(' ⚠ ')}</span>
        <span className="way" aria-hidden>
          {first ? ((directionOf(type, first) === 'in') === (side === 'left') ? '▸' : '◂') : ''}
        </span>
        <span className={`pad ${usesOf(pin)[0]}`}>{pin.name}</span>
      </button>
    );
  };
  return (
    <>
      <div className="board-picture" role="group" aria-label={`Pins of ${board.name}`} data-testid="board-picture">
        <div className="pins">{left.map((p) => row(p, 'left'))}</div>
        <div className="body">
          <strong>{board.name}</strong>
          <span>{board.clock / 1e6} MHz</span>
          <span>{board.supply} V</span>
        </div>
        <div className="pins">{right.map((p) => row(p, 'right'))}</div>
      </div>
      <p className="board-legend quiet">
        <span className="pad analog">P</span> measures a voltage
        <span className="pad pwm">P</span> gives pulses
        <span className="pad">P</span> on or off
      </p>
    </>
  );
}
