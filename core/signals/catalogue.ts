import { libraryTexts } from '../components/library-texts';
import { parseFile } from '../language/parse';
import { printExpression } from '../language/print';
import type { ClassDefinition, ComponentElement } from '../language/ast';

/** What a block or function of signal sheets takes and gives, read from the text of the package (core/components/Signals.mo). */
export interface SignalBlock {
  readonly name: string;
  /** One with memory or a clock of its own is a part; a function is computed where it stands. */
  readonly isFunction: boolean;
  readonly description: string;
  /** Equations and their source. */
  readonly info: string;
  /** Inputs and parameters in the order in which they may be given without names. */
  readonly takes: readonly BlockArgument[];
  readonly gives: string;
  /** All that comes out of it; where there are several it stands on a line of its own. */
  readonly outputs: readonly BlockOutput[];
  readonly givesType: 'Real' | 'Integer' | 'Boolean';
  /** The unit of what it gives, over those of what it takes, such as `u*s`; undefined where nothing is said. */
  readonly unit: string | undefined;
  /** Inputs that the sheet feeds with formulas of another input, looked at elsewhere. */
  readonly along?: readonly AlongInput[];
}
/** An input that is given the formulas of another one with a variable of the block in place of its states `x`, or their slopes. */
export interface AlongInput {
  readonly name: string;
  readonly formulas: string;
  readonly place: string;
  /** It is given the slopes by the variable instead of the values. */
  readonly isSlope: boolean;
}
export interface BlockOutput {
  readonly name: string;
  readonly type: 'Real' | 'Integer' | 'Boolean';
  readonly unit: string;
  readonly note: string;
}
export interface BlockArgument {
  readonly name: string;
  readonly isParameter: boolean;
  /** It is a list or a matrix by itself. */
  readonly isArray?: boolean;
  readonly type: string;
  readonly hasDefault: boolean;
  /** What it is where nothing is given; '' where that is no bound at all, or nothing. */
  readonly defaultText: string;
  readonly note: string;
}

export const signalsPackage = 'Signals';

const typeOf = (e: ComponentElement): BlockOutput['type'] =>
  e.typeName === 'Boolean' || e.typeName === 'Integer' ? e.typeName : 'Real';

const read = (c: ClassDefinition): SignalBlock[] => {
  const members = c.elements.filter((e): e is ComponentElement => e.kind === 'component' && !e.protected);
  const output = members.find((e) => e.causality === 'output');
  if (!output || (c.classKind !== 'block' && c.classKind !== 'function')) return [];
  const annotated = (name: string): ClassDefinition['annotation'] =>
    c.annotation?.args.find((a) => a.path[0] === name)?.modification;
  const textOf = (m: ClassDefinition['annotation'], name: string): string | undefined => {
    const value = m?.args.find((a) => a.path[0] === name)?.modification.value;
    return value?.kind === 'string' ? value.value : undefined;
  };
  const along = (annotated('Along')?.args ?? []).flatMap(({ path: [name] }): AlongInput[] => {
    const [formulas, word, place] = textOf(annotated('Along'), name)!.split(' ');
    return [{ name, formulas, place, isSlope: word === 'by' }];
  });
  const isFed = (name: string): boolean => along.some((a) => a.name === name && a.formulas !== name);
  const defaultText = (e: ComponentElement): string => {
    const text = e.modification.value ? printExpression(e.modification.value) : '';
    return /1e\+?300/.test(text) ? '' : text;
  };
  const hasDefault = (e: ComponentElement): boolean => e.modification.value !== undefined;
  return [
    {
      name: c.name,
      isFunction: c.classKind === 'function',
      description: c.description,
      info: textOf(annotated('Documentation'), 'info') ?? '',
      takes: members
        .filter(
          (e) =>
            (e.causality === 'input' || e.variability === 'parameter') &&
            !e.inner &&
            e.name !== 'tick' &&
            !isFed(e.name),
        )
        .map((e) => ({
          name: e.name,
          isParameter: e.causality !== 'input',
          ...(e.dimensions.length > 0 && { isArray: true }),
          type: e.typeName,
          hasDefault: hasDefault(e),
          defaultText: defaultText(e),
          note: e.description,
        })),
      gives: output.name,
      outputs: members
        .filter((e) => e.causality === 'output')
        .map((e) => ({
          name: e.name,
          type: typeOf(e),
          unit: textOf(e.modification, 'unit') ?? '',
          note: e.description,
        })),
      givesType: typeOf(output),
      unit: textOf(annotated('Units'), output.name),
      ...(along.length > 0 && { along }),
    },
  ];
};

interface Catalogue {
  readonly continuous: ReadonlyMap<string, SignalBlock>;
  readonly sampled: ReadonlyMap<string, SignalBlock>;
}
let known: Catalogue | undefined;

/** All blocks by name, in their continuous and their sampled form. */
export function signalBlocks(): Catalogue {
  if (known) return known;
  const [definition] = parseFile(libraryTexts.Signals).value;
  const classes = (c: ClassDefinition): ClassDefinition[] => c.elements.filter((e) => e.kind === 'class');
  const all = classes(definition);
  const inside = all.find((c) => c.name === 'Sampled');
  const byName = (list: readonly ClassDefinition[]): ReadonlyMap<string, SignalBlock> =>
    new Map(list.flatMap(read).map((x) => [x.name, x]));
  const continuous = byName(all);
  const functions = [...continuous].filter(([, x]) => x.isFunction);
  known = {
    continuous,
    sampled: new Map([...functions, ...[...byName(inside ? classes(inside) : [])].filter(([, x]) => !x.isFunction)]),
  };
  return known;
}
