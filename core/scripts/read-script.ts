import type { Expr } from '../language/ast';
import { hasErrors, problem, type Problem, type Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import type { Piece } from '../lines/piece';
import { statementsIn, type ScriptStatement } from '../lines/script-line';
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

const path = /^[\p{L}_][\p{L}\p{N}_]*(?:\[\d+\])?(?:\.[\p{L}_][\p{L}\p{N}_]*(?:\[\d+\])?)*$/u;

/** Every problem has its place in the text; what is not understood is no step. */
export function readScript(script: string): ReadScript {
  const work = newWork();
  let from = 0;
  for (const [line, text] of script.split('\n').entries()) {
    for (const s of statementsIn(text)) readStatement(work, s, line, from);
    from += text.length + 1;
  }
  const { steps, conditions, problems, open, loops } = work;
  for (const o of open)
    problems.push(problem('error', 'script', `This ${o.kind === 'repeat' ? 'repeat' : 'if'} has no end`, o.span));
  return { steps, conditions, loops, problems };
}

/** What is read so far. */
interface Work {
  readonly steps: ScriptStep[];
  readonly conditions: ScriptCondition[];
  readonly problems: Problem[];
  /** What is still to be ended, and the step it begins with. */
  readonly open: {
    readonly kind: 'repeat' | 'if' | 'else';
    readonly span: Span;
    readonly step: number;
    readonly until?: number | undefined;
  }[];
  loops: number;
}
const newWork = (): Work => ({ steps: [], conditions: [], problems: [], open: [], loops: 0 });

function readStatement(work: Work, s: ScriptStatement, line: number, from: number): void {
  const { steps, conditions, problems, open } = work;
  const { rest, bound, target, value } = s;
  const spanOf = (p: Piece): Span => ({ start: from + p.start, end: from + p.end });
  const at: At = { line, ...spanOf(s.whole) };
  const wrong = (message: string, where: Piece = s.whole): undefined =>
    void problems.push(problem('error', 'script', message, spanOf(where.text === '' ? s.whole : where)));
  const condition = (): ConditionNumber | undefined => {
    if (rest.text === '') return wrong('A condition is missing');
    const start = from + rest.start;
    const parsed = parseExpressionText(rest.text);
    for (const p of parsed.problems) {
      const { start: a, end: b } = p.span ?? { start: 0, end: rest.text.length };
      problems.push({ ...p, span: { start: start + a, end: start + b } });
    }
    if (hasErrors(parsed.problems)) return undefined;
    return conditions.push({ text: rest.text, expr: parsed.value, start }) - 1;
  };
  const seconds = (p: Piece): number | undefined =>
    secondsOf(p.text) ??
    wrong(p.text === '' ? "A time is missing, such as 2 's'" : `${p.text} is no time, such as 2 's'`, p);
  const standsAlone = (): unknown => rest.text !== '' && wrong(`${s.word} stands alone`);
  const leadOn = (step: number): void => void (steps[step] = { ...steps[step], to: steps.length } as ScriptStep);
  switch (s.word) {
    case 'start':
      standsAlone();
      if (steps.length > 0 || open.length > 0) wrong('start stands at the beginning, if at all');
      break;
    case 'wait': {
      const t = seconds(rest);
      if (t !== undefined) steps.push({ ...at, kind: 'wait', seconds: t });
      break;
    }
    case 'wait until': {
      const c = condition();
      const t = bound ? seconds(bound.time) : Infinity;
      if (c !== undefined && t !== undefined) steps.push({ ...at, kind: 'waitUntil', condition: c, within: t });
      break;
    }
    case 'set':
      if (!target || !value) wrong('set gives something a value: set guard.open = true');
      else if (!path.test(target.text)) wrong(`${target.text || 'Nothing'} names no quantity`, target);
      else if (value.text === '') wrong(`${target.text} is given no value`);
      else steps.push({ ...at, kind: 'set', target: target.text, value: value.text });
      break;
    case 'send': {
      if (!target || !path.test(target.text)) {
        wrong(`${target?.text || 'Nothing'} names no message: send ctrl.start`, target);
        break;
      }
      const args = s.args.map(({ name, value: brought }) => {
        const { text } = brought;
        const number = text === 'true' ? 1 : text === 'false' ? 0 : text === '' ? NaN : Number(text);
        if (Number.isNaN(number))
          wrong(`${name.text}${text && ` = ${text}`} is not what a message brings: (level = 3)`, name);
        return { name: name.text, value: number };
      });
      steps.push({ ...at, kind: 'send', target: target.text, args });
      break;
    }
    case 'expect': {
      const way = (bound?.word.text ?? 'now') as ExpectWay;
      const isTimed = way === 'within' || way === 'for';
      const c = condition();
      if (bound && !isTimed && bound.time.text !== '') wrong(`Nothing stands behind ${way}`, bound.time);
      const t = bound && isTimed ? seconds(bound.time) : 0;
      if (c !== undefined && t !== undefined) steps.push({ ...at, kind: 'expect', condition: c, way, seconds: t });
      break;
    }
    case 'repeat':
    case 'repeat until': {
      const until = s.word === 'repeat' ? undefined : condition();
      const most = s.word === 'repeat' ? Number(rest.text || NaN) : Infinity;
      if (s.word === 'repeat' && !(Number.isInteger(most) && most >= 1))
        wrong('repeat is followed by how often, or until ...', rest);
      open.push({ kind: 'repeat', span: spanOf(s.whole), step: steps.length, until });
      const loop = work.loops++;
      steps.push({ ...at, kind: 'begin', loop }, { ...at, kind: 'round', loop, most, to: 0 });
      break;
    }
    case 'if':
      open.push({ kind: 'if', span: spanOf(s.whole), step: steps.length });
      steps.push({ ...at, kind: 'unless', condition: condition() ?? 0, to: 0 });
      break;
    case 'else': {
      standsAlone();
      const top = open.at(-1);
      if (top?.kind !== 'if') {
        wrong('There is no if before this else');
        break;
      }
      open.pop();
      open.push({ ...top, kind: 'else', step: steps.length });
      steps.push({ ...at, kind: 'go', to: 0 });
      leadOn(top.step);
      break;
    }
    case 'end': {
      standsAlone();
      const top = open.pop();
      if (!top) {
        wrong('There is nothing that this ends');
        break;
      }
      const begins = top.kind === 'repeat' ? top.step + 1 : top.step;
      if (top.until !== undefined) steps.push({ ...at, kind: 'unless', condition: top.until, to: begins });
      else if (top.kind === 'repeat') steps.push({ ...at, kind: 'go', to: begins });
      leadOn(begins);
      break;
    }
    case undefined:
      wrong('This is no line of a script: those begin with wait, set, send, expect, repeat or if');
  }
}
