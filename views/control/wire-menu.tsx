'use client';
import { useEffect, useRef, useState } from 'react';
import type { WireOffer } from '@/core/signals/wiring';

/** In which way a wire comes in, where there are several. */
export function WireMenu({
  at,
  from,
  offers,
  onChoose,
  onClose,
}: {
  readonly at: { readonly x: number; readonly y: number };
  readonly from: string;
  readonly offers: readonly WireOffer[];
  readonly onChoose: (offer: WireOffer) => void;
  readonly onClose: () => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    box.current?.querySelector('button')?.focus();
    const leave = (e: PointerEvent): void => {
      if (!box.current?.contains(e.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', leave, true);
    return () => document.removeEventListener('pointerdown', leave, true);
  }, [onClose]);
  const step = (by: number): void => {
    const all = [...(box.current?.querySelectorAll('button') ?? [])];
    const now = all.indexOf(document.activeElement as HTMLButtonElement);
    all[(now + by + all.length) % all.length]?.focus();
  };
  return (
    <div
      ref={box}
      className="dropdown-menu show wire-menu"
      style={{
        left: Math.min(at.x, window.innerWidth - 300),
        top: Math.min(at.y, window.innerHeight - 40 - offers.length * 30),
      }}
      role="menu"
      aria-label={`Where ${from} comes in`}
      data-testid="wire-menu"
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === 'Escape') onClose();
        if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
          e.preventDefault();
          step(e.key === 'ArrowDown' ? 1 : -1);
        }
      }}
    >
      <h6 className="dropdown-header">
        Where <span className="mono">{from}</span> comes in
      </h6>
      {offers.map((o) => (
        <button
          key={o.label}
          type="button"
          data-way={o.label}
          role="menuitem"
          className="dropdown-item"
          title={o.text}
          onClick={() => onChoose(o)}
        >
          {o.label} <span className="mono quiet">{o.text}</span>
        </button>
      ))}
    </div>
  );
}

/** A field at a card: the name of what it is wired to. */
export function TargetField({
  at,
  label,
  names,
  onChoose,
  onClose,
}: {
  readonly at: { readonly x: number; readonly y: number };
  readonly label: string;
  readonly names: readonly string[];
  /** Whether it was taken. */
  readonly onChoose: (name: string) => string | undefined;
  readonly onClose: () => void;
}) {
  const [text, setText] = useState('');
  const [wrong, setWrong] = useState('');
  const word = text.trim().toLowerCase();
  const hits = names.filter((n) => `.${n.toLowerCase()}`.includes(`.${word}`)).slice(0, 8);
  return (
    <div className="block-search narrow" style={{ left: at.x, top: at.y }} data-testid="target-field">
      <input
        className="form-control form-control-sm"
        autoFocus
        aria-label={label}
        placeholder={label}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setWrong('');
        }}
        onBlur={onClose}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Escape') onClose();
          if (e.key !== 'Enter') return;
          e.preventDefault();
          const name = names.find((n) => n === text.trim()) ?? hits[0];
          setWrong(name === undefined ? `There is no ${text.trim()} here` : (onChoose(name) ?? ''));
        }}
      />
      {wrong !== '' ? (
        <div className="field-problem px-2" role="alert">
          {wrong}
        </div>
      ) : (
        <div className="target-hits">
          {hits.map((n) => (
            <button
              key={n}
              type="button"
              className="dropdown-item mono"
              tabIndex={-1}
              onPointerDown={(e) => {
                e.preventDefault();
                setWrong(onChoose(n) ?? '');
              }}
            >
              {n}
            </button>
          ))}
        </div>
      )}
    </div>
  );
}
