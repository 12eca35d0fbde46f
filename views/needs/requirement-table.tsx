'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { FileDown, FileUp, Plus, Trash2 } from 'lucide-react';
import {
  memo,
  useDeferredValue,
  useEffect,
  useMemo,
  useRef,
  useState,
  type RefObject,
  type SyntheticEvent,
} from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { isBinding, type Project, type Requirement } from '@/core/project/project';
import type { Problem } from '@/core/language/diagnostics';
import { limitOf } from '@/core/requirements/read-limit';
import { linkIndex } from '@/core/trace/links';
import { useExample } from '@/ui/run-names';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { addRequirement } from '@/ui/editing/make';
import { pick, useChoice } from '@/store/choice';
import { usePrinting } from '@/ui/printing';
import { useHandler } from '@/ui/use-handler';
import { useRuns } from '@/store/run-store';
import { useStandings, type StandingOfRun } from '@/store/standings';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { showSignal } from '@/ui/ribbon/show-signal';
import { isOfHandle } from '@/ui/editing/row-handle';
import { removeChosen } from '@/ui/editing/commands';
import { deleteWithImpact } from '@/ui/impact';
import { LinkableRow, LinkHandle } from '@/ui/linkable';
import { LinkManyField } from '@/ui/trace-links';
import { VerdictMark } from '@/ui/verdict';
import { exportRequirements } from './exports';
import { LimitCell, signedMargin } from './limit-cell';
import { RequirementText } from './requirement-text';

type Filter = 'all' | 'fails' | 'undecided' | 'unread' | 'unlinked' | 'suspect';
const filters: readonly (readonly [Filter, string])[] = [
  ['all', 'all of them'],
  ['fails', 'that fail'],
  ['undecided', 'undecided or not run'],
  ['unread', 'without a formula'],
  ['unlinked', 'linked to nothing'],
  ['suspect', 'with links to look at'],
];

const lower = new WeakMap<Requirement, string>();
const searchText = (r: Requirement): string => {
  const known = lower.get(r) ?? `${r.key} ${r.text} ${r.attributes.map((a) => a.value).join(' ')}`.toLowerCase();
  lower.set(r, known);
  return known;
};

/** All requirements with the limits read out of them and the verdict of the newest run that judged each; any number of them. */
export function RequirementTable({ project }: { readonly project: Project }) {
  const example = useExample();
  const problems = useProject((s) => s.problems);
  const setup = useRuns((s) => s.current?.setup);
  const item = usePlace((s) => s.item);
  const { select, go } = usePlace.getState();
  const standing = useStandings();
  const [search, setSearch] = useState('');
  const [filter, setFilter] = useState<Filter>('all');
  const addresses = useChoice((s) => s.addresses);
  const chosen = useMemo(
    () => new Set(addresses.flatMap((a) => (a.startsWith('requirement/') ? [a.slice('requirement/'.length)] : []))),
    [addresses],
  );
  const setChosen = (ids: ReadonlySet<string>): void =>
    useChoice.getState().choose([...ids].map((id) => `requirement/${id}`));
  const words = useDeferredValue(search);
  const links = useMemo(() => linkIndex(project), [project]);
  const rows = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
    return project.requirements.filter((r) => {
      if (!wanted.every((w) => searchText(r).includes(w))) return false;
      if (filter === 'all') return true;
      if (!isBinding(r)) return false;
      if (filter === 'unread') return !r.observation && limitOf(r, project.glossary).formula === undefined;
      if (filter === 'unlinked') return !links.ofRequirement.has(r.id);
      if (filter === 'suspect') return links.ofRequirement.get(r.id)?.some((l) => l.state !== 'sound') ?? false;
      const verdict = standing(r).finding?.verdict;
      return filter === 'fails' ? verdict === 'fails' : verdict === 'undecided' || verdict === undefined;
    });
  }, [project, words, filter, links, standing]);
  const depth = useMemo(() => depths(project.requirements), [project.requirements]);
  const byPlace = useMemo(() => problemsByRequirement(problems), [problems]);
  const box = useRef<HTMLDivElement>(null);
  const narrow = useNarrow(box, 640);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    useFlushSync: false,
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 58,
    overscan: 6,
    getItemKey: (k) => rows[k]?.id ?? k,
  });
  // a requirement jumped to is brought into sight
  const shown = useRef('');
  useEffect(() => {
    if (!item.startsWith('requirement/') || shown.current === item) return;
    shown.current = item;
    const at = rows.findIndex((r) => `requirement/${r.id}` === item);
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [item, rows, virtual]);
  const add = (): void => {
    const entry = addRequirement(project);
    if (entry) select(`requirement/${entry.id}`);
  };
  const toggle = useHandler((id: string, shiftKey: boolean): void =>
    pick(
      project,
      `requirement/${id}`,
      { shiftKey, ctrlKey: !shiftKey, metaKey: false },
      rows.map((r) => `requirement/${r.id}`),
    ),
  );
  const picked = useMemo(() => rows.filter((r) => chosen.has(r.id)).map((r) => r.id), [rows, chosen]);
  const printing = usePrinting();
  const items = printing ? rows.map((_, index) => ({ index, start: 0, end: 0 })) : virtual.getVirtualItems();
  const [top, bottom] = printing
    ? [0, 0]
    : items.length > 0
      ? [items[0].start, virtual.getTotalSize() - items[items.length - 1].end]
      : [0, 0];
  return (
    <>
      <div className="pane-head">
        <h2 className="flex-shrink-0">Requirements</h2>
        <input
          className="form-control form-control-sm"
          style={{ width: 150 }}
          type="search"
          placeholder="Search"
          aria-label="Search requirements"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <select
          className="form-select form-select-sm"
          style={{ width: 'auto' }}
          aria-label="Show requirements"
          value={filter}
          onChange={(e) => setFilter(e.target.value as Filter)}
        >
          {filters.map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
        <Button onClick={() => go({ area: 'needs', sheet: 'import' })}>
          <FileUp size={14} aria-hidden /> Import
        </Button>
        <Dropdown align="end">
          <Dropdown.Toggle as={Button} id="export-requirements">
            <FileDown size={14} aria-hidden /> Export
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {(['csv', 'xlsx', 'reqif'] as const).map((kind) => (
              <Dropdown.Item key={kind} onClick={() => void exportRequirements(kind)}>
                as {{ csv: 'CSV', xlsx: 'XLSX workbook', reqif: 'ReqIF' }[kind]}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
        <Button onClick={add}>
          <Plus size={14} aria-hidden /> Requirement
        </Button>
      </div>
      {picked.length > 0 ? (
        <div className="sub-bar" data-testid="bulk-bar">
          <span>{picked.length} chosen</span>
          <LinkManyField requirements={picked} done={() => setChosen(new Set())} />
          <Button
            onClick={() => {
              removeChosen(
                project,
                picked.map((id) => `requirement/${id}`),
              );
            }}
          >
            <Trash2 size={13} aria-hidden /> Delete
          </Button>
          <Button variant="bare" onClick={() => setChosen(new Set())}>
            Choose none
          </Button>
        </div>
      ) : (
        (rows.length !== project.requirements.length || setup) && (
          <div className="sub-bar quiet" aria-live="polite">
            {rows.length !== project.requirements.length
              ? `${rows.length} of ${project.requirements.length} requirements`
              : `${rows.length} requirements`}
            {setup && <span>· newest run: {setup}</span>}
          </div>
        )
      )}
      <div className="pane-body" ref={box} data-testid="requirement-scroll" data-rows="requirement">
        {project.requirements.length === 0 ? (
          <div className="empty">
            <h3>What must the product do?</h3>
            <p>
              Write each requirement as a sentence with “shall”, or import a sheet as CSV, XLSX or ReqIF. Zelvar reads
              its limit at once, for example: “The {example.phrase} shall not exceed {example.amount}.” The words are
              looked up in the glossary.
            </p>
            <Button variant="primary" onClick={add}>
              <Plus size={14} aria-hidden /> Write the first requirement
            </Button>{' '}
            <Button onClick={() => go({ area: 'needs', sheet: 'import' })}>
              <FileUp size={14} aria-hidden /> Import a sheet
            </Button>
          </div>
        ) : rows.length === 0 ? (
          <div className="empty">No requirement matches.</div>
        ) : (
          <table className="table requirement-table" data-testid="requirements" aria-rowcount={rows.length + 1}>
            <colgroup>
              <col style={{ width: 28 }} />
              <col style={{ width: 80 }} />
              <col />
              {!narrow && <col style={{ width: '31%' }} />}
              <col style={{ width: 124 }} />
              <col style={{ width: 96 }} />
            </colgroup>
            <thead>
              <tr>
                <th scope="col">
                  <input
                    type="checkbox"
                    aria-label="Choose all"
                    checked={picked.length > 0 && picked.length === rows.length}
                    onChange={() =>
                      setChosen(picked.length === rows.length ? new Set() : new Set(rows.map((r) => r.id)))
                    }
                  />
                </th>
                <th scope="col">Id</th>
                <th scope="col">Text</th>
                {!narrow && <th scope="col">Limit, and about what</th>}
                <th scope="col">Verdict</th>
                <th scope="col" className="text-end">
                  Margin
                </th>
              </tr>
            </thead>
            <tbody>
              {top > 0 && (
                <tr style={{ height: top }} aria-hidden>
                  <td colSpan={narrow ? 5 : 6} className="p-0 border-0" />
                </tr>
              )}
              {items.map((v) => {
                const r = rows[v.index];
                return (
                  <RequirementRow
                    key={r.id}
                    index={v.index}
                    requirement={r}
                    glossary={project.glossary}
                    depth={depth.get(r.id) ?? 0}
                    here={item === `requirement/${r.id}`}
                    picked={chosen.has(r.id)}
                    toggle={toggle}
                    narrow={narrow}
                    measure={virtual.measureElement}
                    standing={standing(r)}
                    problems={byPlace.get(r.id) ?? noProblems}
                    links={links.ofRequirement.get(r.id)?.length ?? 0}
                    suspects={links.ofRequirement.get(r.id)?.filter((l) => l.state !== 'sound').length ?? 0}
                  />
                );
              })}
              {bottom > 0 && (
                <tr style={{ height: bottom }} aria-hidden>
                  <td colSpan={narrow ? 5 : 6} className="p-0 border-0" />
                </tr>
              )}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}

function useNarrow(box: RefObject<HTMLDivElement | null>, width: number): boolean {
  const [narrow, setNarrow] = useState(false);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const observer = new ResizeObserver(() => setNarrow(el.clientWidth > 0 && el.clientWidth < width));
    observer.observe(el);
    return () => observer.disconnect();
  }, [box, width]);
  return narrow;
}

const noProblems: readonly Problem[] = [];

interface RowProps {
  readonly index: number;
  readonly requirement: Requirement;
  readonly glossary: Project['glossary'];
  readonly depth: number;
  readonly here: boolean;
  readonly picked: boolean;
  readonly toggle: (id: string, shiftKey: boolean) => void;
  /** Leaves the limit out: it stands in the details. */
  readonly narrow: boolean;
  readonly measure: (el: Element | null) => void;
  readonly standing: StandingOfRun;
  readonly problems: readonly Problem[];
  readonly links: number;
  readonly suspects: number;
}

const RequirementRow = memo(function RequirementRow({
  index,
  requirement: r,
  glossary,
  depth,
  here,
  picked,
  toggle,
  narrow,
  measure,
  standing,
  problems,
  links,
  suspects,
}: RowProps) {
  const { edit } = useProject.getState();
  const { select, go } = usePlace.getState();
  const limit = limitOf(r, glossary);
  const { finding } = standing;
  const binding = isBinding(r);
  const address = `requirement/${r.id}`;
  const choose = (e: SyntheticEvent): void => {
    if (!here && !isOfHandle(e)) select(address);
  };
  return (
    <LinkableRow
      rowRef={measure}
      address={address}
      data-index={index}
      aria-rowindex={index + 2}
      onFocus={choose}
      onClick={choose}
      onDoubleClick={() => go({ area: 'needs', sheet: address, item: address })}
      style={here ? { background: 'var(--accent-soft)' } : undefined}
      data-requirement={r.key}
    >
      <td className="row-handle checked">
        <input
          type="checkbox"
          aria-label={`Choose ${r.key}`}
          checked={picked}
          onChange={(e) => toggle(r.id, (e.nativeEvent as MouseEvent).shiftKey)}
        />
      </td>
      <td>
        <CellField
          value={r.key}
          label={`Id of ${r.key}`}
          onCommit={(key) =>
            edit({ kind: 'update', list: 'requirement', id: r.id, changes: { key } }, `Change the id ${r.key}`)
          }
        />
        {links > 0 && (
          <LinkHandle address={address} label={r.key} from="requirement">
            <span
              className={`link-count${suspects > 0 ? ' suspect' : ''}`}
              title={suspects > 0 ? `${links} trace links, ${suspects} to look at again` : `${links} trace links`}
            >
              {links} link{links === 1 ? '' : 's'}
            </span>
          </LinkHandle>
        )}
      </td>
      <td
        style={{ paddingLeft: 8 + depth * 16 }}
        colSpan={binding ? 1 : narrow ? 3 : 4}
        className={binding ? undefined : 'heading-text'}
      >
        <RequirementText requirement={r} />
      </td>
      {binding && (
        <>
          {!narrow && (
            <td>
              <LimitCell
                requirement={r}
                limit={limit}
                problems={problems
                  .filter((p) => p.code !== 'unread-limit' && p.code !== 'unknown-phrase')
                  .map((p) => p.message)}
              />
            </td>
          )}
          <td>
            <VerdictMark finding={finding} brief old={standing.basis === 'run' ? standing.doubt : ''} />
            {finding?.failsSince !== undefined && !standing.isNewest && (
              <div className="quiet">since {formatNumber(finding.failsSince)} s</div>
            )}
            {finding?.failsSince !== undefined && standing.isNewest && (
              <button
                type="button"
                className="btn btn-link p-0"
                style={{ fontSize: 'inherit' }}
                title="Show its signal at that moment"
                onClick={() => showSignal(finding)}
              >
                since {formatNumber(finding.failsSince)} s
              </button>
            )}
            {finding?.verdict === 'undecided' && <div className="quiet">{standing.doubt || finding.reason}</div>}
            {standing.basis === 'observation' && finding?.verdict !== 'undecided' && (
              <div className="quiet">signed observation</div>
            )}
            {standing.basis === 'run' && !standing.isNewest && <div className="quiet">in {standing.setup}</div>}
            {standing.basis === 'constants' && <div className="quiet">from constants</div>}
          </td>
          <td className="text-end mono text-nowrap">{signedMargin(finding)}</td>
        </>
      )}
    </LinkableRow>
  );
});

function depths(requirements: readonly Requirement[]): Map<string, number> {
  const parents = new Map(requirements.map((r) => [r.id, r.parent]));
  const found = new Map<string, number>();
  const depth = (id: string, steps = 0): number => {
    const known = found.get(id);
    if (known !== undefined) return known;
    const parent = parents.get(id) ?? null;
    const d = parent === null || steps > 30 ? 0 : depth(parent, steps + 1) + 1;
    found.set(id, d);
    return d;
  };
  requirements.forEach((r) => depth(r.id));
  return found;
}

function problemsByRequirement(problems: readonly Problem[]): ReadonlyMap<string, readonly Problem[]> {
  const found = new Map<string, Problem[]>();
  for (const p of problems) {
    const id = /^requirement\/([^/]+)/.exec(p.place ?? '')?.[1];
    if (id !== undefined) found.set(id, [...(found.get(id) ?? []), p]);
  }
  return found;
}

export const removeRequirement = (r: Requirement): void =>
  deleteWithImpact(`requirement/${r.id}`, { kind: 'remove', list: 'requirement', id: r.id }, `Delete ${r.key}`, () =>
    usePlace.getState().go({ area: 'needs' }),
  );
