import { readActor, readLine, readWait } from '../lines/flow-line';
import type { Flow, FlowLine, Project } from '../project/project';

/**
 * A flow is typed as lines; the first words of a line say what it is, and lines further to the right stand inside the
 * line above. Anything that begins with no such word is a step, with who does it before a colon.
 */
export type FlowNode =
  | { readonly kind: 'step'; readonly line: FlowLine; readonly actor: string; readonly text: string }
  | { readonly kind: 'wait'; readonly line: FlowLine; readonly mode: 'time' | 'until' | 'for'; readonly text: string }
  | { readonly kind: 'call'; readonly line: FlowLine; readonly name: string; readonly target: string | undefined }
  | { readonly kind: 'choice'; readonly branches: readonly FlowBranch[] }
  | { readonly kind: 'parallel'; readonly line: FlowLine; readonly lanes: readonly FlowLane[] }
  | { readonly kind: 'repeat'; readonly line: FlowLine; readonly text: string; readonly body: readonly FlowNode[] }
  | { readonly kind: 'abort'; readonly line: FlowLine; readonly event: string; readonly body: readonly FlowNode[] };

export interface FlowBranch {
  readonly line: FlowLine;
  /** Empty for "else". */
  readonly guard: string;
  readonly body: readonly FlowNode[];
}

export interface FlowLane {
  readonly line: FlowLine;
  readonly name: string;
  readonly body: readonly FlowNode[];
}

export interface FlowProblem {
  readonly line: string;
  readonly message: string;
}

export interface ReadFlow {
  readonly nodes: readonly FlowNode[];
  readonly problems: readonly FlowProblem[];
}

export function readFlow(
  flow: Pick<Flow, 'id' | 'lines'>,
  flows: readonly Pick<Flow, 'id' | 'name' | 'lines'>[] = [],
): ReadFlow {
  const problems: FlowProblem[] = [];
  const lines = flow.lines.filter((l) => l.text.trim() !== '');
  const say = (line: FlowLine, message: string): void => void problems.push({ line: line.id, message });
  let at = 0;
  const body = (depth: number, owner: FlowLine | undefined): FlowNode[] => {
    const nodes: FlowNode[] = [];
    while (at < lines.length && lines[at].depth >= depth) {
      const line = lines[at];
      if (line.depth > depth && !(owner === undefined && at === 0)) {
        const above = nodes.at(-1);
        if (above) say(line, 'Nothing can stand inside a step: this line belongs further left');
      }
      nodes.push(...node(line, depth, nodes));
    }
    return nodes;
  };
  const inside = (line: FlowLine): FlowNode[] => {
    const found = at < lines.length && lines[at].depth > line.depth ? body(lines[at].depth, line) : [];
    return found;
  };
  const node = (line: FlowLine, depth: number, before: readonly FlowNode[]): FlowNode[] => {
    at++;
    const { kind, rest } = readLine(line.text);
    const { text } = rest;
    switch (kind) {
      case 'empty':
        return [];
      case 'step': {
        const { actor, action } = readActor(rest);
        return [{ kind: 'step', line, actor: actor?.text ?? '', text: action.text }];
      }
      case 'wait': {
        const { mode, what } = readWait(rest);
        if (what.text === '')
          say(line, 'Wait for what? "wait 2 s", "wait until the cap is seated", "wait for tubeSeen"');
        else if (mode === 'time' && !/\d/.test(what.text)) say(line, 'How long? "wait 2 s"; or "wait until ..."');
        return [{ kind: 'wait', line, mode, text: what.text }];
      }
      case 'call': {
        const target = flows.find((f) => f.name.toLowerCase() === text.toLowerCase());
        if (text === '') say(line, 'Call which flow?');
        else if (!target) say(line, `There is no flow "${text}"`);
        else if (reaches(target, flow.id, flows)) say(line, `"${text}" comes back to this flow: it would never end`);
        return [{ kind: 'call', line, name: text, target: target?.id }];
      }
      case 'repeat': {
        if (text === '') say(line, 'How often? "repeat 3 times", "repeat while ...", "repeat until ..."');
        const inner = inside(line);
        if (inner.length === 0) say(line, 'Nothing stands inside: what is repeated?');
        return [{ kind: 'repeat', line, text, body: inner }];
      }
      case 'abort': {
        if (text === '') say(line, 'Which event stops it? "abort on the guard opens"');
        const inner = inside(line);
        if (inner.length === 0) say(line, 'Nothing stands inside: what does the event stop?');
        return [{ kind: 'abort', line, event: text, body: inner }];
      }
      case 'together': {
        const lanes: FlowLane[] = [];
        if (at < lines.length && lines[at].depth > line.depth) {
          const inner = lines[at].depth;
          while (at < lines.length && lines[at].depth >= inner) {
            const first = lines[at];
            const reading = readLine(first.text);
            if (reading.kind === 'lane') {
              at++;
              lanes.push({ line: first, name: reading.rest.text, body: inside(first) });
              if (lanes.at(-1)!.body.length === 0) say(first, 'Nothing stands inside this lane');
            } else lanes.push({ line: first, name: '', body: node(first, inner, []) });
          }
        }
        if (lanes.length < 2) say(line, 'At least two things go on together: write each on a line inside');
        return [{ kind: 'parallel', line, lanes }];
      }
      case 'lane':
        say(line, 'A lane stands inside "together"');
        return inside(line);
      case 'if': {
        const branches: FlowBranch[] = [{ line, guard: text, body: inside(line) }];
        if (text === '') say(line, 'If what?');
        while (at < lines.length && lines[at].depth === line.depth) {
          const next = lines[at];
          const reading = readLine(next.text);
          if (reading.kind !== 'else' && reading.kind !== 'else-if') break;
          at++;
          branches.push({ line: next, guard: reading.kind === 'else' ? '' : reading.rest.text, body: inside(next) });
          if (reading.kind === 'else') break;
        }
        for (const b of branches) if (b.body.length === 0) say(b.line, 'Nothing stands inside this branch');
        return [{ kind: 'choice', branches }];
      }
      case 'else-if':
      case 'else': {
        void before;
        void depth;
        say(line, 'There is no "if" before this');
        return [{ kind: 'choice', branches: [{ line, guard: text, body: inside(line) }] }];
      }
    }
  };
  return { nodes: body(0, undefined), problems };
}

function reaches(
  from: Pick<Flow, 'id' | 'name' | 'lines'>,
  id: string,
  flows: readonly Pick<Flow, 'id' | 'name' | 'lines'>[],
  seen = new Set<string>(),
): boolean {
  if (from.id === id) return true;
  if (seen.has(from.id)) return false;
  seen.add(from.id);
  return from.lines.some((l) => {
    const { kind, rest } = readLine(l.text);
    const text = rest.text;
    const next = kind === 'call' ? flows.find((f) => f.name.toLowerCase() === text.toLowerCase()) : undefined;
    return next !== undefined && reaches(next, id, flows, seen);
  });
}

/** Every node of a flow with what stands around it, in reading order. */
export interface Visited {
  readonly node: FlowNode | FlowBranch;
  readonly line: FlowLine;
  /** Guards of the branches it stands in, outermost first. */
  readonly guards: readonly string[];
  /** Events that would abort it. */
  readonly aborts: readonly string[];
  /** What was done just before, in the same sequence. */
  readonly previous: FlowNode | undefined;
}

export function visitFlow(
  nodes: readonly FlowNode[],
  visit: (v: Visited) => void,
  guards: readonly string[] = [],
  aborts: readonly string[] = [],
  before?: FlowNode,
): void {
  let previous = before;
  for (const node of nodes) {
    switch (node.kind) {
      case 'choice':
        for (const b of node.branches) {
          visit({ node: b, line: b.line, guards, aborts, previous });
          visitFlow(b.body, visit, [...guards, b.guard === '' ? 'otherwise' : b.guard], aborts, previous);
        }
        break;
      case 'parallel':
        visit({ node, line: node.line, guards, aborts, previous });
        for (const lane of node.lanes) visitFlow(lane.body, visit, guards, aborts, previous);
        break;
      case 'repeat':
        visit({ node, line: node.line, guards, aborts, previous });
        visitFlow(node.body, visit, guards, aborts, previous);
        break;
      case 'abort':
        visit({ node, line: node.line, guards, aborts, previous });
        visitFlow(node.body, visit, guards, [...aborts, node.event], previous);
        break;
      default:
        visit({ node, line: node.line, guards, aborts, previous });
    }
    previous = node;
  }
}

const read = new WeakMap<Flow, { readonly flows: Project['flows']; readonly result: ReadFlow }>();

/** The flow of a project, read once as long as neither it nor the others change. */
export function projectFlow(project: Project, flow: Flow): ReadFlow {
  const known = read.get(flow);
  if (known && known.flows === project.flows) return known.result;
  const result = readFlow(flow, project.flows);
  read.set(flow, { flows: project.flows, result });
  return result;
}
