import { argumentsIn, groupsOf, whole, within, type Piece } from './piece';

/**
 * The lines of use flows and procedures. The first words of a line say what it is; anything that begins with none of them is a
 * step, with who does it before a colon.
 */
export type LineKind =
  'step' | 'if' | 'else-if' | 'else' | 'together' | 'lane' | 'wait' | 'repeat' | 'abort' | 'call' | 'empty';

export interface LineReading {
  readonly kind: LineKind;
  /** What follows the first words. */
  readonly rest: Piece;
}

/** First words of lines with what follows them; the editor's help lists them from here. */
export const lineForms: readonly (readonly [form: string, meaning: string])[] = [
  ['operator: opens the guard', 'a step, and who does it'],
  ['if the cap is missing', 'a choice; its steps stand further right'],
  ['else if ..., else', 'its other branches'],
  ['together', 'what stands inside goes on at the same time'],
  ['lane ...', 'one of the ways inside "together"'],
  ['wait 2 s', 'time passes'],
  ['wait until ..., wait for ...', 'until a condition holds, or an event comes'],
  ['repeat 3 times, repeat while ..., repeat until ...', 'what stands inside happens again'],
  ['abort on ...', 'the event stops everything inside'],
  ['call ...', 'another flow by its name'],
];

const forms: readonly (readonly [RegExp, LineKind])[] = [
  [/^else if\b\s*/i, 'else-if'],
  [/^else\b:?\s*$/i, 'else'],
  [/^if\b\s*/i, 'if'],
  [/^(?:together|at the same time|in parallel)\b:?\s*$/i, 'together'],
  [/^lane\b:?\s*/i, 'lane'],
  [/^wait\b\s*/i, 'wait'],
  [/^repeat\b\s*/i, 'repeat'],
  [/^abort (?:on|when|if)\b\s*/i, 'abort'],
  [/^call\b\s*/i, 'call'],
];

export function readLine(text: string): LineReading {
  const line = whole(text);
  if (line.text === '') return { kind: 'empty', rest: line };
  for (const [pattern, kind] of forms) {
    const match = pattern.exec(line.text);
    if (!match) continue;
    const to = line.text.endsWith(':') ? line.text.length - 1 : line.text.length;
    return { kind, rest: within(line, match[0].length, Math.max(match[0].length, to)) };
  }
  return { kind: 'step', rest: line };
}

/** Lines that may have others inside them. */
export const takesLines: ReadonlySet<LineKind> = new Set([
  'if',
  'else-if',
  'else',
  'together',
  'lane',
  'repeat',
  'abort',
]);

/** `operator: opens the guard`: who does a step, where that is said, and what is done. */
export function readActor(step: Piece): { readonly actor: Piece | undefined; readonly action: Piece } {
  const named = groupsOf(step, /^([\p{L}][\p{L}\p{N} _-]{0,30}):\s+(.+)$/su);
  return { actor: named?.[0], action: named?.[1] ?? step };
}

/** `2 s`, `until torque > 0.5`, `for seated(angle)`. */
export function readWait(rest: Piece): { readonly mode: 'time' | 'until' | 'for'; readonly what: Piece } {
  const mode = /^until\b/i.test(rest.text)
    ? 'until'
    : /^for\b/i.test(rest.text) && !/^for \d/i.test(rest.text)
      ? 'for'
      : 'time';
  const words = /^(until|for)\s*/i.exec(rest.text);
  return { mode, what: within(rest, words?.[0].length ?? 0) };
}

/** `3 times`, `while ...`, `until ...`; undefined where it says none of them. */
export function readRepeat(
  rest: Piece,
): { readonly mode: 'times' | 'while' | 'until'; readonly what: Piece } | undefined {
  const times = groupsOf(rest, /^(.+?)\s+times$/i) ?? groupsOf(rest, /^(\d+)$/);
  if (times) return { mode: 'times', what: times[0]! };
  const condition = groupsOf(rest, /^(while|until)\s+(.+)$/i);
  return condition && { mode: condition[0]!.text.toLowerCase() as 'while' | 'until', what: condition[1]! };
}

/** Whether a zone is left by a message or by a condition. */
export const abortsOnMessage = (text: string): boolean => /^\s*abort on\b/i.test(text);

/** A step with its parts, as it is written: `send close to jaws; takes tube; gives clamped tube`. */
export interface StepText {
  readonly action: Piece;
  /** Items that let the step begin, that it only looks at, and that it brings forth. */
  readonly takes: readonly string[];
  readonly uses: readonly string[];
  readonly gives: readonly string[];
}

export function readStep(step: Piece): StepText {
  const items: Record<'takes' | 'uses' | 'gives', string[]> = { takes: [], uses: [], gives: [] };
  let action = step;
  for (;;) {
    const match = /(?:^|[;,]?\s+)(takes|uses|gives)\s+([^;]*);?\s*$/.exec(action.text);
    if (!match) break;
    items[match[1] as keyof typeof items].unshift(
      ...match[2]
        .split(/,| and /)
        .map((x) => x.trim())
        .filter(Boolean),
    );
    const left = action.text.slice(0, match.index).replace(/[;,]\s*$/, '');
    action = within(action, 0, left.length);
  }
  return { action, ...items };
}

/** `start fill`, `stop fill`, `await fill`: another procedure of the part is told something, or waited for. */
export function readControl(
  action: Piece,
): { readonly word: 'start' | 'stop' | 'await'; readonly procedure: Piece } | undefined {
  const found = groupsOf(action, /^(start|stop|await)\s+([\p{L}_][\p{L}\p{N}_]*)$/u);
  return found && { word: found[0]!.text as 'start' | 'stop' | 'await', procedure: found[1]! };
}

/** Whether a step is meant for the computer; others say in words what is done. */
export const meansStatements = (action: string): boolean => /:=|^send\s|;\s*send\s|^(start|stop)\s*\(/.test(action);

/** `fill(level = 3)`, `fill into n`: what is called, with what, and where the result goes. */
export interface CallText {
  readonly name: Piece;
  readonly args: readonly { readonly name: Piece; readonly value: Piece }[];
  readonly into: Piece | undefined;
}

export function readCall(rest: Piece): CallText | undefined {
  const found = groupsOf(
    rest,
    /^([\p{L}_][\p{L}\p{N}_]*)\s*(?:\((.*)\))?\s*(?:->|into)?\s*([\p{L}_][\p{L}\p{N}_.]*)?\s*$/u,
  );
  return found && { name: found[0]!, args: found[1] ? argumentsIn(found[1]) : [], into: found[2] };
}

/** A time as it is spoken, `2 s`, or as a formula, `holdTime`. */
export const timeText = (text: string): string => text.trim().replace(/^([\d.]+)\s*([\p{L}µ]+)$/u, "$1 '$2'");

export { whole };
