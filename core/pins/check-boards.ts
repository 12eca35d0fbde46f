import { problem, type Problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import { chips } from './chips';
import { isBoard, pinBoards } from './pin-boards';

/** What is wrong with the boards of a project, whoever uses them. */
export const checkBoards = ({ boards }: Pick<Project, 'boards'>): readonly Problem[] =>
  boards.flatMap((board, k) => {
    const found: Problem[] = [];
    const tell = (field: string, message: string): number =>
      found.push({ ...problem('error', 'board', message), place: `board/${board.id}/${field}` });
    const chip = chips[board.chip];
    const { name } = board;
    if (pinBoards.some((b) => isBoard(b, name))) tell('name', `${name} is a board that comes with the application`);
    if (boards.slice(0, k).some((b) => isBoard(b, name))) tell('name', `There are two boards named ${name}`);
    const { clock, supply } = chip;
    if (board.clock < clock.least || board.clock > clock.most)
      tell('clock', `A chip of ${chip.name} runs at ${clock.least / 1e6} to ${clock.most / 1e6} MHz`);
    if (board.supply < supply.least || board.supply > supply.most)
      tell('supply', `A chip of ${chip.name} is supplied with ${supply.least} to ${supply.most} V`);
    if (board.pins.length === 0) tell('pins', `No pin of ${name} leads outside`);
    board.pins.forEach((p, j) => {
      const before = board.pins.slice(0, j);
      const called = p.name.trim();
      if (!chip.pins.some((x) => x.number === p.number - 1) || !Number.isInteger(p.number))
        tell('pins', `${called} is pin ${p.number} of its chip, which has pins 1 to ${chip.pins.length}`);
      const same = before.find((x) => x.number === p.number);
      if (same) tell('pins', `${same.name.trim()} and ${called} are both pin ${p.number} of the chip`);
      if (before.some((x) => x.name.trim().toLowerCase() === called.toLowerCase()))
        tell('pins', `Two pins of ${name} are named ${called}`);
    });
    return found;
  });
