import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';
import { keywords } from '@/core/language/lexer';

/** Colours of the language in editors. Colour repeats what the text says; nothing rests on it alone. */
const mode = StreamLanguage.define<{ comment: boolean }>({
  name: 'zelvar',
  startState: () => ({ comment: false }),
  token(stream, state) {
    if (state.comment) {
      if (stream.skipTo('*/')) {
        stream.match('*/');
        state.comment = false;
      } else stream.skipToEnd();
      return 'comment';
    }
    if (stream.match('//')) {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match('/*')) {
      state.comment = true;
      return 'comment';
    }
    if (stream.match(/^"(?:[^"\\]|\\.)*"?/) || stream.match(/^'(?:[^'\\]|\\.)*'?/)) return 'string';
    if (stream.match(/^\d+\.?\d*(?:[eE][+-]?\d+)?/)) return 'number';
    const word = stream.match(/^[\p{L}_][\p{L}\p{N}_]*/u);
    if (word && word !== true) {
      const text = word[0];
      if (keywords.has(text) || text === 'send' || text === 'to') return 'keyword';
      if (text === 'time') return 'atom';
      return stream.match(/^\s*\(/, false) ? 'variableName.function' : 'variableName';
    }
    stream.next();
    return null;
  },
});

export const languageStyle = HighlightStyle.define([
  { tag: [tags.keyword, tags.typeName, tags.modifier], color: 'var(--syntax-word)', fontWeight: '500' },
  { tag: tags.number, color: 'var(--syntax-number)' },
  { tag: tags.string, color: 'var(--syntax-text)' },
  { tag: [tags.comment, tags.processingInstruction], color: 'var(--ink-3)', fontStyle: 'italic' },
  { tag: [tags.function(tags.variableName), tags.function(tags.propertyName)], color: 'var(--syntax-call)' },
  { tag: tags.atom, color: 'var(--syntax-word)' },
]);

export const languageMode = [mode, syntaxHighlighting(languageStyle)];
