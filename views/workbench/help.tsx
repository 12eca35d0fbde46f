'use client';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import Modal from 'react-bootstrap/Modal';
import { useHere } from '@/store/derived';
import { usePlace, type Area } from '@/store/place-store';
import { excerpt, findSections, type HelpSection } from '@/ui/help/help-section';
import { namesIn } from '@/ui/known-names';
import { suggestionsFor } from '@/ui/suggestions';
import { usePalette } from './palette-state';

/** The page that is about the area at hand. */
const pageOf: Readonly<Record<Area, string>> = {
  needs: 'requirements',
  product: 'language',
  behaviour: 'state-charts',
  physics: 'physics',
  control: 'control',
  bench: 'language',
  board: 'code-and-boards',
  proof: 'proof',
};
const mostNames = 12;

/** What can be written: the pages of the documentation, searched, with the names of the part at hand. */
export function HelpDialog() {
  const open = usePalette((s) => s.language);
  if (!open) return null;
  return <Help />;
}

function Help() {
  const close = (): void => usePalette.getState().setLanguage(false);
  const { project, type } = useHere();
  const area = usePlace((s) => s.area);
  const sheet = usePlace((s) => s.sheet);
  const [sections, setSections] = useState<readonly HelpSection[]>([]);
  const [words, setWords] = useState('');
  const [chosen, setChosen] = useState<HelpSection>();
  const [copied, setCopied] = useState('');
  const asked = useDeferredValue(words);
  const body = useRef<HTMLDivElement>(null);
  useEffect(() => {
    let gone = false;
    void import('@/ui/help/help-texts').then((m) => !gone && setSections(m.helpSections));
    return () => {
      gone = true;
    };
  }, []);
  const found = useMemo(() => findSections(sections, asked), [sections, asked]);
  const page = /^(procedure|sequence)\//.exec(sheet)?.[1];
  const first = sections.find((s) => s.doc === (page ? `${page}s` : pageOf[area]));
  const shown = chosen && found.includes(chosen) ? chosen : asked === '' ? (chosen ?? first) : found[0];
  useEffect(() => void body.current?.scrollTo(0, 0), [shown]);
  const names = useMemo(() => {
    if (!project || !type) return [];
    const all = namesIn(project, type);
    return asked.trim() === '' ? all.slice(0, mostNames) : suggestionsFor(all, asked.trim());
  }, [project, type, asked]);
  const copy = (name: string): void => {
    setCopied('');
    void navigator.clipboard
      ?.writeText(name)
      .then(() => setCopied(name))
      .catch(() => undefined);
  };
  const docs = [...new Map(found.map((s) => [s.doc, s.name]))];
  return (
    <Modal show onHide={close} size="xl" animation={false} className="help-dialog" aria-label="Help on the language">
      <Modal.Header closeButton>
        <input
          type="search"
          className="form-control"
          placeholder="What can be written: limits, states, units, der, send, within …"
          aria-label="Search the help"
          autoFocus
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      </Modal.Header>
      <Modal.Body>
        <nav aria-label="Sections">
          {names.length > 0 && type && (
            <section>
              <h3>Names in {type.name}</h3>
              <div className="help-names">
                {names.map((n) => (
                  <button
                    key={n.name}
                    type="button"
                    className="mono"
                    title={`${n.detail || n.kind}: press to copy it`}
                    onClick={() => copy(n.name)}
                  >
                    {n.name}
                  </button>
                ))}
              </div>
              <p className="quiet" role="status">
                {copied && `${copied} is in the clipboard`}
              </p>
            </section>
          )}
          {docs.map(([doc, name]) => (
            <section key={doc}>
              <h3>{name}</h3>
              {found
                .filter((s) => s.doc === doc)
                .map((s) => (
                  <button
                    key={s.title}
                    type="button"
                    className={`help-entry${s === shown ? ' here' : ''}`}
                    aria-current={s === shown}
                    onClick={() => setChosen(s)}
                  >
                    {s.title === s.name ? 'In short' : s.title}
                    {asked.trim() !== '' && <span className="quiet d-block">{excerpt(s.text, asked)}</span>}
                  </button>
                ))}
            </section>
          ))}
          {sections.length > 0 && found.length === 0 && <p className="quiet px-2">Nothing is said of that.</p>}
        </nav>
        <div
          ref={body}
          className="help-text"
          data-testid="help-text"
          tabIndex={0}
          role="region"
          aria-label="What it says"
        >
          {(shown === undefined
            ? []
            : chosen || asked !== ''
              ? [shown]
              : sections.filter((s) => s.doc === shown.doc)
          ).map((s) => (
            <section key={s.title}>
              <h2>{s.title}</h2>
              {/* written from docs/ when the application is built */}
              <div dangerouslySetInnerHTML={{ __html: s.html }} />
            </section>
          ))}
        </div>
      </Modal.Body>
    </Modal>
  );
}
