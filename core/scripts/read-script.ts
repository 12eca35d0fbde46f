import type { Expr } from '../language/ast';
import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { lex } from '../language/lexer';
import { parseExpressionText } from '../language/parse';
import { secondsOf } from '../lines/sequence-row';

/**
 * Scripts of test cases: lines of the language that are gone through one after the other while a run goes on.
 *
 *     send ctrl.start
 *     wait until in(ctrl.mode.Ready) within 2 's'
 *     set ctrl.temperature = 95 'degC'
 *     expect in(ctrl.mode.Fault) within 0.5 's'
 *     expect abs(cap.torque) < 0.01 'N.m' always
 *
 * Several may stand in one line, with semicolons; what stands behind `//` is a note.
 */
export const scriptForms: readonly (readonly [form: string, meaning: string])[] = [
  ["wait 2 's'", 'time passes'],
  [
    "wait until in(ctrl.mode.Ready) within 2 's'",
    'goes on once it holds; where it does not in time, the case has failed and is over',
  ],
  ['set guard.open = true', 'an input or parameter gets another value'],
  ['send ctrl.start', 'a message from around the product; with (level = 3) what it brings'],
  ['expect cap.torque < 0.8', 'holds at this moment'],
  ["expect in(ctrl.mode.Fault) within 0.5 's'", 'comes to hold in time; goes on once it does'],
  ["expect spindle.speed < 1 for 2 's'", 'holds from here on for so long; goes on after that'],
  ['expect abs(cap.torque) < 0.01 always', 'holds from here on to the end of the script'],
  ['repeat 3 / end', 'lines that are gone through several times; also: repeat until ...'],
  ['if ctrl.count > 3 / else / end', 'one of two ways'],
];

/** A condition by its number among those of the script. */
export type ConditionNumber = number;
export interface ScriptCondition {
  readonly text: string;
  readonly expr: Expr;
  /** Where it stands in the script. */
  readonly start: number;
}

interface At {
  /** Number of its line, from 0. */
  readonly line: number;
  readonly start: number;
  readonly end: number;
}
/** What is gone through, one after the other; `to`: where it goes on instead. */
export type ScriptStep = At &
  (
    | { readonly kind: 'wait'; readonly seconds: number }
    | { readonly kind: 'waitUntil'; readonly condition: ConditionNumber; readonly within: number }
    | { readonly kind: 'set'; readonly target: string; readonly value: string }
    | {
        readonly kind: 'send';
        readonly target: string;
        readonly args: readonly { readonly name: string; readonly value: number }[];
      }
    | {
        readonly kind: 'expect';
        readonly condition: ConditionNumber;
        readonly way: ExpectWay;
        readonly seconds: number;
      }
    | { readonly kind: 'unless'; readonly condition: ConditionNumber; readonly to: number }
    | { readonly kind: 'go'; readonly to: number }
    /** A loop begins: its counter is 0. */
    | { readonly kind: 'begin'; readonly loop: number }
    /** Another round, or on behind it. */
    | { readonly kind: 'round'; readonly loop: number; readonly most: number; readonly to: number }
  );
export type ExpectWay = 'now' | 'within' | 'for' | 'always';

export interface ReadScript {
  readonly steps: readonly ScriptStep[];
  readonly conditions: readonly ScriptCondition[];
  readonly loops: number;
  /** With spans in the text. */
  readonly problems: readonly Problem[];
}

interface Statement {
  readonly text: string;
  readonly line: number;
  readonly start: number;
}

/** Statements of a script, by lines and semicolons outside of brackets, without notes. */
function statementsOf(script: string): readonly Statement[] {
  const found: Statement[] = [];
  let from = 0;
  for (const [line, whole] of script.split('\n').entries()) {
    let depth = 0;
    let quote = '';
    let begin = 0;
    const put = (end: number): void => {
      const text = whole.slice(begin, end);
      const lead = text.length - text.trimStart().length;
      if (text.trim() !== '') found.push({ text: text.trim(), line, start: from + begin + lead });
      begin = end + 1;
    };
    let end = whole.length;
    for (let k = 0; k < whole.length; k++) {
      const c = whole[k];
      if (quote !== '') {
        if (c === quote) quote = '';
      } else if (c === "'" || c === '"') quote = c;
      else if (c === '/' && whole[k + 1] === '/') {
        end = k;
        break;
      } else if ('([{'.includes(c)) depth++;
      else if (')]}'.includes(c)) depth--;
      else if (c === ';' && depth === 0) put(k);
    }
    put(end);
    from += whole.length + 1;
  }
  return found;
}

/** Where a word stands for the last time outside of brackets and quotes; undefined where it does not. */
function lastWord(text: string, words: readonly string[]): { readonly word: string; readonly at: number } | undefined {
  let depth = 0;
  let found: { readonly word: string; readonly at: number } | undefined;
  for (const t of lex(text).tokens) {
    if (t.kind === 'symbol' && '([{'.includes(t.text)) depth++;
    else if (t.kind === 'symbol' && ')]}'.includes(t.text)) depth--;
    else if (depth === 0 && (t.kind === 'name' || t.kind === 'keyword') && words.includes(t.text))
      found = { word: t.text, at: t.start };
  }
  return found;
}

const path = /^[\p{L}_][\p{L}\p{N}_]*(?:\[\d+\])?(?:\.[\p{L}_][\p{L}\p{N}_]*(?:\[\d+\])?)*$/u;

/** Every problem has its place in the text; what is not understood is no step. */
export function readScript(script: string): ReadScript {
  const steps: ScriptStep[] = [];
  const conditions: ScriptCondition[] = [];
  const problems: Problem[] = [];
  const open: {
    readonly kind: 'repeat' | 'if' | 'else';
    readonly at: Statement;
    readonly step: number;
    until?: number;
  }[] = [];
  let loops = 0;
  for (const s of statementsOf(script)) {
    const at: At = { line: s.line, start: s.start, end: s.start + s.text.length };
    const wrong = (message: string, from = 0, to = s.text.length): undefined =>
      void problems.push(problem('error', 'script', message, { start: s.start + from, end: s.start + to }));
    /** A condition that stands from a place of the statement to another. */
    const condition = (from: number, to: number): ConditionNumber | undefined => {
      const text = s.text.slice(from, to).trim();
      const begin = s.text.indexOf(text, from);
      if (text === '') return wrong('A condition is missing');
      const parsed = parseExpressionText(text);
      for (const p of parsed.problems)
        problems.push({
          ...p,
          span: { start: s.start + begin + (p.span?.start ?? 0), end: s.start + begin + (p.span?.end ?? text.length) },
        });
      if (hasErrors(parsed.problems)) return undefined;
      return conditions.push({ text, expr: parsed.value, start: s.start + begin }) - 1;
    };
    const seconds = (from: number): number | undefined => {
      const text = s.text.slice(from).trim();
      return (
        secondsOf(text) ??
        wrong(
          text === '' ? "A time is missing, such as 2 's'" : `${text} is no time, such as 2 's'`,
          s.text.indexOf(text, from),
        )
      );
    };
    const [, word, rest] = /^(\p{L}+)\b\s*(.*)$/su.exec(s.text) ?? [];
    const after = s.text.length - (rest?.length ?? 0);
    switch (word) {
      case 'start':
        if (rest !== '') wrong('start stands alone');
        else if (steps.length > 0 || open.length > 0) wrong('start stands at the beginning, if at all');
        break;
      case 'wait': {
        const until = /^until\b/.exec(rest);
        if (!until) {
          const t = seconds(after);
          if (t !== undefined) steps.push({ ...at, kind: 'wait', seconds: t });
          break;
        }
        const bound = lastWord(rest, ['within']);
        const c = condition(after + 5, bound ? after + bound.at : s.text.length);
        const within = bound ? seconds(after + bound.at + 6) : Infinity;
        if (c !== undefined && within !== undefined) steps.push({ ...at, kind: 'waitUntil', condition: c, within });
        break;
      }
      case 'set': {
        const [, target, value] = /^([^=]*?)\s*=\s*(.*)$/su.exec(rest) ?? [];
        if (target === undefined) wrong('set gives something a value: set guard.open = true');
        else if (!path.test(target)) wrong(`${target || 'Nothing'} names no quantity`, after);
        else if (value === '') wrong(`${target} is given no value`);
        else steps.push({ ...at, kind: 'set', target, value });
        break;
      }
      case 'send': {
        const [, target, brought] = /^([^(]*?)\s*(?:\((.*)\))?$/su.exec(rest) ?? [];
        if (target === undefined || !path.test(target)) {
          wrong(`${target || 'Nothing'} names no message: send ctrl.start`, after);
          break;
        }
        const args = (brought ?? '').split(',').flatMap((a) => {
          if (a.trim() === '') return [];
          const [, name, value] = /^\s*([\p{L}_][\p{L}\p{N}_]*)\s*=\s*(\S+)\s*$/u.exec(a) ?? [];
          const number = value === 'true' ? 1 : value === 'false' ? 0 : Number(value);
          if (name === undefined || Number.isNaN(number))
            return wrong(`${a.trim()} is not what a message brings: (level = 3)`, s.text.indexOf(a)) ?? [];
          return [{ name, value: number }];
        });
        steps.push({ ...at, kind: 'send', target, args });
        break;
      }
      case 'expect': {
        const bound = lastWord(rest, ['within', 'for', 'always', 'now']);
        const behind = bound ? rest.slice(bound.at + bound.word.length).trim() : '';
        const way = (bound?.word ?? 'now') as ExpectWay;
        const c = condition(after, bound ? after + bound.at : s.text.length);
        if ((way === 'always' || way === 'now') && behind !== '') {
          wrong(`Nothing stands behind ${way}`, after + bound!.at + way.length);
          break;
        }
        const t = way === 'within' || way === 'for' ? seconds(after + bound!.at + way.length) : 0;
        if (c !== undefined && t !== undefined) steps.push({ ...at, kind: 'expect', condition: c, way, seconds: t });
        break;
      }
      case 'repeat': {
        const until = /^until\b/.exec(rest);
        const c = until ? condition(after + 5, s.text.length) : undefined;
        const most = until ? Infinity : Number(rest);
        if (!until && !(Number.isInteger(most) && most >= 1))
          wrong('repeat is followed by how often, or until ...', after);
        open.push({ kind: 'repeat', at: s, step: steps.length, ...(c !== undefined && { until: c }) });
        const loop = loops++;
        steps.push({ ...at, kind: 'begin', loop }, { ...at, kind: 'round', loop, most, to: 0 });
        break;
      }
      case 'if': {
        const c = condition(after, s.text.length);
        open.push({ kind: 'if', at: s, step: steps.length });
        steps.push({ ...at, kind: 'unless', condition: c ?? 0, to: 0 });
        break;
      }
      case 'else': {
        const top = open.at(-1);
        if (rest !== '') wrong('else stands alone');
        if (top?.kind !== 'if') {
          wrong('There is no if before this else');
          break;
        }
        open.pop();
        open.push({ kind: 'else', at: top.at, step: steps.length });
        steps.push({ ...at, kind: 'go', to: 0 });
        steps[top.step] = { ...steps[top.step], to: steps.length } as ScriptStep;
        break;
      }
      case 'end': {
        const top = open.pop();
        if (rest !== '') wrong('end stands alone');
        if (!top) {
          wrong('There is nothing that this ends');
          break;
        }
        if (top.kind === 'repeat') {
          if (top.until !== undefined) steps.push({ ...at, kind: 'unless', condition: top.until, to: top.step + 1 });
          else steps.push({ ...at, kind: 'go', to: top.step + 1 });
        }
        const target = top.kind === 'repeat' ? top.step + 1 : top.step;
        steps[target] = { ...steps[target], to: steps.length } as ScriptStep;
        break;
      }
      default:
        wrong('This is no line of a script: those begin with wait, set, send, expect, repeat or if');
    }
  }
  for (const o of open)
    problems.push(
      problem('error', 'script', `This ${o.kind === 'repeat' ? 'repeat' : 'if'} has no end`, {
        start: o.at.start,
        end: o.at.start + o.at.text.length,
      }),
    );
  return { steps, conditions, loops, problems };
}
