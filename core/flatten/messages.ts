import { problem } from '../language/diagnostics';
import type { Builder } from './builder';
import type { ClassInstance, Instance } from './instance';
import type { MessagePort } from './library';

/** Who is reached through a message port. */
export interface MessageRoutes {
  port(instance: ClassInstance, name: string): MessagePort | undefined;
  /** Numbers of the parts that receive a message sent to a port of a part. */
  receivers(instance: ClassInstance, port: string, message: string): readonly number[];
}

const portOf = (instance: ClassInstance, name: string): MessagePort | undefined =>
  instance.bodies.flatMap((body) => body.behaviour?.messagePorts ?? []).find((p) => p.name === name);

export function createRoutes(b: Builder): MessageRoutes {
  const key = (instance: ClassInstance, port: string): string => `${instance.part}:${port}`;
  const links = new Map<string, { instance: ClassInstance; port: string }[]>();
  for (const { instance } of b.parts) {
    for (const link of instance.bodies.flatMap((body) => body.behaviour?.messageLinks ?? [])) {
      const from = endpoint(instance, link.from);
      const to = endpoint(instance, link.to);
      for (const [end, text] of [[from, link.from], [to, link.to]] as const) {
        if (!end || !portOf(end.instance, end.port)) {
          b.report(link.place, problem('error', 'unknown-port', `${text} is not a message port of ${instance.ref.definition.name} or of one of its parts`));
        }
      }
      if (!from || !to) continue;
      const k = key(from.instance, from.port);
      links.set(k, [...(links.get(k) ?? []), to]);
    }
  }
  return {
    port: portOf,
    receivers(instance, port, message) {
      const found: number[] = [];
      const seen = new Set<string>();
      const follow = (at: ClassInstance, name: string): void => {
        const k = key(at, name);
        if (seen.has(k)) return;
        seen.add(k);
        for (const next of links.get(k) ?? []) {
          const target = portOf(next.instance, next.port);
          if (target && (target.messages.length === 0 || target.messages.includes(message))) {
            if (target.direction === 'in') found.push(next.instance.part);
            follow(next.instance, next.port);
          }
        }
      };
      follow(instance, port);
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
