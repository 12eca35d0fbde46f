import type { ClassDefinition, ComponentElement, Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { lex } from '../language/lexer';
import { parseFile } from '../language/parse';
import { printExpression } from '../language/print';
import { experimentOf } from '../flatten/experiment';
import { libraryOfFile } from '../flatten/library';
import { eraseDeclaration } from '../network/edit-physics';
import {
  newQuantity,
  newSetup,
  newType,
  type ClassText,
  type PartType,
  type Quantity,
  type Setup,
} from '../project/project';
import { nameSchema, unitSchema } from '../project/field';
import { sheetsFromText } from './sheets-in-text';

/** A file of classes as part types of a project: models become part types, everything else a text all of them can name. */
export interface ModelicaImport {
  readonly types: readonly PartType[];
  readonly library: ClassText | undefined;
  /** For models that say how they want to be run. */
  readonly setups: readonly Setup[];
  /** The type to look at first; empty where the file has no model. */
  readonly root: string;
  /** Spans are those of the file. */
  readonly problems: readonly Problem[];
}

const isModel = (c: ClassDefinition): boolean =>
  ['model', 'block', 'class'].includes(c.classKind) &&
  !c.partial &&
  !c.short &&
  !c.enumeration &&
  !c.replaceable &&
  !c.expandable &&
  nameSchema.isValidSync(c.name);

export function importModelica(text: string, fileName: string, makeId: () => string): ModelicaImport {
  const parsed = parseFile(text);
  const broken = (c: ClassDefinition): boolean =>
    parsed.problems.some(
      (p) => p.severity === 'error' && p.span && p.span.start >= c.span.start && p.span.start <= c.span.end,
    );
  const types: PartType[] = [];
  const shared: string[] = [];
  const setups: Setup[] = [];
  const told: Problem[] = [];
  const library = libraryOfFile(parsed.value, fileName);
  for (const c of parsed.value) {
    const source = text.slice(c.span.start, c.span.end);
    const whole = isModel(c) ? bodyOf(c, source) : undefined;
    const { sheets, body, remark } =
      whole === undefined ? { sheets: [], body: undefined, remark: undefined } : sheetsFromText(c, whole, makeId);
    if (remark !== undefined) told.push({ ...problem('warning', 'signal-sheets', remark), span: c.span });
    if (body === undefined) {
      shared.push(`${source};`);
      continue;
    }
    const found = broken(c) ? { physics: body, quantities: [] } : liftQuantities(c, body, makeId);
    const lifted = { ...found, physics: found.physics.replace(/^[ \t]+(?=\S)/, '') };
    const type: PartType = {
      ...newType(`t-${makeId()}`, c.name),
      note: c.description,
      quantities: lifted.quantities,
      physics: withLooseUnits(lifted.physics),
      signals: sheets,
    };
    types.push(type);
    const experiment = experimentOf(library, c.name);
    if (experiment.stop) {
      setups.push({
        ...newSetup(`u-${makeId()}`, c.name),
        root: type.id,
        stop: experiment.stop,
        recordEvery: experiment.interval ?? experiment.stop / 500,
        ...(experiment.tolerance && { relative: experiment.tolerance, absolute: experiment.tolerance / 1000 }),
      });
    }
  }
  // models of packages can be run where they say so
  for (const c of parsed.value)
    for (const name of experimentsIn(c, c.name)) {
      const experiment = experimentOf(library, name);
      const type: PartType = {
        ...newType(`t-${makeId()}`, freeTypeName(name, types)),
        note: `${name} of ${fileName}`,
        physics: `extends ${name};\n`,
      };
      types.push(type);
      setups.push({
        ...newSetup(`u-${makeId()}`, name),
        root: type.id,
        stop: experiment.stop!,
        recordEvery: experiment.interval ?? experiment.stop! / 500,
        ...(experiment.tolerance && { relative: experiment.tolerance, absolute: experiment.tolerance / 1000 }),
      });
    }
  const used = new Set(
    parsed.value.flatMap((c) =>
      c.elements.flatMap((e) => (e.kind === 'component' ? [e.typeName] : e.kind === 'extends' ? [e.base] : [])),
    ),
  );
  const root =
    types.find((t) => setups.some((s) => s.root === t.id)) ??
    [...types].reverse().find((t) => !used.has(t.name)) ??
    types.at(-1);
  return {
    types,
    setups,
    root: root?.id ?? '',
    problems: [...parsed.problems, ...told],
    library:
      shared.length > 0
        ? {
            id: `x-${makeId()}`,
            name: fileName.replace(/\.mo$/i, ''),
            note: `from ${fileName}`,
            text: `${shared.join('\n\n')}\n`,
          }
        : undefined,
  };
}

/** Names of models inside packages that say how long they are to be run. */
function experimentsIn(c: ClassDefinition, path: string): string[] {
  if (c.classKind !== 'package') return [];
  return c.elements.flatMap((e) =>
    e.kind !== 'class'
      ? []
      : e.classKind === 'package'
        ? experimentsIn(e, `${path}.${e.name}`)
        : isModel(e) && /\bStopTime\b/.test(JSON.stringify(e.annotation ?? {}))
          ? [`${path}.${e.name}`]
          : [],
  );
}

const freeTypeName = (path: string, taken: readonly PartType[]): string => {
  const base = path.split('.').at(-1)!;
  for (let k = 1; ; k++) {
    const name = k === 1 ? base : `${base}${k}`;
    if (!taken.some((t) => t.name === name)) return name;
  }
};

/** What stands between the head of a class and its end, as written. */
function bodyOf(c: ClassDefinition, source: string): string | undefined {
  const { tokens } = lex(source);
  const head = tokens.findIndex((t) => (t.kind === 'name' || t.kind === 'quoted') && t.text === c.name);
  if (head < 0 || tokens.slice(0, head).some((t) => t.text === 'extends')) return undefined;
  let start = tokens[head].end;
  if (c.description !== '' && tokens[head + 1]?.kind === 'string') {
    start = tokens[head + 1].end;
    // long descriptions are put together with +
    for (let k = head + 2; tokens[k]?.text === '+' && tokens[k + 1]?.kind === 'string'; k += 2)
      start = tokens[k + 1].end;
  }
  const end = [...tokens].reverse().find((t) => t.kind === 'keyword' && t.text === 'end');
  if (!end) return undefined;
  return dedent(source.slice(start, end.start));
}

/** Takes away the indentation all lines have in common. */
function dedent(text: string): string {
  const lines = text
    .replace(/^[ \t]*\n/, '')
    .replace(/\s+$/, '')
    .split('\n');
  const depth = Math.min(
    ...lines
      .filter((l) => l.trim() !== '' && !/^(equation|initial|algorithm|protected|public)\b/.test(l.trim()))
      .map((l) => /^[ \t]*/.exec(l)![0].length),
    40,
  );
  return lines.length === 1 && lines[0].trim() === ''
    ? ''
    : `${lines.map((l) => l.slice(Math.min(depth, /^[ \t]*/.exec(l)![0].length))).join('\n')}\n`;
}

const looseUnits = '__Zelvar(looseUnits = true)';

/** Numbers in such texts mostly have no units: checks of units warn there. */
function withLooseUnits(physics: string): string {
  if (physics.trim() === '' || physics.includes('__Zelvar(looseUnits')) return physics;
  const { tokens } = lex(physics);
  let depth = 0;
  const own = tokens.find((t, k) => {
    if (t.text === '(') depth++;
    if (t.text === ')') depth--;
    return (
      t.kind === 'keyword' &&
      t.text === 'annotation' &&
      depth === 0 &&
      (k === 0 || tokens[k - 1].text === ';') &&
      tokens[k + 1]?.text === '('
    );
  });
  const bracket = own && tokens[tokens.indexOf(own) + 1];
  if (bracket) return `${physics.slice(0, bracket.end)}${looseUnits}, ${physics.slice(bracket.end)}`;
  return `${physics.replace(/\n?$/, '\n')}annotation(${looseUnits});\n`;
}

/** Plain quantities stand in the table of the part type, where they can be set and seen; everything else stays in the text. */
function liftQuantities(
  c: ClassDefinition,
  body: string,
  makeId: () => string,
): { physics: string; quantities: Quantity[] } {
  const quantities: Quantity[] = [];
  let physics = body;
  for (const e of c.elements) {
    if (e.kind !== 'component') continue;
    const quantity = plainQuantity(e, makeId);
    if (!quantity) continue;
    const shorter = eraseDeclaration(physics, e.name);
    if (shorter === physics) continue;
    physics = shorter;
    quantities.push(quantity);
  }
  return { physics, quantities };
}

function plainQuantity(e: ComponentElement, makeId: () => string): Quantity | undefined {
  const isPlain =
    ['Real', 'Integer', 'Boolean'].includes(e.typeName) &&
    e.dimensions.length === 0 &&
    !e.condition &&
    !e.inner &&
    !e.outer &&
    !e.final &&
    !e.replaceable &&
    !e.redeclare &&
    !e.protected &&
    e.flow === 'none' &&
    !e.annotation &&
    e.variability !== 'discrete';
  if (!isPlain || !nameSchema.isValidSync(e.name)) return undefined;
  const isFixed = e.variability === 'parameter' || e.variability === 'constant';
  const given = new Map<string, Expr>();
  for (const a of e.modification.args) {
    const [name] = a.path;
    if (
      a.path.length !== 1 ||
      !['unit', 'start', 'min', 'max'].includes(name) ||
      a.each ||
      a.final ||
      a.redeclare ||
      a.modification.args.length > 0 ||
      !a.modification.value
    )
      return undefined;
    given.set(name, a.modification.value);
  }
  const unit = given.get('unit');
  if (unit && (unit.kind !== 'string' || !unitSchema.isValidSync(unit.value))) return undefined;
  // a variable with a binding has an equation, a parameter without a value is told as a problem where it is
  if (isFixed ? !e.modification.value || given.has('start') : e.modification.value !== undefined) return undefined;
  const text = (x: Expr | undefined): string => (x ? printExpression(x) : '');
  return {
    ...newQuantity(`q-${makeId()}`, e.name),
    type: e.typeName as Quantity['type'],
    role: isFixed ? (e.variability as 'parameter' | 'constant') : e.causality !== 'none' ? e.causality : 'variable',
    value: isFixed ? text(e.modification.value) : text(given.get('start')),
    unit: unit?.kind === 'string' ? unit.value : '',
    min: text(given.get('min')),
    max: text(given.get('max')),
    note: e.description,
  };
}
