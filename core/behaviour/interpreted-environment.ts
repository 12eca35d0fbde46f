import { table } from '../language/table';
import { eventOf, type InterpretedChart } from './interpreted-chart';
import type { ChartRun } from './chart-run-types';
import { ExecutionError, type Dispatch, type Environment, type RunValue } from './interpreter';

/** What SCXML calls the ways in; there is one. */
export const processor = 'http://www.w3.org/TR/scxml/#SCXMLEventProcessor';

/** What the texts of a chart can see and do. */
export function interpretedEnvironment(c: InterpretedChart): Environment {
  const { values } = c;
  const processors: RunValue = { [processor]: { location: c.address }, scxml: { location: c.address } };
  const fixed: Readonly<Record<string, () => RunValue>> = table({
    event: () => c.event,
    time: () => c.time,
    _name: () => c.source.name,
    _sessionid: () => c.session,
    _ioprocessors: () => processors,
  });
  return {
    has: (name) => values.has(name) || name in fixed,
    get: (name) => (values.has(name) ? values.get(name) : fixed[name]?.()),
    set(name, value) {
      if (name in fixed) throw new ExecutionError(`${name} cannot be changed`);
      values.set(name, value);
    },
    declare: (name, value) => void (values.has(name) || values.set(name, value)),
    isActive: (name) => c.stateAt.has(name) && c.entered.has(c.stateAt.get(name)!),
    send(node, args, after) {
      if (node.receiver) throw new ExecutionError(`There is no ${node.receiver.parts[0].name} here`);
      const data: RunValue = 'content' in args ? args.content : Object.keys(args).length > 0 ? args : undefined;
      if (after === undefined) c.machine.post(eventOf(node.message, { data, type: 'internal' }), true);
      else handOver(c, node.message, data, after);
    },
    dispatch: (message) => dispatch(c, message),
    withdraw: (id) => withdraw(c, id),
    cancel: (message) => withdraw(c, message),
    result(value) {
      const { parent } = c.source.states[c.entering] ?? { parent: -1 };
      c.results.set(parent >= 0 ? `done.state.${c.source.states[parent].name}` : '', value);
    },
  };
}

function dispatch(c: InterpretedChart, { event, receiver: to, way, id, data, after = 0 }: Dispatch): void {
  if (way !== undefined && way !== processor && way !== `${processor}/` && way !== 'scxml')
    throw new ExecutionError(`Messages cannot be sent by way of ${String(way)}`);
  const sendid = id === undefined ? undefined : String(id);
  if (sendid !== undefined) c.sentAs.set(sendid, event);
  if (to === '#_internal')
    c.machine.post(eventOf(event, { data, type: 'internal', ...(sendid !== undefined && { sendid }) }), true);
  else if (to === undefined || to === c.address) handOver(c, event, data, after, sendid);
  else if (typeof to !== 'string' || !to.startsWith('#_'))
    throw new ExecutionError(`${String(to)} is nobody a message can be sent to`);
  else if (after > 0)
    c.later.push({ due: c.time + after, id: sendid, hand: () => toOther(c, to, event, data, sendid) });
  else toOther(c, to, event, data, sendid);
}

/** A message to itself that waits its turn among those from outside. */
function handOver(c: InterpretedChart, name: string, data: RunValue, after: number, sendid?: string): void {
  const sent = eventOf(name, { data, type: 'external', origin: c.address, ...(sendid !== undefined && { sendid }) });
  if (after > 0) c.machine.postLater(sent, c.time + after);
  else c.soon.push(sent);
}

function toOther(c: InterpretedChart, to: string, name: string, data: RunValue, sendid: string | undefined): void {
  const named = sendid !== undefined && { sendid };
  const hand = receiver(c, to);
  if (hand) hand(name, { data, type: 'external', origin: c.address, ...named });
  else
    c.machine.post(
      eventOf('error.communication', { data: `Nobody is there at ${to}`, type: 'platform', ...named }),
      true,
    );
}

function receiver(c: InterpretedChart, to: string): ChartRun['hand'] | undefined {
  if (to === '#_parent') return c.options.parent?.hand;
  return c.sessions.open.get(to.replace(/^#_scxml_/, '')) ?? c.services.receiver(to.replace(/^#_/, ''));
}

function withdraw(c: InterpretedChart, id: string): void {
  c.machine.cancel(0, c.sentAs.get(id) ?? id);
  c.later = c.later.filter((x) => x.id !== id);
}
