import { applyEdit } from '../../editing/edits';
import type { Expr, Statement } from '../../language/ast';
import { parseExpressionText } from '../../language/parse';
import { printExpression } from '../../language/print';
import { mapParts } from '../../language/walk';
import type { Address } from '../../project/address';
import { findAt, isAtOrIn } from '../../project/address';
import type { Edit } from '../../project/edit';
import { typeById, type PartType, type Project } from '../../project/project';
import { partType } from '../../project/document';
import { complaint } from '../../project/field';
import { helperNames } from '../c-helpers';
import { stepProgramOf } from '../controller';
import { ownRegions, takeOut } from '../own-text';
import type { StepProgram } from '../step-program';
import { writeC, type CSource } from '../write-c';
import { writtenC } from '../write-sources';
import { changesOf, isStatement, nodeAt, withChanges, type CChange } from './c-changes';
import { keyOf, readC, valuesOf as givenBy, type CComplaint, type CFile, type CFunction, type CNode } from './c-tree';
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
import { emptyTextsOf, textEdit, textsOf, type ModelText } from './texts-of';

/**
 * What somebody has changed in the C of a controller, as changes of its model. A change is proposed only where the C written anew from the changed model is
 * the C that was read; what is not understood is told at its line.
 */
export interface ReadBack {
  readonly proposals: readonly Proposal[];
  readonly complaints: readonly Complaint[];
}
export interface Proposal {
  /** Lines of the C that was read. */
  readonly lines: readonly { readonly from: number; readonly to: number }[];
  readonly place: Address;
  /** What the text is of. */
  readonly label: string;
  readonly was: string;
  readonly becomes: string;
  readonly edit: Edit;
}
export interface Complaint extends CComplaint {
  /** What the line follows from. */
  readonly element?: Address;
}

/** How many ways to say something in the model are tried for one change. */
const mostTries = 40;
/** And for all changes of one text. */
const mostOfAll = 240;

/** `every`: seconds between steps, where the model does not say them. */
export function readBack(project: Project, type: PartType, edited: string, every?: number): ReadBack {
  const start = writtenOf(project, type.id, every);
  if (!start)
    return { proposals: [], complaints: [{ line: 1, message: `${type.name} cannot be put into code as it is` }] };
  const { rest, own, lines } = takeOut(edited);
  const base = readC(takeOut(start.c.source).rest);
  const is = readC(rest);
  const complaints: Complaint[] = [...is.complaints, ...aroundFunctions(base, is, start, project)];
  const unread = new Set(is.functions.flatMap((f) => (f.body ? [] : [f.name])));
  const accepted: { readonly of: string; readonly change: CChange }[] = [];
  const proposals: Proposal[] = [];
  for (const region of ownRegions) {
    const field = region === 'includes' ? 'ownIncludes' : 'ownFunctions';
    const [was, becomes, place] = [type[field], own[region], `type/${type.id}/${field}`];
    if (becomes === undefined)
      complaints.push({
        line: 1,
        message: `The marks of the own ${region} are not there as they were written, each once: what the model has of them stays`,
      });
    else if (becomes !== was) {
      const wrong = complaint(partType.fields[field].schema, becomes, `Own ${region}`);
      if (wrong === undefined)
        proposals.push({
          lines: [lines[region]],
          place,
          label: `own ${region} of ${type.name}`,
          was,
          becomes,
          edit: textEdit(project, place, becomes)!,
        });
      else complaints.push({ line: lines[region].from, message: wrong });
    }
  }
  let left = mostOfAll;
  let now = proposals.reduce((p, { edit }) => applyEdit(p, edit).project, project);
  for (const f of base.functions) {
    const g = is.functions.find((x) => x.name === f.name);
    if (!g?.body || !f.body || unread.has(f.name)) continue;
    for (const change of changesOf(f.body, g.body)) {
      const line = lineOf(change);
      const reader = createReader(now, type, start, f, change);
      if (helperNames.includes(f.name)) {
        complaints.push({ line, message: `${f.name} is the same in all code that is written, and is written anew` });
        continue;
      }
      const expected = keysOf(base.functions, [...accepted, { of: f.name, change }]);
      const found = reader.find((candidate) =>
        left-- > 0
          ? tried(candidate, now, type.id, expected, every)
          : {
              why: 'There are too many changes to look at this one as well: what is found so far can be taken over first',
            },
      );
      if ('why' in found) {
        complaints.push({ line, message: found.why, ...(reader.element !== '' && { element: reader.element }) });
        continue;
      }
      accepted.push({ of: f.name, change });
      now = found.project;
      const { text, becomes } = found.candidate;
      const own = { from: line, to: Math.max(line, ...spanOf(change)) };
      const known = proposals.findIndex((p) => p.place === text.place);
      const was = known < 0 ? text.text : proposals[known].was;
      const edit = textEdit(project, text.place, becomes)!;
      const next: Proposal = {
        lines: [...(known < 0 ? [] : proposals[known].lines.filter((l) => l.from !== own.from)), own],
        place: text.place,
        label: text.label,
        was,
        becomes,
        edit,
      };
      if (known < 0) proposals.push(next);
      else proposals[known] = next;
    }
  }
  complaints.sort((a, b) => a.line - b.line);
  proposals.sort((a, b) => a.lines[0].from - b.lines[0].from);
  const isFirst = (c: Complaint, k: number): boolean =>
    complaints.findIndex((d) => d.line === c.line && d.message === c.message) === k;
  return { proposals: proposals.filter((p) => p.was !== p.becomes), complaints: complaints.filter(isFirst) };
}

interface Written {
  readonly program: StepProgram;
  readonly c: CSource;
}
function writtenOf(project: Project, typeId: string, every?: number): Written | undefined {
  const type = typeById(project, typeId);
  const program = type && stepProgramOf(project, type, every).program;
  return program && { program, c: writtenC(project, type, program) };
}

/** What each function does, by name; those that only give a value stand where they are called. */
function keysOf(
  functions: readonly CFunction[],
  changes: readonly { readonly of: string; readonly change: CChange }[] = [],
): ReadonlyMap<string, string> {
  const changed = functions.map((f) => {
    const own = changes.filter((c) => c.of === f.name).map((c) => c.change);
    return f.body && own.length > 0 ? { ...f, body: withChanges(f.body, own) } : f;
  });
  const own = changed.filter((f) => !helperNames.includes(f.name));
  const values = givenBy(own);
  return new Map(own.flatMap((f) => (f.body && !values.has(f.name) ? [[f.name, keyOf(f.body, values)] as const] : [])));
}
const areSame = (a: ReadonlyMap<string, string>, b: ReadonlyMap<string, string>): boolean =>
  a.size === b.size && [...a].every(([name, key]) => b.get(name) === key);

const lineOf = ({ is, was, run }: CChange): number =>
  run ? (run.come[0]?.from ?? is.parts[run.at]?.from ?? is.to) : Math.max(1, is.from || was.from);
const spanOf = ({ is, run }: CChange): readonly number[] => (run ? run.come.map((x) => x.to) : [is.to]);

// --- what stands around functions

function aroundFunctions(base: CFile, is: CFile, { c }: Written, project: Project): readonly Complaint[] {
  const found: Complaint[] = [];
  const count = (rows: readonly { readonly text: string }[]): Map<string, number> => {
    const all = new Map<string, number>();
    for (const { text } of rows) all.set(text, (all.get(text) ?? 0) + 1);
    return all;
  };
  const fresh = (
    was: readonly { readonly text: string }[],
    rows: readonly { readonly line: number; readonly text: string }[],
  ): readonly { readonly line: number; readonly text: string }[] => {
    const left = count(was);
    return rows.filter(({ text }) => {
      const n = left.get(text) ?? 0;
      left.set(text, n - 1);
      return n <= 0;
    });
  };
  for (const { line } of fresh(base.outside, is.outside))
    found.push({ line, message: 'This stands outside of what is written: it is kept in the regions for own text' });
  for (const { text } of fresh(is.outside, base.outside))
    found.push({ line: 1, message: `"${text}" is gone, and is written anew` });
  for (const { line } of fresh(base.comments, is.comments))
    found.push({ line, message: 'This comment is not kept: it belongs into a note in the model' });
  const names = new Set(is.functions.map((f) => f.name));
  for (const f of base.functions)
    if (!names.has(f.name)) {
      const element = elementsAt(c, f.from, f.to, project)[0] ?? '';
      const next = base.functions.slice(base.functions.indexOf(f) + 1).find((x) => names.has(x.name));
      const line = is.functions.find((x) => x.name === next?.name)?.from ?? 1;
      found.push({
        line,
        message: `${f.name} is gone: it is written for what is in the model`,
        ...(element !== '' && { element }),
      });
    }
  const known = new Set(base.functions.map((f) => f.name));
  for (const f of is.functions)
    if (!known.has(f.name))
      found.push({
        line: f.from,
        message: `${f.name} is a function of its own: it is kept in the region for own functions`,
      });
  return found;
}

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
function elementsAt(c: CSource, from: number, to: number, project: Project): readonly Address[] {
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

// --- one change

interface Candidate {
  readonly text: ModelText;
  readonly becomes: string;
}
type Trial = { readonly project: Project } | { readonly why: string };

/** The project with a text changed, if the C that is written of it is the one that was read. */
function tried(
  { text, becomes }: Candidate,
  project: Project,
  typeId: string,
  expected: ReadonlyMap<string, string>,
  every: number | undefined,
): Trial {
  const edit = textEdit(project, text.place, becomes);
  const { project: next, refused } = edit ? applyEdit(project, edit) : { project, refused: undefined };
  if (!edit || refused) return { why: refused?.message ?? 'The text is no longer there' };
  const type = typeById(next, typeId)!;
  const { program, problems } = stepProgramOf(next, type, every);
  const wrong = problems.find((p) => p.severity === 'error');
  if (!program || wrong)
    return { why: `In the model this would be wrong: ${wrong?.message ?? 'it cannot be put into code'}` };
  const keys = keysOf(readC(writeC(program).source).functions);
  return areSame(keys, expected) ? { project: next } : { why: '' };
}

interface Reader {
  /** The innermost element that what has changed is of. */
  readonly element: Address;
  find(
    attempt: (c: Candidate) => Trial,
  ): { readonly project: Project; readonly candidate: Candidate } | { readonly why: string };
}

function createReader(
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
  return {
    element,
    find(attempt) {
      let why = '';
      let count = 0;
      const seen = new Set<string>();
      for (const make of [
        () => insideFormulas(body, after, change, texts, words),
        () => inConditions(body, after, change, close, words),
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

/** Formulas of the model that say what stood there, from the smallest piece outwards. */
function* insideFormulas(
  body: CNode,
  after: CNode,
  change: CChange,
  texts: readonly ModelText[],
  words: Words,
): Generator<Offer> {
  if (change.run) return;
  for (let k = change.path.length; k >= 0; k--) {
    const [was, is] = [nodeAt(body, change.path.slice(0, k)), nodeAt(after, change.path.slice(0, k))];
    if (isStatement(was)) return;
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

/** A text with one of its formulas replaced, in brackets where it would say something else without. */
function replaced(text: string, a: Expr, by: Expr, whole: Expr): string {
  const meant = printExpression(withFormula(whole, a, by));
  const [from, to] = extentOf(text, whole);
  const put = (inner: string, { start, end } = a.span): string => text.slice(0, start) + inner + text.slice(end);
  const says = (t: string): boolean => {
    const { value, problems } = parseExpressionText(t.slice(from, t.length - (text.length - to)));
    return problems.length === 0 && printExpression(value) === meant;
  };
  const [before] = /\(\s*$/.exec(text.slice(0, a.span.start)) ?? [''];
  const [behind] = /^\s*\)/.exec(text.slice(a.span.end)) ?? [''];
  const around = { start: a.span.start - before.length, end: a.span.end + behind.length };
  const isCalled = /\w\s*$/.test(text.slice(0, around.start));
  // brackets that nobody needs any more go as well
  const isBare = before !== '' && behind !== '' && !isCalled && by.kind !== 'binary';
  const ways = [inWordsOf(text, by, whole, false), inWordsOf(text, by, whole, true), printExpression(by)].flatMap(
    (p) => [...(isBare ? [put(p, around)] : []), put(p), put(`(${p})`)],
  );
  return ways.find(says) ?? put(`(${printExpression(by)})`);
}
const withFormula = (e: Expr, a: Expr, by: Expr): Expr => (e === a ? by : mapParts(e, (x) => withFormula(x, a, by)));

/** A formula as text; pieces of `whole` in it stand as they were written. */
function inWordsOf(text: string, by: Expr, whole: Expr, inBrackets: boolean): string {
  const known = new Set(formulasIn(whole));
  const pieces: string[] = [];
  const marked = (e: Expr): Expr => {
    if (!known.has(e)) return mapParts(e, marked);
    const piece = text.slice(e.span.start, e.span.end);
    const name = `kept_${pieces.push(inBrackets && e.kind !== 'ref' && e.kind !== 'number' ? `(${piece})` : piece) - 1}_`;
    return { kind: 'ref', global: false, parts: [{ name, subscripts: [], span: e.span }], span: e.span };
  };
  return printExpression(marked(by)).replace(/kept_(\d+)_/g, (_, k: string) => pieces[Number(k)]);
}

/** Where a formula stands in a text, with the brackets that belong to it. */
function extentOf(text: string, { span }: Expr): readonly [number, number] {
  let [from, to] = [span.start, span.end];
  for (;;) {
    let [depth, least] = [0, 0];
    for (const sign of text.slice(from, to)) {
      if (sign === '(') depth++;
      if (sign === ')') least = Math.min(least, --depth);
    }
    const behind = depth - least > 0 ? /^\s*\)/.exec(text.slice(to)) : null;
    const before = least < 0 ? /\(\s*$/.exec(text.slice(0, from)) : null;
    if (!behind && !before) return [from, to];
    to += behind?.[0].length ?? 0;
    from -= before?.[0].length ?? 0;
  }
}

/** Conditions of a row that have come, gone or changed. */
function* inConditions(
  body: CNode,
  after: CNode,
  change: CChange,
  texts: readonly ModelText[],
  words: Words,
): Generator<Offer> {
  if (change.run) return;
  for (let k = change.path.length; k >= 0; k--) {
    const path = change.path.slice(0, k);
    const [was, is] = [nodeAt(body, path), nodeAt(after, path)];
    if (isStatement(was)) return;
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

/** Whether statements of the model may be what statements of C have been written for: it is found out by writing them anew. */
function isPlaceOf(statements: readonly Statement[], gone: readonly CNode[], words: Words, chart: string): boolean {
  return (
    statements.length === gone.length &&
    statements.every((st, k) => {
      const x = gone[k];
      if (x.kind !== 'assign' || st.kind !== 'assign') return true;
      const name = words.quantities.get(placeText(x.parts[0]) ?? '');
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
    const ports = type.ports.filter((p) => p.sends.includes(message));
    return ports.length === 1 ? `send ${message} to ${ports[0].name};` : `send ${message};`;
  }
  const name = place === undefined ? undefined : words.quantities.get(place);
  if (place !== undefined && words.regions.has(place))
    throw new Unsaid(x.from, 'Which state is active follows from the chart, and is changed there');
  if (name === undefined) throw new Unsaid(x.from, `${place ?? 'This'} is no quantity of the model that can be set`);
  return `${nameText(name, chart)} := ${printExpression(spoken(x.parts[1], words, chart, kept))};`;
}

/** A text of statements with some of them replaced. */
function withLines(
  text: string,
  statements: readonly Statement[],
  at: number,
  count: number,
  lines: readonly string[],
): string {
  const end = (k: number): number => {
    const after = statements[k].span.end;
    const semicolon = /^\s*;/.exec(text.slice(after));
    return after + (semicolon?.[0].length ?? 0);
  };
  const before = at === 0 ? text.slice(0, statements[0]?.span.start ?? 0) : text.slice(0, end(at - 1));
  const rest =
    at + count < statements.length
      ? text.slice(statements[at + count].span.start)
      : text.slice(statements.length > 0 ? end(statements.length - 1) : 0);
  const closed = at > 0 && !/;\s*$/.test(before) ? `${before};` : before;
  return [closed.trimEnd(), ...lines, rest.trim()].filter((t) => t !== '').join('\n');
}
