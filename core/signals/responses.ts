import { responses } from './response-table';

/** How a block answers: to a step of 1 at a tenth of the time shown, or, where it has no memory, over what it takes. */
export interface BlockResponse {
  readonly over: 'time' | 'u';
  readonly from: number;
  readonly to: number;
  readonly y: readonly number[];
}

export const responseFor = (key: string): BlockResponse | undefined =>
  (responses as Readonly<Record<string, BlockResponse>>)[key];
