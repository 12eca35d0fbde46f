/** Regions of the C for text of somebody's own: what stands between their marks is kept when the code is written anew. */
export interface OwnText {
  readonly includes: string;
  readonly functions: string;
}
export type OwnRegion = keyof OwnText;
export const ownRegions: readonly OwnRegion[] = ['includes', 'functions'];

export const ownMarks: Readonly<Record<OwnRegion, readonly [begin: string, end: string]>> = {
  includes: ['/* Own includes: what stands here is kept. */', '/* End of own includes. */'],
  functions: ['/* Own functions: what stands here is kept. */', '/* End of own functions. */'],
};

/** A region with its marks, line by line. */
export function ownRegion(region: OwnRegion, text: OwnText): readonly string[] {
  const [begin, end] = ownMarks[region];
  return [begin, ...(text[region] === '' ? [] : text[region].split('\n')), end];
}

export interface TakenOut {
  /** The text with what stands in the regions taken out; lines keep their numbers. */
  readonly rest: string;
  /** What stands in a region; undefined where its marks are not there as they were written. */
  readonly own: Readonly<Record<OwnRegion, string | undefined>>;
  /** First and last line of what stands there. */
  readonly lines: Readonly<Record<OwnRegion, { readonly from: number; readonly to: number }>>;
}

export function takeOut(text: string): TakenOut {
  const lines = text.replace(/\r\n?/g, '\n').split('\n');
  const nowhere = { from: 1, to: 1 };
  const own: Record<OwnRegion, string | undefined> = { includes: undefined, functions: undefined };
  const where: Record<OwnRegion, { from: number; to: number }> = { includes: nowhere, functions: nowhere };
  for (const region of ownRegions) {
    const [begin, end] = ownMarks[region].map((mark) => lines.flatMap((l, k) => (l.trim() === mark ? [k] : [])));
    if (begin.length !== 1 || end.length !== 1 || end[0] < begin[0]) continue;
    own[region] = lines.slice(begin[0] + 1, end[0]).join('\n');
    where[region] = { from: begin[0] + 2, to: Math.max(begin[0] + 2, end[0]) };
    for (let k = begin[0]; k <= end[0]; k++) lines[k] = '';
  }
  return { rest: lines.join('\n'), own, lines: where };
}
