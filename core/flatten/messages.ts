import { problem } from '../language/diagnostics';
import type { Builder } from './builder';
import type { ClassInstance, Instance } from './instance';
import { carries } from '../project/project';
import type { MessagePort } from './library';

/** Who is reached through a message port. */
export interface MessageRoutes {
  port(instance: ClassInstance, name: string): MessagePort | undefined;
  /** Numbers of the parts that receive a message sent to a port of a part. */
  receivers(instance: ClassInstance, port: string, message: string): readonly number[];
}

const portOf = (instance: ClassInstance, name: string): MessagePort | undefined =>
  instance.bodies.flatMap((body) => body.behaviour?.messagePorts ?? []).find((p) => p.name === name);

interface End {
  readonly instance: ClassInstance;
  readonly port: string;
}

/**
 * Messages leave a part through a port that sends them, run over a link to the port of a neighbour that accepts them, and from there on inwards;
 * or outwards through a port of the part around that sends them too. A link carries both ways what its two ports allow.
 */
export function createRoutes(b: Builder): MessageRoutes {
  const key = (end: End): string => `${end.instance.part}:${end.port}`;
  // by the end: what it is linked to, and the part in which the link lies
  const links = new Map<string, { other: End; inside: ClassInstance }[]>();
  const add = (from: End, other: End, inside: ClassInstance): void =>
    void links.set(key(from), [...(links.get(key(from)) ?? []), { other, inside }]);
  for (const { instance } of b.parts) {
    for (const link of instance.bodies.flatMap((body) => body.behaviour?.messageLinks ?? [])) {
      const from = endpoint(instance, link.from);
      const to = endpoint(instance, link.to);
      for (const [end, text] of [
        [from, link.from],
        [to, link.to],
      ] as const) {
        if (!end || !portOf(end.instance, end.port)) {
          b.report(
            link.place,
            problem(
              'error',
              'unknown-port',
              `${text} is not a message port of ${instance.ref.definition.name} or of one of its parts`,
            ),
          );
        }
      }
      if (!from || !to) continue;
      add(from, to, instance);
      add(to, from, instance);
    }
  }
  return {
    port: portOf,
    receivers(instance, port, message) {
      const found: number[] = [];
      const seen = new Set<string>();
      const once = (end: End, way: string): boolean =>
        !seen.has(`${way} ${key(end)}`) && !!seen.add(`${way} ${key(end)}`);
      const takes = (end: End): boolean => carries(portOf(end.instance, end.port)?.accepts ?? [], message);
      const enter = (end: End): void => {
        if (!takes(end) || !once(end, 'in')) return;
        found.push(end.instance.part);
        inwards(end);
      };
      const inwards = (end: End): void =>
        (links.get(key(end)) ?? []).forEach(({ other, inside }) => inside === end.instance && enter(other));
      const leave = (end: End): void => {
        if (!carries(portOf(end.instance, end.port)?.sends ?? [], message) || !once(end, 'out')) return;
        for (const { other, inside } of links.get(key(end)) ?? []) {
          if (inside === end.instance) continue;
          if (other.instance === inside) leave(other);
          else enter(other);
        }
      };
      const start = { instance, port };
      leave(start);
      // a part may also tell what is inside it, through its own port
      if (takes(start)) inwards(start);
      return found;
    },
  };
}

function endpoint(instance: ClassInstance, path: string): { instance: ClassInstance; port: string } | undefined {
  const names = path.split('.');
  let at: Instance | undefined = instance;
  for (const name of names.slice(0, -1)) at = at?.kind === 'class' ? at.members.get(name) : undefined;
  return at?.kind === 'class' ? { instance: at, port: names.at(-1)! } : undefined;
}
