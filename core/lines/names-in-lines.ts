import {
  abortsOnMessage,
  meansStatements,
  readActor,
  readCall,
  readControl,
  readLine,
  readRepeat,
  readStep,
  readWait,
} from './flow-line';
import { splitAt, within, type Piece } from './piece';
import { statementsIn } from './script-line';
import { afterWord, elseGuard, readBound, readMessageRow, readSetRow, rowKind } from './sequence-row';

/** A piece of a line in which names are looked up, and how it is read. */
export interface NamesInLine {
  readonly kind: 'expression' | 'statements' | 'path' | 'state-path' | 'message' | 'procedure' | 'argument';
  readonly piece: Piece;
  /** Of an argument: the procedure it is given to. */
  readonly of?: string;
}

const isPath = (text: string): boolean => /^[\p{L}_][\p{L}\p{N}_]*(?:\.[\p{L}_][\p{L}\p{N}_]*)*$/u.test(text);
const one = (kind: NamesInLine['kind'], piece: Piece | undefined): NamesInLine[] =>
  piece && piece.text !== '' ? [{ kind, piece }] : [];

export function namesInProcedureLine(text: string): NamesInLine[] {
  const { kind, rest } = readLine(text);
  switch (kind) {
    case 'if':
    case 'else-if':
      return one('expression', rest);
    case 'repeat':
      return one('expression', readRepeat(rest)?.what);
    case 'abort':
      return one(abortsOnMessage(text) ? 'message' : 'expression', rest);
    case 'wait': {
      const { mode, what } = readWait(rest);
      // a time as it is spoken has no names in it
      if (mode === 'time') return /^\d/.test(what.text) ? [] : one('expression', what);
      return one(mode === 'for' ? 'message' : 'expression', what);
    }
    case 'call': {
      const call = readCall(rest);
      if (!call) return [];
      return [
        ...one('procedure', call.name),
        ...call.args.flatMap((a): NamesInLine[] => [
          { kind: 'argument', piece: a.name, of: call.name.text },
          ...one('expression', a.value),
        ]),
        ...one('path', call.into),
      ];
    }
    case 'step': {
      const { actor, action } = readActor(rest);
      const step = readStep(action);
      const control = readControl(step.action);
      return [
        ...(actor && isPath(actor.text) ? one('path', actor) : []),
        ...(control
          ? one('procedure', control.procedure)
          : meansStatements(step.action.text)
            ? one('statements', step.action)
            : []),
      ];
    }
    default:
      return [];
  }
}

export function namesInSequenceRow(text: string): NamesInLine[] {
  switch (rowKind(text)) {
    case 'alt':
    case 'opt':
      return one('expression', afterWord(text));
    case 'else':
      return one('expression', elseGuard(text));
    case 'loop':
      return one('expression', readRepeat(afterWord(text))?.what);
    case 'check':
      return one('expression', readBound(afterWord(text)).rest);
    case 'set': {
      const { target, value } = readSetRow(afterWord(text));
      return [...one('path', target), ...one('expression', value)];
    }
    case 'state':
      return one('state-path', readBound(afterWord(text)).rest);
    case 'message': {
      const row = readMessageRow(splitAt(afterStart(text), ';')[0]);
      return row ? [...one('path', row.from), ...one('path', row.to), ...one('message', row.message)] : [];
    }
    default:
      return [];
  }
}

/** Lines of scripts of test cases. */
export const namesInScriptLine = (text: string): NamesInLine[] =>
  statementsIn(text).flatMap(({ word, rest, target, value }): NamesInLine[] => {
    if (word === 'set') return [...one('path', target), ...one('expression', value)];
    if (word === 'send' && target) {
      const dot = target.text.lastIndexOf('.');
      return [...(dot < 0 ? [] : one('path', within(target, 0, dot))), ...one('message', within(target, dot + 1))];
    }
    return word === 'expect' || word === 'if' || word === 'wait until' || word === 'repeat until'
      ? one('expression', rest)
      : [];
  });

/** Of all lines of a script, by their places in it. */
export function namesInScript(script: string): NamesInLine[] {
  const found: NamesInLine[] = [];
  let from = 0;
  for (const line of script.split('\n')) {
    for (const n of namesInScriptLine(line))
      found.push({ ...n, piece: { ...n.piece, start: n.piece.start + from, end: n.piece.end + from } });
    from += line.length + 1;
  }
  return found;
}

const afterStart = (text: string): Piece => ({ text, start: 0, end: text.length });
