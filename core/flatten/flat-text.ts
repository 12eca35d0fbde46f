import { constant, createSubstitution, evaluate, type FlatExpr } from './flat-expression';

/** What a text of the model says: pieces as they stand, and values told as they are at that moment. */
export type FlatText = readonly TextPiece[];
export type TextPiece =
  string | { readonly value: FlatExpr; readonly digits: number; readonly names?: readonly string[] };

export const tellValue = (x: number, digits: number, names: readonly string[] | undefined): string =>
  names?.[x] ?? String(Number(x.toPrecision(Math.min(17, Math.max(1, digits)))));

/** The text where all of it is known before the run. */
export const knownText = (text: FlatText | undefined): string | undefined =>
  text?.length === 1 && typeof text[0] === 'string' ? text[0] : undefined;

/** The text at a moment of a run. */
export function tell(text: FlatText, values: ArrayLike<number>, time: number): string {
  const atTime = createSubstitution((x) => (x.op === 'time' ? constant(time) : undefined));
  return text
    .map((piece) =>
      typeof piece === 'string'
        ? piece
        : tellValue(
            evaluate(atTime(piece.value), (k) => values[k]),
            piece.digits,
            piece.names,
          ),
    )
    .join('');
}
