import type { TermFunction } from './functions';
import type {
  Condition,
  Instruction,
  InstructionList,
  Quotient,
  Root,
  Slot,
  SolvedBlock,
  Term,
  Truth,
} from './instructions';

/**
 * JavaScript from an instruction list: straight lines over arrays, holding numbers only. Routines are split where they are long, so that
 * each is small enough to be optimised; blocks of equations are solved by Newton's method with their own residual and Jacobian.
 */
const statementsPerFunction = 400;

const symbols = { lt: '<', le: '<=', gt: '>', ge: '>=', eq: '===', ne: '!==', add: '+', sub: '-', mul: '*', div: '/' };

/** Functions that are not those of `Math` under the same name. */
const ownFunctions: Partial<Readonly<Record<TermFunction, string>>> = {
  square: 'sq',
  cube: 'cube',
  root: 'root',
  rootSlope: 'rootSlope',
};

const literal = (value: number): string =>
  Number.isNaN(value)
    ? 'NaN'
    : value === Infinity
      ? 'Infinity'
      : value === -Infinity
        ? '(-Infinity)'
        : value < 0 || Object.is(value, -0)
          ? `(${Object.is(value, -0) ? '-0' : value})`
          : String(value);

const place = ({ of, index }: Slot): string => `${of}[${index}]`;

export function writeTerm(e: Term): string {
  switch (e.op) {
    case 'const':
      return literal(e.value);
    case 'slot':
      return place(e);
    case 'local':
      return `x${e.id}`;
    case 'scalar':
      return e.name;
    case 'neg':
      return `(-${writeTerm(e.a)})`;
    case 'add':
    case 'sub':
    case 'mul':
    case 'div':
      return `(${writeTerm(e.a)}${symbols[e.op]}${writeTerm(e.b)})`;
    case 'call':
      return `${ownFunctions[e.name] ?? `Math.${e.name}`}(${e.args.map(writeTerm).join()})`;
    case 'choose':
      return `(${writeTruth(e.c)}?${writeTerm(e.a)}:${writeTerm(e.b)})`;
    case 'bit':
      return `(${writeTruth(e.c)}?1:0)`;
    case 'hold':
      return `(m[${e.condition}]=${kept(e.condition, e.distance && writeTerm(e.distance), writeTerm(e.a))})`;
    case 'table':
      return `lookUp(tables[${e.table}].x,tables[${e.table}].y,${writeTerm(e.a)},${e.slope})`;
    case 'noted':
      return toldText(e.decision, writeTerm(e.a), e.conditions);
    case 'past':
      return `readPast(past[${e.past}],t,${writeTerm(e.by)})`;
  }
}

export function writeTruth(e: Truth): string {
  switch (e.op) {
    case 'and':
      return `(${writeTruth(e.a)}&&${writeTruth(e.b)})`;
    case 'or':
      return `(${writeTruth(e.a)}||${writeTruth(e.b)})`;
    case 'not':
      return `!${writeTruth(e.a)}`;
    case 'always':
      return 'true';
    case 'told':
      return toldText(e.decision, writeTruth(e.a), e.conditions);
    case 'is':
      return writeTerm(e.a);
    default:
      return `(${writeTerm(e.a)}${symbols[e.op]}${writeTerm(e.b)})`;
  }
}

/** Conditions as bits of one word, the first the lowest; they are looked at after the value. */
const toldText = (decision: number, value: string, conditions: readonly Truth[]): string =>
  `told(${decision},${value},${conditions.map((c, k) => `(${writeTruth(c)}?${2 ** k}:0)`).join('|') || '0'})`;

export function writeInstruction(x: Instruction): string {
  switch (x.do) {
    case 'set':
      return `${place(x.to)}=${writeTerm(x.value)};`;
    case 'let':
      return `const ${writeTerm(x.to)}=${writeTerm(x.value)};`;
    case 'change':
      return `${writeTerm(x.to)}=${writeTerm(x.value)};`;
    case 'at':
      return `{const t=${writeTerm(x.time)};${writeAll(x.body)}}`;
    case 'if':
      return (
        x.branches.map((b) => `if(${writeTruth(b.condition)}){${writeAll(b.body)}}`).join('else ') +
        (x.otherwise.length > 0 ? `else{${writeAll(x.otherwise)}}` : '')
      );
    case 'solve':
      return `solve_${x.block}(t);`;
    case 'send': {
      const after = x.after ? `,${writeTerm(x.after)}` : '';
      return `send(sends[${x.message}],[${x.args.map(writeTerm).join()}]${after});`;
    }
    case 'cancel':
      return `cancel(cancels[${x.message}]);`;
  }
}

const writeAll = (list: readonly Instruction[]): string => list.map(writeInstruction).join('');

/** The text of a function of `M` (the memory) and the helpers that `machine.ts` hands in; it returns the routines of a machine. */
export function writeJavaScript(list: InstructionList): string {
  const functions: string[] = [];
  /** Statements as functions small enough to be optimised; the text that calls them. */
  const chunked = (name: string, statements: readonly string[], parameters = 't'): string => {
    const calls: string[] = [];
    for (let at = 0; at < statements.length; at += statementsPerFunction) {
      const part = `${name}_${calls.length}`;
      functions.push(`function ${part}(${parameters}){${statements.slice(at, at + statementsPerFunction).join('')}}`);
      calls.push(`${part}(${parameters});`);
    }
    return calls.join('');
  };
  const routine = (name: string, instructions: readonly Instruction[]): string =>
    chunked(name, instructions.map(writeInstruction));
  const table = (name: string, parameters: string, bodies: readonly string[]): void =>
    void functions.push(`const ${name}=[${bodies.map((x) => `(${parameters})=>${x}`).join()}];`);
  /** The states from where a method keeps them into memory. */
  const loadStates = (name: string): string =>
    chunked(
      name,
      list.states.map((s, k) => `v[${s}]=y[${k}];`),
      'y',
    );

  functions.push(`function outputs(t){${routine('out', list.outputs)}}`);
  functions.push(`function event(t){${routine('ev', list.event)}}`);
  functions.push(`function initial(t){${list.initial ? routine('ini', list.initial) : 'event(t);'}}`);
  const { derivatives, flatStep, jacobian } = list;
  functions.push(
    derivatives.through === 'locals'
      ? `function derivatives(t,y,dy){${writeAll(derivatives.body)}}`
      : `function derivatives(t,y,dy){${loadStates('copy')}${routine('der', derivatives.body)}for(let k=0;k<${list.states.length};k++)dy[k]=d[k];}`,
  );
  functions.push(flatStep ? writeFlatStep(flatStep) : 'const flatStep=undefined;');
  if (jacobian) {
    const clear = jacobian.dense ? 'into.fill(0);' : '';
    functions.push(
      `const g=new Float64Array(${jacobian.size});let into;`,
      `function jacobian(t,y,J){into=J;${clear}${loadStates('jac')}${routine('jav', jacobian.values)}${routine('jap', jacobian.partials)}}`,
    );
  } else functions.push('const jacobian=undefined;');
  list.blocks.forEach((b, k) => functions.push(writeBlock(b, k)));
  const gaps = (terms: readonly Term[], from: number): string =>
    terms.map((x, k) => `r[${from + k}]=${writeTerm(x)};`).join('');
  functions.push(
    `function residuals(t,r,start){${gaps(list.constraints, 0)}if(start){${gaps(list.startEquations, list.constraints.length)}}}`,
  );
  functions.push(`function conditions(t){${chunked('con', list.conditions.map(writeCondition))}}`);
  functions.push(`function roots(t,into){${chunked('roo', list.roots.map(writeRoot), 't,into')}}`);
  functions.push(`function quotients(t,into){${chunked('quo', list.quotients.map(writeQuotient), 't,into')}}`);
  const parameters = list.parameters.map(
    ({ variable: k, value }) => `if(o.has(${k}))v[${k}]=o.get(${k});else v[${k}]=${writeTerm(value)};`,
  );
  functions.push(`function parameters(o){const t=0;${chunked('par', parameters, 't,o')}}`);
  functions.push(`function starts(){const t=0;${routine('sta', list.starts)}}`);
  functions.push(`function note(t){${list.pasts.map((x, k) => `notePast(past[${k}],t,${writeTerm(x)});`).join('')}}`);
  table(
    'guardTable',
    't',
    list.guards.map((g) => `(${writeTruth(g)})`),
  );
  table(
    'askedTable',
    't',
    list.asked.map((x) => (x ? writeTruth(x) : 'false')),
  );
  table('delayTable', 't', list.delays.map(writeTerm));
  table('periodTable', 't', list.periods.map(writeTerm));
  table(
    'effectTable',
    't,send,cancel',
    list.effects.map((e) => `{${writeAll(e)}}`),
  );
  table(
    'actionTable',
    't',
    list.actions.map((a) => `[${a.map(writeTerm).join()}]`),
  );
  table(
    'assertionTable',
    't',
    list.assertions.map((a) => `!!(${writeTruth(a)})`),
  );
  table(
    'sampleTable',
    't',
    list.samples.map((x) => `({start:${writeTerm(x.start)},interval:${writeTerm(x.interval)}})`),
  );
  functions.push(`const slopesTable=[${list.blocks.map((_, k) => `slopes_${k}`).join()}];`);
  return `"use strict";
const {v,pre,d,m,live,z,rests,s,flags,past}=M;
const sq=(x)=>x*x,cube=(x)=>x*x*x,root=(x)=>x<0?0:Math.sqrt(x);
${functions.join('\n')}
return {outputs,event,initial,derivatives,jacobian,note,flatStep,residuals,parameters,starts,conditions,roots,quotients,
guard:(k,t)=>!!guardTable[k](t),asked:(k,t)=>void askedTable[k](t),delay:(k,t)=>delayTable[k](t),period:(k,t)=>periodTable[k](t),effect:(k,t,send,cancel)=>effectTable[k](t,send,cancel),
action:(k,t)=>actionTable[k](t),assertion:(k,t)=>assertionTable[k](t),sampleTimes:(k)=>sampleTable[k](0),loopSlopes:(k,t,J)=>slopesTable[k](t,J)};`;
}

function writeFlatStep({ locals, body }: NonNullable<InstructionList['flatStep']>): string {
  const declared = locals.length > 0 ? `let ${locals.map((x) => `${writeTerm(x)}=0`).join()};` : '';
  return `function flatStep(t0,h,y,k1,k3,k4,k5,k6,k7,yNew,error,absolute,relative,sums){${declared}${writeAll(body)}}`;
}

/** What a condition is: what it was, while it rests within its band around zero. */
const kept = (k: number, distance: string | undefined, now: string): string =>
  distance === undefined ? now : `rests[${k}]&&Math.abs(${distance})<rests[${k}]?m[${k}]:${now}`;

function writeCondition({ distance, now, taken }: Condition, k: number): string {
  const live = kept(k, distance && `z[${k}]`, writeTerm(now));
  const look = `z[${k}]=${distance ? writeTerm(distance) : 'NaN'};live[${k}]=${live};`;
  return taken.op === 'always' ? look : `if(${writeTruth(taken)}){${look}}else{live[${k}]=m[${k}];z[${k}]=NaN;}`;
}

function writeRoot({ argument, size, taken }: Root, k: number): string {
  const look = `into[${2 * k}]=${writeTerm(argument)};into[${2 * k + 1}]=${writeTerm(size)};`;
  return taken.op === 'always' ? look : `if(${writeTruth(taken)}){${look}}else{into[${2 * k}]=NaN;}`;
}

function writeQuotient({ dividend, divisor, taken }: Quotient, k: number): string {
  const look = `into[${2 * k}]=${writeTerm(divisor)};into[${2 * k + 1}]=${writeTerm(dividend)};`;
  return taken.op === 'always' ? look : `if(${writeTruth(taken)}){${look}}else{into[${2 * k}]=NaN;}`;
}

/** Top-level functions: a solve must not allocate; T hands the time on. */
function writeBlock(b: SolvedBlock, k: number): string {
  const n = b.tears.length;
  const inner = writeAll(b.inner);
  const partials = writeAll(b.partials);
  const setTears = b.tears.map((u, j) => `${place(u)}=x[${j}];`).join('');
  const read = b.tears.map((u, j) => `x[${j}]=${place(u)};`).join('');
  const residuals = b.residuals.map((r, i) => `r[${i}]=${writeTerm(r)};`).join('');
  const jacobian = b.jacobian.map((x, i) => `J[${i}]=${writeTerm(x)};`).join('');
  const general = `const work=works[${k}],x=work.x;T_${k}=t;${read}newton(${k},${b.linear},work,residual_${k},jacobian_${k});`;
  return `let T_${k}=0;
function residual_${k}(x,r){const t=T_${k};${setTears}${inner}${residuals}}
function jacobian_${k}(J){const t=T_${k};${partials}${jacobian}}
function slopes_${k}(t,J){const work=works[${k}],x=work.x;T_${k}=t;${read}residual_${k}(x,work.residual);jacobian_${k}(J);}
${n === 1 ? writeScalarSolve(b, k, inner, partials, general) : `function solve_${k}(t){${general}}`}`;
}

/**
 * Newton's method for one unknown, written out: most loops have one, and warm starts need two or three turns. Where it does not get closer
 * the general method starts over from the same guess.
 */
function writeScalarSolve(b: SolvedBlock, k: number, inner: string, partials: string, general: string): string {
  const unknown = place(b.tears[0]);
  const done = b.linear ? 'true' : 'Math.abs(step)<=1e-12*(Math.abs(now)+1e-9)';
  return (
    `function solve_${k}(t){const first=${unknown};let now=first,size=Infinity,done=false;for(let turn=0;turn<9;turn++){${unknown}=now;${inner}const r=${writeTerm(b.residuals[0])},next=Math.abs(r);` +
    `if(next===0||(done&&next<Infinity))return;if(!(next<size||next<=1e-14*(1+size)))break;${partials}const step=r/${writeTerm(b.jacobian[0])};if(!(Math.abs(step)<Infinity))break;size=next;now-=step;done=${done};}` +
    `${unknown}=first;${general}}`
  );
}
