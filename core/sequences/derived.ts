import { stepStatements } from '../behaviour/procedure-steps';
import { readStep, whole } from '../lines/flow-line';
import { readFlow, type FlowNode } from '../flows/read-flow';
import type { SendNode, Statement } from '../language/ast';
import { printExpression, printReference } from '../language/print';
import { carries, type PartType, type Procedure, type Project } from '../project/project';
import type { PictureRow, SequencePicture } from './picture';
import { outside } from './read-sequence';

/** The lane of steps nobody does yet. */
const notAllotted = 'not allotted';

/**
 * The sequence a procedure comes to when its steps are allotted to parts: what one part brings forth and another takes runs
 * between them, messages run to who receives them, choices are alt, repeats loop, splits par. What nobody inside brings forth
 * comes from outside, what nobody inside takes leaves to the outside.
 */
export function derivedPicture(project: Project, type: PartType, procedure: Procedure): SequencePicture {
  const read = readFlow(
    { id: procedure.id, lines: procedure.lines },
    type.procedures.map((p) => ({ id: p.id, name: p.name, lines: p.lines })),
  );
  const rows: PictureRow[] = [];
  const used: string[] = [];
  const column = (p: string): string => {
    if (!used.includes(p)) used.push(p);
    return p;
  };
  const actorOf = (actor: string): string => (actor === '' ? notAllotted : actor);
  const taken = itemsOf(read.nodes, (s) => [...s.takes, ...s.uses]);
  /** Who has brought an item forth last. */
  const from = new Map<string, string>();
  let count = 0;
  const id = (line: string): string => `${line}/${count++}`;

  const step = (node: Extract<FlowNode, { kind: 'step' }>, depth: number): void => {
    const text = readStep(whole(node.text));
    const actor = column(actorOf(node.actor));
    for (const item of text.takes) {
      const giver = column(from.get(item) ?? outside);
      if (giver !== actor)
        rows.push({
          kind: 'message',
          id: id(node.line.id),
          from: giver,
          to: actor,
          text: item,
          time: undefined,
          tone: 'item',
          depth,
        });
    }
    for (const item of text.uses) {
      const giver = column(from.get(item) ?? outside);
      if (giver !== actor)
        rows.push({
          kind: 'message',
          id: id(node.line.id),
          from: giver,
          to: actor,
          text: item,
          time: undefined,
          tone: 'available',
          depth,
        });
    }
    const sends = sendsIn(stepStatements(text.action.text).statements);
    if (sends.length === 0 && text.action.text !== '')
      rows.push({ kind: 'does', id: id(node.line.id), part: actor, text: text.action.text, time: undefined, depth });
    for (const s of sends) {
      const args = s.args.map((a) => `${a.name} = ${printExpression(a.value)}`).join(', ');
      const receivers = s.receiver ? receiversOf(project, type, printReference(s.receiver), s.message) : [actor];
      for (const to of receivers)
        rows.push({
          kind: 'message',
          id: id(node.line.id),
          from: actor,
          to: column(to),
          text: args ? `${s.message}(${args})` : s.message,
          time: undefined,
          tone: 'plain',
          depth,
        });
    }
    for (const item of text.gives) {
      from.set(item, actor);
      if (!taken.has(item))
        rows.push({
          kind: 'message',
          id: id(node.line.id),
          from: actor,
          to: column(outside),
          text: item,
          time: undefined,
          tone: 'item',
          depth,
        });
    }
  };
  const frame = (line: string, word: string, text: string, depth: number, inner: () => void): void => {
    rows.push({ kind: 'frame', id: id(line), word, text, depth, time: undefined });
    inner();
    rows.push({ kind: 'end', id: id(line), text: '', depth, time: undefined });
  };
  const walk = (nodes: readonly FlowNode[], depth: number): void => {
    for (const n of nodes) {
      switch (n.kind) {
        case 'step':
          step(n, depth);
          break;
        case 'wait':
          rows.push({
            kind: 'does',
            id: id(n.line.id),
            part: '',
            text: `wait ${n.mode === 'time' ? '' : `${n.mode} `}${n.text}`,
            time: undefined,
            depth,
          });
          break;
        case 'call':
          rows.push({ kind: 'does', id: id(n.line.id), part: '', text: `call ${n.name}`, time: undefined, depth });
          break;
        case 'choice':
          frame(n.branches[0].line.id, n.branches.length > 1 ? 'alt' : 'opt', n.branches[0].guard, depth, () =>
            n.branches.forEach((b, k) => {
              if (k > 0)
                rows.push({ kind: 'branch', id: id(b.line.id), text: b.guard || 'else', depth, time: undefined });
              walk(b.body, depth + 1);
            }),
          );
          break;
        case 'repeat':
          frame(n.line.id, 'loop', n.text, depth, () => walk(n.body, depth + 1));
          break;
        case 'abort':
          frame(n.line.id, 'abort', n.event, depth, () => walk(n.body, depth + 1));
          break;
        case 'parallel':
          frame(n.line.id, 'par', n.lanes[0]?.name ?? '', depth, () =>
            n.lanes.forEach((l, k) => {
              if (k > 0) rows.push({ kind: 'branch', id: id(l.line.id), text: l.name, depth, time: undefined });
              walk(l.body, depth + 1);
            }),
          );
      }
    }
  };
  walk(read.nodes, 0);
  const typeOf = new Map(type.parts.map((p) => [p.name, project.types.find((t) => t.id === p.type)?.name ?? '']));
  const order = [
    ...(used.includes(outside) ? [outside] : []),
    ...used.filter((p) => p !== outside && p !== notAllotted),
    ...(used.includes(notAllotted) ? [notAllotted] : []),
  ];
  return {
    participants: order.map((p) => ({ id: p, label: p === '' ? type.name : p, typeName: typeOf.get(p) ?? '' })),
    rows,
  };
}

const sendsIn = (statements: readonly Statement[]): SendNode[] =>
  statements.flatMap((s) =>
    s.kind === 'send'
      ? [s]
      : s.kind === 'if'
        ? [...s.branches.flatMap((b) => sendsIn(b.body)), ...sendsIn(s.otherwise)]
        : [],
  );

function itemsOf(nodes: readonly FlowNode[], pick: (s: ReturnType<typeof readStep>) => readonly string[]): Set<string> {
  const found = new Set<string>();
  const walk = (list: readonly FlowNode[]): void => {
    for (const n of list) {
      if (n.kind === 'step') pick(readStep(whole(n.text))).forEach((x) => found.add(x));
      else if (n.kind === 'choice') n.branches.forEach((b) => walk(b.body));
      else if (n.kind === 'parallel') n.lanes.forEach((l) => walk(l.body));
      else if (n.kind === 'repeat' || n.kind === 'abort') walk(n.body);
    }
  };
  walk(nodes);
  return found;
}

/** Parts of a type that a message sent to one of its ports or parts reaches, one level down. */
function receiversOf(project: Project, type: PartType, receiver: string, message: string): string[] {
  if (type.parts.some((p) => p.name === receiver)) return [receiver];
  const takes = (part: string, port: string): boolean => {
    const inner = project.types.find((t) => t.id === type.parts.find((p) => p.name === part)?.type);
    const found = inner?.ports.find((p) => p.name === port);
    return found !== undefined && carries(found.accepts, message);
  };
  const reached = type.links
    .flatMap((l) => (l.from === receiver ? [l.to] : l.to === receiver ? [l.from] : []))
    .flatMap((end) => {
      const [part, port] = end.split('.');
      return port !== undefined && takes(part, port) ? [part] : [];
    });
  return reached.length > 0 ? reached : [outside];
}
