/** A piece of a line, with its place in it: what a line says is read once, and whoever asks for a name in it knows where it stands. */
export interface Piece {
  readonly text: string;
  readonly start: number;
  readonly end: number;
}

/** The piece between two places, without the blanks at its ends. */
export function pieceOf(line: string, from: number, to: number): Piece {
  let [start, end] = [from, to];
  while (start < end && /\s/.test(line[start])) start++;
  while (end > start && /\s/.test(line[end - 1])) end--;
  return { text: line.slice(start, end), start, end };
}

export const whole = (line: string): Piece => pieceOf(line, 0, line.length);

/** A piece of a piece, by places in its text. */
export const within = (piece: Piece, from: number, to = piece.text.length): Piece => {
  const inner = pieceOf(piece.text, from, to);
  return { text: inner.text, start: piece.start + inner.start, end: piece.start + inner.end };
};

/** The groups of a pattern as pieces; undefined where it does not fit. Groups that take no part are undefined. */
export function groupsOf(piece: Piece, pattern: RegExp): readonly (Piece | undefined)[] | undefined {
  const match = new RegExp(pattern.source, `${pattern.flags.replace('d', '')}d`).exec(piece.text);
  return match?.indices?.slice(1).map((at) => at && within(piece, at[0], at[1]));
}

/** Splits at a character that stands outside of all brackets and quotes. */
export function splitAt(piece: Piece, at: string): Piece[] {
  const found: Piece[] = [];
  let depth = 0;
  let start = 0;
  let quote = '';
  for (let k = 0; k < piece.text.length; k++) {
    const c = piece.text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
    else if (c === at && depth === 0) {
      found.push(within(piece, start, k));
      start = k + 1;
    }
  }
  return [...found, within(piece, start)];
}

/** `a = 1, b = max(2, 3)`: names with their values. A name without one has an empty value. */
export function argumentsIn(piece: Piece): { readonly name: Piece; readonly value: Piece }[] {
  return splitAt(piece, ',').flatMap((one) => {
    const [name, ...rest] = splitAt(one, '=');
    if (name.text === '') return [];
    const value = rest.length === 0 ? within(one, one.text.length) : { ...within(one, rest[0].start - one.start) };
    return [{ name, value }];
  });
}
