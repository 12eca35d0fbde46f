import { readMessage } from '../behaviour/chart-source';
import type { Edit } from '../project/edit';
import { anyMessage, carries, inCommon, type PartType, type Port, type Project } from '../project/project';
import { outside } from './read-sequence';

/** Messages one participant can send another, and what would make more of them possible. */
export interface MessageOffer {
  readonly ready: readonly string[];
  readonly fixes: readonly MessageFix[];
}

export interface MessageFix {
  readonly message: string;
  /** What it does, such as "let belt accept advance". */
  readonly label: string;
  readonly edit: Edit;
}

const typeOfPart = (project: Project, type: PartType, name: string): PartType | undefined =>
  name === type.name ? type : project.types.find((t) => t.id === type.parts.find((p) => p.name === name)?.type);

/** Messages a part type waits for in its charts, whatever its ports say. */
const awaited = (type: PartType): string[] =>
  [
    ...new Set(
      type.charts.flatMap((c) =>
        c.transitions.flatMap((t) =>
          t.triggers.flatMap((g) => (g.kind === 'message' ? [readMessage(g.on)?.name ?? ''] : [])),
        ),
      ),
    ),
  ].filter((m) => m !== '' && m !== '*');

const sends = (type: PartType): Port[] => type.ports.filter((p) => p.sends.length > 0);
const takes = (type: PartType): Port[] => type.ports.filter((p) => p.accepts.length > 0);
const named = (messages: readonly string[]): string[] => messages.filter((m) => m !== anyMessage);
const unique = (all: readonly string[]): string[] => [...new Set(all)].sort();

/** What can be said between two participants of a sequence in a part type, and what is one step away. */
export function messagesBetween(
  project: Project,
  type: PartType,
  from: string,
  to: string,
  newId: () => string,
): MessageOffer {
  const sender = from === outside ? undefined : typeOfPart(project, type, from);
  const receiver = to === outside ? undefined : typeOfPart(project, type, to);
  if (from === outside)
    return {
      ready: receiver ? unique([...named(takes(receiver).flatMap((p) => p.accepts)), ...awaited(receiver)]) : [],
      fixes: [],
    };
  if (to === outside) return { ready: sender ? unique(named(sends(sender).flatMap((p) => p.sends))) : [], fixes: [] };
  if (!sender || !receiver) return { ready: [], fixes: [] };
  const linked = type.links.flatMap((l) =>
    [
      [l.from, l.to],
      [l.to, l.from],
    ].flatMap(([x, y]) => {
      const [a, pa] = x.split('.'),
        [b, pb] = y.split('.');
      const out = a === from ? sends(sender).find((p) => p.name === pa) : undefined;
      const into = b === to ? takes(receiver).find((p) => p.name === pb) : undefined;
      return out && into ? [{ out, into }] : [];
    }),
  );
  const ready = unique(named(linked.flatMap(({ out, into }) => inCommon(out.sends, into.accepts))));
  const fixes: MessageFix[] = [];
  const widen = (owner: PartType, port: Port, list: 'accepts' | 'sends', message: string): Edit => ({
    kind: 'update',
    list: `type/${owner.id}/port`,
    id: port.id,
    changes: { [list]: [...port[list], message] },
  });
  for (const { out, into } of linked) {
    for (const m of named(out.sends))
      if (!carries(into.accepts, m))
        fixes.push({ message: m, label: `let ${to} accept ${m}`, edit: widen(receiver, into, 'accepts', m) });
    for (const m of named(into.accepts))
      if (!carries(out.sends, m))
        fixes.push({ message: m, label: `let ${from} send ${m}`, edit: widen(sender, out, 'sends', m) });
  }
  if (linked.length === 0) {
    for (const out of sends(sender)) {
      for (const into of takes(receiver)) {
        const common = named(inCommon(out.sends, into.accepts));
        if (common.length === 0) continue;
        const link: Edit = {
          kind: 'insert',
          list: `type/${type.id}/link`,
          entry: { id: newId(), from: `${from}.${out.name}`, to: `${to}.${into.name}`, carries: '' },
        };
        for (const m of common)
          fixes.push({ message: m, label: `link ${from}.${out.name} to ${to}.${into.name}`, edit: link });
      }
    }
  }
  return {
    ready,
    fixes: fixes.filter((f, k) => !ready.includes(f.message) && fixes.findIndex((g) => g.message === f.message) === k),
  };
}
