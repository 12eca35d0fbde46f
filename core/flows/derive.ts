import { table } from '../language/table';
import type { Flow, FlowLine } from '../project/project';
import { visitFlow, type FlowNode, type Visited } from './read-flow';

/** A requirement proposed for a step of a flow, in the house pattern, to be polished by hand. */
export interface Proposal {
  readonly line: FlowLine;
  readonly text: string;
}

/**
 * Sentences for the steps, waits and guarded branches of a flow: what people do the product must allow; what the
 * product does it must do when what came before has happened.
 */
export function proposeRequirements(
  flow: Pick<Flow, 'actor' | 'trigger'>,
  nodes: readonly FlowNode[],
  product: string,
  wanted: (line: string) => boolean,
): Proposal[] {
  const found: Proposal[] = [];
  const isPerson = (actor: string): boolean => actor !== '' && actor.toLowerCase() === flow.actor.toLowerCase();
  visitFlow(nodes, (v) => {
    if (!wanted(v.line.id)) return;
    const text = sentence(v, flow, product, isPerson);
    if (text) found.push({ line: v.line, text });
  });
  return found;
}

function sentence(
  v: Visited,
  flow: Pick<Flow, 'trigger'>,
  product: string,
  isPerson: (actor: string) => boolean,
): string | undefined {
  const { node } = v;
  const when = conditions(v, flow, isPerson);
  const lead = (clause: string): string => (clause ? `${clause[0].toUpperCase()}${clause.slice(1)}, the` : 'The');
  if ('guard' in node)
    return node.guard ? `${lead(`if ${article(node.guard)}`)} ${product} shall .... within .... s.` : undefined;
  switch (node.kind) {
    case 'step': {
      if (isPerson(node.actor))
        return `${lead(guarded(v))} ${product} shall let the ${node.actor} ${infinitive(node.text)}.`;
      return `${lead(when)} ${node.actor || product} shall ${infinitive(node.text)} within .... s.`;
    }
    case 'wait':
      return node.mode === 'time'
        ? `${lead(when)} ${product} shall wait for at least ${node.text}.`
        : `${lead(when)} ${product} shall wait ${node.mode} ${node.text}.`;
    case 'abort':
      return `When ${article(node.event)}, the ${product} shall stop within .... s.`;
    case 'repeat':
      return undefined;
    default:
      return undefined;
  }
}

const article = (text: string): string => text;

const guarded = (v: Visited): string =>
  v.guards.length > 0 && v.guards.at(-1) !== 'otherwise' ? `while ${v.guards.at(-1)}` : '';

function conditions(v: Visited, flow: Pick<Flow, 'trigger'>, isPerson: (actor: string) => boolean): string {
  const guard = v.guards.length > 0 && v.guards.at(-1) !== 'otherwise' ? `if ${v.guards.at(-1)}` : '';
  const { previous } = v;
  let after = '';
  if (previous?.kind === 'step')
    after = `when the ${previous.actor || (isPerson(previous.actor) ? previous.actor : 'product')} ${previous.text}`;
  else if (previous?.kind === 'wait' && previous.mode !== 'time') after = `when ${previous.text}`;
  else if (!previous && flow.trigger)
    after = `when ${flow.trigger.replace(/\.$/, '').replace(/^(The|A|An) /, (a) => a.toLowerCase())}`;
  if (previous?.kind === 'step' && !previous.actor) after = '';
  return [guard, after].filter(Boolean).join(', ');
}

/** "opens the guard" as "open the guard". */
export function infinitive(text: string): string {
  const [verb, ...rest] = text.replace(/\.$/, '').split(' ');
  const irregular: Readonly<Record<string, string>> = table({ is: 'be', has: 'have', does: 'do', goes: 'go' });
  const base =
    irregular[verb] ??
    (/[^aeiou]ies$/.test(verb)
      ? verb.replace(/ies$/, 'y')
      : /(ss|sh|ch|x|zz)es$/.test(verb)
        ? verb.replace(/es$/, '')
        : /[^s]s$/.test(verb)
          ? verb.slice(0, -1)
          : verb);
  return [base[0]?.toLowerCase() + base.slice(1), ...rest].join(' ');
}
