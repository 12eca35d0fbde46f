import type { ClassDefinition, Modification } from '../language/ast';
import { printExpression, printModification } from '../language/print';
import { componentsOf, textIn, typeOf } from '../flatten/declared';
import type { ClassLibrary, ClassRef } from '../flatten/library';

/** What a class shows to those who use it: its ports, and what can be set. Found by reading declarations, without making a model. */

/** What a class says of its equations and their source: `annotation(Documentation(info = "..."))`, without markup. */
export function documentationOf(c: ClassDefinition): string {
  const info = textIn(textIn(c.annotation, 'Documentation'), 'info')?.value;
  return info?.kind === 'string'
    ? info.value
        .replace(/<[^>]*>/g, ' ')
        .replace(/\s+/g, ' ')
        .trim()
    : '';
}

export type EndKind = 'physical' | 'signal' | 'message';

/** Where something can be linked. */
export interface NetworkEnd {
  readonly name: string;
  readonly kind: EndKind;
  /** A signal or message leaves here (true) or enters (false); physical ends do neither. */
  readonly gives: boolean | undefined;
  /** Class of a physical end, such as Electrical.Pin: only ends of one class are linked. */
  readonly domain: string;
  /** What is exchanged: quantities of a physical end, unit of a signal, messages. */
  readonly carries: string;
}

/** Ports of a class in the order of their declaration. */
export function endsOf(library: ClassLibrary, ref: ClassRef): NetworkEnd[] {
  const ends = componentsOf(library, ref).flatMap(({ element, home }): NetworkEnd[] => {
    if (element.protected) return [];
    const type = typeOf(library, { element, home });
    if (!type) return [];
    const dims = element.dimensions.length > 0 ? '[]' : '';
    if (type.ref?.definition.classKind === 'connector') {
      const carried = componentsOf(library, type.ref).map((c) => c.element.name);
      const isSignal = type.causality !== 'none';
      return [
        {
          name: element.name + dims,
          kind: isSignal ? 'signal' : 'physical',
          gives: isSignal ? type.causality === 'output' : undefined,
          domain: isSignal ? '' : type.ref.path,
          carries: carried.join(', '),
        },
      ];
    }
    if (type.causality === 'none' || !type.builtin) return [];
    return [
      { name: element.name + dims, kind: 'signal', gives: type.causality === 'output', domain: '', carries: type.unit },
    ];
  });
  const messages = (ref.behaviour?.().messagePorts ?? []).map((p): NetworkEnd => ({
    name: p.name,
    kind: 'message',
    gives: p.accepts.length === 0 || p.sends.length > 0,
    domain: '',
    carries: [...p.accepts, ...p.sends].join(', '),
  }));
  return [...ends, ...messages];
}

/** Something that can be set where a part is used. */
export interface Setting {
  readonly name: string;
  readonly type: string;
  readonly unit: string;
  readonly value: string;
  readonly min: string;
  readonly max: string;
  readonly note: string;
  readonly group: string;
  readonly choices: readonly string[] | undefined;
  /** Number of indices, 0 for one value. */
  readonly dimensions: number;
  /** A start value rather than a parameter. */
  readonly isStart: boolean;
}

/** Parameters of a class with their defaults, limits and notes, as its declarations say, then start values. */
export function settingsOf(library: ClassLibrary, ref: ClassRef): Setting[] {
  const found = new Map<string, Setting>();
  const starts = new Map<string, Setting>();
  for (const { element, home } of componentsOf(library, ref)) {
    if (element.protected || element.final || element.variability === 'constant') continue;
    const type = typeOf(library, { element, home });
    if (!type?.builtin) continue;
    const value = (name: string): string => {
      const m = textIn(element.modification, name)?.value;
      return m ? printExpression(m) : '';
    };
    const base = {
      type: type.builtin,
      unit: type.unit,
      min: value('min'),
      max: value('max'),
      note: element.description,
      group: groupOf(element.annotation),
      dimensions: element.dimensions.length,
      choices: type.builtin === 'Boolean' ? ['true', 'false'] : type.literals?.map((l) => `${element.typeName}.${l}`),
    };
    if (element.variability === 'parameter')
      found.set(element.name, {
        ...base,
        name: element.name,
        value: element.modification.value ? printExpression(element.modification.value) : value('start'),
        isStart: false,
      });
    else if (value('start') !== '' && element.causality !== 'output')
      starts.set(element.name, {
        ...base,
        name: `${element.name}.start`,
        value: value('start'),
        group: 'Start',
        isStart: true,
      });
  }
  return [...found.values(), ...starts.values()];
}

/** `annotation(Dialog(group = "..."))`, as the language has it. */
const groupOf = (annotation: Modification | undefined): string => {
  const group = textIn(textIn(annotation, 'Dialog'), 'group')?.value;
  return group?.kind === 'string' ? group.value : '';
};

/** The modification of a declaration as text, without its brackets. */
export const changesText = (m: Modification): string => printModification(m).replace(/^\((.*)\)$/s, '$1');
