'use client';
import { Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useRef, useState } from 'react';
import { openSignals } from '@/core/pins/check-channels';
import { boardOfType, directionOf, isTwofold, otherNameOn, pinNameOn, quantityOf, takenBy } from '@/core/pins/channels';
import { freePin, proposedChannels } from '@/core/pins/propose';
import { isBoard, pinBoardNamed, pinBoardsOf, neededFor, usesOf, type PinBoard } from '@/core/pins/pin-boards';
import { newChannel, type Channel, type PartType, type Project } from '@/core/project/project';
import { problemsAt, useSetup } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { Choices } from '@/ui/choices';
import { DeleteCell } from '@/ui/delete-cell';
import { EditableRow, RowHandle, handleColumn, handleHead } from '@/ui/editing/row-handle';
import { formatNumber } from '@/ui/format';
import { freeName, tryEdit } from '@/ui/names';
import { BoardPicture } from './board-picture';
import { newOwnBoard, OwnBoardForm } from './own-board';
import { ChannelDetails } from './channel-details';

/** What signals of software go through, and which pins of a board they are on. */
export function PinsSheet({
  project,
  type,
  part,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly part: string;
}) {
  const setup = useSetup();
  const inSetup = setup?.stages.find((s) => s.part === part && s.stage === 'board');
  const boards = pinBoardsOf(project);
  const [boardId, setBoard] = useState(
    () => (pinBoardNamed(inSetup?.board ?? '', boards) ?? boardOfType(type, boards)).id,
  );
  const board = boards.find((b) => b.id === boardId) ?? boards[0];
  const own = project.boards.find((b) => b.id === board.id);
  const addBoard = (): void => {
    const made = newOwnBoard(project, `b-${nanoid(8)}`, board);
    tryEdit({ kind: 'insert', list: 'board', entry: made }, `Add a board like ${board.name}`);
    setBoard(made.id);
  };
  const item = usePlace((s) => s.item);
  const chosen = type.channels.find((c) => item === `channel/${c.id}`);
  const problems = useProject((s) => s.problems);
  const choose = (id: string): void => usePlace.getState().select(id === '' ? '' : `channel/${id}`);
  // a channel that was chosen on the picture is shown in the table
  const rows = useRef<HTMLTableElement>(null);
  useEffect(() => void rows.current?.querySelector('tr.here')?.scrollIntoView({ block: 'nearest' }), [item]);
  const list = `type/${type.id}/channel`;
  const open = openSignals(type);
  const proposed = proposedChannels(type, board, () => `l-${nanoid(8)}`);
  const propose = (): void =>
    tryEdit(
      { kind: 'insert-all', list, entries: proposed },
      proposed.length === 1 ? 'A channel for the signal left' : `Channels for ${proposed.length} signals`,
    );
  const add = (): void => {
    const names = type.channels.map((c) => c.name);
    const made = newChannel(`l-${nanoid(8)}`, freeName(names, 'line'), 'digital');
    const pin = freePin(type.channels, 'digital', board);
    tryEdit(
      { kind: 'insert', list, entry: { ...made, pins: pin ? [{ board: board.id, pin: pin.name }] : [] } },
      'Add a channel',
    );
    choose(made.id);
  };
  const put = (pin: string): void => {
    if (!chosen) return;
    const isOther = isTwofold(chosen) && pinNameOn(chosen, board) !== '' && otherNameOn(chosen, board) === '';
    if (isOther) putOtherPin(type, chosen, board, pin);
    else putOnPin(type, chosen, board, pin);
  };
  if (type.channels.length === 0)
    return (
      <div className="empty">
        <h3>No channels yet</h3>
        <p>
          On a board a signal goes through something: a voltage is measured, a line is looked at, pulses are made. A
          channel says what, and where. Until then the signals of {type.name} are handed over in the memory of the chip,
          and nothing is known of wires, measurements and pins.
        </p>
        {proposed.length > 0 && (
          <Button variant="primary" className="me-2" onClick={propose} data-testid="propose-channels">
            Channels for {proposed.length} signals, on free pins of {board.name}
          </Button>
        )}
        <Button onClick={add}>
          <Plus size={13} aria-hidden /> One channel
        </Button>
      </div>
    );
  return (
    <div className="pins-split">
      <div className="pins-side">
        <div className="code-bar">
          <Choices
            label="Board"
            choices={boards.map((b) => ({ key: b.id, text: b.name }))}
            chosen={board.id}
            onChoose={setBoard}
          />
          <Button size="sm" variant="bare" onClick={addBoard} title={`A board of your own, like ${board.name}`}>
            <Plus size={13} aria-hidden /> Board
          </Button>
          <span style={{ flex: 1 }} />
          {proposed.length > 0 && (
            <Button size="sm" onClick={propose} data-testid="propose-channels">
              Channels for {proposed.length} more
            </Button>
          )}
          <Button size="sm" onClick={add} data-adds={list}>
            <Plus size={13} aria-hidden /> Channel
          </Button>
        </div>
        <div className="pins-scroll">
          <table className="table" data-testid="channels" data-rows={list} ref={rows}>
            <colgroup>
              {handleColumn}
              <col style={{ width: '21%' }} />
              <col style={{ width: '23%' }} />
              <col />
              <col style={{ width: 66 }} />
              <col style={{ width: 34 }} />
            </colgroup>
            <thead>
              <tr>
                {handleHead}
                <th scope="col">Channel</th>
                <th scope="col">Carries</th>
                <th scope="col">Goes through</th>
                <th scope="col">Pin</th>
                <th scope="col" aria-label="Delete" />
              </tr>
            </thead>
            <tbody>
              {type.channels.map((c) => (
                <ChannelRow
                  key={c.id}
                  type={type}
                  channel={c}
                  board={board}
                  part={part}
                  isChosen={c === chosen}
                  choose={choose}
                  problem={problemsAt(problems, `${list}/${c.id}`)[0]?.message}
                />
              ))}
            </tbody>
          </table>
          {open.length > 0 && (
            <p className="px-3 quiet" data-testid="open-signals">
              On no channel, handed over in memory: <span className="mono">{open.join(', ')}</span>
            </p>
          )}
        </div>
      </div>
      <div className="pins-board">
        <BoardPicture type={type} board={board} chosen={chosen} choose={choose} put={put} problems={problems} />
        {chosen ? (
          <ChannelDetails
            key={chosen.id}
            type={type}
            channel={chosen}
            board={board}
            problems={problems}
            onOtherPin={(pin) => putOtherPin(type, chosen, board, pin)}
          />
        ) : (
          <p className="px-3 quiet">Choose a channel to see its numbers; then a free pin, to put it there.</p>
        )}
        {own && !chosen && (
          <OwnBoardForm
            key={own.id}
            project={project}
            board={own}
            outside={board}
            onGone={() => setBoard(boards[0].id)}
          />
        )}
      </div>
    </div>
  );
}

/** Puts a channel on a pin of a board; what is on it already changes places with it. */
function putOnPin(type: PartType, channel: Channel, board: PinBoard, pin: string): void {
  const list = `type/${type.id}/channel`;
  const before = pinNameOn(channel, board);
  const on = (c: Channel, name: string): Record<string, unknown> => ({
    pins: [...c.pins.filter((p) => p.board !== board.id), ...(name === '' ? [] : [{ board: board.id, pin: name }])],
  });
  const other = pin === '' ? undefined : type.channels.find((c) => c !== channel && pinNameOn(c, board) === pin);
  tryEdit(
    {
      kind: 'update-all',
      list,
      updates: [
        { id: channel.id, changes: on(channel, pin) },
        ...(other ? [{ id: other.id, changes: on(other, before) }] : []),
      ],
    },
    pin === '' ? `Take ${channel.name} off ${board.name}` : `Put ${channel.name} on ${pin} of ${board.name}`,
  );
}

/** Puts the other one of the two pins of a channel. */
export function putOtherPin(type: PartType, channel: Channel, board: PinBoard, pin: string): void {
  const others = channel.otherPins.filter((p) => !isBoard(board, p.board));
  tryEdit(
    {
      kind: 'update',
      list: `type/${type.id}/channel`,
      id: channel.id,
      changes: { otherPins: pin === '' ? others : [...others, { board: board.id, pin }] },
    },
    pin === '' ? `Take ${channel.name} off its other pin` : `Put ${channel.name} on ${pin} of ${board.name} too`,
  );
}

/** A channel in words: `-50 to 50 rad/s at 0 to 3.2 V, 10 bits`. */
function inWords(type: PartType, c: Channel, board: PinBoard): string {
  const unit = quantityOf(type, c)?.unit ?? '';
  const top = c.highVolts > 0 ? c.highVolts : board.supply;
  const range = `${formatNumber(c.low, 4)} to ${formatNumber(c.high, 4)}${unit && ` ${unit}`}`;
  if (c.kind === 'analog')
    return `${range}, ${c.lowVolts} to ${top} V, ${c.bits} bits${c.average > 1 ? `, mean of ${c.average}` : ''}${c.early > 0 ? `, ${formatNumber(c.early * 1e6, 4)} µs before its step` : ''}`;
  if (c.kind === 'pwm') {
    const timing = board.steps(c.frequency, c.carrier);
    const more = [
      ...(c.pair ? [`a pair, ${formatNumber(c.blanking * 1e6, 4)} µs between`] : []),
      ...(c.smoothing > 0 ? [`smoothed over ${formatNumber(c.smoothing * 1e3, 4)} ms`] : []),
    ];
    return [
      `${range} in ${timing ? `${timing.steps} steps` : 'pulses'} at ${formatNumber(c.frequency / 1000, 4)} kHz`,
      ...more,
    ].join(', ');
  }
  if (c.kind === 'encoder') return `an encoder, ${c.counts} counts from ${range}`;
  const words = [
    ...(c.inverted ? ['on when low'] : []),
    ...(directionOf(type, c) === 'in' && c.pull !== 'none' ? [`pulled ${c.pull}`] : []),
    ...(directionOf(type, c) === 'in' && c.debounce > 1 ? [`settled for ${c.debounce} steps`] : []),
  ];
  return ['a line', ...words].join(', ');
}

const faultWords = {
  loose: 'loose',
  noisy: 'loose, with noise',
  low: 'held at 0 V',
  high: 'held at the supply',
  swapped: 'swapped with that of',
  joined: 'joined to the pin of',
  crossed: 'crossed: its two lines are on the pins of each other',
} as const;

function ChannelRow({
  type,
  channel: c,
  board,
  part,
  isChosen,
  choose,
  problem,
}: {
  readonly type: PartType;
  readonly channel: Channel;
  readonly board: PinBoard;
  readonly part: string;
  readonly isChosen: boolean;
  readonly choose: (id: string) => void;
  readonly problem: string | undefined;
}) {
  const { edit } = useProject.getState();
  const list = `type/${type.id}/channel`;
  const setup = useSetup();
  const fault = setup?.wires.find(
    (w) => w.part === part && (w.channel === c.name || (w.fault === 'swapped' && w.other === c.name)),
  );
  const loss = useRuns((s) => s.current?.losses?.find((l) => l.part === part && l.line === c.name));
  const way = directionOf(type, c);
  const carried =
    c.quantity !== '' ? c.quantity : [c.rises && `${c.rises} ↑`, c.falls && `${c.falls} ↓`].filter(Boolean).join(' ');
  const onPin = pinNameOn(c, board);
  const free = board.pins.filter(
    (p) =>
      usesOf(p).includes(neededFor(c.kind)) &&
      (p.name === onPin || !type.channels.some((x) => takenBy(x, board).includes(p))),
  );
  const known = free.some((p) => p.name === onPin) || onPin === '';
  return (
    <EditableRow
      address={`${list}/${c.id}`}
      className={isChosen ? 'here' : ''}
      onFocus={() => choose(c.id)}
      onClick={() => choose(c.id)}
    >
      <RowHandle address={`${list}/${c.id}`} what={c.name} />
      <td>
        <CellField
          value={c.name}
          label={`Name of channel ${c.name}`}
          mono
          problem={problem}
          onCommit={(name) => edit({ kind: 'rename', list, id: c.id, name }, `Rename ${c.name}`)}
        />
      </td>
      <td className="mono text-truncate" title={carried}>
        <span aria-label={way === 'out' ? 'goes out' : 'comes in'}>
          {way === 'out' ? '← ' : way === 'in' ? '→ ' : ''}
        </span>
        {carried || <span className="quiet">nothing</span>}
      </td>
      <td>
        <div className="text-truncate" title={inWords(type, c, board)}>
          {inWords(type, c, board)}
        </div>
        {fault && (
          <div className="quiet">
            its wire is {faultWords[fault.fault]}
            {(fault.fault === 'swapped' || fault.fault === 'joined') &&
              ` ${fault.channel === c.name ? fault.other : fault.channel}`}{' '}
            in {setup!.name}
          </div>
        )}
        {loss && (
          <div className="field-problem">
            {[
              ...(loss.lost > 0 ? [`${loss.lost} ${loss.lost === 1 ? 'message' : 'messages'} lost in this run`] : []),
              ...(loss.counts > 0 ? [`${loss.counts} counts missed in this run: edges come too fast`] : []),
              ...(loss.beyond > 0 ? [`beyond its range in ${loss.beyond} steps of this run`] : []),
            ].join(', ')}
          </div>
        )}
      </td>
      <td>
        <CellSelect
          value={onPin}
          label={`Pin of ${c.name} on ${board.name}`}
          options={[
            ['', 'none'],
            ...(known ? [] : [[onPin, onPin] as const]),
            ...free.map((p) => [p.name, p.name] as const),
          ]}
          onCommit={(pin) => putOnPin(type, c, board, pin)}
        />
      </td>
      <DeleteCell
        what={`the channel ${c.name}`}
        onDelete={() => tryEdit({ kind: 'remove', list, id: c.id }, `Delete ${c.name}`)}
      />
    </EditableRow>
  );
}
