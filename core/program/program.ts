import type { FlatEquation, FlatSend, FlatStatement } from '../flatten/flat-model';
import { lookUp, rootSlope, walk, type FlatExpr } from '../flatten/flat-expression';
import { differentiate, type Unknown } from '../flatten/differentiate';
import type { Block, SolvableModel, TornBlock } from '../analysis/solvable-model';
import { writeFlatStep, type FlatStep } from './flat-step';
import { newPast, notePast, readPast, type Past } from './delay-line';
import { newton, newtonWork } from './newton';
import { writeJacobian } from './write-jacobian';
import {
  createExpressionWriter,
  type Branch,
  type ConditionMode,
  type ModeNumbers,
  type ModeSource,
  type WriterContext,
} from './write-expression';

/** What generated code works on: a machine made with a copy of it goes on from there. */
export interface Memory {
  /** Values of all variables. */
  readonly v: Float64Array;
  /** Values before the event, for `pre`. */
  readonly pre: Float64Array;
  /** Derivatives of the states. */
  readonly d: Float64Array;
  /** Held values of conditions and step functions. */
  readonly m: Float64Array;
  /** Their values as of now, and how far each condition is from changing. */
  readonly live: Float64Array;
  readonly z: Float64Array;
  /** 1 while a sample instant is being handled. */
  readonly s: Float64Array;
  /** [initial, terminal] */
  readonly flags: Float64Array;
  /** Past values that `delay` looks up. */
  readonly past: Past[];
}

export interface Machine {
  readonly memory: Memory;
  /** Derivatives of the states y at t, conditions held. */
  derivatives(t: number, y: Float64Array, dy: Float64Array): void;
  /** Partial derivatives of the derivatives by the states at (t, y): row after row, or in the order of `Program.jacobianRows`. */
  readonly jacobian: ((t: number, y: Float64Array, J: Float64Array) => void) | undefined;
  /** The stages of an explicit step with the right-hand side written in, for programs small enough. */
  readonly flatStep: FlatStep | undefined;
  /** All variables at t for the states in memory, conditions held. */
  outputs(t: number): void;
  /** All variables at t, conditions as of now. */
  event(t: number): void;
  /** As `event`, with the initial equations. */
  initial(t: number): void;
  /** `live` and `z` for the values in memory. */
  conditions(t: number): void;
  /** The argument of each root in `Program.roots`, and the size of the terms it is made of; NaN where its branch is not taken. */
  roots(t: number, out: Float64Array): void;
  /** How far the constraints, and at the start also its equations, are from holding. */
  residuals(t: number, out: Float64Array, start: boolean): void;
  parameters(overrides: ReadonlyMap<number, number>): void;
  starts(): void;
  /** Keeps the present values of what is delayed. */
  note(t: number): void;
  guard(k: number, t: number): boolean;
  /** Seconds of a time trigger, numbered over all triggers of all charts. */
  delay(k: number, t: number): number;
  /** Seconds between the do texts of a chart. */
  period(k: number, t: number): number;
  /** `after`: seconds until it is handed over, undefined for now. */
  effect(
    k: number,
    t: number,
    send: (send: FlatSend, args: number[], after?: number) => void,
    cancel: (what: { readonly sender: number; readonly message: string }) => void,
  ): void;
  action(k: number, t: number): number[];
  assertion(k: number, t: number): boolean;
  sampleTimes(k: number): { start: number; interval: number };
  /** How the residuals of a torn block change with its torn unknowns, row after row, for the values in memory. */
  loopSlopes(k: number, t: number, J: Float64Array): void;
}

export interface Program {
  readonly solvable: SolvableModel;
  readonly modes: readonly ModeSource[];
  /** Modes that nothing but watched values (of requirements, breakpoints) depends on. */
  readonly watchedModes: ReadonlySet<number>;
  /** Variables that can change between events. */
  readonly moving: ReadonlySet<number>;
  readonly sampleCount: number;
  /** What square roots are taken of, as far as it moves. */
  readonly roots: readonly FlatExpr[];
  /** Columns of each row of the written-out Jacobian, where there is one; the whole matrix where it is dense. */
  readonly jacobianRows: readonly (readonly number[])[] | undefined;
  /** The equations of each torn block, for messages. */
  readonly tornBlocks: readonly {
    readonly equations: readonly FlatEquation[];
    readonly unknowns: readonly Unknown[];
    readonly tears: number;
    readonly linear: boolean;
  }[];
  /** Effects in the order in which the simulator knows them: for each chart entry, do, exit, then transitions. */
  readonly effects: readonly (readonly FlatStatement[])[];
  /** Generated text, for inspection. */
  readonly source: string;
  newMemory(): Memory;
  /** A machine of its own; with the memory of another one it goes on from there. */
  createMachine(memory?: Memory): Machine;
}

const statementsPerFunction = 400;
/** Up to this many states, matrices are dense. */
export const smallestSparse = 40;
/** Derivatives longer than this are called instead of written into the steps. */
const longestInline = 120;

/** Writes the program of a solvable model: straight-line JavaScript over arrays, holding slot numbers and literals only. */
export function createProgram(solvable: SolvableModel): Program {
  const { model, states } = solvable;
  const slotOf = new Map(states.map((s, k) => [s, k]));
  const modes: ModeSource[] = [];
  const watchedModes = new Set<number>();
  const samples: { start: FlatExpr; interval: FlatExpr }[] = [];
  const tables: WriterContext['tables'] = [];
  const pasts: Extract<FlatExpr, { op: 'delay' }>[] = [];
  const numbers: ModeNumbers = new Map();
  const tornBlocks: { block: TornBlock; mode: ConditionMode }[] = [];
  const isState = new Set(states);
  const varies = (index: number): boolean => isState.has(index) || model.variables[index].kind === 'continuous';
  let locals = new Map<string, string>();
  const context: WriterContext = {
    modes,
    samples,
    delays: pasts,
    tables,
    varies,
    signs: new Map(),
    branches: new Map(),
    roots: new Map(),
    local: (kind, index) => locals.get(kind + index),
    stateSlot: (index) => slotOf.get(index) ?? 0,
  };
  const writer = (mode: ConditionMode) => createExpressionWriter(context, mode, numbers);
  const slot = (u: Unknown): string => (u.kind === 'var' ? `v[${u.index}]` : `d[${slotOf.get(u.index)}]`);
  const functions: string[] = [];

  /** Splits statements into functions small enough to be optimised; a name per function. */
  const chunked = (name: string, statements: readonly string[]): string => {
    const calls: string[] = [];
    for (let at = 0, k = 0; at < statements.length || k === 0; at += statementsPerFunction, k++) {
      functions.push(`function ${name}_${k}(t){${statements.slice(at, at + statementsPerFunction).join('')}}`);
      calls.push(`${name}_${k}(t);`);
    }
    return calls.join('');
  };

  const chunkedWith = (name: string, statements: readonly string[], ...names: readonly string[]): string => {
    const calls: string[] = [];
    for (let at = 0, k = 0; at < statements.length; at += statementsPerFunction, k++) {
      functions.push(
        `function ${name}_${k}(${names.join()}){${statements.slice(at, at + statementsPerFunction).join('')}}`,
      );
      calls.push(`${name}_${k}(${names.join()});`);
    }
    return calls.join('');
  };

  const writeBlocks = (blocks: readonly Block[], mode: ConditionMode): string[] => {
    const w = writer(mode);
    return blocks.flatMap((b) => {
      if (b.kind === 'assign') {
        if (mode === 'held' && b.discrete) return [];
        const before = modes.length;
        const text = `${slot(b.target)}=${w.value(b.value)};`;
        if (model.variables[b.target.index].watched) for (let k = before; k < modes.length; k++) watchedModes.add(k);
        return [text];
      }
      // in a loop conditions are held: the event iteration brings them up to date
      tornBlocks.push({ block: b, mode: 'held' });
      return [`solve_${tornBlocks.length - 1}(t);`];
    });
  };

  const movingOnes = movingBlocks(solvable, varies);
  const moving = new Set([
    ...states,
    ...movingOnes
      .flatMap((b) =>
        b.kind === 'torn' ? [...b.tears, ...b.inner.map((x) => x.target)] : b.discrete ? [] : [b.target],
      )
      .flatMap((u) => (u.kind === 'var' ? [u.index] : [])),
  ]);
  const allBlocks = writeBlocks(movingOnes, 'held');
  functions.push(`function outputs(t){${chunked('out', allBlocks)}}`);
  functions.push(`function event(t){${chunked('ev', writeBlocks(solvable.blocks, 'live'))}}`);
  const sameStart = solvable.initialBlocks === solvable.blocks;
  functions.push(
    `function initial(t){${sameStart ? 'event(t);' : chunked('ini', writeBlocks(solvable.initialBlocks, 'live'))}}`,
  );

  // derivatives: only what they need, in locals where nothing has to be solved
  const needed = neededBlocks(solvable);
  const simple = needed.every((b) => b.kind === 'assign') && needed.length <= statementsPerFunction;
  if (simple) {
    locals = new Map(states.map((s, k) => [`var${s}`, `y${k}`]));
    const w = writer('held');
    const head = states.map((_, k) => `const y${k}=y[${k}];`);
    const body = needed.map((b) => {
      if (b.kind !== 'assign') return '';
      const name = `${b.target.kind === 'var' ? 'a' : 'd'}${b.target.index}`;
      const text = `const ${name}=${w.value(b.value)};`;
      locals.set(b.target.kind + b.target.index, name);
      return text;
    });
    const tail = states.map((s, k) => `dy[${k}]=${locals.get(`der${s}`) ?? `d[${k}]`};`);
    functions.push(`function derivatives(t,y,dy){${head.join('')}${body.join('')}${tail.join('')}}`);
    if (needed.length <= longestInline && states.length <= longestInline / 2) {
      functions.push(
        writeFlatStep(states.length, (stage) => {
          locals = new Map(states.map((s, k) => [`var${s}`, `y${stage}_${k}`]));
          const text = needed.map((b) => {
            if (b.kind !== 'assign') return '';
            const name = `${b.target.kind === 'var' ? 'a' : 'd'}${b.target.index}`;
            const line = `const ${name}=${w.value(b.value)};`;
            locals.set(b.target.kind + b.target.index, name);
            return line;
          });
          return { body: text.join(''), derivatives: states.map((s, k) => locals.get(`der${s}`) ?? `d[${k}]`) };
        }),
      );
    } else functions.push('const flatStep=undefined;');
    locals = new Map();
  } else {
    const head = chunkedCopy(states, 'copy');
    functions.push(
      head.text,
      `function derivatives(t,y,dy){${head.call}${chunked('der', writeBlocks(needed, 'held'))}for(let k=0;k<${states.length};k++)dy[k]=d[k];}`,
      'const flatStep=undefined;',
    );
  }

  const jacobianIsDense = states.length <= smallestSparse;
  const jacobian = states.length > 0 ? writeJacobian(states, needed, writer('held').value, jacobianIsDense) : undefined;
  if (jacobian) {
    // the values of all blocks stand in memory first
    const head = chunkedCopy(states, 'jac');
    const values = writeBlocks(needed, 'held');
    functions.push(
      head.text,
      `const g=new Float64Array(${jacobian.slots});let J;`,
      `function jacobian(t,y,into){J=into;${jacobianIsDense ? 'J.fill(0);' : ''}${head.call}${chunked('jav', values)}${chunked('jap', jacobian.statements)}}`,
    );
  } else functions.push('const jacobian=undefined;');

  tornBlocks.forEach(({ block, mode }, k) => {
    locals = new Map();
    functions.push(writeTornBlock(k, block, writer(mode), slot, locals));
  });
  locals = new Map();

  const gap = (list: SolvableModel['invariants'], from: number): string[] => {
    const w = writer('plain');
    return list.map((e, k) => `r[${from + k}]=${w.value(e.left)}-${w.value(e.right)};`);
  };
  functions.push(
    `function residuals(t,r,start){${gap(solvable.invariants, 0).join('')}if(start){${gap(solvable.startEquations, solvable.invariants.length).join('')}}}`,
  );

  // conditions: everything numbered so far; guards and the like compute theirs plainly
  const plain = writer('plain');
  const held = writer('held');
  const takenText = (branches: readonly Branch[]): string =>
    branches
      .map(
        (b) => `${b.holds ? '' : '!'}(${held.condition(b.noEvent ? { op: 'noEvent', a: b.condition } : b.condition)})`,
      )
      .join('&&');
  const conditionStatements: string[] = [];
  for (let k = 0; k < modes.length; k++) {
    const source = modes[k];
    const look =
      source.kind === 'floor'
        ? `live[${k}]=Math.floor(${plain.value(source.expr)});z[${k}]=NaN;`
        : `z[${k}]=${plain.value(source.expr.a)}-${plain.value(source.expr.b)};live[${k}]=${plain.condition(source.expr)}?1:0;`;
    // what stands in a branch that is not taken decides nothing
    const taken = takenText(context.branches.get(k)!);
    conditionStatements.push(taken === '' ? look : `if(${taken}){${look}}else{live[${k}]=m[${k}];z[${k}]=NaN;}`);
  }
  functions.push(`function conditions(t){${chunked('con', conditionStatements)}}`);

  const roots = [...context.roots.keys()];
  functions.push(
    `function roots(t,into){${chunkedWith(
      'roo',
      roots.map((x, k) => {
        const [text, taken] = [
          `into[${2 * k}]=${plain.value(x)};into[${2 * k + 1}]=${termsSize(x, plain.value)};`,
          takenText(context.roots.get(x)!),
        ];
        return taken === '' ? text : `if(${taken}){${text}}else{into[${2 * k}]=NaN;}`;
      }),
      't',
      'into',
    )}}`,
  );

  const effects: (readonly FlatStatement[])[] = [];
  const guards: string[] = [];
  const delays: string[] = [];
  const periods: string[] = [];
  const sends: FlatSend[] = [];
  const cancels: { readonly sender: number; readonly message: string }[] = [];
  const writeStatements = (body: readonly FlatStatement[]): string =>
    body
      .map((s) => {
        switch (s.kind) {
          case 'assign':
            return `v[${s.target}]=${plain.value(s.value)};`;
          case 'send':
            sends.push(s.send);
            return `send(sends[${sends.length - 1}],[${s.send.args.map((a) => plain.value(a.value)).join(',')}]${s.send.after ? `,${plain.value(s.send.after)}` : ''});`;
          case 'cancel':
            cancels.push(s);
            return `cancel(cancels[${cancels.length - 1}]);`;
          case 'if':
            return (
              s.branches.map((x) => `if(${plain.condition(x.condition)}){${writeStatements(x.body)}}`).join('else ') +
              (s.otherwise.length ? `else{${writeStatements(s.otherwise)}}` : '')
            );
        }
      })
      .join('');
  for (const chart of model.charts) {
    effects.push(...chart.entry, ...chart.do, ...chart.exit, ...chart.transitions.map((t) => t.effect));
    periods.push(chart.period ? plain.value(chart.period) : 'Infinity');
    for (const t of chart.transitions) {
      guards.push(t.guard ? plain.condition(t.guard) : 'true');
      for (const g of t.triggers) delays.push(g.delay ? plain.value(g.delay) : '0');
    }
  }
  const table = (name: string, parameters: string, bodies: readonly string[]): string =>
    `const ${name}=[${bodies.map((x) => `(${parameters})=>${x}`).join(',')}];`;
  functions.push(
    table(
      'guardTable',
      't',
      guards.map((g) => `(${g})`),
    ),
  );
  functions.push(
    table(
      'delayTable',
      't',
      delays.map((g) => `(${g})`),
    ),
  );
  functions.push(
    table(
      'periodTable',
      't',
      periods.map((g) => `(${g})`),
    ),
  );
  functions.push(
    table(
      'effectTable',
      't,send,cancel',
      effects.map((e) => `{${writeStatements(e)}}`),
    ),
  );
  functions.push(
    table(
      'actionTable',
      't',
      model.actions.map((a) => {
        if (a.does.kind === 'reinit') return `[${plain.value(a.does.value)}]`;
        if (a.does.kind === 'send') return `[${a.does.send.args.map((x) => plain.value(x.value)).join(',')}]`;
        return '[]';
      }),
    ),
  );
  functions.push(
    table(
      'assertionTable',
      't',
      model.assertions.map((a) => `!!(${plain.condition(a.condition)})`),
    ),
  );
  const parameterStatements = solvable.parameters.map(
    (k) =>
      `if(o.has(${k}))v[${k}]=o.get(${k});else v[${k}]=${plain.value(model.variables[k].binding ?? { op: 'const', value: 0 })};`,
  );
  const startStatements = model.variables.flatMap((x, k) =>
    x.kind === 'constant' || x.kind === 'parameter'
      ? []
      : [`v[${k}]=${plain.value(x.start ?? { op: 'const', value: x.type === 'enumeration' ? 1 : 0 })};`],
  );
  functions.push(`function parameters(o){const t=0;${chunkedWith('par', parameterStatements, 't', 'o')}}`);
  functions.push(`function starts(){const t=0;${chunkedWith('sta', startStatements, 't')}}`);
  functions.push(
    table(
      'sampleTable',
      't',
      samples.map((x) => `({start:${plain.value(x.start)},interval:${plain.value(x.interval)}})`),
    ),
  );

  // delays may lie within delays
  const present: string[] = [];
  for (let k = 0; k < pasts.length; k++) present.push(`notePast(past[${k}],t,${plain.value(pasts[k].a)});`);
  functions.push(`function note(t){${present.join('')}}`);

  functions.push(`const slopesTable=[${tornBlocks.map((_, k) => `slopes_${k}`).join()}];`);
  const source = `"use strict";
const {v,pre,d,m,live,z,s,flags,past}=M;
const sq=(x)=>x*x,cube=(x)=>x*x*x,root=(x)=>x<0?0:Math.sqrt(x);
${functions.join('\n')}
return {outputs,event,initial,derivatives,jacobian,note,flatStep,residuals,parameters,starts,
conditions,roots,
guard:(k,t)=>!!guardTable[k](t),delay:(k,t)=>delayTable[k](t),period:(k,t)=>periodTable[k](t),effect:(k,t,send,cancel)=>effectTable[k](t,send,cancel),
action:(k,t)=>actionTable[k](t),assertion:(k,t)=>assertionTable[k](t),sampleTimes:(k)=>sampleTable[k](0),loopSlopes:(k,t,J)=>slopesTable[k](t,J)};`;
  const factory = new Function(
    'M',
    'newton',
    'works',
    'sends',
    'cancels',
    'readPast',
    'notePast',
    'lookUp',
    'tables',
    'rootSlope',
    source,
  ) as (
    M: Memory,
    solver: typeof newton,
    works: ReturnType<typeof newtonWork>[],
    sendTable: FlatSend[],
    cancelTable: typeof cancels,
    read: typeof readPast,
    note: typeof notePast,
    look: typeof lookUp,
    points: readonly { x: Float64Array; y: Float64Array }[],
    slope: typeof rootSlope,
  ) => Omit<Machine, 'memory'>;
  const newMemory = (): Memory => ({
    v: new Float64Array(model.variables.length),
    pre: new Float64Array(model.variables.length),
    d: new Float64Array(states.length),
    m: new Float64Array(modes.length),
    live: new Float64Array(modes.length),
    z: new Float64Array(modes.length),
    s: new Float64Array(samples.length),
    flags: new Float64Array(2),
    past: pasts.map(newPast),
  });
  return {
    solvable,
    modes,
    watchedModes,
    moving,
    sampleCount: samples.length,
    roots,
    jacobianRows: jacobian && !jacobianIsDense ? jacobian.rows : undefined,
    effects,
    source,
    newMemory,
    tornBlocks: tornBlocks.map(({ block }) => ({
      equations: [...block.inner.map((x) => x.equation), ...block.residuals.map((r) => r.equation)],
      unknowns: [...block.tears, ...block.inner.map((x) => x.target)],
      tears: block.tears.length,
      linear: block.linear,
    })),
    createMachine: (memory = newMemory()) => ({
      memory,
      ...factory(
        memory,
        newton,
        tornBlocks.map(({ block }) => newtonWork(block.tears.length)),
        sends,
        cancels,
        readPast,
        notePast,
        lookUp,
        tables.map((t) => ({ x: Float64Array.from(t.x), y: Float64Array.from(t.y) })),
        rootSlope,
      ),
    }),
  };
}

/** How large the terms of a sum are together: what its rounding is measured against. */
function termsSize(e: FlatExpr, write: (e: FlatExpr) => string): string {
  if (e.op === 'add' || e.op === 'sub') return `${termsSize(e.a, write)}+${termsSize(e.b, write)}`;
  if (e.op === 'neg' || e.op === 'noEvent') return termsSize(e.a, write);
  return `Math.abs(${write(e)})`;
}

function chunkedCopy(states: readonly number[], name: string): { text: string; call: string } {
  const parts: string[] = [];
  for (let at = 0; at < states.length; at += statementsPerFunction) {
    parts.push(
      `function ${name}_${parts.length}(y){${states
        .slice(at, at + statementsPerFunction)
        .map((s, k) => `v[${s}]=y[${at + k}];`)
        .join('')}}`,
    );
  }
  return { text: parts.join('\n'), call: parts.map((_, k) => `${name}_${k}(y);`).join('') };
}

/** Blocks whose values can change between events: those that follow, in the end, from states, time or a loop. */
function movingBlocks(solvable: SolvableModel, varies: (index: number) => boolean): Block[] {
  const settled = new Set<string>();
  const moves = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => {
      if (
        x.op === 'time' ||
        x.op === 'delay' ||
        (x.op === 'var' && varies(x.index) && !settled.has(`var${x.index}`)) ||
        (x.op === 'der' && !settled.has(`der${x.index}`))
      )
        found = true;
    });
    return found;
  };
  return solvable.blocks.filter((b) => {
    if (b.kind !== 'assign' || moves(b.value)) return true;
    settled.add(b.target.kind + b.target.index);
    // a derivative that rests is still read from where derivatives stand
    return b.target.kind === 'der';
  });
}

/** The blocks that the derivatives depend on. */
function neededBlocks(solvable: SolvableModel): Block[] {
  const key = (kind: string, index: number): string => kind + index;
  const wanted = new Set(solvable.states.map((s) => key('der', s)));
  const kept: Block[] = [];
  for (const b of [...solvable.blocks].reverse()) {
    const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
    if (!targets.some((u) => wanted.has(key(u.kind, u.index)))) continue;
    if (b.kind === 'assign' && b.discrete) continue;
    kept.push(b);
    const values =
      b.kind === 'assign' ? [b.value] : [...b.inner.map((x) => x.value), ...b.residuals.map((r) => r.value)];
    for (const e of values) walk(e, (x) => void ((x.op === 'var' || x.op === 'der') && wanted.add(key(x.op, x.index))));
  }
  return kept.reverse();
}

/** Residual and Jacobian of a torn block; the chain through the inner unknowns is followed symbolically. */
function writeTornBlock(
  k: number,
  b: TornBlock,
  w: { value(e: FlatExpr): string },
  slot: (u: Unknown) => string,
  locals: Map<string, string>,
): string {
  const n = b.tears.length;
  const setTears = b.tears.map((u, j) => `${slot(u)}=x[${j}];`).join('');
  const inner = b.inner.map((x) => `${slot(x.target)}=${w.value(x.value)};`).join('');
  const residuals = b.residuals.map((r, i) => `r[${i}]=${w.value(r.value)};`).join('');
  const jacobian: string[] = [];
  const position = new Map<string, number>();
  b.tears.forEach((u, j) => position.set(u.kind + u.index, j));
  const innerAt = new Map(b.inner.map((x, i) => [x.target.kind + x.target.index, i]));
  for (let j = 0; j < n; j++) {
    const depends = new Set<number>();
    const seed = (leaf: FlatExpr): FlatExpr => {
      if (leaf.op !== 'var' && leaf.op !== 'der') return { op: 'const', value: 0 };
      const name = leaf.op + leaf.index;
      if (position.has(name)) return { op: 'const', value: position.get(name) === j ? 1 : 0 };
      const i = innerAt.get(name);
      // the derivative of an inner unknown is kept in a local, which stands for a variable of no number
      return i !== undefined && depends.has(i) ? { op: 'var', index: -1 - i } : { op: 'const', value: 0 };
    };
    b.inner.forEach((_, i) => locals.set(`var${-1 - i}`, `g${j}_${i}`));
    b.inner.forEach((x, i) => {
      const e = differentiate(x.value, seed);
      if (e.op === 'const' && e.value === 0) return;
      jacobian.push(`const g${j}_${i}=${w.value(e)};`);
      depends.add(i);
    });
    b.residuals.forEach((r, i) => jacobian.push(`J[${i * n + j}]=${w.value(differentiate(r.value, seed))};`));
  }
  const read = b.tears.map((u, j) => `x[${j}]=${slot(u)};`).join('');
  const general = `const work=works[${k}],x=work.x;T_${k}=t;${read}newton(${k},${b.linear},work,residual_${k},jacobian_${k});`;
  const solve =
    n === 1
      ? writeScalarSolve(k, b, slot(b.tears[0]), inner, w.value(b.residuals[0].value), jacobian, general)
      : `function solve_${k}(t){${general}}`;
  // top-level functions: a solve must not allocate; T hands the time on
  return `let T_${k}=0;
function residual_${k}(x,r){const t=T_${k};${setTears}${inner}${residuals}}
function jacobian_${k}(J){const t=T_${k};${jacobian.join('')}}
function slopes_${k}(t,J){const work=works[${k}],x=work.x;T_${k}=t;${read}residual_${k}(x,work.residual);jacobian_${k}(J);}
${solve}`;
}

/**
 * Newton's method for one unknown, written out: most loops have one, and warm starts need two or three turns. Where it does not get closer
 * the general method starts over from the same guess.
 */
function writeScalarSolve(
  k: number,
  b: TornBlock,
  unknown: string,
  inner: string,
  residual: string,
  jacobian: readonly string[],
  general: string,
): string {
  const slope = jacobian.map((line) => line.replace(/^J\[0\]=(.*);$/, 'const slope=$1;')).join('');
  const done = b.linear ? 'true' : 'Math.abs(step)<=1e-12*(Math.abs(now)+1e-9)';
  return (
    `function solve_${k}(t){const first=${unknown};let now=first,size=Infinity,done=false;for(let turn=0;turn<9;turn++){${unknown}=now;${inner}const r=${residual},next=Math.abs(r);` +
    `if(next===0||(done&&next<Infinity))return;if(!(next<size||next<=1e-14*(1+size)))break;${slope}const step=r/slope;if(!(Math.abs(step)<Infinity))break;size=next;now-=step;done=${done};}` +
    `${unknown}=first;${general}}`
  );
}
