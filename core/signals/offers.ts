import { isInside } from '../editing/references';
import type { PartType, Project, SignalSheet } from '../project/document';
import { signalBlocks, type BlockArgument, type SignalBlock } from './catalogue';

/** What can be put onto a signal sheet, and how it is searched for. */
export interface SheetOffer {
  readonly key: string;
  /** What it is called: a block, or the sign of an operation. */
  readonly title: string;
  /** What its line is called where nothing better is known. */
  readonly base: string;
  /** The formula with `#1`, `#2` where wires come in. */
  readonly formula: string;
  /** What it is for. */
  readonly purpose: string;
  /** Equations and their source. */
  readonly info: string;
  readonly words: string;
  readonly isTruth: boolean;
}

/** What practitioners call it besides its name, and what is written into a new line of it. */
const known: Readonly<Record<string, { readonly words: string; readonly set?: string }>> = {
  integrate: { words: 'integrator integral sum over time accumulate ∫ 1/s anti-windup limits reset', set: '' },
  derivative: { words: 'differentiate rate slope d/dt s', set: "T = 0.01 's'" },
  lag: { words: 'low pass filter smooth first order time constant pt1', set: "T = 0.1 's'" },
  lag2: {
    words: 'second order low pass filter oscillator damping natural frequency pt2',
    set: "w = 10 'rad/s', d = 1",
  },
  highPass: { words: 'high pass filter washout drift', set: "T = 0.1 's'" },
  leadLag: { words: 'lead lag compensator phase', set: "T1 = 0.1 's', T2 = 0.01 's'" },
  notch: { words: 'band stop resonance filter frequency', set: "w = 100 'rad/s'" },
  transfer: { words: 'transfer function polynomial s z laplace filter', set: 'b = {1}, a = {1, 1}' },
  stateSpace: { words: 'state space matrices A B C D linear system', set: 'A = [-1], B = {1}, C = {1}' },
  transportDelay: { words: 'dead time transport delay late latency', set: "T = 0.1 's'" },
  pi: { words: 'controller proportional integral anti-windup', set: "k = 1, Ti = 1 's'" },
  pid: {
    words: 'controller proportional integral derivative anti-windup bumpless hand manual set point weight',
    set: "k = 1, Ti = 1 's', Td = 0 's'",
  },
  rateLimit: { words: 'slew rate limit ramp gradient', set: 'up = 1' },
  hysteresis: { words: 'relay two-point switch schmitt on off', set: 'low = -1, high = 1' },
  backlash: { words: 'play gear gap dead band', set: 'gap = 0.1' },
  latch: { words: 'flip-flop set reset memory remember', set: '' },
  counter: { words: 'count edges number of times', set: '' },
  timer: { words: 'on time duration how long elapsed', set: '' },
  debounce: { words: 'switch bounce filter condition on delay', set: "T = 0.02 's'" },
  watchdog: { words: 'heartbeat alive time-out supervision', set: "T = 0.1 's'" },
  limit: { words: 'saturation saturate clamp clip cut bound', set: 'low = -1, high = 1' },
  deadZone: { words: 'dead band dead zone insensitive', set: 'low = -0.1, high = 0.1' },
  quantise: { words: 'round resolution steps converter adc quantize', set: 'step = 0.1' },
  polynomial: { words: 'powers curve fit horner characteristic', set: 'c = {1, 0}' },
  table2: { words: 'look-up table two dimensions map characteristic', set: 'x = {0, 1}, y = {0, 1}, z = [0, 1; 1, 2]' },
  step: { words: 'source jump set point', set: "at = 1 's', to = 1" },
  ramp: { words: 'source slope set point', set: "at = 0 's', lasts = 1 's', to = 1" },
  pulse: { words: 'source square wave rectangle periodic', set: "every = 1 's', width = 0.5" },
  sine: { words: 'source wave oscillation harmonic', set: "f = 1 'Hz', amplitude = 1" },
  chirp: { words: 'source sweep sine frequency', set: "from = 1 'Hz', to = 10 'Hz', lasts = 5 's'" },
  noise: { words: 'source random disturbance seed', set: "seed = 1, every = 0.01 's'" },
  profile: {
    words: 'source set point trajectory trapezoid s-curve motion speed acceleration jerk',
    set: 'to = 1, speed = 1, acceleration = 2',
  },
  choose: { words: 'switch select index number multiplex case', set: 'values = {1, 2, 3}' },
  stateFeedback: {
    words: 'controller pole placement observer state feedback luenberger lqr',
    set: 'A = [0], B = {1}, C = {1}, K = {1}, L = {2}, N = 1',
  },
  transferZ: { words: 'transfer function polynomial z difference equation filter', set: 'b = {1}, a = {1, 0}' },
  delayBy: { words: 'unit delay z^-1 previous sample late', set: 'n = 1' },
  difference: { words: 'backward difference change per tick', set: '' },
  fir: { words: 'finite impulse response filter weights coefficients', set: 'c = {0.5, 0.5}' },
  movingAverage: { words: 'mean smooth filter window moving average', set: 'n = 8' },
  median: { words: 'middle filter outlier spike window', set: 'n = 5' },
  decimate: { words: 'slower rate every n-th downsample', set: 'n = 4' },
  leastSquares: {
    words: 'estimator recursive least squares rls identification adaptive forgetting unknown parameters regressors',
    set: 'x = {1}, noise = 1',
  },
  kalman: {
    words: 'estimator kalman filter state observer covariance sensor fusion',
    set: 'A = [0], C = [1], Q = [1], R = {1}',
  },
  extendedKalman: {
    words: 'estimator kalman filter ekf extended nonlinear state observer covariance',
    set: 'f = {-#0.x[1]}, h = {#0.x[1]}, Q = [1], R = {1}',
  },
  leavesRange: { words: 'alarm bound limit change detection fault monitor', set: 'low = -1, high = 1, n = 3' },
  cusum: {
    words: 'alarm cumulative sum change detection drift shift fault page',
    set: 'mean = 0, slack = 0.5, limit = 5',
  },
  likelihoodRatio: {
    words: 'alarm generalised likelihood ratio glr change detection shift fault',
    set: 'mean = 0, deviation = 1, n = 20, limit = 10',
  },
};

const operation = (
  title: string,
  base: string,
  formula: string,
  purpose: string,
  words: string,
  isTruth = false,
): SheetOffer => ({ key: `op ${title}`, title, base, formula, purpose, info: '', words, isTruth });

const note: SheetOffer = {
  key: 'note',
  title: 'note',
  base: '',
  formula: '',
  purpose: 'Text on the sheet; in the lines it is a comment',
  info: '',
  words: 'comment remark text',
  isTruth: false,
};

/** Operations of the language that people look for by name. */
const operations: readonly SheetOffer[] = [
  operation('sum', 'sum', '#1 + #2', 'Adds two values', 'add plus + Σ summing point'),
  operation(
    'difference of two',
    'e',
    '#1 - #2',
    'Takes one value from another: an error, a deviation',
    'subtract minus - error deviation compare',
  ),
  operation('product', 'product', '#1*#2', 'Multiplies two values', 'multiply times * ×'),
  operation('quotient', 'ratio', '#1/#2', 'Divides one value by another', 'divide over / ÷ ratio'),
  operation('gain', 'gain', '2*#1', 'Multiplies by a number', 'amplify factor scale k proportional'),
  operation('constant', 'constant', '1', 'A value that stays', 'number source value'),
  operation('magnitude', 'magnitude', 'abs(#1)', 'The value without its sign', 'abs absolute | |'),
  operation('smaller of two', 'least', 'min(#1, #2)', 'The smaller of two values', 'min minimum least'),
  operation('greater of two', 'greatest', 'max(#1, #2)', 'The greater of two values', 'max maximum greatest'),
  operation('sign', 'direction', 'sign(#1)', '-1, 0 or 1', 'sign signum direction'),
  operation('square root', 'root', 'sqrt(#1)', 'The square root', 'sqrt √'),
  operation('sine of an angle', 'sine', 'sin(#1)', 'The sine of an angle in rad', 'sin trigonometry'),
  operation('cosine of an angle', 'cosine', 'cos(#1)', 'The cosine of an angle in rad', 'cos trigonometry'),
  operation('angle of two', 'angle', 'atan2(#1, #2)', 'The angle to a point (y, x)', 'atan2 arctangent trigonometry'),
  operation(
    'table',
    'value',
    'interpolate({0, 1, 2}, {0, 1, 4}, #1)',
    'Straight between the points of a table, level outside',
    'look-up characteristic interpolate one dimension curve',
  ),
  operation(
    'table over time',
    'course',
    'interpolate({0, 1, 2}, {0, 1, 0}, time)',
    'Straight from point to point over time, level before and after',
    'source time series points course set point sequence',
  ),
  operation(
    'choose by condition',
    'chosen',
    'if #1 then #2 else #3',
    'One value while a condition holds, another while not',
    'switch select if then else multiplex',
  ),
  operation('greater than', 'above', '#1 > #2', 'Whether one value is above another', 'compare > threshold', true),
  operation('less than', 'beneath', '#1 < #2', 'Whether one value is below another', 'compare < threshold', true),
  operation('and', 'both', '#1 and #2', 'Whether both hold', 'logic & conjunction', true),
  operation('or', 'either', '#1 or #2', 'Whether one of them holds', 'logic | disjunction', true),
  operation('not', 'opposite', 'not #1', 'The opposite', 'logic invert negate !', true),
  operation('edge', 'rises', 'edge(#1)', 'The moment at which a condition comes to hold', 'rising trigger', true),
];

const formulaOf = (b: SignalBlock): string => {
  const needed = b.takes.filter((t) => !t.isParameter && !t.hasDefault);
  // the sampled form may take something else
  const set = (known[b.name]?.set ?? '').split(/, (?=\w+ = )/).flatMap((text) => {
    const name = text.split(' = ')[0];
    return b.takes.some((t) => t.name === name) ? [{ name, text }] : [];
  });
  const inputs = needed.filter((t) => !set.some((x) => x.name === t.name));
  // what takes a list is given one of a single thing
  const place = (t: BlockArgument, k: number): string => (t.isArray ? `{#${k + 1}}` : `#${k + 1}`);
  return `${b.name}(${[...inputs.map(place), ...set.map((x) => x.text)].join(', ')})`;
};

const sheetForms: Partial<Record<'continuous' | 'sampled', readonly SheetOffer[]>> = {};

/** Everything that can be put onto a sheet of the form it has. */
export function offersFor(sheet: Pick<SignalSheet, 'every'>): readonly SheetOffer[] {
  const form = sheet.every.trim() === '' ? 'continuous' : 'sampled';
  return (sheetForms[form] ??= [
    ...[...signalBlocks()[form].values()].map((b): SheetOffer => ({
      key: `${form} ${b.name}`,
      title: b.name,
      base: b.name.replace(/\d+$/, ''),
      formula: formulaOf(b),
      purpose: b.description,
      info: b.info,
      words: known[b.name]?.words ?? '',
      isTruth: b.givesType === 'Boolean',
    })),
    ...operations,
    note,
  ]);
}

/** Part types of the project that can stand on a line of one of them: those with an output that do not have it inside. */
export const partTypeOffers = (project: Project, type: PartType): readonly SheetOffer[] =>
  project.types.flatMap((t): SheetOffer[] => {
    const named = (role: string): string[] => t.quantities.flatMap((q) => (q.role === role ? [q.name] : []));
    const [inputs, outputs] = [named('input'), named('output')];
    if (t === type || outputs.length === 0 || inputs.length === 0 || isInside(project, type.id, t)) return [];
    const gives = `${inputs.join(', ')} to ${outputs.join(', ')}`;
    return [
      {
        key: `type ${t.name}`,
        title: t.name,
        base: t.name.charAt(0).toLowerCase() + t.name.slice(1),
        formula: `${t.name}(${inputs.map((_, k) => `#${k + 1}`).join(', ')})`,
        purpose: t.note.trim() === '' ? `Part type: ${gives}` : t.note,
        info: `A part type of this project, from ${gives}.`,
        words: `part type block own ${outputs.join(' ')}`,
        isTruth: outputs.length === 1 && t.quantities.some((q) => q.name === outputs[0] && q.type === 'Boolean'),
      },
    ];
  });

/** Offers that hold every word of a search, best first: by name, by what they are called besides, by what they do. */
export function searchOffers(offers: readonly SheetOffer[], search: string): readonly SheetOffer[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return offers;
  const plain = (text: string): string => text.toLowerCase();
  const rank = (o: SheetOffer): number => {
    const ranks = words.map((w) => {
      const title = plain(o.title);
      if (title === w) return 0;
      if (title.startsWith(w)) return 1;
      const others = plain(o.words).split(' ');
      if (others.includes(w)) return 2;
      if (title.includes(w)) return 3;
      if (others.some((x) => x.startsWith(w))) return 4;
      if (/^\p{L}/u.test(w) && w.length > 2 && plain(o.words).includes(w)) return 5;
      const told = plain(`${o.purpose} ${o.info}`).split(/[^\p{L}\p{N}]+/u);
      return w.length > 2 && told.some((x) => x.startsWith(w)) ? 6 : Infinity;
    });
    // all words in their order name it together
    const together = words.length > 1 && plain(`${o.title} ${o.words}`).includes(words.join(' ')) ? 0.5 : 1;
    return Math.max(...ranks) * together;
  };
  return offers
    .map((offer, k) => ({ offer, k, at: rank(offer) }))
    .filter((x) => x.at < Infinity)
    .sort((a, b) => a.at - b.at || a.k - b.k)
    .map((x) => x.offer);
}

/** The line of an offer: what is wired in first, and names that nothing gives yet for the rest. */
export function lineOf(
  offer: SheetOffer,
  from: string | undefined,
  isFree: (name: string) => boolean,
): { readonly name: string; readonly text: string } {
  const fresh = (wanted: string, taken: ReadonlySet<string> = new Set()): string => {
    if (isFree(wanted) && !taken.has(wanted)) return wanted;
    for (let k = 2; ; k++) if (isFree(`${wanted}${k}`) && !taken.has(`${wanted}${k}`)) return `${wanted}${k}`;
  };
  const isBlock = offer.key.includes(`${offer.title}`) && !offer.key.startsWith('op ');
  // the name of a block names that block in formulas
  const name = fresh(isBlock ? `${offer.base}1` : offer.base);
  if (isBlock) {
    const text = offer.formula
      .replaceAll('#0', name)
      .replace('#1', from ?? '#')
      .replace(/\{?#\d?\}?(, )?/g, '')
      .replace(/, \)/, ')');
    // behind an input that is left out everything has its name
    return { name, text: `${name} = ${text}` };
  }
  const used = new Set<string>([name]);
  const text = offer.formula.replace(/#(\d)/g, (_, k: string) => {
    if (k === '1' && from !== undefined) return from;
    const free = fresh(`in${k}`, used);
    used.add(free);
    return free;
  });
  return { name, text: `${name} = ${text}` };
}
