import type { Expr, Statement } from '../../language/ast';
import { printExpression } from '../../language/print';
import { findAt, isAtOrIn, type Address } from '../../project/address';
import type { PartType, Project } from '../../project/project';
import type { StepProgram } from '../step-program';
import type { CSource } from '../write-c';
import { isStatement, nodeAt, withChanges, type CChange } from './c-changes';
import { keyOf } from './c-keys';
import type { CFunction, CNode } from './c-tree';
import { replaced, withLines } from './rewritten';
import {
  formulasIn,
  inUnitOf,
  isSame,
  nameText,
  numberOf,
  placeText,
  spoken,
  Unsaid,
  wordsOf,
  type Words,
} from './speak';
import { emptyTextsOf, textsOf, type ModelText } from './texts-of';

/** Where in the model something is said that has come to a piece of C, and how a change of the C would read there: guesses, to be tried. */

export interface Written {
  readonly program: StepProgram;
  readonly c: CSource;
}
export interface Candidate {
  readonly text: ModelText;
  readonly becomes: string;
}
export type Trial = { readonly project: Project } | { readonly why: string };

/** How many ways to say something in the model are tried for one change. */
const mostTries = 40;

export interface Reader {
  /** The innermost element that what has changed is of. */
  readonly element: Address;
  find(
    attempt: (c: Candidate) => Trial,
  ): { readonly project: Project; readonly candidate: Candidate } | { readonly why: string };
}

export function createReader(
  project: Project,
  type: PartType,
  { program, c }: Written,
  f: CFunction,
  change: CChange,
): Reader {
  const words = wordsOf(program, c);
  const body = f.body!;
  const after = withChanges(body, [change]);
  const elements = [...new Set([...casesAround(program, c, body, change.path), ...linesAround(c, change, project)])];
  const all = textsOf(project, type);
  const near = (t: ModelText): number => {
    const k = elements.findIndex((e) => isAtOrIn(t.place, e));
    return k < 0 ? elements.length : k;
  };
  const open = elements.flatMap((e) => emptyTextsOf(project, e));
  // what is close by comes first
  const close = [...all.filter((t) => near(t) < elements.length), ...open].sort((a, b) => near(a) - near(b));
  const texts = [...close, ...all.filter((t) => near(t) === elements.length)];
  const [element = ''] = elements;
  const around = expressionsAround(body, after, change);
  return {
    element,
    find(attempt) {
      let why = '';
      let count = 0;
      const seen = new Set<string>();
      for (const make of [
        () => insideFormulas(around, texts, words),
        () => inConditions(around, close, words),
        () => inStatements(body, after, change, texts, words, type),
      ])
        for (const candidate of make()) {
          if ('unsaid' in candidate) {
            why ||= candidate.unsaid;
            continue;
          }
          const key = `${candidate.text.place} ${candidate.becomes}`;
          if (seen.has(key) || candidate.becomes === candidate.text.text) continue;
          seen.add(key);
          if (++count > mostTries)
            return { why: why || 'There are too many places in the model that this could be of' };
          const trial = attempt(candidate);
          if ('project' in trial) return { project: trial.project, candidate };
          // what is far away was a guess
          if (close.includes(candidate.text)) why ||= trial.why;
        }
      const of = labelOf(project, element);
      return {
        why:
          why ||
          ([...(change.run?.gone ?? []), change.was].some((x) => setsRegion(x, words))
            ? 'Which state is active follows from the chart, and is changed there'
            : '') ||
          (count > 0
            ? 'Taken into the model, this would be written otherwise, or at other lines as well: it is changed in the model'
            : of
              ? `This follows from ${of}, and is changed there`
              : 'This follows from the model, and is changed there'),
      };
    },
  };
}

const setsRegion = (x: CNode, words: Words): boolean =>
  x.kind === 'assign' && words.regions.has(placeText(x.parts[0]) ?? '');

const isElement = (project: Project, address: Address): boolean => {
  const found = findAt(project, address);
  return found !== undefined && found.field === undefined;
};
/** What an element is called in a list; undefined where there is none. */
function labelOf(project: Project, address: Address): string | undefined {
  const found = findAt(project, address);
  return found?.steps.at(-1)!.description.label(found.chain);
}

/** Elements that lines of the source are of, the innermost first. */
export function elementsAt(c: CSource, from: number, to: number, project: Project): readonly Address[] {
  const around = c.map
    .filter((m) => m.file === 'source' && m.from <= to && from <= m.to)
    .sort((a, b) => a.to - a.from - (b.to - b.from));
  const found = around.flatMap(({ element }) => {
    for (let at = element; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/'))))
      if (isElement(project, at)) return [at];
    return [];
  });
  return [...new Set(found)];
}

/** Elements whose names stand at the cases around something. */
function casesAround(program: StepProgram, c: CSource, body: CNode, path: readonly number[]): readonly Address[] {
  const found: Address[] = [];
  for (let k = path.length; k >= 0; k--) {
    const at = nodeAt(body, path.slice(0, k));
    if (at.kind !== 'case') continue;
    const row = c.header.split('\n').findIndex((line) => new RegExp(`^\\s+${at.word} =`).test(line)) + 1;
    const from = c.map.find((m) => m.file === 'header' && m.from <= row && row <= m.to);
    if (from) found.push(from.element);
  }
  return found;
}

/** Elements of the lines of what has changed, and of those beside it. */
function linesAround(c: CSource, { was, run }: CChange, project: Project): readonly Address[] {
  if (!run) return elementsAt(c, was.from, was.to, project);
  const before = was.parts[run.at - 1];
  const next = was.parts[run.at + run.gone.length];
  return [
    ...run.gone.flatMap((x) => elementsAt(c, x.from, x.to, project)),
    ...[before, next].flatMap((x) => (x ? elementsAt(c, x.from, x.to, project) : [])),
    ...elementsAt(c, was.from, was.to, project),
  ];
}

type Offer = Candidate | { readonly unsaid: string };

/** What has changed and what stands around it, before and after, outwards to the statement. */
function expressionsAround(body: CNode, after: CNode, { path, run }: CChange): readonly (readonly [CNode, CNode])[] {
  const found: (readonly [CNode, CNode])[] = [];
  for (let k = path.length; k >= 0 && !run; k--) {
    const was = nodeAt(body, path.slice(0, k));
    if (isStatement(was)) break;
    found.push([was, nodeAt(after, path.slice(0, k))]);
  }
  return found;
}

/** Formulas of the model that say what stood there, from the smallest piece outwards. */
function* insideFormulas(
  around: ReturnType<typeof expressionsAround>,
  texts: readonly ModelText[],
  words: Words,
): Generator<Offer> {
  for (const [was, is] of around)
    for (const text of texts) {
      const plain = said(was, words, text.chart);
      if (!plain) break;
      const of = { words, chart: text.chart };
      for (const whole of text.formulas)
        for (const a of formulasIn(whole)) {
          if (!isSame(a, plain, of)) continue;
          const next = newFormula(was, is, a, whole, words, text.chart);
          yield 'unsaid' in next ? next : { text, becomes: replaced(text.text, a, next.formula, whole) };
        }
    }
}

const said = (x: CNode, words: Words, chart: string): Expr | undefined => {
  try {
    return spoken(x, words, chart);
  } catch (error) {
    if (error instanceof Unsaid) return undefined;
    throw error;
  }
};

/** What stands in the model instead of `a`; parts that are as they were keep their words. */
function newFormula(
  was: CNode,
  is: CNode,
  a: Expr,
  whole: Expr,
  words: Words,
  chart: string,
): { readonly formula: Expr } | { readonly unsaid: string } {
  try {
    if (was.kind === 'number' && is.kind === 'number') {
      const kept = inUnitOf(a, numberOf(was), numberOf(is), words);
      if (kept) return { formula: kept };
    }
    return { formula: spoken(is, words, chart, keeping([whole], words, chart)) };
  } catch (error) {
    if (error instanceof Unsaid) return { unsaid: error.message };
    throw error;
  }
}

/** Formulas that stand somewhere already are said in the same words. */
const keeping =
  (wholes: readonly Expr[], words: Words, chart: string) =>
  (x: CNode): Expr | undefined => {
    const plain = said(x, words, chart);
    return (
      plain &&
      wholes
        .flatMap(formulasIn)
        .find(
          (a) => a.kind !== 'error' && isSame(a, plain, { words, chart }) && (plain.kind !== 'number' || hasUnit(a)),
        )
    );
  };
const hasUnit = (a: Expr): boolean => a.kind !== 'number' || a.unit !== undefined;

/** Conditions of a row that have come, gone or changed. */
function* inConditions(
  around: ReturnType<typeof expressionsAround>,
  texts: readonly ModelText[],
  words: Words,
): Generator<Offer> {
  for (const [was, is] of around) {
    const [a, b] = [rowOf(was), rowOf(is)];
    if (a.length < 2 && b.length < 2) continue;
    let [first, last] = [0, 0];
    const same = (x: CNode | undefined, y: CNode | undefined): boolean => !!x && !!y && keyOf(x) === keyOf(y);
    while (same(a[first], b[first])) first++;
    while (last < a.length - first && last < b.length - first && same(a[a.length - 1 - last], b[b.length - 1 - last]))
      last++;
    const gone = a.slice(first, a.length - last);
    const come = b.slice(first, b.length - last);
    for (const text of texts) {
      if (text.statements) continue;
      const rows = text.formulas.flatMap(andRow);
      const of = { words, chart: text.chart };
      const out = gone.map((g) => said(g, words, text.chart));
      if (out.some((g) => !g)) break;
      let next: readonly string[];
      try {
        next = come.map((x) => inRow(spoken(x, words, text.chart, keeping(text.formulas, words, text.chart))));
      } catch (error) {
        if (!(error instanceof Unsaid)) throw error;
        yield { unsaid: error.message };
        break;
      }
      const kept = rows.map((r) =>
        rows.length === 1 ? inRowText(text.text, r) : text.text.slice(r.span.start, r.span.end),
      );
      const join = (list: readonly string[]): string => (list.length === 1 ? bare(list[0]) : list.join(' and '));
      if (gone.length === 0)
        for (let at = rows.length; at >= 0; at--)
          yield { text, becomes: join([...kept.slice(0, at), ...next, ...kept.slice(at)]) };
      for (let at = 0; gone.length > 0 && at + gone.length <= rows.length; at++)
        if (out.every((g, n) => isSame(rows[at + n], g!, of)))
          yield { text, becomes: join([...kept.slice(0, at), ...next, ...kept.slice(at + gone.length)]) };
    }
  }
}

const rowOf = (x: CNode): readonly CNode[] => (x.kind === 'binary' && x.word === '&&' ? x.parts : [x]);
const andRow = (e: Expr): readonly Expr[] =>
  e.kind === 'binary' && e.op === 'and' ? [...andRow(e.left), ...andRow(e.right)] : [e];
const isLoose = (e: Expr): boolean => (e.kind === 'binary' && e.op === 'or') || e.kind === 'if';
const inRow = (e: Expr): string => (isLoose(e) ? `(${printExpression(e)})` : printExpression(e));
const inRowText = (text: string, e: Expr): string => (isLoose(e) ? `(${text.trim()})` : text.trim());
const bare = (text: string): string => (/^\([^()]*\)$/.test(text) ? text.slice(1, -1) : text);

/** Statements that have come, gone or changed. */
function* inStatements(
  body: CNode,
  after: CNode,
  change: CChange,
  texts: readonly ModelText[],
  words: Words,
  type: PartType,
): Generator<Offer> {
  const { gone, come } = runOf(body, after, change);
  // where only a part of a statement has changed, what it is cannot be what is not understood
  const isOwn =
    change.run !== undefined ||
    isStatement(change.was) ||
    gone.some((x) => x.kind === 'do' || (x.kind === 'assign' && words.sent.has(placeText(x.parts[0]) ?? '')));
  for (const text of texts) {
    const { statements } = text;
    if (!statements) continue;
    let lines: readonly string[];
    try {
      lines = come.map((x) => statementOf(x, words, text.chart, type, keeping(text.formulas, words, text.chart)));
    } catch (error) {
      if (!(error instanceof Unsaid)) throw error;
      if (isOwn) yield { unsaid: error.message };
      return;
    }
    const places = statements.flatMap((_, at) =>
      isPlaceOf(statements.slice(at, at + gone.length), gone, words, text.chart) ? [at] : [],
    );
    // one message to several receivers is one counter in C
    const receivers = places.map((n) =>
      statements
        .slice(n, n + gone.length)
        .map(receiverOf)
        .join(),
    );
    if (new Set(receivers).size > 1) {
      yield {
        unsaid: 'Which of several receivers this message goes to the C does not say: it is changed in the model',
      };
      continue;
    }
    const at = gone.length === 0 ? [...statements.map((_, k) => statements.length - k), 0] : places;
    for (const n of at) yield { text, becomes: withLines(text.text, statements, n, gone.length, lines) };
  }
}

/** The statements around a change: of a list, those that are not as they were. */
function runOf(
  body: CNode,
  after: CNode,
  { path, run }: CChange,
): { readonly gone: readonly CNode[]; readonly come: readonly CNode[] } {
  if (run) return run;
  for (let k = path.length - 1; k >= 0; k--)
    if (nodeAt(body, path.slice(0, k)).kind === 'list')
      return { gone: [nodeAt(body, path.slice(0, k + 1))], come: [nodeAt(after, path.slice(0, k + 1))] };
  return { gone: [], come: [] };
}

const receiverOf = (st: Statement): string =>
  st.kind === 'send' && st.receiver ? st.receiver.parts.map((p) => p.name).join('.') : '';

/** Whether statements of the model may be what statements of C have been written for: it is found out by writing them anew. */
function isPlaceOf(statements: readonly Statement[], gone: readonly CNode[], words: Words, chart: string): boolean {
  return (
    statements.length === gone.length &&
    statements.every((st, k) => {
      const x = gone[k];
      if (x.kind !== 'assign') return true;
      const place = placeText(x.parts[0]) ?? '';
      const message = words.sent.get(place);
      if (message !== undefined) return st.kind === 'send' && st.message === message;
      if (st.kind !== 'assign') return true;
      const name = words.quantities.get(place);
      const target = st.target.kind === 'ref' ? st.target.parts.map((p) => p.name).join('.') : '';
      return name === undefined || name === target || name === `${chart}.${target}`;
    })
  );
}

function statementOf(
  x: CNode,
  words: Words,
  chart: string,
  type: PartType,
  kept: (x: CNode) => Expr | undefined,
): string {
  if (x.kind === 'if') {
    const lines = (list: CNode): string =>
      list.parts.map((p) => `  ${statementOf(p, words, chart, type, kept).replace(/\n/g, '\n  ')}\n`).join('');
    const condition = printExpression(spoken(x.parts[0], words, chart, kept));
    const otherwise = lines(x.parts[2]);
    return `if ${condition} then\n${lines(x.parts[1])}${otherwise === '' ? '' : `else\n${otherwise}`}end if;`;
  }
  if (x.kind === 'do' && x.parts[0].kind === 'call')
    throw new Unsaid(
      x.from,
      `What is called where follows from the model: ${x.parts[0].word} is no text that could be changed there`,
    );
  if (x.kind !== 'assign') throw new Unsaid(x.from, 'This statement has no counterpart in the model');
  const place = placeText(x.parts[0]);
  const message = place === undefined ? undefined : words.sent.get(place);
  if (message !== undefined) {
    const isOneMore =
      keyOf(x.parts[1]) ===
      keyOf({ ...x, kind: 'binary', word: '+', parts: [x.parts[0], { ...x, kind: 'number', word: '1', parts: [] }] });
    if (!isOneMore) throw new Unsaid(x.from, `A message is sent once: ${place} += 1`);
    const ports = type.ports.filter((p) => p.sends.includes(message)).map((p) => p.name);
    if (ports.length > 1)
      throw new Unsaid(
        x.from,
        `${message} goes to ${ports.join(' or ')}, which the C does not say: it is sent in the model`,
      );
    return ports.length === 1 ? `send ${message} to ${ports[0]};` : `send ${message};`;
  }
  const name = place === undefined ? undefined : words.quantities.get(place);
  if (place !== undefined && words.regions.has(place))
    throw new Unsaid(x.from, 'Which state is active follows from the chart, and is changed there');
  if (name === undefined) throw new Unsaid(x.from, `${place ?? 'This'} is no quantity of the model that can be set`);
  return `${nameText(name, chart)} := ${printExpression(spoken(x.parts[1], words, chart, kept))};`;
}
