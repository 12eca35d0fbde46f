'use client';
import {
  autocompletion,
  completionKeymap,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { StateEffect, StateField, type Extension } from '@codemirror/state';
import { Decoration, EditorView, hoverTooltip, keymap, WidgetType, type DecorationSet } from '@codemirror/view';
import CodeMirror, { type ReactCodeMirrorRef } from '@uiw/react-codemirror';
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { useProject } from '@/store/project-store';
import { languageMode } from './language-mode';
import { differenceOf } from './text-difference';

/** A name the editor knows: offered while typing, explained when pointed at. */
export interface KnownName {
  readonly name: string;
  readonly kind: 'quantity' | 'part' | 'state' | 'function' | 'message';
  readonly detail: string;
}

interface Props {
  readonly value: string;
  readonly label: string;
  readonly onChange: (text: string) => void;
  readonly onLeave?: () => void;
  readonly problems: readonly Problem[];
  readonly names: readonly KnownName[];
  /** What a name is worth at the cursor, as text with its unit. */
  readonly readValue?: (name: string) => string | undefined;
  /** Shows the value of the quantity a line determines behind it. */
  readonly lineValues?: boolean;
  readonly inline?: boolean;
  readonly minHeight?: string;
  /** Parts of the text that are lit or dimmed while trace links are shown. */
  readonly linked?: readonly LinkedSpan[];
  readonly onCursor?: (at: number) => void;
  /** Changes when values should be looked up anew. */
  readonly moment?: object;
}

class ValueWidget extends WidgetType {
  constructor(readonly text: string) {
    super();
  }
  override eq(other: ValueWidget): boolean {
    return other.text === this.text;
  }
  /** A click on a value puts the caret there, as on text. */
  override ignoreEvent(): boolean {
    return false;
  }
  toDOM(): HTMLElement {
    const el = document.createElement('span');
    el.className = 'value-at-cursor';
    el.textContent = this.text;
    return el;
  }
}

const setLineValues = StateEffect.define<readonly { readonly line: number; readonly text: string }[]>();

const lineValueField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(values, transaction) {
    let next = values.map(transaction.changes);
    for (const e of transaction.effects) {
      if (!e.is(setLineValues)) continue;
      const { doc } = transaction.state;
      next = Decoration.set(
        e.value
          .filter((x) => x.line <= doc.lines)
          .map((x) => Decoration.widget({ widget: new ValueWidget(x.text), side: 1 }).range(doc.line(x.line).to)),
      );
    }
    return next;
  },
  provide: (f) => EditorView.decorations.from(f),
});

export interface LinkedSpan {
  readonly from: number;
  readonly to: number;
  readonly title: string;
  readonly linked: boolean;
}

const setLinked = StateEffect.define<readonly LinkedSpan[]>();

/** Texts that requirements are linked to are lit, all others dimmed, while links are shown. */
const linkedField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(shown, transaction) {
    let next = shown.map(transaction.changes);
    for (const e of transaction.effects) {
      if (!e.is(setLinked)) continue;
      const { length } = transaction.state.doc;
      next = Decoration.set(
        e.value
          .filter((s) => s.to <= length && s.from < s.to)
          .map((s) =>
            Decoration.mark({ class: s.linked ? 'cm-traced' : 'cm-untraced', attributes: { title: s.title } }).range(
              s.from,
              s.to,
            ),
          ),
        true,
      );
    }
    return next;
  },
  provide: (f) => EditorView.decorations.from(f),
});

const completions =
  (names: readonly KnownName[]) =>
  (context: CompletionContext): CompletionResult | null => {
    const word = context.matchBefore(/[\p{L}_][\p{L}\p{N}_.]*/u);
    if (!word && !context.explicit) return null;
    const types = {
      quantity: 'variable',
      part: 'class',
      state: 'constant',
      function: 'function',
      message: 'keyword',
    } as const;
    return {
      from: word?.from ?? context.pos,
      options: names.map((n) => ({
        label: n.name,
        type: types[n.kind],
        detail: n.detail,
        ...(n.kind === 'function' && { apply: `${n.name}(` }),
      })),
      validFor: /^[\p{L}\p{N}_.]*$/u,
    };
  };

const wordAt = (text: string, at: number): { name: string; from: number; to: number } | undefined => {
  for (const m of text.matchAll(/[\p{L}_][\p{L}\p{N}_.]*/gu)) {
    if (m.index <= at && at <= m.index + m[0].length) return { name: m[0], from: m.index, to: m.index + m[0].length };
  }
  return undefined;
};

/** An editor of the language: colours, completion, problems under the word that causes them, values at the cursor. */
export function FormulaEditor(props: Props) {
  const { value, label, problems, names, inline, lineValues, minHeight, moment } = props;
  const ref = useRef<ReactCodeMirrorRef>(null);
  const [ready, setReady] = useState(false);
  /** The next text comes from a step of undo, not from typing. */
  const fromOutside = useRef(false);
  const latest = useRef(props);
  latest.current = props;
  const extensions = useMemo<Extension[]>(
    () => [
      languageMode,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': label }),
      autocompletion({ override: [(c) => completions(latest.current.names)(c)], icons: false }),
      keymap.of(completionKeymap),
      // what is typed is a change of the document, and is undone with all other changes of it, in their order
      keymap.of(
        (
          [
            ['Mod-z', 'undo'],
            ['Mod-y', 'redo'],
            ['Mod-Shift-z', 'redo'],
          ] as const
        ).map(([key, step]) => ({
          key,
          run: () => {
            fromOutside.current = true;
            useProject.getState()[step]();
            return true;
          },
        })),
      ),
      hoverTooltip((view, pos) => {
        const line = view.state.doc.lineAt(pos);
        const word = wordAt(line.text, pos - line.from);
        const known = word && latest.current.names.find((n) => n.name === word.name);
        if (!word || !known) return null;
        return {
          pos: line.from + word.from,
          end: line.from + word.to,
          above: true,
          create: () => {
            const dom = document.createElement('div');
            dom.style.padding = '4px 10px';
            const now = latest.current.readValue?.(known.name);
            dom.textContent = `${known.name}${now ? ` = ${now}` : ''}   ${known.detail}`;
            return { dom };
          },
        };
      }),
      ...(inline ? [] : [lintGutter()]),
      lineValueField,
      linkedField,
      EditorView.updateListener.of((u) => {
        if (u.selectionSet) latest.current.onCursor?.(u.state.selection.main.head);
      }),
    ],
    [label, inline],
  );

  // only what differs is replaced, and the caret goes there
  useLayoutEffect(() => {
    const view = ref.current?.view;
    if (!view || !fromOutside.current) return;
    fromOutside.current = false;
    const change = differenceOf(view.state.doc.toString(), value);
    if (change)
      view.dispatch({
        changes: change,
        selection: { anchor: change.from + change.insert.length },
        scrollIntoView: true,
      });
  }, [value]);

  useEffect(() => {
    const view = ref.current?.view;
    if (!view) return;
    const length = view.state.doc.length;
    const diagnostics: Diagnostic[] = problems
      .filter((p) => p.span)
      .map((p) => ({
        from: Math.min(Math.max(0, p.span!.start), length),
        to: Math.min(Math.max(p.span!.end, p.span!.start), length),
        severity: p.severity,
        message: p.message,
        ...(p.fixes && {
          actions: p.fixes.map((f) => ({
            name: f.title,
            apply: (v: EditorView) =>
              v.dispatch({
                changes: { from: f.span.start, to: Math.min(f.span.end, v.state.doc.length), insert: f.text },
              }),
          })),
        }),
      }));
    view.dispatch(setDiagnostics(view.state, diagnostics));
  }, [problems, value, ready]);

  useEffect(() => {
    const view = ref.current?.view;
    if (!view || !lineValues) return;
    const rows: { line: number; text: string }[] = [];
    for (let k = 1; k <= view.state.doc.lines; k++) {
      const { text } = view.state.doc.line(k);
      const code = text.replace(/\/\/.*/, '');
      if (!/[^<>=:]=[^=]/.test(code)) continue;
      const der = /^[^=]*\bder\(\s*([\p{L}_][\p{L}\p{N}_]*)\s*\)/u.exec(code)?.[1];
      const name = der ?? /^\s*([\p{L}_][\p{L}\p{N}_]*)\s*=/u.exec(code)?.[1];
      const now = name && latest.current.readValue?.(name);
      if (now) rows.push({ line: k, text: `${name} = ${now}` });
    }
    view.dispatch({ effects: setLineValues.of(rows) });
  }, [moment, value, lineValues, names, ready]);

  const { linked } = props;
  useEffect(() => {
    ref.current?.view?.dispatch({ effects: setLinked.of(linked ?? []) });
  }, [linked, ready]);

  // the editor is set up anew whenever one of these changes: they must not change with every value
  const change = useCallback((text: string) => latest.current.onChange(text), []);
  const created = useCallback(() => setReady(true), []);
  const leave = useCallback(() => latest.current.onLeave?.(), []);
  const setup = useMemo(
    () => ({
      lineNumbers: !inline,
      foldGutter: false,
      highlightActiveLine: !inline,
      highlightActiveLineGutter: !inline,
      autocompletion: false,
      history: false,
      searchKeymap: !inline,
    }),
    [inline],
  );

  return (
    <div
      className={`formula-editor${inline ? ' inline' : ''}${problems.some((p) => p.severity === 'error') ? ' wrong' : ''}`}
    >
      <CodeMirror
        ref={ref}
        value={value}
        onChange={change}
        onBlur={leave}
        extensions={extensions}
        theme="none"
        onCreateEditor={created}
        minHeight={minHeight ?? (inline ? '26px' : '240px')}
        basicSetup={setup}
      />
      {inline &&
        problems
          .filter((p) => p.severity === 'error')
          .slice(0, 2)
          .map((p) => (
            <div className="field-problem" key={p.message} role="alert">
              {p.message}
            </div>
          ))}
    </div>
  );
}
