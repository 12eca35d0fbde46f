'use client';
import {
  useEffect,
  useId,
  useLayoutEffect,
  useRef,
  useState,
  type ChangeEvent,
  type KeyboardEvent,
  type RefObject,
} from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { showAtPlace } from '@/store/refusals';
import { afterEnter, takeBackRow } from './editing/rows';
import { useSuggestions, type Suggestion } from './suggestions';
import { keepTyping, typedBefore, typingDone } from '@/store/typing';

interface FieldProps {
  readonly value: string;
  readonly label: string;
  /** Takes the new text; what it returns says why it was refused. */
  readonly onCommit: (text: string) => Problem | undefined;
  readonly mono?: boolean;
  readonly placeholder?: string;
  readonly problem?: string | undefined;
  readonly list?: readonly string[];
  /** Names that are proposed for the word at the caret; the same function from time to time, as it is asked when somebody types. */
  readonly names?: (() => readonly Suggestion[]) | undefined;
  readonly multiline?: boolean;
  /** Commits with every key instead of when the field is left. */
  readonly immediate?: boolean;
  readonly disabled?: boolean;
}

/** A field that looks like text until it is used. Enter or leaving it commits, Escape takes the typing back. */
export function CellField(props: FieldProps) {
  const { value, label, onCommit, mono, placeholder, problem, list, names, multiline, immediate, disabled } = props;
  const [back] = useState(() => typedBefore(label, value));
  const [draft, setDraft] = useState<string | undefined>(back);
  const [refused, setRefused] = useState<string>();
  const area = useRef<HTMLTextAreaElement>(null);
  const input = useRef<HTMLInputElement>(null);
  const id = useId();
  const shown = draft ?? value;
  useEffect(() => setRefused(undefined), [value]);
  // as tall as its text, whatever the width of its column
  useLayoutEffect(() => {
    const el = area.current;
    // most browsers do it by themselves, and much faster
    if (!el || (typeof CSS !== 'undefined' && CSS.supports?.('field-sizing', 'content'))) return;
    let width = -1;
    const fit = (): void => {
      el.style.height = '0';
      el.style.height = `${el.scrollHeight + 2}px`;
    };
    fit();
    const observer = new ResizeObserver(() => {
      if (el.clientWidth !== width) fit();
      width = el.clientWidth;
    });
    observer.observe(el);
    void document.fonts?.ready.then(fit);
    return () => observer.disconnect();
  }, [shown]);
  const forget = (): void => {
    setDraft(undefined);
    setRefused(undefined);
    typingDone();
  };
  /** Whether the text was taken. */
  const commit = (text: string): boolean => {
    if (text === value) {
      forget();
      return true;
    }
    const why = showAtPlace(onCommit(text));
    setRefused(why?.message);
    if (!why) {
      setDraft(undefined);
      typingDone();
    }
    return !why;
  };
  const keys = (e: KeyboardEvent<HTMLElement>): void => {
    if (proposed.key(e)) return;
    if (e.key === 'Escape') {
      if (draft === undefined) takeBackRow(e.currentTarget);
      forget();
      e.stopPropagation();
    } else if (e.key === 'Enter' && (!multiline || e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      if (commit(shown)) afterEnter(e.currentTarget);
    }
  };
  const change = (text: string): void => {
    keepTyping(label, immediate ? null : value, text);
    if (immediate) {
      setDraft(text);
      setRefused(onCommit(text)?.message);
    } else setDraft(text);
  };
  const proposed = useSuggestions(names, (multiline ? area : input) as RefObject<HTMLInputElement | null>, change);
  const typed = (e: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>): void => {
    change(e.target.value);
    proposed.typed(e.target.value, e.target.selectionStart ?? e.target.value.length);
  };
  const isBack = back !== undefined && draft === back;
  const message = refused ?? (isBack ? undefined : problem);
  useEffect(() => {
    const field = multiline ? area.current : input.current;
    // what is wrong with what was just typed must not be below the edge of its pane
    if (message && field === document.activeElement)
      void document.getElementById(id)?.scrollIntoView?.({ block: 'nearest' });
  }, [message, id, multiline]);
  const common = {
    className: `cell-field${mono ? ' mono' : ''}`,
    value: shown,
    placeholder,
    disabled,
    spellCheck: !mono && multiline,
    'aria-label': label,
    'aria-invalid': message !== undefined,
    ...(message && { 'aria-describedby': id }),
    onKeyDown: keys,
    ...(names && {
      role: 'combobox',
      'aria-expanded': proposed.open,
      'aria-controls': proposed.id,
      'aria-autocomplete': 'list' as const,
    }),
    onBlur: () => {
      proposed.close();
      if (draft !== undefined) commit(draft);
    },
  };
  return (
    <>
      {multiline ? (
        <textarea ref={area} rows={1} {...common} onChange={typed} />
      ) : (
        <input ref={input} {...common} {...(list && { list: `${id}-list` })} onChange={typed} autoComplete="off" />
      )}
      {proposed.list}
      {list && (
        <datalist id={`${id}-list`}>
          {list.map((item) => (
            <option key={item} value={item} />
          ))}
        </datalist>
      )}
      {isBack && !refused && (
        <div
          className="field-back"
          role="status"
          title={`Typed before the page was closed, and not taken over yet: ${multiline ? 'Ctrl+Enter' : 'Enter'} takes it over, Escape drops it`}
        >
          typed before
        </div>
      )}
      {message && (
        <div className="field-problem" id={id} role="alert">
          {message}
        </div>
      )}
    </>
  );
}

/** A choice that looks like text until it is used. */
export function CellSelect({
  value,
  label,
  options,
  onCommit,
}: {
  readonly value: string;
  readonly label: string;
  readonly options: readonly (readonly [value: string, text: string])[];
  readonly onCommit: (value: string) => void;
}) {
  return (
    <select className="cell-field" aria-label={label} value={value} onChange={(e) => onCommit(e.target.value)}>
      {options.map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </select>
  );
}
