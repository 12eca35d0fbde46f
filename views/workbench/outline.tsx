'use client';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useEffect, useMemo, useRef, useState, type CSSProperties } from 'react';
import { Tree, type NodeRendererProps, type TreeApi } from 'react-arborist';
import type { Chart, ChartState, PartType, Project, TestCase } from '@/core/project/project';
import { isBinding, statesByParent } from '@/core/project/project';
import { messagesTaken } from '@/core/run/names-of-run';
import { allParts, fullName, partTree, useHere, useTree, type PartTreeNode } from '@/store/derived';
import { usePlace, type Area, type Location } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { momentAt } from '@/ui/moment';
import { kindWord } from '@/ui/study-kinds';
import { Share } from '@/ui/share';
import { DraggableName } from '@/ui/draggable-name';

interface Item {
  readonly id: string;
  readonly name: string;
  readonly typeName: string;
  readonly to: Partial<Location>;
  readonly chart?: { readonly name: string; readonly path: string };
  /** Full name, where it can be dragged onto a panel. */
  readonly drag?: string;
  /** Id of the setup that is chosen with it. */
  readonly setup?: string;
  readonly children?: readonly Item[];
}

/** The tree of the area at hand: the parts of the product, with the states of their charts in Behaviour. */
export function Outline() {
  const tree = useTree();
  const project = useProject((s) => s.project);
  const area = usePlace((s) => s.area);
  const [search, setSearch] = useState('');
  const arranging = usePlace((s) => s.sheet.startsWith('panel/'));
  const items = useMemo(
    () =>
      !project
        ? []
        : area === 'proof'
          ? proofItems(project)
          : area === 'bench' && !arranging
            ? benchItems(project)
            : outlineItems(project, tree, area),
    [project, tree, area, arranging],
  );
  return (
    <>
      <div className="pane-head">
        <input
          className="form-control form-control-sm"
          placeholder={
            area === 'proof'
              ? 'Search test cases'
              : area === 'bench' && !arranging
                ? 'Search setups and studies'
                : 'Search parts'
          }
          aria-label="Search the outline"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      </div>
      <OutlineTree
        key={area === 'proof' ? 'proof' : area === 'bench' ? (arranging ? 'usable' : 'bench') : 'parts'}
        items={items}
        isBench={area === 'bench'}
        search={search}
      />
    </>
  );
}

/** The tree itself: each has a root of its own, so that one that comes does not meet one that goes. */
function OutlineTree({
  items,
  isBench,
  search,
}: {
  readonly items: readonly Item[];
  readonly isBench: boolean;
  readonly search: string;
}) {
  const [root, setRoot] = useState<HTMLDivElement | null>(null);
  const [size, setSize] = useState({ width: 200, height: 200 });
  const api = useRef<TreeApi<Item>>(undefined);
  useEffect(() => {
    if (!root) return;
    const observer = new ResizeObserver(() => setSize({ width: root.clientWidth, height: root.clientHeight }));
    observer.observe(root);
    return () => observer.disconnect();
  }, [root]);
  return (
    <div
      ref={setRoot}
      style={{ flex: 1, minHeight: 0, '--outline-width': `${size.width}px` } as CSSProperties}
      role="navigation"
      aria-label="Outline"
    >
      {root && (
        <Tree<Item>
          dndRootElement={root}
          ref={(t) => void (api.current = t ?? undefined)}
          data={items}
          {...(isBench && { initialOpenState: { 'part:': true, setups: true, studies: true, panels: true } })}
          width={size.width}
          height={size.height}
          rowHeight={27}
          indent={14}
          openByDefault={!isBench}
          disableDrag
          disableDrop
          disableEdit
          searchTerm={search}
          searchMatch={(node, term) =>
            `${node.data.name} ${node.data.typeName}`.toLowerCase().includes(term.toLowerCase())
          }
          onActivate={(node) => {
            if (node.data.setup !== undefined) useRuns.getState().chooseSetup(node.data.setup);
            if (/^(requirements|setups|studies|panels)$/.test(node.data.id)) node.toggle();
            else if (node.data.drag === undefined) usePlace.getState().go(node.data.to);
          }}
        >
          {OutlineRow}
        </Tree>
      )}
    </div>
  );
}

/** Signal sheets of a type, of a part of the product or of none. */
const signalItems = (type: PartType, at: { readonly part: string; readonly type: string }): Item[] =>
  type.signals.map((x) => ({
    id: `signals:${at.part}:${at.type}:${x.id}`,
    name: x.name,
    typeName: x.every.trim() === '' ? 'continuous' : `every ${x.every.replace(/'/g, '')}`,
    to: { ...at, item: '', sheet: `signals/${x.id}` },
  }));

/** What there is of a part that is software. */
const softwareItems = (type: PartType, at: { readonly part: string; readonly type: string }): Item[] =>
  type.software.trim() === ''
    ? []
    : (
        [
          ['Code', ''],
          ['Numbers', 'numbers'],
          ['Pins', 'pins'],
          ['Build', 'build'],
          ['Stages', 'stages'],
          ['Times', 'times'],
          ['Line', 'line'],
        ] as const
      ).map(([name, sheet]) => ({
        id: `board:${at.part}:${at.type}:${sheet}`,
        name,
        typeName: '',
        to: { ...at, item: '', sheet },
      }));

/** Types of parts that setups run in place of the product. */
const typesInSetups = (project: Project): ReadonlySet<string> =>
  new Set(
    [...new Set(project.setups.flatMap((s) => s.root || []))].flatMap((root) =>
      allParts(partTree(project, root)).map((n) => n.type.id),
    ),
  );

function outlineItems(project: Project, tree: PartTreeNode | undefined, area: Area): Item[] {
  const build = (node: PartTreeNode): Item => {
    const own =
      area === 'control'
        ? signalItems(node.type, { part: node.path, type: '' })
        : area === 'board'
          ? softwareItems(node.type, { part: node.path, type: '' })
          : area !== 'behaviour'
            ? []
            : [
                ...node.type.charts.flatMap((c, k) =>
                  node.type.charts.length > 1 && k > 0
                    ? [
                        {
                          id: `chart:${node.path}:${c.id}`,
                          name: c.name,
                          typeName: 'state chart',
                          to: { part: node.path, type: '', item: '', sheet: `chart/${c.id}` },
                          children: chartItems(node, c),
                        },
                      ]
                    : chartItems(node, c),
                ),
                ...node.type.procedures.map((p): Item => ({
                  id: `procedure:${node.path}:${p.id}`,
                  name: p.name,
                  typeName: 'procedure',
                  to: { part: node.path, type: '', item: '', sheet: `procedure/${p.id}` },
                })),
                ...node.type.sequences.map((s): Item => ({
                  id: `sequence:${node.path}:${s.id}`,
                  name: s.name,
                  typeName: 'sequence',
                  to: { part: node.path, type: '', item: '', sheet: `sequence/${s.id}` },
                })),
              ];
    const children = [...own, ...(area === 'bench' ? usableOn(node) : []), ...node.children.map(build)];
    return {
      id: `part:${node.path}`,
      name: node.name,
      typeName: node.path ? node.type.name : '',
      to: {
        part: node.path,
        type: '',
        ...((area === 'behaviour' || area === 'control' || area === 'board') && { sheet: '' }),
      },
      ...(children.length && { children }),
    };
  };
  const used = new Set<string>();
  const note = (node: PartTreeNode): void => {
    used.add(node.type.id);
    node.children.forEach(note);
  };
  if (tree) note(tree);
  const inSetups = typesInSetups(project);
  const unused = project.types
    .filter((t) => !used.has(t.id))
    .map((t: PartType): Item => ({
      id: `type:${t.id}`,
      name: t.name,
      typeName: inSetups.has(t.id) ? 'for setups' : 'not used yet',
      to: { part: '', type: t.id },
      ...(area === 'control' && t.signals.length > 0 && { children: signalItems(t, { part: '', type: t.id }) }),
      ...(area === 'board' && t.software.trim() !== '' && { children: softwareItems(t, { part: '', type: t.id }) }),
    }));
  // on a panel a requirement becomes a lamp of its verdict
  const requirements: readonly Item[] =
    area === 'bench' && project.requirements.length > 0
      ? [
          {
            id: 'requirements',
            name: 'Requirements',
            typeName: '',
            to: {},
            children: project.requirements.filter(isBinding).map((r) => ({
              id: `use:${r.id}`,
              name: r.key,
              typeName: r.text.slice(0, 60),
              to: {},
              drag: r.key,
            })),
          },
        ]
      : [];
  return [...(tree ? [build(tree)] : []), ...unused, ...requirements];
}

/** Setups, the studies that are asked of them, and panels. */
function benchItems(project: Project): Item[] {
  const group = (id: string, name: string, children: readonly Item[]): Item[] =>
    children.length > 0 ? [{ id, name, typeName: '', to: {}, children }] : [];
  return [
    ...group(
      'setups',
      'Setups',
      project.setups.map((s) => ({ id: `setup:${s.id}`, name: s.name, typeName: '', to: { sheet: '' }, setup: s.id })),
    ),
    ...group(
      'studies',
      'Studies',
      project.studies.map((s) => ({
        id: `study:${s.id}`,
        name: s.name,
        typeName: kindWord(s.kind),
        to: { sheet: `study/${s.id}` },
      })),
    ),
    ...group(
      'panels',
      'Panels',
      project.panels.map((p) => ({ id: `panel:${p.id}`, name: p.name, typeName: '', to: { sheet: `panel/${p.id}` } })),
    ),
  ];
}

/** Test cases by their first tag. */
function proofItems(project: Project): Item[] {
  const item = (c: TestCase): Item => ({
    id: `case:${c.id}`,
    name: c.name,
    typeName: '',
    to: { area: 'proof', sheet: `case/${c.id}` },
  });
  const tags = [...new Set(project.cases.map((c) => c.tags[0] ?? ''))];
  return [
    {
      id: 'cases',
      name: 'All test cases',
      typeName: project.cases.length > 0 ? String(project.cases.length) : '',
      to: { area: 'proof', sheet: '' },
    },
    ...tags.flatMap((tag): Item[] => {
      const own = project.cases.filter((c) => (c.tags[0] ?? '') === tag).map(item);
      return tag === ''
        ? own
        : [{ id: `tag:${tag}`, name: tag, typeName: '', to: { area: 'proof', sheet: '' }, children: own }];
    }),
  ];
}

/** What a panel can be built from: quantities, messages and states, by their full names. */
function usableOn(node: PartTreeNode): Item[] {
  const leaf = (name: string, what: string): Item => ({
    id: `use:${fullName(node.path, name)}`,
    name: name.split('.').at(-1)!,
    typeName: what,
    to: {},
    drag: fullName(node.path, name),
  });
  return [
    ...node.type.quantities.filter((q) => q.role !== 'constant').map((q) => leaf(q.name, q.role)),
    ...messagesTaken(node.type).map((m) => leaf(m, 'message')),
    ...node.type.charts.map((c): Item => ({
      ...leaf(c.name, 'states'),
      children: c.states
        .filter((s) => s.kind === 'state' || s.kind === 'parallel')
        .map((s) => leaf(`${c.name}.${s.name}`, 'state')),
    })),
  ];
}

function chartItems(node: PartTreeNode, chart: Chart): Item[] {
  const name = fullName(node.path, chart.name);
  const byParent = statesByParent(chart);
  const inside = (parent: ChartState | null, path: string): Item[] =>
    (byParent.get(parent?.id ?? null) ?? []).map((s) => {
      const here = path ? `${path}.${s.name}` : s.name;
      const children = inside(s, here);
      return {
        id: `state:${node.path}:${s.id}`,
        name: s.name,
        typeName: '',
        to: { part: node.path, type: '', item: `state/${s.id}`, sheet: `chart/${chart.id}` },
        chart: { name, path: here },
        ...(children.length && { children }),
      };
    });
  return inside(null, '');
}

function OutlineRow({ node, style }: NodeRendererProps<Item>) {
  const here = useHere();
  const item = usePlace((s) => s.item);
  const sheet = usePlace((s) => s.sheet);
  const { chart, name, typeName, to } = node.data;
  const lit = useRuns((s) => {
    if (!chart || !s.current) return false;
    return momentAt(s.current, s.cursor).isIn(chart.name, chart.path);
  });
  const setupId = useRuns((s) => s.setupId);
  const area = usePlace((s) => s.area);
  const isHere = (): boolean => {
    if (node.data.setup !== undefined) return node.data.setup === setupId && sheet === '';
    // parts stand on the bench to be dragged from, and none of them is looked at
    if (area === 'proof') return node.data.children === undefined && to.sheet === sheet;
    if (area === 'bench') return to.sheet !== undefined && to.sheet !== '' && to.sheet === sheet;
    // what there is of software stands beneath its part: of the two, the sheet is where one is
    if (area === 'board' && to.sheet !== undefined && node.level > 0 && node.data.id.startsWith('board:'))
      return to.sheet === sheet && (to.type ? here.type?.id === to.type : here.path === to.part);
    if (chart) return item === to.item && here.path === to.part;
    if (to.type) return here.type?.id === to.type && !here.path;
    return (
      here.path === to.part &&
      (to.sheet ? to.sheet === sheet : !item.startsWith('state/') && !/^(procedure|sequence|signals)\//.test(sheet))
    );
  };
  return (
    <div style={style} className={`outline-row${isHere() ? ' here' : ''}`}>
      <span
        style={{ width: 14, flex: 'none' }}
        onClick={(e) => {
          e.stopPropagation();
          node.toggle();
        }}
      >
        {node.isInternal &&
          (node.isOpen ? <ChevronDown size={13} aria-hidden /> : <ChevronRight size={13} aria-hidden />)}
      </span>
      {lit && <span className="lit-dot" title="active at the cursor" />}
      {node.data.drag === undefined ? (
        <span>{name}</span>
      ) : (
        <DraggableName name={node.data.drag} from="outline">
          {name}
        </DraggableName>
      )}
      {typeName && <Share typeName={typeName} />}
      {typeName && <span className="type-name type-tag">{typeName}</span>}
    </div>
  );
}
