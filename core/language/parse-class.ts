import type { Span } from './diagnostics';
import type {
  Causality,
  ClassDefinition,
  ClassKind,
  ComponentElement,
  Element,
  Equation,
  Expr,
  ExtendsElement,
  ImportElement,
  Modification,
  ModificationArgument,
  Statement,
  Variability,
} from './ast';
import { emptyModification } from './ast';
import { parseExpression } from './parse-expression';
import { parseEquations, parseStatements } from './parse-body';
import { tokenText, type TokenStream } from './token-stream';

const classWords = new Set([
  'model',
  'block',
  'class',
  'connector',
  'record',
  'type',
  'function',
  'package',
  'operator',
]);
const sectionWords: ReadonlySet<string> = new Set(
  'end equation algorithm initial public protected annotation external model block class connector record type function package extends import parameter constant input output discrete'.split(
    ' ',
  ),
);

const dottedName = (s: TokenStream): { name: string; start: number; end: number } | undefined => {
  const start = s.peek().start;
  let name = s.accept('.') ? '.' : '';
  do {
    const t = s.peek();
    if (t.kind !== 'name' && t.kind !== 'quoted') {
      s.report('expected-name', `Expected a name, but found ${tokenText(t)}`);
      return undefined;
    }
    s.next();
    name += name === '' || name === '.' ? t.text : `.${t.text}`;
    if (s.at('.') && (s.peek(1).text === '*' || s.peek(1).text === '{')) break;
  } while (s.accept('.'));
  return { name, start, end: s.lastEnd() };
};

const description = (s: TokenStream): string => {
  if (s.peek().kind !== 'string') return '';
  let text = s.next().text;
  while (s.at('+') && s.peek(1).kind === 'string') {
    s.next();
    text += s.next().text;
  }
  return text;
};

const annotation = (s: TokenStream): Modification | undefined =>
  s.accept('annotation') ? parseModificationArguments(s) : undefined;

function dimensions(s: TokenStream): Expr[] {
  const found: Expr[] = [];
  if (!s.accept('[')) return found;
  do {
    const t = s.peek();
    if (s.accept(':')) found.push({ kind: 'colon', span: { start: t.start, end: t.end } });
    else found.push(parseExpression(s));
  } while (s.accept(','));
  s.expect(']', 'An array size');
  return found;
}

/** `(a = 1, each b(start = 2), redeclare model M = N)` */
export function parseModificationArguments(s: TokenStream): Modification {
  const args: ModificationArgument[] = [];
  if (!s.expect('(', 'A modification')) return emptyModification;
  while (!s.at(')') && s.peek().kind !== 'end-of-text') {
    const before = s.position();
    s.enter();
    args.push(parseModificationArgument(s));
    s.leave();
    if (!s.accept(',') && !s.at(')')) {
      if (s.position() === before) s.next();
      break;
    }
  }
  s.expect(')', 'A modification');
  return { args };
}

function parseModificationArgument(s: TokenStream): ModificationArgument {
  const start = s.peek().start;
  let each = false;
  let final = false;
  let redeclare = false;
  let replaceable = false;
  for (;;) {
    if (s.accept('each')) each = true;
    else if (s.accept('final')) final = true;
    else if (s.accept('redeclare')) redeclare = true;
    else if (s.accept('replaceable')) replaceable = true;
    else break;
  }
  if (redeclare || replaceable) {
    const element = parseElement(s, false, { redeclare: true, replaceable, terminated: false });
    const target = element?.find(
      (e): e is ComponentElement | ClassDefinition => e.kind === 'component' || e.kind === 'class',
    );
    return {
      path: [target?.name ?? ''],
      each,
      final,
      modification: emptyModification,
      ...(target && { redeclare: target }),
      span: { start, end: s.lastEnd() },
    };
  }
  const isBroken = s.accept('break');
  const name = dottedName(s);
  const modification = isBroken ? emptyModification : parseModification(s);
  description(s);
  return {
    path: (name?.name ?? '').split('.'),
    ...(name && { pathSpan: { start: name.start, end: name.end } }),
    each,
    final,
    modification,
    ...(isBroken && { isBroken: true }),
    span: { start, end: s.lastEnd() },
  };
}

export function parseModification(s: TokenStream): Modification {
  const args = s.at('(') ? parseModificationArguments(s).args : [];
  if (s.accept('=') || s.accept(':=')) return { args, value: parseExpression(s) };
  return { args };
}

interface ElementContext {
  readonly redeclare: boolean;
  readonly replaceable: boolean;
  /** Ends with `;` and may carry several components. */
  readonly terminated: boolean;
}

/** One element of a class: a component clause gives several components. */
export function parseElement(s: TokenStream, isProtected: boolean, context: ElementContext): Element[] | undefined {
  const start = s.peek().start;
  if (s.at('import')) return parseImport(s);
  if (s.accept('extends')) {
    const base = dottedName(s);
    const modification = s.at('(') ? parseModificationArguments(s) : emptyModification;
    annotation(s);
    const element: ExtendsElement = {
      kind: 'extends',
      base: base?.name ?? '',
      baseSpan: { start: base?.start ?? start, end: base?.end ?? start },
      modification,
      span: { start, end: s.lastEnd() },
    };
    endElement(s, 'An extends clause');
    return base ? [element] : [];
  }
  let { redeclare, replaceable } = context;
  let final = false,
    inner = false,
    outer = false;
  for (;;) {
    if (s.accept('redeclare')) redeclare = true;
    else if (s.accept('final')) final = true;
    else if (s.accept('inner')) inner = true;
    else if (s.accept('outer')) outer = true;
    else if (s.accept('replaceable')) replaceable = true;
    else break;
  }
  if (atClass(s)) {
    const definition = parseClass(s, { redeclare, replaceable });
    if (s.accept('constrainedby')) {
      dottedName(s);
      parseModification(s);
    }
    description(s);
    annotation(s);
    if (context.terminated) endElement(s, 'A class');
    return [definition];
  }
  let flow: ComponentElement['flow'] = 'none';
  let variability: Variability = 'continuous';
  let causality: Causality = 'none';
  for (;;) {
    if (s.accept('flow')) flow = 'flow';
    else if (s.accept('stream')) flow = 'stream';
    else if (s.accept('discrete')) variability = 'discrete';
    else if (s.accept('parameter')) variability = 'parameter';
    else if (s.accept('constant')) variability = 'constant';
    else if (s.accept('input')) causality = 'input';
    else if (s.accept('output')) causality = 'output';
    else break;
  }
  const type = dottedName(s);
  if (!type) return undefined;
  const typeDimensions = dimensions(s);
  const components: ComponentElement[] = [];
  do {
    const name = s.peek();
    if (name.kind !== 'name' && name.kind !== 'quoted') {
      s.report('expected-name', `A declaration of ${type.name} needs a name, but found ${tokenText(name)}`);
      break;
    }
    s.next();
    const ownDimensions = dimensions(s);
    const modification = parseModification(s);
    const condition = s.accept('if') ? parseExpression(s) : undefined;
    const text = description(s);
    const note = annotation(s);
    components.push({
      kind: 'component',
      name: name.text,
      nameSpan: { start: name.start, end: name.end },
      typeName: type.name,
      typeSpan: { start: type.start, end: type.end },
      dimensions: [...ownDimensions, ...typeDimensions],
      variability,
      causality,
      flow,
      inner,
      outer,
      final,
      replaceable,
      redeclare,
      protected: isProtected,
      modification,
      ...(condition && { condition }),
      description: text,
      ...(note && { annotation: note }),
      span: { start: components.length === 0 ? start : name.start, end: s.lastEnd() },
    });
  } while (context.terminated && s.accept(','));
  let constraint: Modification | undefined;
  if (s.accept('constrainedby')) {
    dottedName(s);
    constraint = parseModification(s);
    description(s);
    annotation(s);
  }
  if (context.terminated) endElement(s, 'A declaration');
  return constraint ? components.map((c) => ({ ...c, constraint })) : components;
}

function parseImport(s: TokenStream): ImportElement[] {
  const start = s.next().start;
  let alias: string | undefined;
  if (s.peek(1).text === '=') {
    alias = s.next().text;
    s.next();
  }
  const path = dottedName(s)?.name ?? '';
  let wildcard = false;
  let names: string[] | undefined;
  // `.*` is also an operator, and read as one
  if (s.accept('.*')) wildcard = true;
  else if (s.accept('.')) {
    if (s.accept('{')) names = parseImportedNames(s);
    else wildcard = s.accept('*');
  }
  description(s);
  const span = { start, end: s.lastEnd() };
  endElement(s, 'An import');
  if (names) return names.map((name) => ({ kind: 'import', path: `${path}.${name}`, wildcard, span }));
  return [{ kind: 'import', ...(alias && { alias }), path, wildcard, span }];
}

/** `{a, b}` after the path of an import. */
function parseImportedNames(s: TokenStream): string[] {
  const names: string[] = [];
  do {
    const t = s.peek();
    if (t.kind !== 'name' && t.kind !== 'quoted') {
      s.report('expected-name', `Expected a name, but found ${tokenText(t)}`);
      break;
    }
    names.push(s.next().text);
  } while (s.accept(','));
  s.expect('}', 'An import of several names');
  return names;
}

function endElement(s: TokenStream, what: string): void {
  if (s.expect(';', what)) return;
  const t = s.peek();
  if (t.kind === 'keyword' && sectionWords.has(t.text)) return;
  s.recover(sectionWords);
}

export function atClass(s: TokenStream): boolean {
  for (let k = 0; k < 5; k++) {
    const t = s.peek(k);
    if (t.kind !== 'keyword') return false;
    if (classWords.has(t.text)) return true;
    if (!['partial', 'encapsulated', 'pure', 'impure', 'expandable', 'final', 'replaceable'].includes(t.text))
      return false;
  }
  return false;
}

export function parseClass(s: TokenStream, prefix: { redeclare: boolean; replaceable: boolean }): ClassDefinition {
  s.enter();
  const read = readClass(s, prefix);
  s.leave();
  return read;
}

function readClass(s: TokenStream, prefix: { redeclare: boolean; replaceable: boolean }): ClassDefinition {
  const start = s.peek().start;
  let partial = false,
    expandable = false;
  let classKind: ClassKind = 'class';
  for (;;) {
    const t = s.peek();
    if (t.kind !== 'keyword') break;
    if (t.text === 'partial') partial = true;
    else if (t.text === 'expandable') expandable = true;
    else if (classWords.has(t.text)) {
      if (classKind !== 'operator') classKind = t.text as ClassKind;
      s.next();
      if (t.text === 'operator') continue;
      break;
    } else if (
      t.text !== 'encapsulated' &&
      t.text !== 'pure' &&
      t.text !== 'impure' &&
      t.text !== 'final' &&
      t.text !== 'replaceable'
    )
      break;
    s.next();
  }
  const extendsBase = s.accept('extends');
  const nameToken = s.peek();
  const name = nameToken.kind === 'name' || nameToken.kind === 'quoted' ? s.next().text : '';
  if (name === '') s.report('expected-name', `A ${classKind} needs a name, but found ${tokenText(nameToken)}`);
  const base = {
    kind: 'class' as const,
    classKind,
    name,
    nameSpan: { start: nameToken.start, end: nameToken.end },
    partial,
    expandable,
    ...prefix,
    external: false,
  };
  const nothing = { elements: [], equations: [], initialEquations: [], algorithms: [], initialAlgorithms: [] };
  if (s.accept('=')) {
    if (s.accept('enumeration')) {
      const literals: string[] = [];
      s.expect('(', 'An enumeration');
      while (s.peek().kind === 'name') {
        literals.push(s.next().text);
        description(s);
        annotation(s);
        if (!s.accept(',')) break;
      }
      s.expect(')', 'An enumeration');
      const text = description(s);
      annotation(s);
      return { ...base, ...nothing, description: text, enumeration: literals, span: { start, end: s.lastEnd() } };
    }
    if (classKind === 'function' && s.at('der')) {
      s.next();
      return { ...base, ...nothing, ...derivativeOf(s, start) };
    }
    const causality: Causality = s.accept('input') ? 'input' : s.accept('output') ? 'output' : 'none';
    const target = dottedName(s);
    const size = dimensions(s);
    const modification = s.at('(') ? parseModificationArguments(s) : emptyModification;
    const text = description(s);
    annotation(s);
    return {
      ...base,
      ...nothing,
      description: text,
      short: {
        base: target?.name ?? '',
        baseSpan: { start: target?.start ?? start, end: target?.end ?? start },
        dimensions: size,
        causality,
        modification,
      },
      span: { start, end: s.lastEnd() },
    };
  }
  const elements: Element[] = [];
  if (extendsBase) {
    elements.push({
      kind: 'extends',
      base: name,
      baseSpan: base.nameSpan,
      modification: s.at('(') ? parseModificationArguments(s) : emptyModification,
      span: base.nameSpan,
    });
  }
  const text = description(s);
  const body = parseComposition(s, elements);
  if (s.expect('end', `The ${classKind} ${name}`)) {
    const t = s.peek();
    if (t.kind === 'name' || t.kind === 'quoted') {
      if (t.text !== name) {
        s.report(
          'end-name',
          `This ends "${t.text}", but the ${classKind} here is "${name}"`,
          { start: t.start, end: t.end },
          [{ title: `Write ${name}`, span: { start: t.start, end: t.end }, text: name }],
        );
      }
      s.next();
    } else s.report('end-name', `The end of ${name} repeats its name: end ${name};`);
  }
  return { ...base, description: text, ...body, span: { start, end: s.lastEnd() } };
}

type Composition = Pick<
  ClassDefinition,
  'elements' | 'equations' | 'initialEquations' | 'algorithms' | 'initialAlgorithms' | 'annotation' | 'external'
>;

/** Whether what comes next is an equation, as no declaration begins. */
/** `der(g, x, y)`: the function that is the partial derivative of another one (Modelica language 3.6, 12.7.2). */
function derivativeOf(s: TokenStream, start: number): Pick<ClassDefinition, 'description' | 'short' | 'span'> {
  s.expect('(', 'A partial derivative');
  const target = dottedName(s);
  const derivative: { name: string; span: Span }[] = [];
  while (s.accept(',')) {
    const t = s.peek();
    if (t.kind !== 'name' && t.kind !== 'quoted') {
      s.report('expected-name', `The input it is a derivative for is expected, but found ${tokenText(t)}`);
      break;
    }
    s.next();
    derivative.push({ name: t.text, span: { start: t.start, end: t.end } });
  }
  if (derivative.length === 0)
    s.report('expected-name', 'A partial derivative names the input it is for, as in der(g, x)');
  s.expect(')', 'A partial derivative');
  const text = description(s);
  annotation(s);
  return {
    description: text,
    short: {
      base: target?.name ?? '',
      baseSpan: { start: target?.start ?? start, end: target?.end ?? start },
      dimensions: [],
      causality: 'none',
      modification: emptyModification,
      derivative,
    },
    span: { start, end: s.lastEnd() },
  };
}

function startsEquation(s: TokenStream): boolean {
  if (['connect', 'when', 'if', 'for', 'der', '('].some((word) => s.at(word))) return true;
  let k = 0;
  while (s.peek(k).kind === 'name') {
    k++;
    if (s.peek(k).text === '[') {
      while (s.peek(k).kind !== 'end-of-text' && s.peek(k).text !== ']') k++;
      k++;
    }
    if (s.peek(k).text !== '.') return s.peek(k).text === '=' || s.peek(k).text === '(';
    k++;
  }
  return false;
}

/** Declarations and sections up to `end`. */
export function parseComposition(s: TokenStream, elements: Element[] = []): Composition {
  const equations: Equation[] = [];
  const initialEquations: Equation[] = [];
  const algorithms: Statement[][] = [];
  const initialAlgorithms: Statement[][] = [];
  let note: Modification | undefined;
  let external = false;
  let isProtected = false;
  while (s.peek().kind !== 'end-of-text' && !s.at('end')) {
    const before = s.position();
    if (s.accept('public')) isProtected = false;
    else if (s.accept('protected')) isProtected = true;
    else if (s.at('initial') && s.peek(1).text === 'equation') {
      s.next();
      s.next();
      initialEquations.push(...parseEquations(s));
    } else if (s.at('initial') && s.peek(1).text === 'algorithm') {
      s.next();
      s.next();
      initialAlgorithms.push(parseStatements(s));
    } else if (s.accept('equation')) equations.push(...parseEquations(s));
    else if (s.accept('algorithm')) algorithms.push(parseStatements(s));
    else if (s.at('annotation')) {
      note = annotation(s);
      s.expect(';', 'An annotation');
    } else if (s.accept('external')) {
      external = true;
      s.recover(new Set(['end']));
    } else if (startsEquation(s)) {
      const { start, end } = s.peek();
      s.report('missing-section', 'This looks like an equation: those begin after the word equation', { start, end }, [
        { title: 'Write equation before it', span: { start, end: start }, text: 'equation\n' },
      ]);
      equations.push(...parseEquations(s));
    } else {
      const found = parseElement(s, isProtected, { redeclare: false, replaceable: false, terminated: true });
      if (found) elements.push(...found);
      else s.recover(sectionWords);
    }
    if (s.position() === before) {
      s.report('unexpected', `${tokenText(s.peek())} cannot stand here`);
      s.next();
    }
  }
  return {
    elements,
    equations,
    initialEquations,
    algorithms,
    initialAlgorithms,
    external,
    ...(note && { annotation: note }),
  };
}
