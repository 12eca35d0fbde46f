import { spawnSync } from 'node:child_process';
import { boards } from '../boards/board';

/** Boards whose compilers are here. That an image cannot be built is no reason to leave a test out. */
export const boardsHere = boards.filter((b) => spawnSync(b.compiler, ['--version']).status === 0);
export const isBoardHere = (id: string): boolean => boardsHere.some((b) => b.id === id);

const missing = boards.filter((b) => !boardsHere.includes(b));
if (missing.length > 0)
  console.warn(`Left out, as their compilers are missing: ${missing.map((b) => b.name).join(', ')}`);

/** Tests for each of them. */
export const eachBoard =
  boardsHere.length > 0
    ? describe.each(boardsHere.map((b) => [b.id, b] as const))
    : describe.skip.each([['none', boards[0]] as const]);
