/** A track and the rows' times once they are copied. */
interface TrackData {
  readonly holds: number[];
  readonly margins: number[];
  readonly ons: number[];
  readonly first: number;
}
interface RowsData {
  readonly times: number[];
  readonly first: number;
}

/**
 * What one operator says about the rows of a run, in order: whether it holds, by how much, and whether it has anything
 * to say there (`on`; an implication whose condition does not hold has not). Rows already used are dropped.
 */
export class NodeTrack {
  private readonly holds: number[];
  private readonly margins: number[];
  private readonly ons: number[];
  private first: number;

  /** With what another track has kept, as plain data, it goes on from there. */
  constructor(saved?: unknown) {
    const fresh: TrackData = { holds: [], margins: [], ons: [], first: 0 };
    const { holds, margins, ons, first } = (saved as TrackData | undefined) ?? fresh;
    this.holds = holds;
    this.margins = margins;
    this.ons = ons;
    this.first = first;
  }

  get end(): number {
    return this.first + this.holds.length;
  }
  push(holds: boolean, margin: number, on = true): void {
    this.holds.push(holds ? 1 : 0);
    this.margins.push(margin);
    this.ons.push(on ? 1 : 0);
  }
  b(i: number): boolean {
    return this.holds[i - this.first] === 1;
  }
  m(i: number): number {
    return this.margins[i - this.first];
  }
  on(i: number): boolean {
    return this.ons[i - this.first] === 1;
  }
  /** Forgets rows before i, now and then, so that each row is moved only a few times. */
  trim(i: number): void {
    const count = i - this.first;
    if (count < 512 || count < this.holds.length / 2) return;
    this.holds.splice(0, count);
    this.margins.splice(0, count);
    this.ons.splice(0, count);
    this.first = i;
  }
}

/** Times of the rows, shared by all operators of one formula. */
export class Rows {
  private readonly times: number[];
  private first: number;

  constructor(saved?: unknown) {
    const fresh: RowsData = { times: [], first: 0 };
    const { times, first } = (saved as RowsData | undefined) ?? fresh;
    this.times = times;
    this.first = first;
  }

  get end(): number {
    return this.first + this.times.length;
  }
  push(time: number): void {
    this.times.push(time);
  }
  t(i: number): number {
    return this.times[i - this.first];
  }
  trim(i: number): void {
    const count = i - this.first;
    if (count < 512 || count < this.times.length / 2) return;
    this.times.splice(0, count);
    this.first = i;
  }
}

/** What is known of a row whose time is not up: 0 and 1 are final, 2 is open. */
export type Open = 0 | 1 | 2;

/** What an operator remembers, with those it is made of: plain data once it is copied. */
export interface Kept {
  readonly own?: unknown;
  readonly out?: NodeTrack;
  readonly parts: readonly Kept[];
}

/** One operator at work. `out` lags behind the rows where the operator looks ahead. */
export interface RunningNode {
  readonly kept: Kept;
  readonly out: NodeTrack;
  /** Takes in the newest row. */
  advance(values: Float64Array): void;
  /** What can be said of the rows from `out.end` on, by now. */
  tail(): Open[];
}
