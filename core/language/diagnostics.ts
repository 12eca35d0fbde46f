/** A half-open range of character offsets in one text. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/** A replacement that would cure a problem, in the same text. */
export interface Fix {
  readonly title: string;
  readonly span: Span;
  readonly text: string;
}

export type Severity = 'error' | 'warning' | 'info';

/**
 * Something wrong (or worth knowing) at a place. `place` is the address of the element that holds the text
 * (see core/project/places), `span` the range inside that text.
 */
export interface Problem {
  readonly severity: Severity;
  readonly code: string;
  readonly message: string;
  readonly span?: Span;
  readonly place?: string;
  readonly fixes?: readonly Fix[];
}

export const problem = (
  severity: Severity,
  code: string,
  message: string,
  span?: Span,
  fixes?: readonly Fix[],
): Problem => ({ severity, code, message, ...(span && { span }), ...(fixes?.length ? { fixes } : {}) });

export const atPlace = (place: string, problems: readonly Problem[]): Problem[] =>
  problems.map((p) => (p.place === undefined ? { ...p, place } : p));

export const hasErrors = (problems: readonly Problem[]): boolean => problems.some((p) => p.severity === 'error');

export const join = (a: Span, b: Span): Span => ({ start: Math.min(a.start, b.start), end: Math.max(a.end, b.end) });

/** One-based line and column of an offset. */
export function lineColumn(text: string, offset: number): { line: number; column: number } {
  let line = 1;
  let lineStart = 0;
  const end = Math.min(offset, text.length);
  for (let i = 0; i < end; i++) {
    if (text.charCodeAt(i) === 10) {
      line++;
      lineStart = i + 1;
    }
  }
  return { line, column: end - lineStart + 1 };
}
