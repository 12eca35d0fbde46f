import type { ClassDefinition, Expr, Modification, Statement } from './ast';
import { problem, type Problem } from './diagnostics';
import { lex, type Comment } from './lexer';
import { parseClass, parseComposition, parseModificationArguments, atClass } from './parse-class';
import { parseExpression } from './parse-expression';
import { parseStatements } from './parse-body';
import { TooDeep, tokenStream, tokenText, type TokenStream } from './token-stream';

export interface Parsed<T> {
  readonly value: T;
  readonly problems: readonly Problem[];
  readonly comments: readonly Comment[];
}

const mostProblems = 500;

function run<T>(text: string, parse: (s: TokenStream) => T, empty: T): Parsed<T> {
  const { tokens, comments, problems } = lex(text);
  const s = tokenStream(tokens, problems);
  try {
    const value = parse(s);
    if (s.peek().kind !== 'end-of-text') s.report('unexpected', `${tokenText(s.peek())} cannot stand here`);
    // nobody reads more of them, and what is wrong first is often what the others come from
    return { value, problems: problems.slice(0, mostProblems), comments };
  } catch (error) {
    if (!(error instanceof TooDeep)) throw error;
    return { value: empty, problems: [problem('error', 'too-deep', error.message, error.span)], comments };
  }
}

/** One expression, such as a guard, a limit or a start value. */
export const parseExpressionText = (text: string): Parsed<Expr> =>
  run(text, parseExpression, { kind: 'error', span: { start: 0, end: text.length } });

/** Statements, such as the effect of a transition. */
export const parseStatementsText = (text: string): Parsed<readonly Statement[]> => run(text, parseStatements, []);

/** A relation: `left = right` holds, or a condition is to hold. */
export type RelationTree =
  | { readonly kind: 'equal'; readonly left: Expr; readonly right: Expr }
  | { readonly kind: 'check'; readonly condition: Expr };

/** One relation of a relation sheet, with or without a semicolon at its end. */
export const parseRelationText = (text: string): Parsed<RelationTree> =>
  run<RelationTree>(
    text,
    (s) => {
      const left = parseExpression(s);
      const equal = s.accept('=');
      const right = equal ? parseExpression(s) : undefined;
      s.accept(';');
      if (right) return { kind: 'equal', left, right };
      if (
        left.kind !== 'error' &&
        !(left.kind === 'binary' && /^(<|<=|>|>=|and|or)$/.test(left.op)) &&
        !(left.kind === 'unary' && left.op === 'not')
      ) {
        s.report(
          'expected-equal',
          'A relation says what is equal, as in P = U*I, or is a limit, as in P < 3',
          left.span,
        );
      }
      return { kind: 'check', condition: left };
    },
    { kind: 'check', condition: { kind: 'error', span: { start: 0, end: text.length } } },
  );

/** The changed values of a part: `a = 1, b(start = 2)`. */
export const parseModificationText = (text: string): Parsed<Modification> => {
  const shifted = run<Modification>(`(${text})`, parseModificationArguments, { args: [] });
  return {
    ...shifted,
    problems: shifted.problems.map((p) =>
      p.span ? { ...p, span: { start: p.span.start - 1, end: p.span.end - 1 } } : p,
    ),
  };
};

export type PhysicsText = Pick<
  ClassDefinition,
  'elements' | 'equations' | 'initialEquations' | 'algorithms' | 'initialAlgorithms' | 'annotation'
>;

/**
 * The physics text of a part type: equations, optionally in sections (`equation`, `initial equation`, `algorithm`).
 * A text may begin with declarations of its own; otherwise, without a section word, it starts with equations.
 */
export function parsePhysicsText(text: string): Parsed<PhysicsText> {
  const before = physicsTexts.get(text);
  if (before) return before;
  const parsed = readPhysicsText(text);
  if (physicsTexts.size >= mostKept) physicsTexts.delete(physicsTexts.keys().next().value!);
  physicsTexts.set(text, parsed);
  return parsed;
}

/** Texts read lately: checking, flattening and drawing ask for the same ones after each change. Trees are never changed. */
const physicsTexts = new Map<string, Parsed<PhysicsText>>();
const mostKept = 60;

function readPhysicsText(text: string): Parsed<PhysicsText> {
  const empty: PhysicsText = {
    elements: [],
    equations: [],
    initialEquations: [],
    algorithms: [],
    initialAlgorithms: [],
  };
  const parse = (s: TokenStream): PhysicsText => {
    const body = parseComposition(s);
    return body;
  };
  const tokens = lex(text).tokens;
  const [first] = tokens;
  const sectioned =
    startsWithDeclaration(tokens) ||
    (first.kind === 'keyword' &&
      [
        'equation',
        'initial',
        'algorithm',
        'parameter',
        'constant',
        'protected',
        'public',
        'discrete',
        'input',
        'output',
        'inner',
        'outer',
        'replaceable',
        'flow',
        'import',
        'extends',
        'model',
        'record',
        'function',
        'connector',
        'type',
        'block',
        'class',
        'package',
        'partial',
        'final',
      ].includes(first.text));
  if (sectioned || first.kind === 'end-of-text') return run(text, parse, empty);
  // keep the spans: the section word takes the place of nothing
  const prefix = 'equation ';
  const shifted = run(prefix + text, parse, empty);
  return shiftSpans(shifted, -prefix.length);
}

/** `Electrical.Resistor r(R = 2);`: a type followed by a name, as no equation begins. */
function startsWithDeclaration(tokens: readonly { readonly kind: string; readonly text: string }[]): boolean {
  let k = 0;
  while (tokens[k]?.kind === 'name' && tokens[k + 1]?.text === '.') k += 2;
  if (tokens[k]?.kind !== 'name') return false;
  k++;
  // sizes may stand behind the type
  if (tokens[k]?.text === '[') while (k < tokens.length && tokens[k++].text !== ']');
  return tokens[k]?.kind === 'name';
}

/** Moves every span of a tree by the same distance. */
function shiftSpans<T>(node: T, by: number): T {
  if (Array.isArray(node)) return node.map((n) => shiftSpans(n, by)) as T;
  if (node === null || typeof node !== 'object') return node;
  const copy: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(node)) {
    copy[key] = typeof value === 'number' && (key === 'start' || key === 'end') ? value + by : shiftSpans(value, by);
  }
  return copy as T;
}

/** A whole file: class definitions, each ended by `;`, after an optional `within`. */
export function parseFile(text: string): Parsed<readonly ClassDefinition[]> {
  return run<readonly ClassDefinition[]>(
    text,
    (s) => {
      const classes: ClassDefinition[] = [];
      if (s.accept('within')) s.recover(new Set());
      while (s.peek().kind !== 'end-of-text') {
        s.accept('final');
        if (!atClass(s)) {
          s.report(
            'expected-class',
            `Expected a class such as "model Name ... end Name;", but found ${tokenText(s.peek())}`,
          );
          s.next();
          s.recover(new Set(['model', 'block', 'class', 'connector', 'record', 'type', 'function', 'package']));
          continue;
        }
        classes.push(parseClass(s, { redeclare: false, replaceable: false }));
        s.expect(';', 'A class');
      }
      return classes;
    },
    [],
  );
}
