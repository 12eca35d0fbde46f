'use client';
import { Boxes, ChevronDown } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { searchCatalogue, type CatalogueEntry } from '@/core/network/catalogue';
import { Button } from '../button';

/** Everything parts can be made of, by field; typing searches names and what they do. */
export function LibraryMenu({
  entries,
  onChoose,
}: {
  readonly entries: readonly CatalogueEntry[];
  readonly onChoose: (entry: CatalogueEntry) => void;
}) {
  const [search, setSearch] = useState('');
  const [shown, setShown] = useState(false);
  const groups = useMemo(() => {
    const found = searchCatalogue(entries, search);
    return [...new Set(found.map((e) => e.group))].map((group) => ({
      group,
      entries: found.filter((e) => e.group === group),
    }));
  }, [entries, search]);
  const choose = (e: CatalogueEntry): void => {
    setShown(false);
    setSearch('');
    onChoose(e);
  };
  const first = groups[0]?.entries[0];
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!shown) return;
    const leave = (e: PointerEvent): void => {
      if (!host.current?.contains(e.target as Node)) setShown(false);
    };
    document.addEventListener('pointerdown', leave, true);
    return () => document.removeEventListener('pointerdown', leave, true);
  }, [shown]);
  return (
    <div className="library" ref={host} onKeyDown={(e) => e.key === 'Escape' && setShown(false)}>
      <Button onClick={() => setShown(!shown)} aria-expanded={shown} aria-haspopup="listbox" data-testid="library">
        <Boxes size={14} aria-hidden /> Library <ChevronDown size={13} aria-hidden />
      </Button>
      {shown && (
        <div className="dropdown-menu show library-menu">
          <div className="px-2 pb-1">
            <input
              className="form-control form-control-sm"
              autoFocus
              placeholder="resistor, gear, dT …"
              aria-label="Search the library"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
              onKeyDown={(e) => {
                if (e.key !== 'Enter') return;
                e.preventDefault();
                if (first) choose(first);
              }}
            />
          </div>
          <div className="library-list">
            {groups.map(({ group, entries: list }) => (
              <section key={group} aria-label={group}>
                <h4>{group}</h4>
                {list.map((e) => (
                  <button
                    type="button"
                    className="dropdown-item"
                    key={e.name}
                    draggable
                    onDragStart={(d) => d.dataTransfer.setData('application/x-class', e.name)}
                    onDragEnd={() => setShown(false)}
                    onClick={() => choose(e)}
                    title={e.documentation || e.note}
                  >
                    <strong>{e.name.split('.').at(-1)}</strong> <span className="quiet">{e.note}</span>
                  </button>
                ))}
              </section>
            ))}
            {groups.length === 0 && <p className="quiet px-3 py-2 m-0">Nothing in the library does that.</p>}
          </div>
        </div>
      )}
    </div>
  );
}
