import { array, boolean, lazy, mixed, number, object, string, ValidationError, type Schema } from 'yup';

/** What a file has to look like before it is taken for evidence. */

const text = (): Schema => string().strict().defined();
const count = (): Schema => number().strict().required().min(0);
const figure = (): Schema =>
  mixed()
    .nullable()
    .test('figure', 'This is no number', (x) => x === null || typeof x === 'number' || typeof x === 'string');
const list = (of: Schema): Schema => array().strict().of(of).required();
const maybe = (fields: Record<string, Schema>): Schema =>
  lazy((value: unknown) => (value === null ? mixed().nullable() : object(fields).required())) as unknown as Schema;

const judged = {
  verdict: text(),
  margin: figure(),
  unit: text(),
  worstAt: figure(),
  failsSince: figure(),
  reason: text(),
};
const excuse = { kind: text(), reason: text(), by: text(), on: text() };
const signature = { name: text(), words: text(), on: text() };

const facts = {
  made: text(),
  project: object({ id: text(), name: text(), note: text(), format: count(), sha256: text() }).required(),
  baseline: maybe({ name: text(), at: text(), sha256: text(), differences: count() }),
  tools: list(object({ name: text(), version: text() })),
  pieces: list(object({ address: text(), label: text(), sha256: text() })),
  code: list(
    object({ type: text(), why: text(), files: list(object({ name: text(), bytes: count(), sha256: text() })) }),
  ),
  images: list(object({ program: text(), board: text(), bytes: count(), sha256: text() })),
  stages: list(text()),
  requirements: list(
    object({
      id: text(),
      key: text(),
      text: text(),
      formula: text(),
      source: text(),
      observation: maybe({
        verdict: text(),
        by: text(),
        on: text(),
        note: text(),
        isOfThis: boolean().strict().required(),
      }),
      constants: maybe(judged),
    }),
  ),
  links: list(
    object({ requirement: text(), element: text(), label: text(), kind: text(), state: text(), why: text() }),
  ),
  cases: list(
    object({
      id: text(),
      name: text(),
      note: text(),
      tags: list(text()),
      tries: text(),
      script: text(),
      sequences: list(text()),
      columns: count(),
      rows: count(),
      mark: text(),
      tried: list(
        object({
          stage: text(),
          verdict: text(),
          why: text(),
          isBeside: boolean().strict().required(),
          failedAt: figure(),
          time: figure(),
          at: text(),
          worst: maybe({
            target: text(),
            unit: text(),
            time: figure(),
            value: figure(),
            expected: figure(),
            within: figure(),
          }),
          judged: list(object({ requirement: text(), ...judged })),
        }),
      ),
    }),
  ),
  coverage: list(
    object({
      type: text(),
      covered: count(),
      wanted: count(),
      items: list(
        object({
          kind: text(),
          element: text(),
          label: text(),
          text: text(),
          cases: list(text()),
          shownBy: text(),
          gap: text(),
          why: text(),
          excuse: maybe(excuse),
        }),
      ),
    }),
  ),
  suspicious: list(object({ key: text(), message: text() })),
  strength: maybe({ noticed: count(), of: count(), unnoticed: list(object({ what: text(), excuse: text() })) }),
  problems: list(object({ severity: text(), where: text(), message: text() })),
  signed: list(object(signature)),
};

const conclusion = object({
  verdict: text(),
  ...Object.fromEntries(
    ['met', 'notMet', 'open', 'exercised', 'passed', 'failed', 'without', 'covered', 'wanted'].map((k) => [k, count()]),
  ),
  requirements: list(
    object({
      id: text(),
      conformity: text(),
      why: text(),
      margin: figure(),
      unit: text(),
      case: text(),
      stage: text(),
      holds: count(),
      fails: count(),
      isExercised: boolean().strict().required(),
      cases: list(text()),
    }),
  ),
  deviations: list(
    object({
      case: text(),
      requirement: text(),
      unit: text(),
      spread: figure(),
      isVerdict: boolean().strict().required(),
      of: list(object({ stage: text(), verdict: text(), margin: figure() })),
    }),
  ),
  points: list(object({ kind: text(), text: text(), of: text() })),
  signatures: list(object({ ...signature, what: text(), of: text() })),
}).required();

const evidence = object({ ...facts, conclusion, sha256: text() }).required();

/** What of data is not as evidence looks; empty where all is. */
export function wrongIn(data: unknown): string {
  try {
    evidence.validateSync(data, { strict: true });
    return '';
  } catch (error) {
    if (!(error instanceof ValidationError)) return 'it cannot be looked at';
    return error.path ? `${error.path}: ${error.message}` : error.message;
  }
}
