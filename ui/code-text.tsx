'use client';
import { cpp } from '@codemirror/lang-cpp';
import { syntaxHighlighting } from '@codemirror/language';
import { RangeSetBuilder, StateEffect, StateField, type Extension } from '@codemirror/state';
import { Decoration, EditorView, gutter, GutterMarker, type DecorationSet } from '@codemirror/view';
import CodeMirror, { type ReactCodeMirrorRef } from '@uiw/react-codemirror';
import { useEffect, useMemo, useRef, useState } from 'react';
import { languageStyle } from './language-mode';

/** Lines from the first to the last, from 1. */
export interface Lines {
  readonly from: number;
  readonly to: number;
}
/** Lines that are not as they were, and what stood there. */
export interface ChangedLines extends Lines {
  readonly was: string;
}

interface Shown {
  readonly lit: readonly Lines[];
  readonly changed: readonly ChangedLines[];
}
const setShown = StateEffect.define<Shown>();
const shownField = StateField.define<Shown>({
  create: () => ({ lit: [], changed: [] }),
  update: (shown, { effects }) => effects.reduce((s, e) => (e.is(setShown) ? e.value : s), shown),
});

const litLine = Decoration.line({ class: 'cm-lit-line' });
const litLines = EditorView.decorations.compute([shownField], (state): DecorationSet => {
  const builder = new RangeSetBuilder<Decoration>();
  const { lit } = state.field(shownField);
  const lines = new Set(lit.flatMap(({ from, to }) => Array.from({ length: to - from + 1 }, (_, k) => from + k)));
  for (const line of [...lines].sort((a, b) => a - b)) {
    if (line > state.doc.lines) break;
    const at = state.doc.line(line).from;
    builder.add(at, at, litLine);
  }
  return builder.finish();
});

class ChangedMark extends GutterMarker {
  constructor(readonly was: string) {
    super();
  }
  override eq(other: ChangedMark): boolean {
    return other.was === this.was;
  }
  override toDOM(): HTMLElement {
    const el = document.createElement('span');
    el.className = 'changed-mark';
    el.textContent = '±';
    el.title = this.was.trim() === '' ? 'New' : `Was:\n${this.was}`;
    return el;
  }
}
const changedGutter = gutter({
  class: 'cm-changed',
  lineMarker(view, block) {
    const line = view.state.doc.lineAt(block.from).number;
    const found = view.state.field(shownField).changed.find((c) => c.from <= line && line <= Math.max(c.from, c.to));
    return found ? new ChangedMark(found.was) : null;
  },
  lineMarkerChange: (update) => update.startState.field(shownField) !== update.state.field(shownField),
});

/** Text of C to be read or, with `onChange`, edited: some lines lit, and marks where it has changed. */
export function CodeText({
  text,
  label,
  lit,
  changed,
  onLine,
  look,
  onChange,
}: {
  readonly text: string;
  readonly label: string;
  readonly lit: readonly Lines[];
  readonly changed: readonly ChangedLines[];
  /** A line the person has chosen. */
  readonly onLine: (line: number) => void;
  /** A line that is to be brought into sight; another object does it again. */
  readonly look?: { readonly line: number } | undefined;
  readonly onChange?: ((text: string) => void) | undefined;
}) {
  const ref = useRef<ReactCodeMirrorRef>(null);
  const [view, setView] = useState<EditorView>();
  const latest = useRef(onLine);
  latest.current = onLine;
  /** The line somebody has just chosen here: the text does not move away from under the pointer. */
  const chosen = useRef(0);
  const extensions = useMemo<Extension[]>(
    () => [
      cpp(),
      syntaxHighlighting(languageStyle),
      EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
      shownField,
      litLines,
      changedGutter,
      EditorView.updateListener.of((update) => {
        if (!update.selectionSet || !update.transactions.some((t) => t.isUserEvent('select'))) return;
        chosen.current = update.state.doc.lineAt(update.state.selection.main.head).number;
        latest.current(chosen.current);
      }),
    ],
    [label],
  );
  useEffect(() => {
    if (!view) return;
    const inSight = lit.some(({ from, to }) => from <= chosen.current && chosen.current <= to);
    const first = Math.min(...lit.map((l) => l.from));
    const effects: StateEffect<unknown>[] = [setShown.of({ lit, changed })];
    const isElsewhere = !inSight && first <= view.state.doc.lines;
    const { from } = view.state.doc.line(isElsewhere ? first : 1);
    if (isElsewhere) effects.push(EditorView.scrollIntoView(from, { y: 'start', yMargin: 60 }));
    chosen.current = 0;
    // who goes on by keyboard goes on from there
    view.dispatch({ effects, ...(isElsewhere && { selection: { anchor: from } }) });
  }, [view, lit, changed, text]);
  useEffect(() => {
    if (!view || !look || look.line > view.state.doc.lines) return;
    view.dispatch({ effects: EditorView.scrollIntoView(view.state.doc.line(look.line).from, { y: 'center' }) });
  }, [view, look]);
  return (
    <CodeMirror
      ref={ref}
      className="code-text"
      value={text}
      height="100%"
      theme="none"
      readOnly={!onChange}
      autoFocus={onChange !== undefined}
      {...(onChange && { onChange })}
      basicSetup={{ foldGutter: false, highlightActiveLine: false, highlightActiveLineGutter: false }}
      extensions={extensions}
      onCreateEditor={setView}
    />
  );
}
