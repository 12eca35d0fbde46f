import { problem, type Problem } from '../core/language/diagnostics';
import { newSetup } from '../core/project/project';
import { endsOf } from '../core/probe/ends';
import { probe as ask } from '../core/probe/probe';
import { meanings, propertyNames, type PropertyName } from '../core/probe/properties';
import type { PropertyAnswer } from '../core/probe/report';
import { prepareRun } from '../core/run';
import { modelOfText, stopWith, typeNamed, type ClassModel } from './model-text';
import { complain, print, readBytes } from './output';
import { projectTexts, readProject } from './read-project';

export interface ProbeArguments {
  readonly class?: string;
  readonly type?: string;
  readonly property?: string;
  readonly from?: string;
  readonly to?: string;
  readonly effort?: number;
  readonly seed?: number;
  readonly json?: boolean;
}

/** How many inputs are tried per property where nothing else is said. */
export const usualEffort = 200;

/** Words for the properties, as they are asked for and answered. */
const wordOf: Readonly<Record<PropertyName, string>> = {
  homogeneous: 'homogeneous',
  additive: 'additive',
  timeInvariant: 'time-invariant',
  memoryless: 'memoryless',
  causal: 'causal',
  bounded: 'bounded',
  odd: 'odd',
  monotone: 'monotone',
};
const others: Readonly<Record<string, readonly PropertyName[]>> = {
  linear: ['homogeneous', 'additive'],
  homogeneity: ['homogeneous'],
  additivity: ['additive'],
  withoutmemory: ['memoryless'],
  memory: ['memoryless'],
  static: ['memoryless'],
  timeinvariance: ['timeInvariant'],
  causality: ['causal'],
  nopassage: ['causal'],
  strictlycausal: ['causal'],
  bibo: ['bounded'],
  monotonic: ['monotone'],
};
const bare = (text: string): string => text.toLowerCase().replace(/[^a-z]/g, '');

interface Asked {
  readonly word: string;
  readonly property: PropertyName;
}
function readProperties(text: string | undefined): readonly Asked[] | string {
  if (text === undefined) return propertyNames.map((property) => ({ word: wordOf[property], property }));
  const asked: Asked[] = [];
  for (const word of text.split(',').map((w) => w.trim())) {
    if (word === '') continue;
    const own = propertyNames.find((p) => bare(p) === bare(word));
    const found = own ? [own] : Object.hasOwn(others, bare(word)) ? others[bare(word)] : undefined;
    if (!found) return `There is no property ${word}; there are ${Object.values(wordOf).join(', ')}`;
    for (const property of found) asked.push({ word: found.length === 1 ? word : wordOf[property], property });
  }
  return asked.length === 0 ? 'No property is asked for' : asked;
}

/** `zelvar probe`: 0 nothing that was asked for is refuted, 1 something is, 2 it could not be asked. */
export function probe(file: string, options: ProbeArguments): number {
  const asked = readProperties(options.property);
  if (typeof asked === 'string') {
    complain(`zelvar: ${asked}`);
    return 2;
  }
  if (options.class === undefined && file.endsWith('.mo')) {
    complain('zelvar: --class says which class of the text is meant');
    return 2;
  }
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const found = options.class === undefined ? ofProject(file, bytes, options) : modelOfText(file, bytes, options.class);
  if (!found) return 2;
  const { model, textOf, errors } = found;
  const stop = (problems: readonly Problem[]): number => stopWith(problems, textOf, options.json);
  if (errors.length > 0) return stop(errors);
  const ends = endsOf(model, options.from, options.to);
  if ('refused' in ends) return stop([problem('error', 'ends', ends.refused)]);
  const effort = options.effort ?? usualEffort;
  const seed = options.seed ?? 1;
  const { value, problems } = ask(model, {
    ...ends,
    properties: [...new Set(asked.map((a) => a.property))],
    effort,
    seed,
  });
  if (!value) return stop(problems.filter((p) => p.severity === 'error'));
  const answerOf = ({ property }: Asked): PropertyAnswer => value.answers.find((a) => a.property === property)!;
  if (options.json)
    print(
      JSON.stringify(
        {
          from: ends.from.join(','),
          to: ends.to.join(','),
          effort,
          seed,
          ...Object.fromEntries(asked.map((a) => [a.word, asJson(answerOf(a))])),
        },
        null,
        1,
      ),
    );
  else {
    print(`${ends.from.join(', ')} to ${ends.to.join(', ')}:`);
    for (const a of asked) tell(a.word, answerOf(a));
  }
  return asked.some((a) => answerOf(a).holds === false) ? 1 : 0;
}

function ofProject(file: string, bytes: Uint8Array, options: ProbeArguments): ClassModel | undefined {
  const project = readProject(file, bytes);
  if (!project) return undefined;
  const type = typeNamed(project, options.type);
  if (type === 'none') return undefined;
  const prepared = prepareRun(project, { ...newSetup('probe', 'probe'), root: type?.id ?? '' });
  return {
    model: prepared.model,
    textOf: projectTexts(project),
    errors: prepared.problems.filter((p) => p.severity === 'error'),
  };
}

/** JSON has no Infinity. */
const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);

const asJson = (a: PropertyAnswer): object => ({
  holds: a.holds,
  because: a.because,
  counterexample: a.counterexample
    ? {
        inputs: a.counterexample.inputs,
        at: a.counterexample.at,
        left: { what: a.counterexample.leftText, value: finite(a.counterexample.left) },
        right: { what: a.counterexample.rightText, value: finite(a.counterexample.right) },
        traces: a.counterexample.traces,
      }
    : null,
  difference: finite(a.difference),
  culprit: a.culprit ?? null,
  tried: a.tried,
});

function tell(word: string, a: PropertyAnswer): void {
  const verdict = a.holds === true ? 'holds' : a.holds === false ? 'refuted' : 'not refuted';
  print(`  ${word.padEnd(15)} ${verdict}: ${a.because}`);
  if (a.holds === false) {
    print(`    (${meanings[a.property]})`);
    for (const i of a.counterexample?.inputs ?? []) print(`    ${i.label}: ${i.text}`);
  }
  if (a.culprit) print(`    ${a.culprit.equation.replace(/\s*\n\s*/g, ' ')}: ${a.culprit.without}`);
}
