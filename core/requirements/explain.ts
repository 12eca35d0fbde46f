import { table } from '../language/table';
import type { Expr } from '../language/ast';
import { printExpression } from '../language/print';
import type { GlossaryEntry } from '../project/project';
import { hasLoopCall, loopOperators } from './loop-terms';
import { eachExpression, obligations, readFormula, type Formula, type FormulaValue } from './formula';
import { showFormula } from './read-limit';

/** A formula in plain words, for whoever wants to know what will be checked; names become the phrases of the glossary. */
export function explainFormula(text: string, glossary: readonly GlossaryEntry[] = []): string | undefined {
  const { formula } = readFormula(text);
  if (!formula) return undefined;
  const words = new Words(glossary);
  const parts = obligations(formula).map(({ mode, body }) => {
    switch (mode) {
      case 'always':
        return words.always(body);
      case 'eventually':
        return `at some moment of the run, ${words.says(body)}`;
      case 'start':
        return `from the start, ${words.says(body)}`;
      case 'end':
        return `when the run ends, ${words.says(body)}`;
    }
  });
  const sentence = parts.join('; and ');
  return `${sentence[0].toUpperCase()}${sentence.slice(1)}.`;
}

const relationWords: Readonly<Record<string, string>> = table({
  '<': 'is below',
  '<=': 'is at most',
  '>': 'is above',
  '>=': 'is at least',
  '==': 'equals',
  '<>': 'differs from',
});

const isSum = (v: FormulaValue): boolean => v.kind === 'arithmetic' && (v.op === '+' || v.op === '-');

class Words {
  private readonly phrases: ReadonlyMap<string, string>;

  constructor(glossary: readonly GlossaryEntry[]) {
    this.phrases = new Map(glossary.map((g) => [g.meaning.replace(/\s+/g, ''), g.phrase]));
  }

  always(f: Formula): string {
    const moment = speaksOfLoops(f) ? 'whenever loops are looked at' : 'at every moment';
    if (f.kind !== 'implies') return `${moment}, ${this.says(f)}`;
    const { a, b } = f;
    if (a.kind === 'rising') return `for every moment at which ${this.says(a.a)} begins to hold, ${this.says(b)}`;
    if (a.kind === 'falling') return `for every moment at which ${this.says(a.a)} ceases to hold, ${this.says(b)}`;
    const joint = speaksOfLoops(f) ? 'while' : 'at which';
    return `${moment} ${joint} ${this.says(a)}, ${this.says(b)}`;
  }

  says(f: Formula): string {
    switch (f.kind) {
      case 'state':
        return this.condition(f.expr);
      case 'compare':
        return `${this.value(f.left)} ${relationWords[f.op]} ${this.value(f.right)}`;
      case 'not':
        return `it is not so that ${this.group(f.a)}`;
      case 'rising':
        return `${this.group(f.a)} begins to hold`;
      case 'falling':
        return `${this.group(f.a)} ceases to hold`;
      case 'and':
      case 'or':
        return `${this.side(f.a, f.kind)} ${f.kind} ${this.side(f.b, f.kind)}`;
      case 'implies':
        return `where ${this.says(f.a)}, ${this.group(f.b)}`;
      case 'after':
        return f.seconds === 0
          ? `(${this.says(f.event)}) has happened`
          : `(${this.says(f.event)}) has happened ${time(f.seconds)} ago or earlier`;
      case 'eventually':
        if (f.to === Infinity) return `at some later moment ${this.group(f.a)}`;
        return f.from === 0
          ? `within ${time(f.to)} ${this.group(f.a)}`
          : `between ${time(f.from)} and ${time(f.to)} later there is a moment at which ${this.group(f.a)}`;
      case 'always':
        if (f.to === Infinity) return `from then on ${this.group(f.a)}`;
        if (f.from === f.to) return `${time(f.to)} later ${this.group(f.a)}`;
        return f.from === 0
          ? `for the next ${time(f.to)} ${this.group(f.a)}`
          : `from ${time(f.from)} to ${time(f.to)} later ${this.group(f.a)}`;
      case 'until':
        return `${this.group(f.a)} until ${this.group(f.b)}${f.to === Infinity ? '' : `, which comes within ${time(f.to)}`}`;
      case 'atEnd':
        return `at the end ${this.group(f.a)}`;
    }
  }

  /** In brackets where it is joined of several, so that it cannot be read apart. */
  private group(f: Formula): string {
    const isJoined = ['and', 'or', 'until', 'implies'].includes(f.kind) || (f.kind === 'state' && this.joins(f.expr));
    return isJoined ? `(${this.says(f)})` : this.says(f);
  }

  /** One side of `and` or `or`: what is joined otherwise, and what goes on to the end of the sentence, stands in brackets. */
  private side(f: Formula, by: 'and' | 'or'): string {
    if (f.kind === by) return this.says(f);
    if (f.kind === 'state') return this.joins(f.expr) === by ? this.says(f) : this.group(f);
    return ['compare', 'rising', 'falling'].includes(f.kind) ? this.says(f) : `(${this.says(f)})`;
  }

  /** The word that joins a condition, where no phrase stands for it. */
  private joins(e: Expr): 'and' | 'or' | undefined {
    return e.kind === 'binary' && (e.op === 'and' || e.op === 'or') && !this.phrase(e) ? e.op : undefined;
  }

  private phrase(e: Expr): string | undefined {
    const phrase = this.phrases.get(printExpression(e).replace(/\s+/g, ''));
    return phrase && `“${phrase}”`;
  }

  private condition(e: Expr): string {
    const phrase = this.phrase(e);
    if (phrase) return phrase;
    const bracketed = (x: Expr, by?: 'and' | 'or'): string =>
      this.joins(x) !== undefined && this.joins(x) !== by ? `(${this.condition(x)})` : this.condition(x);
    if (e.kind === 'unary' && e.op === 'not') return `not ${bracketed(e.operand)}`;
    if (e.kind === 'binary') {
      if (e.op === 'and' || e.op === 'or') return `${bracketed(e.left, e.op)} ${e.op} ${bracketed(e.right, e.op)}`;
      if (e.op in relationWords)
        return `${this.expression(e.left)} ${relationWords[e.op]} ${decibels(e.left, e.right) ?? this.expression(e.right)}`;
    }
    return this.expression(e);
  }

  private expression(e: Expr): string {
    const phrase = this.phrase(e);
    if (phrase) return phrase.slice(1, -1);
    if (e.kind === 'call' && e.callee === 'abs' && e.args[0]?.kind === 'binary' && e.args[0].op === '-') {
      return `the distance of ${this.expression(e.args[0].left)} from ${this.expression(e.args[0].right)}`;
    }
    if (e.kind === 'call' && e.callee === 'abs' && e.args[0]) {
      const inside = this.expression(e.args[0]);
      return `the size of ${e.args[0].kind === 'binary' && !this.phrase(e.args[0]) ? `(${inside})` : inside}`;
    }
    const loop = this.loop(e);
    if (loop) return loop;
    if (e.kind === 'call' && e.callee === 'in' && e.args[0]) return `${printExpression(e.args[0])} is active`;
    return showFormula(printExpression(e));
  }

  /** What is said of a loop: "the phase margin of the loop opened at x". */
  private loop(e: Expr): string | undefined {
    if (e.kind === 'call' && e.callee in loopOperators) {
      const { words } = loopOperators[e.callee]!;
      const [from, to] = e.args.map((x) => this.expression(x));
      if (to !== undefined) return `the ${words} from ${from} to ${to}`;
      const named = e.args[0] && this.phrase(e.args[0]);
      return named ? `the ${words} of ${named.slice(1, -1)}` : `the ${words} of the loop opened at ${from}`;
    }
    return undefined;
  }

  /** In brackets where it is put together, so that what stands around it is said of all of it. */
  private single(v: FormulaValue): string {
    const isJoined =
      v.kind === 'arithmetic' || (v.kind === 'signal' && v.expr.kind === 'binary' && !this.phrase(v.expr));
    return isJoined ? `(${this.value(v)})` : this.value(v);
  }

  private value(v: FormulaValue): string {
    const span = (window: number): string => (window === Infinity ? 'so far' : `of the last ${time(window)}`);
    switch (v.kind) {
      case 'number':
        return v.unit ? `${v.value} ${v.unit}` : String(v.value);
      case 'signal':
        return this.expression(v.expr);
      case 'arithmetic':
        return `${isSum(v.a) && !isSum(v) ? `(${this.value(v.a)})` : this.value(v.a)} ${v.op} ${v.b.kind === 'arithmetic' ? `(${this.value(v.b)})` : this.value(v.b)}`;
      case 'abs':
        return `the size of ${this.single(v.a)}`;
      case 'negate':
        return `minus ${this.single(v.a)}`;
      case 'count':
        return `the number of times ${this.says(v.event)} ${v.window === Infinity ? 'has happened' : `happened in the last ${time(v.window)}`}`;
      case 'rate':
        return `how often ${this.says(v.event)} happened per time`;
      case 'average':
      case 'rms':
        return `the ${v.kind === 'rms' ? 'rms value' : 'mean'} of ${this.single(v.of)} ${v.during ? `over the time in which ${this.says(v.during)}` : span(v.window)}`;
      case 'highest':
      case 'lowest':
        return `the ${v.kind} ${this.single(v.of)} ${span(v.window)}`;
      case 'at':
        return v.event
          ? `${this.single(v.of)} when ${this.says(v.event)} last began`
          : `${this.single(v.of)} at the start`;
      case 'duration':
        return `how long ${this.says(v.of)} has held`;
    }
  }
}

/** A factor that is written as 10^(x/20) for a gain margin: x dB. */
function decibels(left: Expr, e: Expr): string | undefined {
  if (left.kind !== 'call' || left.callee !== 'gainMargin' || e.kind !== 'binary' || e.op !== '^') return undefined;
  const { left: base, right: power } = e;
  const isTen = base.kind === 'number' && base.value === 10 && power.kind === 'binary' && power.op === '/';
  if (!isTen || power.left.kind !== 'number' || power.right.kind !== 'number' || power.right.value !== 20)
    return undefined;
  return `${power.left.value} dB`;
}

function speaksOfLoops(f: Formula): boolean {
  let found = false;
  eachExpression(f, (e) => void (found ||= hasLoopCall(e)));
  return found;
}

const time = (seconds: number): string => {
  if (seconds > 0 && seconds < 1) return `${trim(seconds * 1000)} ms`;
  return seconds >= 120 && Number.isInteger(seconds / 60) ? `${seconds / 60} min` : `${trim(seconds)} s`;
};
const trim = (x: number): string => String(Number(x.toPrecision(6)));
