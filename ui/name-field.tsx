'use client';
import { useRef, type ComponentPropsWithoutRef } from 'react';
import { useSuggestions, type Suggestion } from './suggestions';

interface Props extends Omit<ComponentPropsWithoutRef<'input'>, 'onChange' | 'value' | 'list'> {
  readonly value: string;
  readonly onText: (text: string) => void;
  /** Names that are proposed for the word at the caret. */
  readonly names: () => readonly Suggestion[];
}

/** A field outside tables that proposes names while it is typed into. */
export function NameField({ value, onText, names, onKeyDown, className, ...rest }: Props) {
  const field = useRef<HTMLInputElement>(null);
  const proposed = useSuggestions(names, field, onText);
  return (
    <>
      <input
        ref={field}
        className={`form-control form-control-sm ${className ?? ''}`}
        role="combobox"
        aria-expanded={proposed.open}
        aria-controls={proposed.id}
        aria-autocomplete="list"
        autoComplete="off"
        spellCheck={false}
        value={value}
        onChange={(e) => {
          onText(e.target.value);
          proposed.typed(e.target.value, e.target.selectionStart ?? e.target.value.length);
        }}
        onKeyDown={(e) => {
          if (!proposed.key(e)) onKeyDown?.(e);
        }}
        onBlur={proposed.close}
        {...rest}
      />
      {proposed.list}
    </>
  );
}
