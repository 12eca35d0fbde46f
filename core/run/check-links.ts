import { problem, type Problem } from '../language/diagnostics';
import {
  inCommon,
  typeById,
  type Link,
  type PartType,
  type Port,
  type Project,
  type Quantity,
} from '../project/project';
import { itemOf } from '../project/items';
import { documentTexts } from '../project/texts';
import { sameDimension, unitOrUndefined } from '../language/units';

/** What stands at an end of a link: a quantity or a message port, of a part inside or of the type itself. */
export interface LinkEnd {
  readonly part: string;
  readonly quantity?: Quantity;
  readonly port?: Port;
  /** The end gives what the link carries, or takes it; undefined where both are possible. */
  readonly gives: boolean | undefined;
}

export function linkEnd(project: Project, type: PartType, path: string): LinkEnd | undefined {
  const [first, second, ...more] = path.split('.');
  if (more.length > 0) return undefined;
  const inside = second !== undefined;
  const part = inside ? type.parts.find((p) => p.name === first) : undefined;
  const owner = inside ? part && typeById(project, part.type) : type;
  const name = second ?? first;
  const quantity = owner?.quantities.find((q) => q.name === name);
  const port = owner?.ports.find((p) => p.name === name);
  if (!quantity && !port) return undefined;
  const outward = quantity
    ? quantity.role === 'output'
      ? true
      : quantity.role === 'input'
        ? false
        : undefined
    : wayOf(port!);
  // an input of the type itself gives to what is inside
  return {
    part: inside ? first : '',
    ...(quantity && { quantity }),
    ...(port && { port }),
    gives: outward === undefined ? undefined : inside ? outward : !outward,
  };
}

/** A port gives, takes, or does both (or nothing yet). */
const wayOf = (port: Port): boolean | undefined =>
  port.sends.length > 0 === port.accepts.length > 0 ? undefined : port.sends.length > 0;

/** Messages an end of a link gives into it and takes out of it: a port of the type itself gives inwards what it accepts from without. */
const gives = (e: LinkEnd): readonly string[] => (e.part ? e.port!.sends : e.port!.accepts);
const takes = (e: LinkEnd): readonly string[] => (e.part ? e.port!.accepts : e.port!.sends);

/** Why two ends cannot be linked this way round; undefined where they can. */
export function linkConflict(project: Project, type: PartType, from: string, to: string): string | undefined {
  const [a, b] = [linkEnd(project, type, from), linkEnd(project, type, to)];
  if (!a || !b) return `${a ? to : from} is not a quantity or message port of ${type.name} or of one of its parts`;
  if ((a.port === undefined) !== (b.port === undefined))
    return `${from} and ${to} do not fit: messages go between message ports, values between quantities`;
  if (a.gives === false && b.gives === true) return `This link runs the wrong way: ${to} gives what ${from} takes`;
  if (a.gives === false) return `${from} takes, it does not give`;
  if (b.gives === true) return `${to} gives, it does not take`;
  if (a.port && b.port) {
    const open = [a, b].some((e) => e.port!.accepts.length + e.port!.sends.length === 0);
    const meets = (x: readonly string[], y: readonly string[]): boolean => inCommon(x, y).length > 0;
    if (!open && !meets(gives(a), takes(b)) && !meets(gives(b), takes(a))) {
      return `${from} and ${to} have no message in common: one sends ${gives(a).join(', ') || 'nothing'}, the other takes ${takes(b).join(', ') || 'nothing'}`;
    }
  }
  if (a.quantity && b.quantity && (a.quantity.type === 'Boolean') !== (b.quantity.type === 'Boolean'))
    return `${from} and ${to} do not fit: one is yes or no, the other a number`;
  return undefined;
}

/** Why a link cannot carry its item; undefined where it can, or carries none. */
export function itemConflict(project: Project, type: PartType, link: Link): string | undefined {
  const item = itemOf(project, link);
  if (!item) return link.carries === '' ? undefined : 'What this link carries is no longer there';
  if (item.unit === '') return undefined;
  for (const path of [link.from, link.to]) {
    const end = linkEnd(project, type, path);
    if (end?.port) return `${path} carries messages, but ${item.name} is measured in ${item.unit}`;
    if (end?.quantity?.type === 'Boolean') return `${path} is yes or no, but ${item.name} is measured in ${item.unit}`;
    const [own, wanted] = [unitOrUndefined(end?.quantity?.unit), unitOrUndefined(item.unit)];
    if (end?.quantity && end.quantity.unit !== '' && own && wanted && !sameDimension(own, wanted))
      return `${path} is in ${end.quantity.unit}, but the item ${item.name} is in ${item.unit}`;
  }
  return undefined;
}

/** Which ways something goes along a link: values from its start to its end, messages as its two ports send and accept them. */
export function waysOf(
  project: Project,
  type: PartType,
  link: Link,
): { readonly forth: boolean; readonly back: boolean } {
  const [a, b] = [linkEnd(project, type, link.from), linkEnd(project, type, link.to)];
  if (!a?.port || !b?.port) return { forth: true, back: false };
  const forth = inCommon(gives(a), takes(b)).length > 0,
    back = inCommon(gives(b), takes(a)).length > 0;
  return { forth: forth || !back, back };
}

/** Links that run the wrong way or join what does not fit, and inputs of parts that nothing drives. */
export function checkLinks(project: Project): Problem[] {
  const found: Problem[] = [];
  const driven = drivenFromOutside(project);
  for (const type of project.types) {
    const place = `type/${type.id}`;
    type.links.forEach((l: Link) => {
      const conflict = linkConflict(project, type, l.from, l.to);
      // names that are not there are told by those who resolve them
      const misfit = conflict ? undefined : itemConflict(project, type, l);
      if (misfit) found.push({ ...problem('error', 'item', misfit), place: `${place}/link/${l.id}` });
      if (conflict && linkEnd(project, type, l.from) && linkEnd(project, type, l.to))
        found.push({ ...problem('error', 'link', conflict), place: `${place}/link/${l.id}` });
    });
    for (const part of type.parts) {
      const inner = typeById(project, part.type);
      for (const q of inner?.quantities ?? []) {
        if (q.role !== 'input') continue;
        const path = `${part.name}.${q.name}`;
        const given =
          type.links.some((l) => l.to === path || l.from === path) ||
          part.changes.some((c) => c.name === q.name) ||
          new RegExp(`\\b${part.name}\\.${q.name}\\b`).test(type.physics) ||
          driven.has(path);
        if (!given)
          found.push({
            ...problem(
              'info',
              'unlinked-input',
              `Nothing drives ${path}: it keeps its start value${q.value ? `, ${q.value}` : ''}`,
            ),
            place: `${place}/part/${part.id}`,
          });
      }
    }
  }
  return found;
}

/** Inputs that panels, setups or sequences set, by the last two names of their path. */
function drivenFromOutside(project: Project): ReadonlySet<string> {
  const found = new Set<string>();
  const add = (path: string): void => void found.add(path.trim().split('.').slice(-2).join('.'));
  for (const s of project.setups) {
    s.stimulus.forEach((x) => x.kind !== 'send' && add(x.target));
    s.changes.forEach((c) => add(c.name));
  }
  for (const p of project.panels) p.controls.forEach((c) => add(c.target));
  for (const t of documentTexts(project)) if (t.kind === 'path' && t.place.includes('/sequence/')) add(t.text);
  return found;
}
