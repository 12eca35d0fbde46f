import type { ComponentElement, Equation, Expr, ModificationArgument, RefExpr } from '../language/ast';
import type { Problem, Span } from '../language/diagnostics';
import { argument, component, nameOf, nowhere, textValue, valueArgument } from '../language/make';
import { parseExpressionText } from '../language/parse';
import type { UnitContext } from '../language/unit-check';
import { walkExpression } from '../language/walk';
import type { Address } from '../project/address';
import type { PartType, SignalSheet } from '../project/document';
import { alongInputs, speaksOf } from './along';
import { signalBlocks, signalsPackage, type SignalBlock } from './catalogue';
import { blockOfType } from './block-of-type';
import { partOnLine, type PartOnLine } from './several-outputs';
import { at, readLines, type BlockLine } from './sheet-lines';
import { resultUnit, unitIn, unitsOf } from './sheet-units';
import type { SheetSurroundings, WireType } from './surroundings';
import { shapeOfExpression, wireShapes, type WireShape } from './wire-shapes';
import { wireTypes } from './wire-types';

/** What a sheet comes to: declarations and equations of its part type, each with its place. */
export interface LoweredSheet {
  readonly elements: readonly PlacedElement[];
  readonly equations: readonly PlacedEquation[];
  readonly problems: readonly Problem[];
}
/** An equation with a place of its own. */
export interface PlacedEquation {
  readonly equation: Equation;
  readonly place: Address;
}
export interface PlacedElement {
  readonly element: ComponentElement;
  readonly place: Address;
}
/** The signal sheets of a part type as declarations and equations of the one language. */
export function lowerSheets(type: PartType, around: SheetSurroundings): LoweredSheet {
  const elements: PlacedElement[] = [];
  const equations: PlacedEquation[] = [];
  const problems: Problem[] = [];
  const lines = type.signals.flatMap((sheet) => readLines(type, sheet, problems));
  const quantities = new Map(type.quantities.map((q) => [q.name, q]));
  const byName = new Map<string, BlockLine>();
  for (const line of lines) {
    const first = byName.get(line.name);
    if (first) {
      const where = first.sheet === line.sheet ? '' : ` on the sheet ${first.sheet.name}`;
      problems.push(at(line, 'two-lines', `${line.name} has a line already${where}: give one of them another name`));
      continue;
    }
    const q = quantities.get(line.name);
    if (q && q.role !== 'output' && q.role !== 'variable') {
      problems.push(
        at(
          line,
          'not-a-result',
          `${line.name} is ${q.role === 'input' ? 'an input' : `a ${q.role}`}: a line cannot say what it is`,
        ),
      );
      continue;
    }
    if (!q && around.isTaken(line.name)) {
      problems.push(at(line, 'taken', `${line.name} is the name of something else here: give the line another one`));
      continue;
    }
    byName.set(line.name, line);
  }
  const own = new Set([...byName.keys(), ...quantities.keys()]);
  const isFree = (name: string): boolean => !own.has(name) && !around.isTaken(name);
  const movingIn = (e: Expr): string | undefined => {
    let found: string | undefined;
    walkExpression(e, (x) => {
      if (found !== undefined || x.kind !== 'ref' || x.parts.length !== 1) return;
      const [{ name }] = x.parts;
      const role = quantities.get(name)?.role;
      if (name === 'time' || byName.has(name) || (role && role !== 'parameter' && role !== 'constant')) found = name;
    });
    return found;
  };
  const units = new Map<string, string>();
  const context = unitsOf(units, quantities, around);
  const types = wireTypes(byName, quantities, around);
  const severalOf = new Map<string, PartOnLine>();
  for (const line of byName.values()) {
    const found = partOnLine(line.expr, around);
    if (found) severalOf.set(line.name, found);
  }
  const shapes = wireShapes(byName);
  const clocks = new Map<SignalSheet, Clock | undefined>();
  for (const sheet of type.signals) {
    const place = `type/${type.id}/signals/${sheet.id}`;
    const clock = clockOf(sheet, place, isFree, own, problems);
    clocks.set(sheet, clock);
    if (clock) {
      elements.push(...clock.elements);
      equations.push(...clock.equations);
    }
  }
  // what a line is made of comes before it, so that its unit is known
  const done = new Set<BlockLine>();
  const lower = (line: BlockLine): void => {
    if (done.has(line)) return;
    done.add(line);
    walkExpression(line.expr, (x) => {
      const before = x.kind === 'ref' ? byName.get(x.parts[0].name) : undefined;
      if (before) lower(before);
    });
    const { sheet } = line;
    lowerLine(
      {
        line,
        lines: byName,
        sheet,
        clock: clocks.get(sheet),
        around,
        isFree,
        own,
        types,
        shapes,
        units,
        context,
        movingIn,
        severalOf,
        elements,
        equations,
        problems,
      },
      quantities.has(line.name),
    );
  };
  byName.forEach(lower);
  return { elements, equations, problems };
}

interface Clock {
  readonly tick: string;
  readonly period: Expr;
  readonly elements: readonly PlacedElement[];
  readonly equations: readonly PlacedEquation[];
}

/** The ticks of a sampled sheet. */
function clockOf(
  sheet: SignalSheet,
  place: Address,
  isFree: (name: string) => boolean,
  own: Set<string>,
  problems: Problem[],
): Clock | undefined {
  if (sheet.every.trim() === '') return undefined;
  const timeIn = (text: string, key: 'every' | 'offset'): Expr | undefined => {
    if (text.trim() === '') return { kind: 'number', value: 0, span: nowhere };
    const parsed = parseExpressionText(text);
    problems.push(...parsed.problems.map((p) => ({ ...p, place: `${place}/${key}` })));
    return parsed.problems.length > 0 ? undefined : parsed.value;
  };
  const [period, offset] = [timeIn(sheet.every, 'every'), timeIn(sheet.offset, 'offset')];
  if (!period || !offset) return undefined;
  const tick = freshName('tick', isFree, own);
  return {
    tick,
    period,
    elements: [{ element: component(tick, 'Boolean', undefined, { protected: true }), place: `${place}/every` }],
    equations: [
      {
        equation: {
          kind: 'equal',
          left: nameOf(tick),
          right: {
            kind: 'call',
            callee: 'sample',
            calleeSpan: nowhere,
            args: [offset, period],
            named: [],
            span: period.span,
          },
          span: nowhere,
        },
        place: `${place}/every`,
      },
    ],
  };
}

function freshName(wanted: string, isFree: (name: string) => boolean, own: Set<string>): string {
  let name = wanted;
  for (let k = 2; !isFree(name); k++) name = `${wanted}${k}`;
  own.add(name);
  return name;
}

interface LineLowering {
  readonly line: BlockLine;
  readonly lines: ReadonlyMap<string, BlockLine>;
  readonly sheet: SignalSheet;
  readonly clock: Clock | undefined;
  readonly around: SheetSurroundings;
  readonly isFree: (name: string) => boolean;
  readonly own: Set<string>;
  readonly types: ReadonlyMap<string, WireType>;
  readonly shapes: ReadonlyMap<string, WireShape>;
  /** Units of what lines and their blocks bring, by name or path. */
  readonly units: Map<string, string>;
  readonly context: UnitContext;
  /** The first name in a formula that changes during a run, as far as this part type knows. */
  readonly movingIn: (e: Expr) => string | undefined;
  /** Lines that are parts with several outputs, by their names. */
  readonly severalOf: ReadonlyMap<string, PartOnLine>;
  readonly elements: PlacedElement[];
  readonly equations: PlacedEquation[];
  readonly problems: Problem[];
}

function lowerLine(l: LineLowering, isQuantity: boolean): void {
  const { line, elements, types, units } = l;
  walkExpression(line.expr, (x) => {
    const [first, second] = x.kind === 'ref' ? x.parts : [];
    const part = first && !second && l.severalOf.get(first.name);
    if (part)
      l.problems.push(
        at(line, 'outputs', `Which output of ${first.name} is meant? It has ${outputsIn(first.name, part)}`, x.span),
      );
  });
  const part = l.severalOf.get(line.name);
  if (part && line.expr.kind === 'call') {
    if (isQuantity)
      return void l.problems.push(
        at(
          line,
          'outputs',
          `${line.name} is one value, and ${part.block.name} gives several: give the line a name of its own, then ${line.name} a line with one of them`,
        ),
      );
    const { block, isOwn } = part;
    if (!isOwn && !l.clock && !signalBlocks().continuous.has(block.name))
      return void l.problems.push(needsClock(line, block.name, line.expr.calleeSpan));
    partOf(l, block, isOwn ? block.name : packageName(block.name, l.clock), line.expr, line.name);
    for (const q of part.outputs) if (q.unit !== '') units.set(`${line.name}.${q.name}`, q.unit);
    return;
  }
  const value = withParts(l, line.expr);
  if (!isQuantity) {
    const type = types.get(line.name) ?? 'Real';
    const unit = type === 'Real' ? unitIn(l.context, value) : undefined;
    if (unit !== undefined) units.set(line.name, unit);
    const modification = { args: unit === undefined ? [] : [unitArgument(unit)] };
    const dimensions = (l.shapes.get(line.name) ?? []).map(countOf);
    elements.push({ element: component(line.name, type, modification, { dimensions }), place: line.place });
  }
  addEquation(l, nameOf(line.name), value, line.expr.span);
}

const needsClock = (line: BlockLine, name: string, span: Span): Problem =>
  at(line, 'only-sampled', `${name} needs a clock: give the sheet a period`, span);
const packageName = (name: string, clock: Clock | undefined): string =>
  `${signalsPackage}.${clock ? 'Sampled.' : ''}${name}`;

const outputsIn = (name: string, { outputs }: PartOnLine): string =>
  outputs.map((q) => `${name}.${q.name}`).join(' and ');

const countOf = (value: number): Expr => ({ kind: 'number', value, span: nowhere });

const unitArgument = (unit: string): ModificationArgument => valueArgument('unit', textValue(unit));

/** An equation of a line: always, or at each tick of its sheet. */
function addEquation({ line, clock, equations }: LineLowering, left: RefExpr, right: Expr, span: Span): void {
  const equal: Equation = { kind: 'equal', left, right, span };
  equations.push({
    place: `${line.place}/text`,
    equation: clock ? { kind: 'when', branches: [{ condition: nameOf(clock.tick), body: [equal] }], span } : equal,
  });
}

/** A formula in which blocks with memory stand as the outputs of parts. */
function withParts(l: LineLowering, e: Expr): Expr {
  const inside = (x: Expr): Expr => withParts(l, x);
  switch (e.kind) {
    case 'call': {
      const { continuous, sampled } = signalBlocks();
      const block = (l.clock ? sampled : continuous).get(e.callee);
      if (!block && l.clock && continuous.has(e.callee)) {
        l.problems.push(
          at(l.line, 'not-sampled', `${e.callee} has no sampled form: put it on a continuous sheet`, e.calleeSpan),
        );
        return e;
      }
      if (!block && !l.clock && sampled.has(e.callee)) {
        l.problems.push(needsClock(l.line, e.callee, e.calleeSpan));
        return e;
      }
      const own = block ? undefined : l.around.partType(e.callee);
      if (own) {
        const outputs = own.quantities.filter((q) => q.role === 'output');
        if (outputs.length !== 1) {
          const why =
            outputs.length === 0
              ? 'has no output: nothing comes out of it'
              : `has the outputs ${outputs.map((q) => q.name).join(', ')}: give it a line of its own, x = ${own.name}(...), and use x.${outputs[0].name}`;
          l.problems.push(at(l.line, 'outputs', `${own.name} ${why}`, e.calleeSpan));
          // it is told: nothing more is to be said of it
          return { kind: 'number', value: 0, span: e.span };
        }
        return partOf(l, blockOfType(own, outputs[0]), own.name, e);
      }
      if (!block)
        return { ...e, args: e.args.map(inside), named: e.named.map((n) => ({ ...n, value: inside(n.value) })) };
      if (block.isFunction)
        return {
          ...e,
          callee: `${signalsPackage}.${block.name}`,
          args: e.args.map(inside),
          named: e.named.map((n) => ({ ...n, value: inside(n.value) })),
        };
      if (block.outputs.length > 1) {
        l.problems.push(
          at(
            l.line,
            'outputs',
            `${block.name} has the outputs ${block.outputs.map((q) => q.name).join(', ')}: give it a line of its own, x = ${block.name}(...), and use x.${block.outputs[0].name}`,
            e.calleeSpan,
          ),
        );
        return { kind: 'number', value: 0, span: e.span };
      }
      return partOf(l, block, packageName(block.name, l.clock), e);
    }
    case 'ref':
      // which of its outputs is meant has been asked
      return e.parts.length === 1 && l.severalOf.has(e.parts[0].name) ? { kind: 'number', value: 0, span: e.span } : e;
    case 'unary':
      return { ...e, operand: inside(e.operand) };
    case 'binary':
      return { ...e, left: inside(e.left), right: inside(e.right) };
    case 'if':
      return {
        ...e,
        branches: e.branches.map((b) => ({ condition: inside(b.condition), value: inside(b.value) })),
        otherwise: inside(e.otherwise),
      };
    case 'array':
      return { ...e, elements: e.elements.map(inside) };
    default:
      return e;
  }
}

/** A block as a part of its own: what it takes becomes values of its inputs and parameters. */
function partOf(
  l: LineLowering,
  block: SignalBlock,
  typeName: string,
  e: Extract<Expr, { kind: 'call' }>,
  called?: string,
): Expr {
  const { line, clock, sheet } = l;
  const given = new Map<string, Expr>();
  e.args.forEach((a, k) => {
    const takes = block.takes[k];
    if (takes) given.set(takes.name, a);
    else
      l.problems.push(
        at(
          line,
          'arguments',
          `${block.name} takes ${block.takes.map((x) => x.name).join(', ') || 'nothing'}: this is one too many`,
          a.span,
        ),
      );
  });
  for (const n of e.named) {
    const takes = block.takes.find((x) => x.name === n.name);
    if (!takes)
      l.problems.push(
        at(
          line,
          'arguments',
          `${block.name} has no ${n.name}; it takes ${block.takes.map((x) => x.name).join(', ')}`,
          n.span,
        ),
      );
    else if (given.has(n.name)) l.problems.push(at(line, 'arguments', `${n.name} is given twice`, n.span));
    else given.set(n.name, n.value);
  }
  const missing = block.takes.filter((x) => !x.isParameter && !x.hasDefault && !given.has(x.name));
  if (missing.length > 0)
    l.problems.push(
      at(line, 'not-fed', `Nothing feeds ${missing.map((x) => x.name).join(', ')} of ${block.name}`, e.calleeSpan),
    );
  const name = called ?? freshName(`${line.name}_${block.name}`, l.isFree, l.own);
  // given several numbers where it takes one, it is there once for each
  const shapeOf = (x: Expr): WireShape => shapeOfExpression(x, (n) => l.shapes.get(n) ?? []);
  const several = [...given].flatMap(([key, x]) =>
    block.takes.find((t) => t.name === key)?.isArray ? [] : [shapeOf(x)],
  );
  const shape = several.find((s) => s.length > 0) ?? [];
  if (called !== undefined && shape.length > 0)
    l.problems.push(
      at(line, 'shape', `${block.name} takes single numbers and has several outputs: give it one number each`, e.span),
    );
  const args: ModificationArgument[] = [];
  const set = (path: string, value: Expr, isForAll = true): void =>
    void args.push({ ...valueArgument(path, value), each: shape.length > 0 && isForAll });
  for (const takes of block.takes) {
    const value = given.get(takes.name);
    const moves = value && takes.isParameter ? l.movingIn(value) : undefined;
    if (moves !== undefined)
      l.problems.push(
        at(
          line,
          'moving-parameter',
          `${takes.name} of ${block.name} is a parameter: it cannot follow ${moves}, which changes during a run`,
          value!.span,
        ),
      );
    else if (value) {
      const isForAll = takes.isArray === true || shapeOf(value).length === 0;
      const isAlong = block.along?.some((a) => a.formulas === takes.name) === true;
      if (isAlong) tellWhatIsHeld(l, name, takes.name, value);
      const lowered = withParts(l, value);
      given.set(takes.name, lowered);
      if (!isAlong) set(takes.name, lowered, isForAll);
    }
  }
  const tell = (message: string, span: Span): void => void l.problems.push(at(line, 'states', message, span));
  for (const [key, value] of alongInputs(block, name, given, tell)) set(key, value);
  if (clock && typeName.startsWith(`${signalsPackage}.`)) {
    set('tick', nameOf(clock.tick));
    set('period', clock.period);
    set('method', { kind: 'number', value: samplingNumber[sheet.method], span: nowhere });
  }
  const unit = typeName.startsWith(`${signalsPackage}.`)
    ? resultUnit(block, (k) => {
        const value = given.get(block.takes[k].name);
        return value && unitIn(l.context, value);
      })
    : block.unit;
  if (unit) {
    l.units.set(`${name}.${block.gives}`, unit);
    if (typeName.startsWith(`${signalsPackage}.`))
      args.push({ ...argument([block.gives], { args: [unitArgument(unit)] }), each: shape.length > 0 });
  }
  l.elements.push({
    // what a part type of the project does inside is looked at like that of any part
    element: component(
      name,
      typeName,
      { args },
      {
        protected: typeName.startsWith(`${signalsPackage}.`) && called === undefined,
        dimensions: shape.map(countOf),
      },
    ),
    place: called === undefined ? `${line.place}/text` : line.place,
  });
  return { ...nameOf(name, block.gives), span: e.span };
}

/** In formulas over the states of a block, what does not follow these is told: what has a memory of its own, and other lines. */
function tellWhatIsHeld(l: LineLowering, name: string, input: string, e: Expr): void {
  const { continuous, sampled } = signalBlocks();
  const blocks = l.clock ? sampled : continuous;
  const told = new Set<string>();
  walkExpression(e, (x) => {
    if (x.kind === 'call') {
      const hasMemory = blocks.get(x.callee)?.isFunction === false || l.around.partType(x.callee) !== undefined;
      if (hasMemory && speaksOf(x, name))
        l.problems.push(
          at(l.line, 'states', `${x.callee} has a memory of its own: it cannot follow the states in ${input}`, x.span),
        );
    }
    const other = x.kind === 'ref' ? x.parts[0].name : name;
    if (other === name || told.has(other) || !followsFrom(l.lines, other, name)) return;
    told.add(other);
    l.problems.push({
      ...at(
        l.line,
        'held',
        `${other} follows from ${name}: here it is taken as known, and held from tick to tick. What shall follow the states is written out with ${name}.x`,
        x.span,
      ),
      severity: 'info',
    });
  });
}

/** Whether what a line gives depends on another line. */
function followsFrom(
  lines: ReadonlyMap<string, BlockLine>,
  name: string,
  from: string,
  seen = new Set<string>(),
): boolean {
  const line = lines.get(name);
  if (!line || seen.has(name)) return false;
  seen.add(name);
  let found = false;
  walkExpression(line.expr, (x) => {
    if (x.kind !== 'ref' || found) return;
    const [first] = x.parts;
    found = first.name === from || followsFrom(lines, first.name, from, seen);
  });
  return found;
}

/** As the sampled blocks know them. */
export const samplingNumber: Readonly<Record<SignalSheet['method'], number>> = { hold: 1, tustin: 2, backward: 3 };
