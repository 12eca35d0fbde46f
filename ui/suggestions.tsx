'use client';
import { useId, useMemo, useState, type KeyboardEvent, type RefObject } from 'react';
import Overlay from 'react-bootstrap/Overlay';

/** A name that may be written in a field. */
export interface Suggestion {
  readonly name: string;
  readonly detail: string;
  /** Comes behind others that fit as well. */
  readonly isLater?: boolean;
}

const most = 8;

/** The name that is being written before the caret. */
export function wordBefore(text: string, caret: number): { readonly from: number; readonly word: string } {
  const [word] = /[\p{L}_][\p{L}\p{N}_.[\]]*$/u.exec(text.slice(0, caret)) ?? [''];
  return { from: caret - word.length, word };
}

/** Names that begin with what was typed, then those of which a piece does, then those that hold it. */
export function suggestionsFor<T extends Suggestion>(names: readonly T[], word: string): readonly T[] {
  const typed = word.toLowerCase();
  const rank = (name: string): number => {
    const low = name.toLowerCase();
    if (low.startsWith(typed)) return 0;
    if (low.split('.').some((piece) => piece.startsWith(typed))) return 1;
    return low.includes(typed) ? 2 : 3;
  };
  return names
    .map((n) => ({ n, r: rank(n.name) }))
    .filter((x) => x.r < 3)
    .sort(
      (a, b) =>
        a.r - b.r ||
        Number(a.n.isLater ?? false) - Number(b.n.isLater ?? false) ||
        a.n.name.length - b.n.name.length ||
        a.n.name.localeCompare(b.n.name),
    )
    .slice(0, most)
    .map((x) => x.n);
}

type Field = HTMLInputElement | HTMLTextAreaElement;

/** What a field proposes while it is typed into. Nothing is taken by Enter unless it was chosen with the arrows. */
export function useSuggestions(
  names: (() => readonly Suggestion[]) | undefined,
  field: RefObject<Field | null>,
  put: (text: string) => void,
): {
  readonly list: React.ReactNode;
  readonly typed: (text: string, caret: number) => void;
  readonly key: (e: KeyboardEvent<HTMLElement>) => boolean;
  readonly close: () => void;
  readonly open: boolean;
  /** Of the list, for the field that opens it. */
  readonly id: string;
} {
  const id = useId();
  const [word, setWord] = useState<{ readonly from: number; readonly word: string }>();
  const [at, setAt] = useState(-1);
  const found = useMemo(() => {
    if (!word || !names) return [];
    const some = suggestionsFor(names(), word.word);
    return some.length === 1 && some[0].name === word.word ? [] : some;
  }, [word, names]);
  const close = (): void => setWord(undefined);
  const typed = (text: string, caret: number): void => {
    if (!names) return;
    const next = wordBefore(text, caret);
    setAt(-1);
    setWord(next.word === '' ? undefined : next);
  };
  const take = (s: Suggestion): void => {
    const el = field.current;
    if (!el || !word) return;
    const end = word.from + word.word.length;
    put(el.value.slice(0, word.from) + s.name + el.value.slice(end));
    close();
    const caret = word.from + s.name.length;
    requestAnimationFrame(() => {
      el.focus();
      el.setSelectionRange(caret, caret);
    });
  };
  const key = (e: KeyboardEvent<HTMLElement>): boolean => {
    if (!names) return false;
    const el = e.currentTarget as Field;
    if (e.key === ' ' && e.ctrlKey) {
      setAt(0);
      setWord(wordBefore(el.value, el.selectionStart ?? 0));
    } else if (found.length === 0) return false;
    else if (e.key === 'ArrowDown') setAt((at + 1) % found.length);
    else if (e.key === 'ArrowUp') setAt(at < 0 ? found.length - 1 : at - 1);
    else if ((e.key === 'Enter' || e.key === 'Tab') && at >= 0) take(found[at]);
    else if (e.key === 'Escape') close();
    else return false;
    e.preventDefault();
    e.stopPropagation();
    return true;
  };
  const list = (
    <Overlay
      target={field}
      show={found.length > 0}
      placement="bottom-start"
      transition={false}
      // inside a menu a click on a name must not count as one beside it
      container={() => field.current?.closest<HTMLElement>('.dropdown-menu') ?? document.body}
    >
      {({ ref, style }) => (
        <ul id={id} ref={ref} style={style} className="suggestions" role="listbox" aria-label="Names">
          {found.map((s, k) => (
            <li
              key={s.name}
              role="option"
              aria-selected={k === at}
              className={k === at ? 'at' : ''}
              // the field keeps the focus
              onMouseDown={(e) => {
                e.preventDefault();
                take(s);
              }}
            >
              <span className="mono">{s.name}</span> <span className="quiet">{s.detail}</span>
            </li>
          ))}
        </ul>
      )}
    </Overlay>
  );
  return { list, typed, key, close, open: found.length > 0, id };
}
