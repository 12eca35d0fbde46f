import { withPresentLibraryNames } from './library-names';
import { projectVersion } from './document';
import { equationsIn, markOf, marksFor } from './equations';

type Plain = Record<string, unknown>;

const listOf = (x: unknown): Plain[] => (Array.isArray(x) ? x : []);

const presentNames = (text: unknown): unknown => (typeof text === 'string' ? withPresentLibraryNames(text) : text);

/** What each version of the format added to the one before. */
const steps: Readonly<Record<number, (project: Plain) => Plain>> = {
  1: (project) => ({
    ...project,
    version: 2,
    retired: [],
    flows: [],
    traces: [],
    requirements: listOf(project.requirements).map((r) => ({
      ...r,
      kind: 'requirement',
      parent: null,
      attributes: [],
      source: null,
      observation: null,
    })),
  }),
  2: (project) => ({
    ...project,
    version: 3,
    panels: listOf(project.panels).map((p) => ({
      ...p,
      controls: listOf(p.controls).map((c, k) => ({
        ...c,
        release: '',
        shapes: [],
        x: 16 + (k % 3) * 168,
        y: 16 + Math.floor(k / 3) * 72,
        width: 152,
        height: 56,
      })),
    })),
    setups: listOf(project.setups).map((s) => ({ ...s, sequences: [], root: '', startIn: [], endWhen: '' })),
    types: listOf(project.types).map((t) => ({
      ...t,
      procedures: [],
      sequences: [],
      parts: listOf(t.parts).map((p) => ({ ...p, place: null })),
      charts: listOf(t.charts).map((c) => ({
        ...c,
        period: '',
        values: [],
        states: listOf(c.states).map(({ parallel, ...s }) => ({
          ...s,
          kind: parallel ? 'parallel' : 'state',
          during: '',
          defers: '',
        })),
        transitions: listOf(c.transitions).map(({ trigger, on, ...x }) => ({
          ...x,
          also: [],
          internal: false,
          triggers: trigger === 'completion' ? [] : [{ kind: trigger, on }],
        })),
      })),
    })),
  }),
  3: (project) => ({
    ...project,
    version: 4,
    setups: listOf(project.setups).map((s) => ({ ...s, record: [], tracks: [] })),
    types: listOf(project.types).map((t) => ({
      ...t,
      ports: listOf(t.ports).map(({ direction, messages, ...p }) => {
        const carried = Array.isArray(messages) && messages.length > 0 ? messages : ['*'];
        return { ...p, accepts: direction === 'in' ? carried : [], sends: direction === 'in' ? [] : carried };
      }),
    })),
  }),
  4: (project) => ({
    ...project,
    version: 5,
    libraries: [],
    types: listOf(project.types).map((t) => ({ ...t, sheets: [], layout: [] })),
  }),
  5: (project) => {
    const names = [
      ...new Set(
        listOf(project.types)
          .flatMap((t) => listOf(t.links).map((l) => String(l.carries ?? '')))
          .filter(Boolean),
      ),
    ];
    const idOf = new Map(names.map((name, k) => [name, `item-${k + 1}`]));
    return {
      ...project,
      version: 6,
      items: names.map((name) => ({ id: idOf.get(name), name: name.slice(0, 200), unit: '', note: '' })),
      types: listOf(project.types).map((t) => ({
        ...t,
        links: listOf(t.links).map((l) => ({ ...l, carries: idOf.get(String(l.carries ?? '')) ?? '' })),
      })),
      setups: listOf(project.setups).map((s) => ({ ...s, screen: true })),
    };
  },
  6: (project) => {
    const types = listOf(project.types).map((t) => ({
      ...t,
      physics: presentNames(t.physics),
      equations: typeof t.physics === 'string' ? marksFor(t.physics, []) : [],
      parts: listOf(t.parts).map((p) => ({ ...p, changes: withIds(p.changes) })),
      charts: listOf(t.charts).map((c) => ({
        ...c,
        states: listOf(c.states).map(({ during, ...s }) => ({ ...s, do: during })),
      })),
    }));
    return {
      ...project,
      version: 7,
      libraries: listOf(project.libraries).map((l) => ({ ...l, text: presentNames(l.text) })),
      types,
      setups: listOf(project.setups).map((s) => ({ ...s, changes: withIds(s.changes) })),
      traces: listOf(project.traces).map((t) => ({ ...t, element: withEquationId(t.element, types) })),
    };
  },
  7: (project) => ({
    ...project,
    version: 8,
    types: listOf(project.types).map((t) => ({ ...t, signals: [] })),
  }),
  8: (project) => ({
    ...project,
    version: 9,
    setups: listOf(project.setups).map((s) => ({ ...s, loopsWhen: '' })),
    // at ticks, transfer took polynomials in z until then
    types: listOf(project.types).map((t) => ({
      ...t,
      signals: listOf(t.signals).map((sheet) =>
        typeof sheet.every === 'string' && sheet.every.trim() !== ''
          ? {
              ...sheet,
              lines: listOf(sheet.lines).map((l) =>
                typeof l.text === 'string' ? { ...l, text: l.text.replace(/\btransfer(?=\s*\()/g, 'transferZ') } : l,
              ),
            }
          : sheet,
      ),
    })),
  }),
  9: (project) => ({ ...project, version: 10, studies: [], recordings: [] }),
  10: (project) => ({
    ...project,
    version: 11,
    requirements: listOf(project.requirements).map((r) => ({ ...r, about: '' })),
  }),
  11: (project) => ({
    ...project,
    version: 12,
    studies: listOf(project.studies).map((s) => ({ ...s, kept: [] })),
  }),
  12: (project) => ({
    ...project,
    version: 13,
    types: listOf(project.types).map((t) => ({ ...t, software: '' })),
    setups: listOf(project.setups).map((s) => ({ ...s, stages: [] })),
  }),
  13: (project) => ({
    ...project,
    version: 14,
    types: listOf(project.types).map((t) => ({ ...t, channels: [] })),
    setups: listOf(project.setups).map((s) => ({ ...s, wires: [] })),
  }),
  14: (project) => ({
    ...project,
    version: 15,
    boards: [],
    types: listOf(project.types).map((t) => ({
      ...t,
      ownIncludes: '',
      ownFunctions: '',
      quantities: listOf(t.quantities).map((q) => ({ ...q, number: 'usual' })),
    })),
    setups: listOf(project.setups).map((s) => ({ ...s, serial: [], heard: [] })),
  }),
  15: (project) => ({
    ...project,
    version: 16,
    types: listOf(project.types).map((t) => ({
      ...t,
      channels: listOf(t.channels).map((c) => ({
        ...c,
        carrier: 'ramp',
        pair: false,
        blanking: 0,
        smoothing: 0,
        counts: 4096,
        otherPins: [],
      })),
    })),
  }),
  16: (project) => ({
    ...project,
    version: 17,
    types: listOf(project.types).map((t) => ({
      ...t,
      channels: listOf(t.channels).map((c) => ({ ...c, early: 0 })),
    })),
  }),
  17: (project) => ({ ...project, version: 18, cases: [] }),
  18: (project) => ({ ...project, version: 19, excuses: [] }),
};

const withIds = (rows: unknown): Plain[] => listOf(rows).map((r, k) => ({ id: `c${k + 1}`, ...r }));

/** Until version 6 trace links led to equations by their texts. */
function withEquationId(element: unknown, types: readonly Plain[]): unknown {
  const [, at, text] = /^(type\/[^/]+\/equation\/)(.*)$/s.exec(String(element)) ?? [];
  if (text === undefined) return element;
  const type = types.find((t) => at === `type/${String(t.id)}/equation/`);
  const k = typeof type?.physics === 'string' ? equationsIn(type.physics).findIndex((e) => e.text === text) : -1;
  return at + (k < 0 ? `e-${markOf(text)}` : String(listOf(type!.equations)[k].id));
}

/** Brings a project of an earlier version of the format to the present one; anything else is returned as it is. */
export function migrate(data: unknown): unknown {
  let project = data as Plain;
  for (
    let version = project.version;
    typeof version === 'number' && version < projectVersion && steps[version];
    version = project.version
  )
    project = steps[version](project);
  return project;
}
