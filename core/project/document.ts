import { namesInProcedureLine, namesInScript, namesInSequenceRow } from '../lines/names-in-lines';
import { namesInSignalLine } from '../lines/signal-line';
import {
  atLeast,
  documentSchema,
  entry,
  exactly,
  flag,
  id,
  idOrNone,
  ids,
  list,
  matching,
  maybe,
  messages,
  name,
  number,
  oneOf,
  positive,
  read,
  rows,
  text,
  texts,
  title,
  unit,
  type Chain,
  type EntryOf,
  type TextRole,
  type ValuesOf,
} from './field';

/**
 * The document: everything a project file holds, described once. From this description come its types, the checks of edits and
 * files, the published schema (docs/project-file.schema.json), the texts in which names are looked up, the addresses and labels
 * of everything in it, and how two documents are compared. A new kind of list is added here, and works there.
 */

type Scope = TextRole['scope'];
/** Names are looked up in the part type the text stands in. */
const inType: Scope = (_, chain) => chain[0].id;
/** ... in the product. */
const inProduct: Scope = ({ root }) => root;
/** ... in the type of the part. */
const inPart: Scope = (_, chain) => String(chain.at(-2)!.type);
/** ... in what the setup runs. */
const inSetup: Scope = ({ root }, chain) => String(chain[0].root) || root;
/** ... in what the requirement is about. */
const inWhatItIsAbout: Scope = ({ root }, chain) => String(chain[0].about ?? '') || root;
/** ... in what the setup of the study runs. */
const inStudy: Scope = ({ rootOf }, chain) => rootOf(String(chain[0].setup));

/** ... in what the test case tries: a part type alone, or what its setup runs. */
const inCase: Scope = ({ rootOf }, chain) => String(chain[0].alone) || rootOf(String(chain[0].setup));

const nameOf = (chain: Chain, k: number): string => String(chain.at(k)?.name ?? '');
/** `SpindleDrive.speed`: an entry by its owner and its name. */
const owned = (chain: Chain): string => `${nameOf(chain, -2)}.${nameOf(chain, -1)}`;

const farthest = 1e7;
const coordinate = atLeast(-farthest, 'This is too far away', farthest);
export const places = { x: coordinate, y: coordinate };
export type Place = ValuesOf<typeof places>;
const extent = atLeast(20, 'This is too small', 10_000);
const sizes = { width: extent, height: extent };
const namedPlace = { name: text(400), ...places };
export type NamedPlace = ValuesOf<typeof namedPlace>;

export const quantity = entry(
  'quantity',
  'quantity',
  {
    id,
    name,
    type: oneOf('Real', 'Integer', 'Boolean'),
    role: oneOf('constant', 'parameter', 'variable', 'input', 'output'),
    /** Value of a constant or parameter, start value of everything else; a formula. */
    value: read(text(), 'expression', inType),
    unit,
    min: read(text(400), 'expression', inType, { says: 'the least' }),
    max: read(text(400), 'expression', inType, { says: 'the most' }),
    /** How it is kept in code: 32 bits as usual, a whole number of fewer bits, or with a fixed point that its limits place. */
    number: oneOf('usual', 'int8', 'uint8', 'int16', 'uint16', 'fixed8', 'fixed16', 'fixed32'),
    note: text(),
  },
  {
    names: 'members',
    label: owned,
    says: owned,
    content: (q) => [q.name, q.role, q.value, q.unit, q.min, q.max].join('|'),
  },
);

const changeFields = (owner: Scope, value: Scope) => ({
  id,
  /** Path of the quantity, as seen from where the change stands. */
  name: read(title(400, 'What is changed?'), 'path', owner),
  value: read(text(), 'expression', value),
});
const changeLabel = (chain: Chain): string => `${nameOf(chain, -2)}: ${nameOf(chain, -1)}`;
/** A changed value of a part. */
export const change = entry('change', 'changed value', changeFields(inPart, inType), {
  label: changeLabel,
  says: (chain) => `${nameOf(chain, 0)}.${nameOf(chain, 1)} (${nameOf(chain, 2)})`,
});

/** One use of a type inside another, with changed values. */
export const part = entry(
  'part',
  'part',
  {
    id,
    name,
    type: id,
    changes: list(change),
    note: text(),
    /** Where its card stands on the picture of the inside; null where the layout places it. */
    place: maybe(places),
  },
  {
    names: 'members',
    label: owned,
    says: owned,
    content: (p) => [p.name, p.type, ...p.changes.map((c) => `${c.name}=${c.value}`)].join('|'),
  },
);

/** Where messages leave or enter. Inputs and outputs are the signal ports. */
export const port = entry(
  'port',
  'port',
  {
    id,
    name,
    /** Messages it takes and messages it gives; `*` stands for any. */
    accepts: messages,
    sends: messages,
    note: text(),
  },
  {
    names: 'members',
    label: owned,
    says: owned,
    content: (p) => [p.name, `accepts ${p.accepts.join(', ')}`, `sends ${p.sends.join(', ')}`].join('|'),
  },
);

export const link = entry(
  'link',
  'link',
  {
    id,
    from: read(title(400, 'Where does the link start?'), 'path', inType),
    to: read(title(400, 'Where does the link end?'), 'path', inType),
    /** Id of the item it carries; empty where nobody has said. */
    carries: text(64),
  },
  {
    label: (chain) => `${String(chain.at(-1)!.from)} to ${String(chain.at(-1)!.to)}`,
    says: (chain) => `link ${String(chain.at(-1)!.from)} to ${String(chain.at(-1)!.to)} in ${nameOf(chain, -2)}`,
    content: (l) => [l.from, l.to, l.carries].join('|'),
  },
);

/** A quantity of a chart or a procedure. */
export const value = entry(
  'value',
  'own quantity',
  {
    id,
    name,
    type: oneOf('Real', 'Integer', 'Boolean'),
    /** Start value, a formula. */
    value: read(text(), 'expression', inType),
    unit,
  },
  { says: (chain) => `value of ${owned(chain)}` },
);

export const state = entry(
  'state',
  'state',
  {
    id,
    name,
    parent: idOrNone,
    /**
     * `parallel`: everything inside is active together. The others are places rather than states: `final` says that what
     * surrounds it is done, `history` and `deepHistory` lead back to where it was left, `choice` branches after the effects of
     * the way in, `junction` before anything is left, `start` has one transition that says where it begins.
     */
    kind: oneOf('state', 'parallel', 'final', 'history', 'deepHistory', 'choice', 'junction', 'start'),
    initial: flag,
    entry: read(text(), 'statements', inType, { says: 'entry' }),
    do: read(text(), 'statements', inType, { says: 'do' }),
    exit: read(text(), 'statements', inType, { says: 'exit' }),
    /** Names of messages kept for later while it is active, separated by commas. */
    defers: text(2000),
    note: text(),
    /** Position inside the parent. */
    ...places,
  },
  {
    names: 'states',
    label: owned,
    content: (s) => [s.name, s.entry, s.do, s.exit].filter((x, k) => x !== '' || k !== 2).join('|'),
  },
);

export const triggerKinds = ['message', 'after', 'at', 'every', 'when', 'rises', 'changes', 'done'] as const;
const triggerFields = {
  /** `when` looks at a condition as it is, `rises` at the moment it becomes true, `changes` at any change; `done`: the state is finished. */
  kind: oneOf(...triggerKinds),
  /** Message with the arguments it reads, time, or condition. */
  on: read(text(), (t) => (t.kind === 'done' ? undefined : t.kind === 'message' ? 'message' : 'expression'), inType),
};

type Named = readonly { readonly id: string; readonly name: string }[];
/** Names by id; lists of a document are immutable. */
const namesById = new WeakMap<Named, ReadonlyMap<unknown, string>>();

/** `A to B`, by the names of the states. */
function transitionSays(chain: Chain): string {
  const { from, to } = chain.at(-1)!;
  const states = (chain.at(-2)?.states ?? []) as Named;
  let names = namesById.get(states);
  if (!names) namesById.set(states, (names = new Map(states.map((s) => [s.id, s.name]))));
  return `transition ${names.get(from) ?? '?'} to ${names.get(to) ?? '?'}`;
}

export const transition = entry(
  'transition',
  'transition',
  {
    id,
    from: id,
    /** Empty where no state is left: only the effect is done. */
    to: text(64),
    /** States in other regions it enters as well. */
    also: ids(200),
    /** Any of them fires it; none: at once. */
    triggers: rows(triggerFields, 200),
    /** A transition to a state inside its own that does not leave its own. */
    internal: flag,
    guard: read(text(), 'expression', inType),
    effect: read(text(), 'statements', inType),
  },
  {
    label: (chain) => `${nameOf(chain, -2)}: ${transitionSays(chain).slice('transition '.length)}`,
    says: transitionSays,
    content: (t) =>
      [
        t.from,
        t.to,
        t.triggers[0]?.kind ?? 'completion',
        t.triggers[0]?.on ?? '',
        ...t.triggers.slice(1).flatMap((g) => [g.kind, g.on]),
        t.guard,
        t.effect,
      ].join('|'),
  },
);

/** Modes of a part. */
export const chart = entry(
  'chart',
  'state chart',
  {
    id,
    name,
    /** How often the do texts are run, a time such as 10 'ms'; empty where there are none. */
    period: read(text(400), 'expression', inType, { says: 'period of' }),
    /** Quantities of the chart's own. */
    values: list(value),
    states: list(state),
    transitions: list(transition),
  },
  { names: 'members', label: owned, says: (chain) => `chart ${nameOf(chain, -1)}`, content: (c) => c.name },
);

const lineFields = (pieces: TextRole['pieces']) => ({
  id,
  depth: atLeast(0, undefined, 40),
  text: pieces ? read(text(2000), 'expression', inType, { pieces }) : text(2000),
});
/** How deep a line stands, and what it says: read by core/flows, core/behaviour and core/sequences. */
const lineEntry = (word: string, owner: string, pieces?: TextRole['pieces']) =>
  entry('line', word, lineFields(pieces), {
    label: (chain) => `${nameOf(chain, -2)}: ${String(chain.at(-1)!.text)}`,
    says: (chain) => `${owner} ${nameOf(chain, -2)}`,
    content: (l) => (l.text.trim() === '' ? undefined : l.text),
  });
const linesContent = (x: { readonly name: string; readonly lines: readonly FlowLine[] }): string =>
  `${x.name}|${x.lines.map((l) => l.depth + l.text).join('|')}`;
const withOwner = (chain: Chain): string => `${nameOf(chain, -2)}: ${nameOf(chain, -1)}`;

/** Steps of a part, in order. */
export const procedure = entry(
  'procedure',
  'procedure',
  {
    id,
    name,
    note: text(),
    /** Starts with its part. */
    main: flag,
    /** Quantities of its own; a call gives them values by name. */
    values: list(value),
    /** The one a call brings back; empty for none. */
    result: text(80),
    lines: list(lineEntry('row', 'procedure', namesInProcedureLine)),
  },
  { names: 'members', label: withOwner, content: linesContent },
);

/** Messages between the parts of a type, in order. */
export const sequence = entry(
  'sequence',
  'sequence',
  { id, name: title(), note: text(), lines: list(lineEntry('row', 'sequence', namesInSequenceRow)) },
  { label: withOwner, content: linesContent },
);

export const relation = entry(
  'relation',
  'relation',
  {
    id,
    /** `P = Q*dp/eta`, or an inequality, which is a check. Units are converted where it is computed. */
    text: read(text(2000), 'relation', inType),
    note: text(),
  },
  {
    label: (chain) => `${nameOf(chain, 0)}: ${String(chain.at(-1)!.text)}`,
    says: (chain) => `relation ${String(chain.at(-1)!.text)}`,
    content: (r) => (r.text.trim() === '' ? undefined : r.text),
  },
);

/** Relations between quantities of a part type, solved in whichever direction the known ones allow. */
export const sheet = entry('sheet', 'relation sheet', {
  id,
  name: title(),
  note: text(),
  /** Its relations hold in every run of the part; otherwise it is for looking only. */
  live: flag,
  relations: list(relation),
  /** Where quantities and relations stand in its drawing, by name and by id. */
  layout: rows(namedPlace),
});

/** A line of a signal sheet: a name for a formula, or a note (core/lines/signal-line.ts). */
export const signalLine = entry(
  'line',
  'block',
  {
    id,
    text: read(text(), 'expression', inType, { pieces: namesInSignalLine }),
    /** Where its card stands; null where the layout places it. */
    place: maybe(places),
    /** How large the box of a note is; null for one as large as its text. */
    size: maybe(sizes),
  },
  {
    schema: 'signalLine',
    label: (chain) => `${nameOf(chain, 0)}: ${String(chain.at(-1)!.text)}`,
    says: (chain) => `signal sheet ${nameOf(chain, -2)}`,
    content: (l) => (l.text.trim() === '' ? undefined : l.text),
  },
);

/** How a sampled sheet goes from moment to moment: with what it had before, with the mean of both, with what it has now. */
export const samplingMethods = ['hold', 'tustin', 'backward'] as const;

/** Values made from values, line by line: continuously, or at the ticks of a clock. */
export const signalSheet = entry(
  'signals',
  'signal sheet',
  {
    id,
    name: title(),
    note: text(),
    /** Period, a time such as 1 'ms'; empty for a continuous sheet. */
    every: read(text(400), 'expression', inType, { says: 'period of' }),
    /** When the first tick comes, a time; empty for at once. */
    offset: read(text(400), 'expression', inType, { says: 'offset of' }),
    method: oneOf(...samplingMethods),
    lines: list(signalLine),
  },
  {
    label: withOwner,
    says: (chain) => `signal sheet ${nameOf(chain, -1)}`,
    content: (s) => [s.name, s.every, s.offset, s.method, ...s.lines.map((l) => l.text)].join('|'),
  },
);

/** An equation of the physics text, known by its id while the text around it changes. */
export const equation = entry('equation', 'equation', {
  id,
  /** Mark of its text as it was last seen. */
  mark: text(40),
});

/** What a signal of software goes through between a step and what is outside: a converter, pulses, a line that is on or off. */
export const channel = entry(
  'channel',
  'channel',
  {
    id,
    name,
    /** `encoder`: two lines a quarter of a turn apart, whose edges are counted. */
    kind: oneOf('analog', 'pwm', 'digital', 'encoder'),
    /** The input or output it carries; empty where it carries messages. */
    quantity: read(text(400), 'path', inType, { says: 'quantity of' }),
    /** Messages that its edges are. */
    rises: read(text(80), 'message', inType, { says: 'rise of' }),
    falls: read(text(80), 'message', inType, { says: 'fall of' }),
    /** What `lowVolts` and `highVolts` stand for, in the unit of the quantity. */
    low: number,
    high: number,
    lowVolts: atLeast(0, 'A voltage is 0 or more'),
    /** 0: what the board is supplied with. */
    highVolts: atLeast(0, 'A voltage is 0 or more'),
    bits: atLeast(1, 'At least 1 bit', 16),
    /** How often it is measured for one value. */
    average: atLeast(1, 'At least once', 64),
    /** How long before its step it is measured, in s. */
    early: atLeast(0, 'A time is 0 or more'),
    /** Hz, of pulses. */
    frequency: atLeast(1, 'At least 1 Hz', 1e7),
    /** What pulses are compared with: they begin with it, or are in the middle of it. */
    carrier: oneOf('ramp', 'triangle'),
    /** A second output is on while the first is off, but for the blanking between them, in s. */
    pair: flag,
    blanking: atLeast(0, 'A time is 0 or more'),
    /** Time constant of what smooths pulses behind the pin, in s; 0: nothing does. */
    smoothing: atLeast(0, 'A time is 0 or more'),
    /** The product sees the pulses themselves, not their mean. */
    ripple: flag,
    /** Of an encoder, from `low` to `high`. */
    counts: atLeast(1, 'At least one count', 1e9),
    pull: oneOf('none', 'up', 'down'),
    /** Off is high. */
    inverted: flag,
    /** Steps for which a line has to stay before it counts. */
    debounce: atLeast(1, 'At least 1 step', 1000),
    /** Where it is, by board. */
    pins: rows({ board: title(64, 'Which board?'), pin: title(40, 'Which pin?') }, 40),
    /** Of an encoder or a pair the other pin, by board. */
    otherPins: rows({ board: title(64, 'Which board?'), pin: title(40, 'Which pin?') }, 40),
  },
  { names: 'channels', label: owned, says: owned },
);

export const partType = entry(
  'type',
  'part type',
  {
    id,
    name,
    note: text(),
    quantities: list(quantity),
    parts: list(part),
    ports: list(port),
    links: list(link),
    /** Time between the steps of it as software; empty where it is none. */
    software: read(text(400), 'expression', inType, { says: 'steps of' }),
    /** What its signals go through where it runs on a board. */
    channels: list(channel, 400),
    /** Lines of C of its own, kept where its code is written anew: behind the includes, and at the end. */
    ownIncludes: text(),
    ownFunctions: text(),
    physics: read(text(2_000_000), 'physics', inType, { says: 'physics of' }),
    /** The equations of the physics text in their order. */
    equations: list(equation, 200_000),
    charts: list(chart),
    procedures: list(procedure),
    sequences: list(sequence),
    sheets: list(sheet),
    signals: list(signalSheet),
    /** Where cards of parts stand that the physics text declares. */
    layout: rows(namedPlace),
  },
  { names: 'types', says: (chain) => nameOf(chain, -1), content: (t) => `${t.name} ${t.note}` },
);

/** A board of the project's own: a chip with its clock and supply, and which of its pins lead where. */
export const ownBoard = entry(
  'board',
  'board',
  {
    id,
    name: title(64, 'A board needs a name'),
    note: text(),
    chip: oneOf('avr8', 'cortex-m0plus'),
    /** Hz. */
    clock: atLeast(1e6, 'At least 1 MHz', 133e6),
    /** Volts. */
    supply: atLeast(1.8, 'At least 1.8 V', 5.5),
    /** Pins that lead outside, by the number of the chip's pin, from 1. */
    pins: rows({ name: title(40, 'A pin needs a name'), number: atLeast(1, 'Pins are counted from 1', 64) }, 64),
  },
  {
    names: 'boards',
    says: (chain) => `board ${nameOf(chain, -1)}`,
  },
);

/** Text of one or more classes in the language of physics texts, which every physics text of the project can name. */
export const library = entry('library', 'shared text', {
  id,
  name: title(),
  note: text(),
  text: read(text(5_000_000), 'classes', () => ''),
});

/** A kind of thing that goes from part to part: a torque, a tube, an order. */
export const item = entry('item', 'item', {
  id,
  name: title(),
  /** Unit of what can be measured; empty for things and messages. */
  unit,
  note: text(),
});

const key = title(80, 'An id is needed');
const sourceFields = {
  file: text(400),
  sheet: text(400),
  /** Row of the sheet, counted from 1; 0 where the file has none. */
  row: atLeast(0),
  /** Cell of the text, such as B7. */
  cell: text(20),
  /** Identifier given by another tool, returned unchanged on export; empty where there is none. */
  foreign: text(400),
};
const observationFields = {
  verdict: oneOf('holds', 'fails'),
  by: title(200, 'Who saw it?'),
  /** Day, as 2026-11-23. */
  on: matching(/^\d{4}-\d\d-\d\d$/, 'A day such as 2026-11-23', 40),
  note: text(),
  /** The text that was signed; another text needs another look. */
  text: text(),
};

export const requirement = entry(
  'requirement',
  'requirement',
  {
    id,
    /** The identifier people use, e.g. CAP-01. */
    key,
    text: text(),
    /** A formula written by hand; empty where the limit is read out of the text. */
    formula: read(text(), 'expression', inWhatItIsAbout),
    /** Id of the part type it is about, where a setup runs that in place of the product; empty for the product. */
    about: text(64),
    note: text(),
    /** As its sheet calls it; `heading` and `information` require nothing. */
    kind: text(80),
    /** Id of the requirement it stands under. */
    parent: idOrNone,
    /** Columns of its sheet that have no meaning here, kept as they are. */
    attributes: rows({ name: text(200), value: text() }, 200),
    source: maybe(sourceFields),
    /** What somebody saw and signed, where no run can decide. */
    observation: maybe(observationFields),
  },
  {
    label: (chain) => String(chain.at(-1)!.key),
    says: (chain) => `requirement ${String(chain.at(-1)!.key)}`,
    content: (r) => `${r.text}|${r.formula}${r.about ? `|${r.about}` : ''}`,
  },
);

export const phrase = entry(
  'glossary',
  'phrase',
  {
    id,
    phrase: title(200, 'A phrase is needed'),
    /** Quantity, event, state or condition, as seen from the product. */
    meaning: read(title(400, 'What does it stand for?'), 'expression', inProduct),
  },
  {
    label: (chain) => `“${String(chain.at(-1)!.phrase)}”`,
    says: (chain) => `glossary "${String(chain.at(-1)!.phrase)}"`,
    content: (g) => `${g.phrase}|${g.meaning}`,
  },
);

/** How somebody reaches a goal with the product. */
export const flow = entry(
  'flow',
  'use flow',
  {
    id,
    name: title(),
    actor: text(200),
    goal: text(),
    trigger: text(),
    precondition: text(),
    postcondition: text(),
    lines: list(lineEntry('step', 'use flow')),
  },
  { content: (f) => [f.name, f.goal, f.trigger, f.precondition, f.postcondition].join('|') },
);

/** A requirement and an element of the project that belong together. */
export const trace = entry(
  'trace',
  'trace link',
  {
    id,
    requirement: id,
    /** Address of the element. */
    element: title(4000, 'What does the link lead to?'),
    /** Marks of both ends when somebody last said that they belong together: another text makes the link suspect. */
    requirementSeen: text(40),
    elementSeen: text(40),
  },
  { label: (chain) => String(chain.at(-1)!.element) },
);

/** Something done from outside at a time of the run. */
export const stimulus = entry(
  'stimulus',
  'stimulus row',
  {
    id,
    time: atLeast(0, 'A time of 0 s or later'),
    /** `follow`: an input follows a formula over time from the start of the run. */
    kind: oneOf('set', 'send', 'follow'),
    /** Path of a quantity, or of a part followed by the message. */
    target: read(title(400, 'What is set or sent?'), (x) => (x.kind === 'send' ? 'message-path' : 'path'), inSetup),
    value: read(text(), (x) => (x.kind === 'send' ? undefined : 'expression'), inSetup),
  },
  { label: (chain) => String(chain.at(-1)!.target), says: (chain) => `stimulus of setup ${nameOf(chain, 0)}` },
);

/** A changed value of a setup. */
const setupChange = entry('change', 'changed value', changeFields(inSetup, inSetup), {
  label: changeLabel,
  says: (chain) => `setup ${nameOf(chain, 0)}`,
});

export const setup = entry(
  'setup',
  'setup',
  {
    id,
    name: title(120),
    note: text(),
    changes: list(setupChange),
    stimulus: list(stimulus),
    solver: oneOf('auto', 'dopri5', 'implicit', 'rk4', 'euler', 'implicit-euler'),
    relative: positive,
    absolute: positive,
    step: positive,
    stop: positive,
    recordEvery: positive,
    /** Seconds of the product per second of the clock; 0: as fast as possible. */
    pace: atLeast(0),
    panel: text(64),
    /** Ids of written sequences of the product that send and expect messages during the run. */
    sequences: ids(200),
    /** Id of the part type that runs; empty for the product. */
    root: text(64),
    /** States in which charts start instead, by full name such as `ctrl.mode.Ready`. */
    startIn: read(texts(400, 200), 'state-path', inSetup, { says: 'start of' }),
    /** Condition that ends the run early; empty for none. */
    endWhen: read(text(2000), 'expression', inSetup, { says: 'end of' }),
    /** Condition at whose coming the loops that requirements speak of are looked at; empty for never. */
    loopsWhen: read(text(2000), 'expression', inSetup, { says: 'looks at loops of' }),
    /** What is recorded: names of quantities, charts, or parts with all they hold; empty for everything. */
    record: read(texts(400, 2000), 'chart-path', inSetup, { says: 'what is recorded by' }),
    /** Software parts that do not run as designed, by full name. */
    stages: rows(
      {
        part: read(title(400, 'Which part?'), 'chart-path', inSetup, { says: 'stage in' }),
        stage: oneOf('sampled', 'code', 'host', 'board'),
        /** Name of the board, for the stage of that name; empty for the first. */
        board: text(64),
      },
      400,
    ),
    /** Wires of channels that are not as they should be. */
    wires: rows(
      {
        part: read(title(400, 'Which part?'), 'chart-path', inSetup, { says: 'wire in' }),
        channel: title(80, 'Which channel?'),
        /**
         * Loose, loose and picking up noise, held at 0 V, held at the supply, on the pin of another channel, each of its two on the pin of the
         * other, or instead of it a jumper to the pin of one that leads out.
         */
        fault: oneOf('loose', 'noisy', 'low', 'high', 'swapped', 'crossed', 'joined'),
        other: text(80),
      },
      400,
    ),
    /** Serial lines over which parts on boards are watched. */
    serial: rows(
      {
        part: read(title(400, 'Which part?'), 'chart-path', inSetup, { says: 'serial line in' }),
        /** Bits per second. */
        baud: atLeast(300, 'From 300 to 2,000,000 bits per second', 2_000_000),
        /** Something is told after every so many steps. */
        every: atLeast(1, 'After 1 to 255 steps', 255),
        /** Chance of a byte to be damaged on the way. */
        noise: atLeast(0, 'A chance from 0 to 1', 1),
      },
      400,
    ),
    /** What is told over these lines, by full name; no more than 8 of a part. */
    heard: read(texts(400, 400), 'chart-path', inSetup, { says: 'what is told to' }),
    /** Ids of the tracks it shows; empty for all. */
    tracks: ids(2000),
    /** Its run is shown while it goes on; otherwise once it has ended, which costs less. */
    screen: flag,
  },
  {
    content: (s) =>
      JSON.stringify([
        s.changes.map((c) => ({ name: c.name, value: c.value })),
        s.stimulus.map((x) => [x.time, x.kind, x.target, x.value]),
        s.stop,
      ]),
  },
);

const studySays = (chain: Chain): string => `study ${nameOf(chain, 0)}`;

/** A quantity that takes other values in a study. */
export const studied = entry(
  'value',
  'varied value',
  {
    id,
    name: read(title(400, 'What takes other values?'), 'path', inStudy),
    /** Which: `8:14:13`, `8, 9, 10`, `normal(0.02, 0.002)`; where a study looks for values between two, `8:14`. */
    range: text(),
  },
  { schema: 'studied', says: studySays },
);

/** A message that may come, or a quantity that may be set, at any time of a span. */
export const studiedMessage = entry(
  'message',
  'message that may come',
  {
    id,
    target: read(title(400, 'What may come?'), (x) => (x.value === '' ? 'message-path' : 'path'), inStudy),
    /** What a quantity is set to; empty for a message. */
    value: text(400),
    from: atLeast(0, 'A time of 0 s or later'),
    to: atLeast(0, 'A time of 0 s or later'),
  },
  { schema: 'studiedMessage', label: (chain) => String(chain.at(-1)!.target), says: studySays },
);

/** A formula whose value at the end of each run is told, or is to be as low or as high as it can be. */
export const aim = entry(
  'aim',
  'aim',
  {
    id,
    /** As people call it; empty for its formula. */
    name: text(120),
    sense: oneOf('told', 'low', 'high'),
    /** Over what runs; `margin(CAP-02)` is the margin of a requirement. */
    formula: read(text(2000), (a) => (/^\s*margin\s*\(/.test(String(a.formula)) ? undefined : 'expression'), inStudy),
  },
  { label: (chain) => nameOf(chain, -1) || String(chain.at(-1)!.formula), says: studySays },
);

/** A column of a recording and the quantity that was measured. */
export const measuredColumn = entry(
  'column',
  'measured column',
  {
    id,
    /** Id of the recording. */
    recording: id,
    column: title(400, 'Which column?'),
    quantity: read(text(400), 'path', inStudy),
  },
  { label: (chain) => String(chain.at(-1)!.column), says: studySays },
);

/** A question asked of many runs. */
export const study = entry(
  'study',
  'study',
  {
    id,
    name: title(120),
    note: text(),
    kind: oneOf('compare', 'vary', 'matters', 'best', 'breaks', 'fit'),
    /** Id of the setup that is run; empty for the first. */
    setup: text(64),
    values: list(studied, 200),
    /** Between -1 and 1, of two of its values by their ids. */
    correlations: rows({ a: id, b: id, r: number }, 2000),
    messages: list(studiedMessage, 200),
    aims: list(aim, 200),
    /** Id of the requirement that is to be broken. */
    requirement: text(64),
    runs: atLeast(1, 'At least one run', 1_000_000),
    seed: atLeast(0),
    drawing: oneOf('slices', 'sobol', 'random'),
    method: oneOf('both', 'global', 'local'),
    /** Ids of recordings: what the model is fitted to, or what is compared. */
    recordings: ids(50),
    columns: list(measuredColumn, 2000),
    /** Last share of the time that is only looked at afterwards. */
    holdBack: atLeast(0, 'A share between 0 and 0.9', 0.9),
    /** Seconds by which what was measured may be moved, `low:high`, or is moved; empty for none. */
    shift: text(80),
    /** Ids of setups that are compared. */
    setups: ids(50),
    /** Runs the browser keeps that are compared: when each began, in ms. */
    kept: ids(50),
    /** Where differences begin to count: relative to the largest value, in the unit of the quantity, in s. */
    tolerance: rows({ relative: atLeast(0), absolute: atLeast(0), time: atLeast(0) }, 1),
    /** Both are moved so that this comes at one time: a condition; empty where they begin together. */
    alignAt: text(2000),
  },
  {
    content: (s) =>
      JSON.stringify([
        s.kind,
        s.setup,
        s.values.map((v) => [v.name, v.range]),
        s.messages.map((m) => [m.target, m.value, m.from, m.to]),
        s.aims.map((a) => [a.sense, a.formula]),
        s.requirement,
      ]),
  },
);

/** Values over time that were measured, as they came: a table with a row of names and a column of times. */
export const recording = entry('recording', 'recording', {
  id,
  name: title(200),
  note: text(),
  text: text(50_000_000),
});

const caseSays = (chain: Chain): string => `test case ${nameOf(chain, 0)}`;

/** What is given over time, or has to come of it: a column of the table of a test case. */
export const vector = entry(
  'vector',
  'column of a test case',
  {
    id,
    way: oneOf('set', 'send', 'expect'),
    /** Path of a quantity that is set, of a message that is sent, or a formula of which a value is expected. */
    target: read(
      title(400, 'What is given or expected?'),
      (v) => (v.way === 'set' ? 'path' : v.way === 'send' ? 'message-path' : 'expression'),
      inCase,
    ),
    /** How far off it may be: in its unit, as a share of what is expected, and in s, earlier or later. */
    absolute: atLeast(0),
    relative: atLeast(0),
    late: atLeast(0, 'A time of 0 s or more', 1e6),
  },
  { label: (chain) => String(chain.at(-1)!.target), says: caseSays },
);

/** What a product or a part of it is tried with, and what must come of it. */
export const testCase = entry(
  'case',
  'test case',
  {
    id,
    name: title(200),
    note: text(),
    /** Words by which some are chosen. */
    tags: texts(80, 40),
    /** Id of the setup that runs; empty for the first. */
    setup: text(64),
    /** Id of a part type that is tried alone, without what is around it; empty where the setup runs. */
    alone: text(64),
    /** s after which it ends at the latest; 0: with its setup. */
    stop: atLeast(0, 'A time of 0 s or more', 1e9),
    /** Stages it is for; empty for all. */
    stages: texts(80, 20),
    /** Lines that are gone through, read by core/scripts. */
    script: read(text(200_000), 'expression', inCase, { says: 'script of', pieces: namesInScript }),
    /** Ids of written sequences of what is tried, which have to pass. */
    sequences: ids(200),
    vectors: list(vector, 400),
    /** What is given and expected when, by columns: an empty cell gives nothing new, and expects nothing. */
    rows: rows(
      { time: atLeast(0, 'A time of 0 s or later'), cells: rows({ column: id, value: text(400) }, 400) },
      100_000,
    ),
  },
  {
    says: caseSays,
    content: (c) =>
      JSON.stringify([
        c.name,
        c.setup,
        c.alone,
        c.stop,
        c.script,
        c.sequences,
        c.vectors.map((v) => [v.way, v.target, v.absolute, v.relative, v.late]),
        c.rows.map((r) => [r.time, r.cells.map((x) => [x.column, x.value])]),
      ]),
  },
);

/** Why something that cases do not come through need not be. */
export const excuse = entry('excuse', 'excuse', {
  id,
  /** What of which element, as coverage counts it. */
  item: title(4000),
  /** `deactivated`: it is there on purpose, and not in use. */
  kind: oneOf('justified', 'deactivated'),
  reason: title(4000, 'Why?'),
  by: title(200, 'Who says so?'),
  /** Day, as 2026-11-23. */
  on: matching(/^\d{4}-\d\d-\d\d$/, 'A day such as 2026-11-23', 40),
  /** Mark of the element it was said of; when that changes it has to be said again. */
  mark: text(80),
});

const pictureSays = (chain: Chain): string => `picture ${String(chain.at(-2)!.label)}`;

/** A piece of a picture. Its numbers are formulas over the product, so that it follows what runs. */
export const shape = entry(
  'shape',
  'piece of a picture',
  {
    id,
    kind: oneOf('box', 'disc', 'line', 'words'),
    /** From the left and top of the picture, in its units: 100 across. */
    x: read(text(400), 'expression', inProduct),
    y: read(text(400), 'expression', inProduct),
    width: read(text(400), 'expression', inProduct),
    height: read(text(400), 'expression', inProduct),
    /** Degrees it is turned about its middle. */
    turn: read(text(400), 'expression', inProduct),
    /** Shown while this holds; empty for always. */
    shown: read(text(400), 'expression', inProduct),
    tone: oneOf('ink', 'pale', 'accent', 'now', 'good', 'bad'),
    /** The words, for words. */
    text: text(400),
    /** Message sent when it is pressed, `part.message`; empty for none. */
    sends: read(text(400), 'message-path', inProduct),
  },
  { label: pictureSays, says: pictureSays },
);

export const control = entry(
  'control',
  'control',
  {
    id,
    kind: oneOf(
      'button',
      'switch',
      'slider',
      'field',
      'knob',
      'readout',
      'lamp',
      'dial',
      'level',
      'chart',
      'text',
      'picture',
      'verdict',
    ),
    label: text(120),
    /** Path of a quantity, `part.message` of a button, a condition of a lamp, or the key of a requirement. */
    target: read(
      text(400),
      (c) =>
        c.kind === 'button'
          ? 'message-path'
          : c.kind === 'lamp'
            ? 'expression'
            : c.kind === 'verdict' || c.kind === 'text' || c.kind === 'picture'
              ? undefined
              : 'path',
      inProduct,
    ),
    /** What a button sends when it is let go, `part.message`; empty for nothing. */
    release: read(text(400), 'message-path', inProduct),
    unit,
    min: number,
    max: number,
    /** Place and size on the panel. */
    ...places,
    width: positive,
    height: positive,
    /** What a picture is made of. */
    shapes: list(shape, 400),
  },
  { label: (chain) => String(chain.at(-1)!.label), says: (chain) => `panel ${nameOf(chain, 0)}` },
);

export const panel = entry(
  'panel',
  'panel',
  { id, name: title(120), controls: list(control) },
  { content: (p) => p.name },
);

export const track = entry(
  'track',
  'track',
  {
    id,
    /** Full names of what it shows; charts show as state lanes. */
    items: read(texts(400), 'chart-path', inProduct),
    height: positive,
  },
  { label: () => 'track', says: () => 'a track of the ribbon' },
);

const retired = { id, key };

export const projectFormat = 'zelvar-project';
export const projectVersion = 19;

export const projectFields = {
  format: exactly(projectFormat),
  version: exactly(projectVersion),
  id,
  name: title(200, 'A project needs a name'),
  note: text(),
  /** Id of the part type that is the product. */
  root: text(64),
  types: list(partType),
  /** Classes that every physics text of the project can name: functions, records, connectors, partial models. */
  libraries: list(library, 2000),
  /** Boards of its own, beside those that come with the application. */
  boards: list(ownBoard, 40),
  /** What links can carry. */
  items: list(item),
  requirements: list(requirement, 200_000),
  /** Identifiers of deleted requirements: they are never given to another one. */
  retired: rows(retired, 400_000),
  glossary: list(phrase),
  flows: list(flow),
  traces: list(trace, 200_000),
  setups: list(setup),
  studies: list(study),
  cases: list(testCase, 20_000),
  excuses: list(excuse, 20_000),
  recordings: list(recording, 500),
  panels: list(panel),
  tracks: list(track),
};

export const projectSchema = documentSchema(projectFields);

export interface Project extends ValuesOf<typeof projectFields> {}
export interface PartType extends EntryOf<typeof partType> {}
export interface OwnBoard extends EntryOf<typeof ownBoard> {}
export interface ClassText extends EntryOf<typeof library> {}
export interface Quantity extends EntryOf<typeof quantity> {}
export interface Part extends EntryOf<typeof part> {}
export interface Change extends EntryOf<typeof change> {}
export interface Port extends EntryOf<typeof port> {}
export interface Link extends EntryOf<typeof link> {}
export interface Channel extends EntryOf<typeof channel> {}
export interface Item extends EntryOf<typeof item> {}
export interface Chart extends EntryOf<typeof chart> {}
export interface ChartValue extends EntryOf<typeof value> {}
export interface ChartState extends EntryOf<typeof state> {}
export interface Trigger extends ValuesOf<typeof triggerFields> {}
export interface Transition extends EntryOf<typeof transition> {}
export interface Procedure extends EntryOf<typeof procedure> {}
export interface Sequence extends EntryOf<typeof sequence> {}
export interface RelationSheet extends EntryOf<typeof sheet> {}
export interface SignalSheet extends EntryOf<typeof signalSheet> {}
export interface SignalLine extends EntryOf<typeof signalLine> {}
export interface Relation extends EntryOf<typeof relation> {}
export interface EquationMark extends EntryOf<typeof equation> {}
export interface Requirement extends EntryOf<typeof requirement> {}
export interface GlossaryEntry extends EntryOf<typeof phrase> {}
export interface Flow extends EntryOf<typeof flow> {}
export interface FlowLine extends ValuesOf<ReturnType<typeof lineFields>> {}
export interface TraceLink extends EntryOf<typeof trace> {}
export interface Setup extends EntryOf<typeof setup> {}
export interface StimulusRow extends EntryOf<typeof stimulus> {}
export interface Study extends EntryOf<typeof study> {}
export interface Vector extends EntryOf<typeof vector> {}
export interface TestCase extends EntryOf<typeof testCase> {}
export interface Excuse extends EntryOf<typeof excuse> {}
export interface Studied extends EntryOf<typeof studied> {}
export interface StudiedMessage extends EntryOf<typeof studiedMessage> {}
export interface Aim extends EntryOf<typeof aim> {}
export interface MeasuredColumnMap extends EntryOf<typeof measuredColumn> {}
export interface MeasuredRecording extends EntryOf<typeof recording> {}
export interface Panel extends EntryOf<typeof panel> {}
export interface Control extends EntryOf<typeof control> {}
export interface Shape extends EntryOf<typeof shape> {}
export interface Track extends EntryOf<typeof track> {}
/** Where a requirement was imported from. */
export interface RequirementSource extends ValuesOf<typeof sourceFields> {}
export interface Observation extends ValuesOf<typeof observationFields> {}
export interface RetiredKey extends ValuesOf<typeof retired> {}
export interface Attribute {
  readonly name: string;
  readonly value: string;
}
export type StateKind = ChartState['kind'];
export type TriggerKind = Trigger['kind'];
export type ControlKind = Control['kind'];
