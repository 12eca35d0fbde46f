import type { GapKind } from '../coverage/report';
import type { Excuse } from '../project/project';
import type { CaseVerdict } from '../proof/run-case';
import type { Verdict } from '../verdicts/finding';

/**
 * What was tested, on what, and with which outcome, as plain data: facts, what follows from them, and a digest of both. Files for people are
 * written from it alone, so that they can be written again and compared.
 */

export const evidenceFormat = 'zelvar-evidence';
export const evidenceVersion = 1;

/** A number as JSON can say it. */
export type Figure = number | 'not a number' | 'infinite' | '-infinite' | null;
export const figure = (x: number | undefined): Figure =>
  x === undefined
    ? null
    : Number.isNaN(x)
      ? 'not a number'
      : x === Infinity
        ? 'infinite'
        : x === -Infinity
          ? '-infinite'
          : x;

/** An entry of the document, with the digest of its content. */
export interface Piece {
  readonly address: string;
  readonly label: string;
  readonly sha256: string;
}

export interface FileDigest {
  readonly name: string;
  readonly bytes: number;
  readonly sha256: string;
}

/** What a requirement was found to be in a case and a stage. */
export interface JudgedFact {
  /** Id of the requirement. */
  readonly requirement: string;
  readonly verdict: Verdict;
  /** In `unit`, below 0 where it fails. */
  readonly margin: Figure;
  readonly unit: string;
  /** s */
  readonly worstAt: Figure;
  readonly failsSince: Figure;
  readonly reason: string;
}

export interface TriedFact {
  /** `as set up`: as the setups say. */
  readonly stage: string;
  /** `out of date`: what it rests on is not what is there now. `never run`: nothing is known of it. */
  readonly verdict: CaseVerdict | 'out of date' | 'never run';
  readonly why: string;
  /** It failed by requirements that are judged beside alone. */
  readonly isBeside: boolean;
  /** s of the product's time. */
  readonly failedAt: Figure;
  readonly time: Figure;
  /** When it ran (ISO 8601). */
  readonly at: string;
  readonly worst: {
    readonly target: string;
    readonly unit: string;
    readonly time: Figure;
    readonly value: Figure;
    readonly expected: Figure;
    readonly within: Figure;
  } | null;
  readonly judged: readonly JudgedFact[];
}

export interface CaseFact {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly tags: readonly string[];
  /** What runs: a setup, or a part type alone. */
  readonly tries: string;
  readonly script: string;
  readonly sequences: readonly string[];
  /** How many columns and rows of values it has. */
  readonly columns: number;
  readonly rows: number;
  /** Of all that its outcome rests on. */
  readonly mark: string;
  readonly tried: readonly TriedFact[];
}

export interface RequirementFact {
  readonly id: string;
  readonly key: string;
  readonly text: string;
  readonly formula: string;
  /** Where it was taken from; empty where it was written here. */
  readonly source: string;
  readonly observation: {
    readonly verdict: 'holds' | 'fails';
    readonly by: string;
    readonly on: string;
    readonly note: string;
    /** Whether it was signed for the text that is there now. */
    readonly isOfThis: boolean;
  } | null;
  /** What constants alone decide. */
  readonly constants: Omit<JudgedFact, 'requirement'> | null;
}

export interface LinkFact {
  readonly requirement: string;
  /** Address of the element. */
  readonly element: string;
  readonly label: string;
  readonly kind: string;
  readonly state: 'sound' | 'suspect' | 'broken';
  readonly why: string;
}

export interface CoverageFact {
  readonly kind: string;
  readonly element: string;
  readonly label: string;
  readonly text: string;
  /** Ids of the cases that come through it; none where it is a gap. */
  readonly cases: readonly string[];
  /** Of a condition: how its effect is shown, and by which words of conditions. */
  readonly shownBy: string;
  readonly gap: GapKind | '';
  readonly why: string;
  readonly excuse: {
    readonly kind: Excuse['kind'];
    readonly reason: string;
    readonly by: string;
    readonly on: string;
  } | null;
}

export interface Signature {
  readonly name: string;
  readonly words: string;
  /** Day, as 2026-11-23. */
  readonly on: string;
}

export interface Facts {
  readonly format: typeof evidenceFormat;
  readonly version: number;
  /** When it was put together (ISO 8601). */
  readonly made: string;
  readonly project: {
    readonly id: string;
    readonly name: string;
    readonly note: string;
    readonly format: number;
    readonly sha256: string;
  };
  /** What was frozen, and in how many places the project differs from it. */
  readonly baseline: {
    readonly name: string;
    readonly at: string;
    readonly sha256: string;
    readonly differences: number;
  } | null;
  readonly tools: readonly { readonly name: string; readonly version: string }[];
  readonly pieces: readonly Piece[];
  /** What is generated for part types that go in steps; `why` where it cannot be. */
  readonly code: readonly { readonly type: string; readonly files: readonly FileDigest[]; readonly why: string }[];
  /** What chips are loaded with. */
  readonly images: readonly {
    readonly program: string;
    readonly board: string;
    readonly bytes: number;
    readonly sha256: string;
  }[];
  readonly stages: readonly string[];
  readonly requirements: readonly RequirementFact[];
  readonly links: readonly LinkFact[];
  readonly cases: readonly CaseFact[];
  readonly coverage: readonly {
    readonly type: string;
    readonly covered: number;
    readonly wanted: number;
    readonly items: readonly CoverageFact[];
  }[];
  /** Requirements whose cases come through nothing of what they are linked to. */
  readonly suspicious: readonly { readonly key: string; readonly message: string }[];
  /** Small changes of the model and whether a case noticed them; null where that was not looked at. */
  readonly strength: {
    readonly noticed: number;
    readonly of: number;
    readonly unnoticed: readonly { readonly what: string; readonly excuse: string }[];
  } | null;
  readonly problems: readonly {
    readonly severity: string;
    readonly where: string;
    readonly message: string;
  }[];
  /** Who stands for the whole. */
  readonly signed: readonly Signature[];
}

export type Conformity = 'met' | 'not met' | 'open';

export interface RequirementSays {
  readonly id: string;
  readonly conformity: Conformity;
  readonly why: string;
  /** The least of all that decided it, and where that was. */
  readonly margin: Figure;
  readonly unit: string;
  readonly case: string;
  readonly stage: string;
  /** Outcomes that decided it. */
  readonly holds: number;
  readonly fails: number;
  /** A case has decided it, not constants alone. */
  readonly isExercised: boolean;
  /** Ids of the cases that are linked to it. */
  readonly cases: readonly string[];
}

/** Where stages do not agree. */
export interface Deviates {
  readonly case: string;
  /** Id of the requirement; empty for the case itself. */
  readonly requirement: string;
  readonly of: readonly { readonly stage: string; readonly verdict: string; readonly margin: Figure }[];
  readonly unit: string;
  /** Between the largest margin and the least. */
  readonly spread: Figure;
  readonly isVerdict: boolean;
}

export interface OpenPoint {
  readonly kind: string;
  readonly text: string;
  /** What it is about: an address, `case/…`, or the title of a part of the evidence. */
  readonly of: string;
}

export interface Conclusion {
  /** `not decided` as well where there is no requirement, or no outcome, that it could rest on. */
  readonly verdict: 'conforms' | 'does not conform' | 'not decided';
  readonly met: number;
  readonly notMet: number;
  readonly open: number;
  /** Requirements that an outcome of a case has decided, one way or the other. */
  readonly exercised: number;
  readonly passed: number;
  readonly failed: number;
  /** Could not run, are out of date, or were never run. */
  readonly without: number;
  readonly covered: number;
  readonly wanted: number;
  readonly requirements: readonly RequirementSays[];
  readonly deviations: readonly Deviates[];
  readonly points: readonly OpenPoint[];
  /** Everything that somebody has put a name to. */
  readonly signatures: readonly (Signature & { readonly what: string; readonly of: string })[];
}

export interface Evidence extends Facts {
  readonly conclusion: Conclusion;
  /** Of everything before. */
  readonly sha256: string;
}
