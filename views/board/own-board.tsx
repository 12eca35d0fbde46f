'use client';
import { Plus, Trash2 } from 'lucide-react';
import { chips } from '@/core/pins/chips';
import { pinNameOn } from '@/core/pins/channels';
import { isBoard, usesOf, type PinBoard } from '@/core/pins/pin-boards';
import type { Edit } from '@/core/project/edit';
import type { OwnBoard, Project } from '@/core/project/project';
import { problemsAt } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { FieldRow } from '@/ui/field-row';
import { freeName, tryEdit } from '@/ui/names';
import { NumberRow } from '@/ui/number-row';

/** A board of the project's own, with the chip, clock and pins of another one. */
export function newOwnBoard(project: Project, id: string, like: PinBoard): OwnBoard {
  const names = project.boards.map((b) => b.name);
  return {
    id,
    name: freeName(names, 'Own board'),
    note: '',
    chip: like.chip,
    clock: like.clock,
    supply: like.supply,
    pins: like.pins.map((p) => ({ name: p.name, number: p.number + 1 })),
  };
}

const useWords = { analog: 'voltage', pwm: 'pulses', digital: 'line' } as const;

/** The numbers of a board of one's own, and which pins of its chip lead where. */
export function OwnBoardForm({
  project,
  board,
  outside,
  onGone,
}: {
  readonly project: Project;
  readonly board: OwnBoard;
  readonly outside: PinBoard;
  readonly onGone: () => void;
}) {
  const problems = useProject((s) => s.problems);
  const place = `board/${board.id}`;
  const set = (changes: Partial<OwnBoard>) =>
    useProject
      .getState()
      .edit({ kind: 'update', list: 'board', id: board.id, changes: { ...changes } }, `Change ${board.name}`);
  const wrong = (field: string): string | undefined => problemsAt(problems, `${place}/${field}`)[0]?.message;
  const chip = chips[board.chip];
  const free = chip.pins.find((p) => !board.pins.some((x) => x.number === p.number + 1));
  const can = (number: number): string => {
    const pin = outside.pins.find((p) => p.number === number - 1);
    return pin
      ? usesOf(pin)
          .map((u) => useWords[u])
          .join(', ')
      : 'none of this chip';
  };
  const setPin = (k: number, more: Partial<OwnBoard['pins'][number]>) =>
    set({ pins: board.pins.map((p, j) => (j === k ? { ...p, ...more } : p)) });
  /** Channels on it stay on it. */
  const renamePin = (k: number, name: string) => {
    const was = board.pins[k].name;
    const edits: Edit[] = project.types.flatMap(({ id, channels }): Edit[] => {
      const on = channels.filter((c) => pinNameOn(c, outside) === was);
      return on.length === 0
        ? []
        : [
            {
              kind: 'update-all',
              list: `type/${id}/channel`,
              updates: on.map((c) => ({
                id: c.id,
                changes: { pins: c.pins.map((p) => (isBoard(outside, p.board) ? { ...p, pin: name } : p)) },
              })),
            },
          ];
    });
    const label = `Rename pin ${was} of ${board.name}`;
    const pins = board.pins.map((p, j) => (j === k ? { ...p, name } : p));
    const own: Edit = { kind: 'update', list: 'board', id: board.id, changes: { pins } };
    return useProject.getState().edit({ kind: 'batch', label, edits: [own, ...edits] }, label);
  };
  /** What is on it is on it no more. */
  const remove = (): void => {
    const edits: Edit[] = project.types.flatMap(({ id, channels }): Edit[] => {
      const on = channels.filter((c) => c.pins.some((p) => isBoard(outside, p.board)));
      return on.length === 0
        ? []
        : [
            {
              kind: 'update-all',
              list: `type/${id}/channel`,
              updates: on.map((c) => ({
                id: c.id,
                changes: { pins: c.pins.filter((p) => !isBoard(outside, p.board)) },
              })),
            },
          ];
    });
    const label = `Delete ${board.name}`;
    tryEdit({ kind: 'batch', label, edits: [...edits, { kind: 'remove', list: 'board', id: board.id }] }, label);
    onGone();
  };
  return (
    <section className="own-board" aria-label={`Board ${board.name}`} data-testid="own-board">
      <FieldRow label="Name">
        <CellField
          value={board.name}
          label="Name of the board"
          problem={wrong('name')}
          onCommit={(name) => set({ name: name.trim() })}
        />
      </FieldRow>
      <FieldRow label="Chip">
        <CellSelect
          value={board.chip}
          label="Chip of the board"
          options={(Object.keys(chips) as OwnBoard['chip'][]).map((c) => [c, chips[c].name] as const)}
          onCommit={(kind) => {
            const next = chips[kind as OwnBoard['chip']];
            set({ chip: kind as OwnBoard['chip'], clock: next.clock.usual, supply: next.supply.usual });
          }}
        />
      </FieldRow>
      <NumberRow
        name="Clock"
        label="Clock of the board in MHz"
        unit="MHz"
        value={board.clock / 1e6}
        after="MHz"
        problem={wrong('clock')}
        onNumber={(mhz) => set({ clock: mhz * 1e6 })}
      />
      <NumberRow
        name="Supply"
        label="Supply of the board in volts"
        unit="V"
        value={board.supply}
        after="V"
        problem={wrong('supply')}
        onNumber={(supply) => set({ supply })}
      />
      {wrong('pins') !== undefined && (
        <p className="field-problem px-3 mb-1" role="alert">
          {wrong('pins')}
        </p>
      )}
      <table className="table" data-testid="board-pins">
        <thead>
          <tr>
            <th scope="col">Pin</th>
            <th scope="col">of the chip</th>
            <th scope="col">can be</th>
            <th scope="col" aria-label="Delete" style={{ width: 34 }} />
          </tr>
        </thead>
        <tbody>
          {board.pins.map((p, k) => (
            <tr key={k}>
              <td>
                <CellField value={p.name} label={`Name of pin ${k + 1}`} onCommit={(n) => renamePin(k, n.trim())} />
              </td>
              <td>
                <CellSelect
                  value={String(p.number)}
                  label={`Pin of the chip of ${p.name}`}
                  options={chip.pins.map((x) => [String(x.number + 1), String(x.number + 1)] as const)}
                  onCommit={(n) => setPin(k, { number: Number(n) })}
                />
              </td>
              <td className="quiet">{can(p.number)}</td>
              <DeleteCell what={`pin ${p.name}`} onDelete={() => set({ pins: board.pins.filter((_, j) => j !== k) })} />
            </tr>
          ))}
        </tbody>
      </table>
      <div className="px-3 py-2 d-flex gap-2">
        {free && (
          <Button
            size="sm"
            onClick={() =>
              set({
                pins: [
                  ...board.pins,
                  {
                    name: freeName(
                      board.pins.map((p) => p.name),
                      `P${free.number + 1}`,
                    ),
                    number: free.number + 1,
                  },
                ],
              })
            }
          >
            <Plus size={13} aria-hidden /> Pin
          </Button>
        )}
        <span style={{ flex: 1 }} />
        <Button size="sm" onClick={remove}>
          <Trash2 size={13} aria-hidden /> Delete this board
        </Button>
      </div>
    </section>
  );
}
