'use client';
import { useEffect, useId, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { offersFor, searchOffers, type SheetOffer } from '@/core/signals/offers';
import { responseFor, type BlockResponse } from '@/core/signals/responses';
import { curvePath } from './spark';

/** A name the part has already. */
export interface KnownName {
  readonly name: string;
  readonly what: string;
}

export type Found = { readonly offer: SheetOffer } | { readonly known: KnownName };

const most = 60;

/** What can be put where one points: typing searches by name, purpose and sign. */
export function BlockSearch({
  every,
  names,
  more,
  at,
  begin,
  title,
  onChoose,
  onClose,
}: {
  readonly every: string;
  readonly names: readonly KnownName[];
  /** Besides blocks and operations: part types of the project. */
  readonly more: readonly SheetOffer[];
  /** In the window. */
  readonly at: { readonly x: number; readonly y: number };
  /** What has been typed already. */
  readonly begin: string;
  readonly title: string;
  readonly onChoose: (found: Found) => void;
  readonly onClose: () => void;
}) {
  const [text, setText] = useState(begin);
  const [at_, setAt] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const id = useId();
  const found = useMemo((): readonly Found[] => {
    const offers = searchOffers([...more, ...offersFor({ every })], text);
    const word = text.trim().toLowerCase();
    const own = names.filter((n) => word !== '' && n.name.toLowerCase().includes(word));
    const first = own.filter((n) => n.name.toLowerCase().startsWith(word));
    const rest = own.filter((n) => !first.includes(n));
    // what is called just so comes before names that only begin so
    const same = offers.filter(
      (o) => o.title.toLowerCase() === word && !first.some((n) => n.name.toLowerCase() === word),
    );
    const all = [
      ...same.map((offer) => ({ offer })),
      ...first.slice(0, 8).map((known) => ({ known })),
      ...offers.flatMap((offer) => (same.includes(offer) ? [] : [{ offer }])).slice(0, most),
      ...rest.slice(0, 8).map((known) => ({ known })),
    ];
    return all;
  }, [every, names, more, text]);
  const here = found[Math.min(at_, found.length - 1)];
  const [place, setPlace] = useState({ left: at.x, top: at.y });
  useLayoutEffect(() => {
    const b = box.current?.getBoundingClientRect();
    if (!b) return;
    setPlace({
      left: Math.max(8, Math.min(at.x, window.innerWidth - b.width - 8)),
      top: Math.max(8, Math.min(at.y, window.innerHeight - b.height - 8)),
    });
  }, [at]);
  useEffect(() => {
    list.current?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' });
  }, [at_, found]);
  useEffect(() => {
    const leave = (e: PointerEvent): void => {
      if (!box.current?.contains(e.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', leave, true);
    return () => document.removeEventListener('pointerdown', leave, true);
  }, [onClose]);
  const choose = (f: Found | undefined): void => {
    if (f) onChoose(f);
  };
  return (
    <div ref={box} className="block-search" style={place} data-testid="block-search" role="dialog" aria-label={title}>
      <input
        className="form-control form-control-sm"
        autoFocus
        value={text}
        placeholder={`${title}: low pass, saturation, ∫, + …`}
        aria-label={title}
        role="combobox"
        aria-expanded
        aria-controls={id}
        aria-activedescendant={here ? `${id}-${found.indexOf(here)}` : undefined}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Escape') onClose();
          else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
            e.preventDefault();
            const step = e.key === 'ArrowDown' ? 1 : -1;
            setAt((k) => Math.max(0, Math.min(found.length - 1, Math.min(k, found.length - 1) + step)));
          } else if (e.key === 'Enter') {
            e.preventDefault();
            choose(here);
          }
        }}
      />
      <div className="block-hits">
        <div ref={list} role="listbox" id={id} aria-label="Blocks and names">
          {found.map((f, k) => (
            <div
              key={'offer' in f ? f.offer.key : `name ${f.known.name}`}
              id={`${id}-${k}`}
              role="option"
              aria-selected={f === here}
              className={f === here ? 'here' : ''}
              onPointerMove={() => setAt(k)}
              onPointerDown={(e) => {
                e.preventDefault();
                choose(f);
              }}
              data-offer={'offer' in f ? f.offer.title : f.known.name}
            >
              {'offer' in f ? (
                <>
                  <span className="text-truncate">
                    <strong>{f.offer.title}</strong> <span className="quiet">{f.offer.purpose}</span>
                  </span>
                  <SmallCurve offer={f.offer} />
                </>
              ) : (
                <>
                  <strong className="mono">{f.known.name}</strong> <span className="quiet">{f.known.what}</span>
                </>
              )}
            </div>
          ))}
          {found.length === 0 && (
            <p className="quiet px-2 py-1 m-0">Nothing does that. A formula can be typed as a line.</p>
          )}
        </div>
        {here && 'offer' in here && <Told offer={here.offer} />}
      </div>
    </div>
  );
}

function SmallCurve({ offer }: { readonly offer: SheetOffer }) {
  const response = responseFor(offer.key);
  const path = useMemo(() => {
    if (!response) return '';
    const { from, to, y } = response;
    return curvePath(
      y.map((v, k) => ({ x: from + ((to - from) * k) / (y.length - 1), y: v })),
      from,
      to,
    );
  }, [response]);
  if (path === '') return <span className="mono quiet">{shownFormula(offer.formula)}</span>;
  return (
    <svg className="spark small" viewBox="0 0 100 30" preserveAspectRatio="none" aria-hidden>
      <path d={path} />
    </svg>
  );
}

/** The formula of an offer with its free places named. */
export const shownFormula = (formula: string): string =>
  formula.replace(/#0/g, 'k').replace(/#1/g, 'u').replace(/#2/g, 'v').replace(/#3/g, 'w');

function Told({ offer }: { readonly offer: SheetOffer }) {
  const response = responseFor(offer.key);
  return (
    <div className="block-told" data-testid="block-told">
      <div className="mono">{shownFormula(offer.formula)}</div>
      {response && <ResponseCurve response={response} />}
      <p className="quiet m-0">{offer.info || offer.purpose}</p>
    </div>
  );
}

/** How a block answers, as it was computed. */
export function ResponseCurve({ response }: { readonly response: BlockResponse }) {
  const { from, to, y, over } = response;
  const points = y.map((v, k) => ({ x: from + ((to - from) * k) / (y.length - 1), y: v }));
  const [low, high] = [Math.min(...y), Math.max(...y)];
  return (
    <figure className="response">
      <svg className="spark" viewBox="0 0 100 30" preserveAspectRatio="none" role="img" aria-label="How it answers">
        <path d={curvePath(points, from, to)} />
      </svg>
      <figcaption className="quiet num">
        {over === 'u' ? `over u from ${from} to ${to}` : `${to} s; a step at ${Number((to / 10).toPrecision(2))} s`} · y
        from {Number(low.toPrecision(2))} to {Number(high.toPrecision(2))}
      </figcaption>
    </figure>
  );
}
