import type { StepProgram } from '../stepcode/step-program';
import { linesOf, type Line } from '../pins/channels';
import type { SerialLine } from '../serial/messages';
import type { PartType } from '../project/project';
import { writeC, type CSource } from '../stepcode/write-c';
import type { Board } from './board';
import type { PinBoard } from '../pins/pin-boards';
import type { Layout } from './target';
import { writePins } from './write-pins';

/** An image as it is handed on: with the text it was built from, so that it is never taken for one of another state. */
export interface BoardImage {
  /** Id of the board. */
  readonly board: string;
  readonly source: string;
  readonly elf: Uint8Array;
  readonly layout: Layout;
  /** What the compiler said. */
  readonly said: string;
}

/** The text an image is built from: the program, the firmware of its pins where it has some, and what its serial line is. */
export function sourceOf(
  program: StepProgram,
  board: Pick<Board, 'chip' | 'name'>,
  lines: readonly Line[] = [],
  serial?: SerialLine,
): string {
  const c = writeC(program);
  return `${c.header}\n${c.source}${pinText(program, c, board, lines)}${serialText(serial)}`;
}
/** The firmware of a line follows from these numbers and the program. */
export const serialText = (serial: SerialLine | undefined): string =>
  serial ? `\nserial line: ${serial.baud} bits per second, every ${serial.every} steps` : '';
/** The firmware of pins; empty where none is used. */
export const pinText = (
  program: StepProgram,
  c: Pick<CSource, 'names'>,
  board: Pick<Board, 'chip' | 'name'>,
  lines: readonly Line[],
): string => (lines.some((l) => l.pin !== undefined) ? `\n${writePins(program, c, lines, board).source}` : '');

/** Whether two texts are the same program: comments and empty lines change nothing of what is built. */
export const isSameSource = (a: string, b: string): boolean => bare(a) === bare(b);
const bare = (source: string): string => source.replace(/\/\*.*?\*\//gs, '').replace(/\n\s*\n+/g, '\n');

/** The firmware of the pins of a type on a board. */
export const pinsOf = (type: PartType, program: StepProgram, board: Board): string =>
  pinText(program, writeC(program), board, linesOn(type, board));
/** What signals of a type go through on a board. */
export const linesOn = (type: PartType, board: PinBoard): readonly Line[] => linesOf(type, board);

/** As text that can be sent and kept. */
export interface WrittenImage extends Omit<BoardImage, 'elf'> {
  readonly elf: string;
}
export const writeImage = (image: BoardImage): WrittenImage => ({ ...image, elf: toBase64(image.elf) });
export function readImage(data: unknown): BoardImage | undefined {
  const { board, source, elf, layout, said } = (data ?? {}) as Partial<Record<keyof BoardImage, unknown>>;
  const isPlace = (x: unknown): boolean =>
    ['slot', 'offset', 'size'].every((k) => Number.isInteger((x as Record<string, unknown> | null)?.[k]));
  if (typeof board !== 'string' || typeof source !== 'string' || typeof elf !== 'string') return undefined;
  if (!Array.isArray(layout) || !layout.every(isPlace)) return undefined;
  const bytes = fromBase64(elf);
  return bytes && { board, source, elf: bytes, layout: layout as Layout, said: typeof said === 'string' ? said : '' };
}

const toBase64 = (bytes: Uint8Array): string => {
  let text = '';
  for (let k = 0; k < bytes.length; k += 8192) text += String.fromCharCode(...bytes.subarray(k, k + 8192));
  return btoa(text);
};
function fromBase64(text: string): Uint8Array | undefined {
  try {
    return Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  } catch {
    return undefined;
  }
}
