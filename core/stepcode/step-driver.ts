import { sendsOf } from '../flatten/chart-sends';
import type { FlatChart, FlatModel } from '../flatten/flat-model';
import type { Driver, MessageRecord, Outside } from '../simulate/simulation';
import { borderOf, noChannels, type ChannelLoss, type Channels, type ChannelState } from './border';
import { createWatcher, type LineCounts, type Reading, type Watching, type WatcherState } from '../serial/watcher';
import type { RunningStep, StepProfile } from './running-step';
import type { Slot, StepProgram } from './step-program';

export interface RunningPart {
  readonly driver: Driver;
  /** All it remembers, as plain data. */
  keep(): StepState;
  readonly did: DoneInSteps;
}

export interface StepState {
  readonly next: number;
  /** By slot; of an array its elements. */
  readonly slots: readonly (number | readonly number[])[];
  /** Messages and their arguments that have come since the last step. */
  readonly came: readonly (readonly [string, number])[];
  readonly given: readonly (readonly [number, number])[];
  readonly isChanged: boolean;
  /** What comes out once the step at hand is done, and when that is. */
  readonly pending: readonly Outside[];
  readonly pendingAt: number;
  readonly overruns: number;
  /** When it was last looked at. */
  readonly lookedAt: number;
  /** How numbers fitted, by slot. */
  readonly fits: readonly (readonly [slot: number, beyond: number, drift: number])[];
  /** Of its serial line, and what has come over it and is still to be shown. */
  readonly watcher?: WatcherState;
  readonly readings: readonly Reading[];
  /** Of its channels; nothing where it has none. */
  readonly channels?: ChannelState;
}

/** What came in and out at each step. */
export interface DoneInSteps {
  /** Inputs of every step, in the order of the input slots of the program. */
  readonly inputs: readonly Float64Array[];
  /** What came out and what was kept after every step, by slot, where that was asked for. */
  readonly shown: readonly number[];
  readonly results: readonly Float64Array[];
  /** Parameters and what is kept, by slot, as they begin in the run. */
  readonly begins: ReadonlyMap<number, number>;
  /** Whether a parameter has been given another value during the run. */
  isChanged(): boolean;
  /** What the steps took, where they run on something that takes time. */
  profile(): StepProfile | undefined;
  /** Steps that were left out, as the one before was not done in time. */
  overruns(): number;
  /** What did not come through its channels. */
  losses(): readonly ChannelLoss[];
  /** What came over its serial line; nothing where it has none. */
  line(): LineCounts | undefined;
  /** How its numbers fit into what they are kept in; only JavaScript counts that. */
  fits(): readonly NumberFit[];
}

/** A quantity that is kept in fewer bits. */
export interface NumberFit {
  readonly quantity: string;
  /** How often a value was beyond what can be kept. */
  readonly beyond: number;
  /** What rounding has added up to, in its unit, where it goes on from what it was. */
  readonly drift: number;
}

/** The steps of a part as a driver of a run: it reads inputs, goes a step, and sets what follows. */
export function stepped(
  model: FlatModel,
  name: string,
  number: number,
  run: RunningStep,
  program: StepProgram,
  {
    from,
    isKept = false,
    channels = noChannels,
    watching,
  }: {
    readonly from?: StepState | undefined;
    readonly isKept?: boolean;
    readonly channels?: Channels;
    readonly watching?: Watching | undefined;
  } = {},
): RunningPart {
  const { slots, period } = program;
  const of = (role: Slot['role']): readonly number[] =>
    slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [k] : []));
  const variableOf = (slot: number): number | undefined => model.indexOf.get(`${name}.${slots[slot].name}`);
  const inputs = of('input');
  const { stepTime: timed = -1, overruns: counted = -1 } = model.parts[number].software ?? {};
  const charts = model.charts.filter((c) => c.part === number);
  // counters of messages, not their arguments
  const messagesIn = inputs.filter((k) => slots[k].is === 'messages');
  // what is kept, then what goes out
  const smoothed = new Map(
    channels.lines.flatMap((l) =>
      l.smoothing > 0 ? [[l.quantity, model.indexOf.get(pulsesName(name, l.quantity))] as const] : [],
    ),
  );
  /** What is set from outside of an output: itself, or the pulses that make it. */
  const drivenBy = (output: string): number | undefined =>
    smoothed.get(output) ?? model.indexOf.get(`${name}.${output}`);
  const leaves = new Set(of('output').map((slot) => slots[slot].name));
  const shown = [...of('part'), ...of('output')].flatMap((slot) => {
    // of what is kept and goes out outside there is what has come out
    if (slots[slot].role === 'part' && leaves.has(slots[slot].name)) return [];
    const variable = slots[slot].role === 'output' ? drivenBy(slots[slot].name) : variableOf(slot);
    const output = slots[slot].role === 'output' ? slots[slot].name : undefined;
    return variable === undefined ? [] : [{ slot, variable, output }];
  });
  const sends = sentBy(charts, number);
  const states = charts.map((c) => activity(model, program, c));
  const came = new Map<string, number>(from?.came);
  const begins = new Map<number, number>();
  const now = new Map<number, number>(from?.given);
  let isChanged = from?.isChanged ?? false;
  const history: Float64Array[] = [];
  const results: Float64Array[] = [];
  const single = [...of('output'), ...of('part')];
  let next = from?.next ?? 0;
  let pending: readonly Outside[] = from?.pending ?? [];
  let pendingAt = from?.pendingAt ?? Infinity;
  let overruns = from?.overruns ?? 0;
  let lookedAt = from?.lookedAt ?? -1;
  // what runs somewhere else has to be there before anything is put into it
  if (from) run.init();
  from?.slots.forEach((value, slot) => run.restore(slot, value));
  // quantities that are told over its line, by slot: what is kept where there is such, else what goes out or comes in
  const heard = new Map(
    (run.line ? (watching?.watch ?? []) : []).flatMap((quantity) => {
      const slot = toldSlot(slots, quantity);
      const variable = model.indexOf.get(heardName(name, quantity));
      return slot === undefined || variable === undefined ? [] : [[slot, variable] as const];
    }),
  );
  const watcher =
    run.line && watching ? createWatcher(run.line, watching, [...heard.keys()], period, from?.watcher) : undefined;
  let readings: readonly Reading[] = from?.readings ?? [];
  const fitsNow = (): StepState['fits'] =>
    (run.fits?.() ?? []).map(([slot, beyond, drift]) => {
      const [, b, d] = from?.fits.find(([k]) => k === slot) ?? [slot, 0, 0];
      return [slot, beyond + b, drift + d] as const;
    });
  const border = borderOf(channels, run, period, from?.channels);

  const own = [...of('parameter'), ...of('part')].flatMap((slot) => {
    // what it was in the step before begins like itself
    const variable = variableOf(slot) ?? model.indexOf.get(`${name}.${slots[slot].name.replace(/\.before$/, '')}`);
    return variable === undefined ? [] : [{ slot, variable }];
  });
  const begin = (values: Float64Array): void => {
    run.init();
    for (const { slot, variable } of own) {
      run.write(slot, values[variable]);
      begins.set(slot, values[variable]);
    }
  };
  const given = own.filter(({ slot }) => slots[slot].role === 'parameter');
  const comesFrom = inputs.map((slot) => ({ input: slots[slot].name, variable: variableOf(slot) }));
  const outputOf = new Map(of('output').map((slot) => [slots[slot].name, slot]));
  const leaving = [...sends].flatMap(([message, { receivers, args }]) => {
    const counter = outputOf.get(message);
    const given = args.flatMap((a) => {
      const slot = outputOf.get(`${message}_${a}`);
      return slot === undefined ? [] : [{ name: a, slot }];
    });
    return counter === undefined ? [] : [{ message, receivers, counter, given }];
  });
  const indexOfOwn = new Map<string, number>();
  const valueIn =
    (values: Float64Array) =>
    (quantity: string): number => {
      let index = indexOfOwn.get(quantity);
      if (index === undefined) indexOfOwn.set(quantity, (index = model.indexOf.get(`${name}.${quantity}`) ?? -1));
      return values[index] ?? 0;
    };
  /** Inputs as a step reads them: whether the firmware puts them there, and whether it counts messages. */
  const reads = inputs.map((slot, k) => ({
    slot,
    ...comesFrom[k],
    isOnChip: border?.onChip.has(slots[slot].name) ?? false,
    isMessage: slots[slot].is === 'messages',
    isStored: slots[slot].storage !== undefined,
  }));
  const scratch = new Float64Array(inputs.length);
  const step = (values: Float64Array): readonly Outside[] => {
    const row = isKept ? new Float64Array(inputs.length) : scratch;
    const valueNow = valueIn(values);
    border?.measure(next * period, next, valueNow, true);
    const arrives = border?.arrive(next * period, valueNow, (m) => came.get(m) ?? 0);
    for (let k = 0; k < reads.length; k++) {
      const { slot, input, variable, isOnChip } = reads[k];
      // arguments stand under the name of their message, and keep the last value
      row[k] = variable === undefined ? (came.get(input) ?? 0) : values[variable];
      if (isOnChip) continue;
      row[k] = arrives?.get(input) ?? row[k];
      run.write(slot, row[k]);
    }
    for (const { slot, variable } of given) {
      if (Object.is(values[variable], now.get(slot))) continue;
      isChanged ||= now.has(slot);
      // while it runs it is told over its line
      if (watcher && now.has(slot)) watcher.set(slot, values[variable]);
      else run.write(slot, values[variable]);
      now.set(slot, values[variable]);
    }
    for (const slot of messagesIn) came.delete(slots[slot].name);
    run.step();
    if (border) {
      for (let k = 0; k < reads.length; k++) {
        const { slot, input, isOnChip, isMessage, isStored } = reads[k];
        if (isOnChip) row[k] = run.read(slot);
        if (isMessage) border.seen(input, row[k]);
        else if (!isStored) border.counted(input, row[k]);
      }
      border.leave(next * period, run.busy?.() ?? run.seconds?.() ?? 0, (output) => {
        const slot = outputOf.get(output);
        return slot === undefined ? 0 : run.read(slot);
      });
    }
    if (isKept) history.push(row);
    if (isKept) results.push(Float64Array.from(single, (slot) => run.read(slot)));
    const told = messages(run);
    return told.length > 0 ? [...changes(run, values), ...told] : changes(run, values);
  };
  const changes = (r: RunningStep, values: Float64Array): readonly Outside[] => {
    const found: Outside[] = [];
    for (const { slot, variable, output } of shown) {
      if (output !== undefined && border?.isPulsed(output)) continue;
      const value = (output === undefined ? undefined : border?.heard(output)) ?? r.read(slot);
      if (!Object.is(values[variable], value)) found.push({ kind: 'set', variable, value });
    }
    for (const s of states) found.push(...s(r, values));
    return found;
  };
  const messages = (r: RunningStep): readonly Outside[] => {
    const found: Outside[] = [];
    for (const { message, receivers, counter, given } of leaving) {
      const count = border?.messages(message) ?? r.read(counter);
      if (count === 0) continue;
      const args = given.map(({ name: a, slot }) => ({ name: a, value: r.read(slot) }));
      for (let k = 0; k < count; k++)
        for (const part of receivers) found.push({ kind: 'send', part, message, args, sender: number });
    }
    return found;
  };
  /** What is there at a time, steps that are due gone. */
  const goesOn = (time: number, values: Float64Array): Outside[] => {
    const out: Outside[] = [];
    if (time >= pendingAt - 1e-6 * period) {
      out.push(...pending);
      pending = [];
      pendingAt = Infinity;
    }
    // by less than a step: times are multiples of the period
    if (time < (next - 1e-6) * period) return out;
    if (next === 0) begin(values);
    const done = step(values);
    const measured = run.seconds?.() ?? 0;
    // reading and writing pins takes its time too
    const takes = run.busy?.() ?? measured;
    if (takes > 0) {
      // what comes out does so once it is worked out; a step that is not done in time is in the place of the next ones
      const late = Math.max(0, Math.ceil(takes / period - 1e-9) - 1);
      overruns += late;
      pending = done;
      pendingAt = next * period + takes;
      next += 1 + late;
      if (timed >= 0) pending = [...pending, { kind: 'set', variable: timed, value: measured }];
      if (counted >= 0 && late > 0) pending = [...pending, { kind: 'set', variable: counted, value: overruns }];
      return out;
    }
    next++;
    return [...out, ...done];
  };
  /** What comes over the line until the next step. */
  const listen = (): void => {
    if (!watcher || !run.line) return;
    const until = next * period;
    readings = [...readings, ...watcher.hear(run.line.wait(until), until)];
  };
  return {
    did: {
      inputs: history,
      shown: single,
      results,
      begins,
      isChanged: () => isChanged,
      profile: () => run.profile?.(),
      overruns: () => overruns,
      losses: () => border?.losses() ?? [],
      line: () => watcher?.counts(),
      fits: () => fitsByName(slots, fitsNow()),
    },
    keep: () => ({
      next,
      slots: slots.map((_, slot) => run.keep(slot)),
      came: [...came],
      given: [...now],
      isChanged,
      pending,
      pendingAt,
      overruns,
      lookedAt,
      fits: fitsNow(),
      readings,
      ...(watcher && { watcher: watcher.keep() }),
      ...(border && { channels: border.keep() }),
    }),
    driver: {
      nextTime: () =>
        Math.min(
          next * period,
          pendingAt,
          readings[0]?.time ?? Infinity,
          border?.nextPulse(lookedAt) ?? Infinity,
          next > 0 ? (border?.nextMeasured(next) ?? Infinity) : Infinity,
        ),
      look(time, values) {
        const before = next;
        if (next > 0) border?.measure(time, next, valueIn(values));
        const out = goesOn(time, values);
        if (next !== before) {
          watcher?.speak(time);
          listen();
        }
        for (; readings.length > 0 && readings[0].time <= time + 1e-9 * period; readings = readings.slice(1)) {
          const { slot, value } = readings[0];
          out.push({ kind: 'set', variable: heard.get(slot)!, value });
        }
        lookedAt = time;
        for (const [output, value] of border?.pulsesAt(time) ?? []) {
          const variable = drivenBy(output);
          if (variable !== undefined && !Object.is(values[variable], value)) out.push({ kind: 'set', variable, value });
        }
        return out;
      },
      message(record: MessageRecord) {
        if (!record.receivers.includes(number)) return;
        came.set(record.message, (came.get(record.message) ?? 0) + 1);
        for (const a of record.args) came.set(`${record.message}_${a.name}`, a.value);
      },
    },
  };
}

/** How pulses are called in a run that something smooths. */
export const pulsesName = (part: string, quantity: string): string => `${part}.pulses.${quantity}`;
/** How what is told over a line is called in a run. */
export const heardName = (part: string, quantity: string): string => `${part}.heard.${quantity}`;
/** Where in its memory a quantity is that is told. */
export const toldSlot = (slots: readonly Slot[], quantity: string): number | undefined => {
  const found = (['part', 'output', 'input', 'parameter'] as const)
    .map((role) => slots.findIndex((s) => s.role === role && s.name === quantity && s.size === 0))
    .find((slot) => slot >= 0);
  return found;
};

/** What is kept and what goes out under one name is one quantity; blocks keep theirs to themselves. */
function fitsByName(slots: readonly Slot[], fits: StepState['fits']): readonly NumberFit[] {
  const found = new Map<string, NumberFit>();
  for (const [slot, beyond, drift] of fits) {
    const { name: quantity } = slots[slot];
    if (quantity.includes('.')) continue;
    const known = found.get(quantity);
    found.set(quantity, {
      quantity,
      beyond: Math.max(beyond, known?.beyond ?? 0),
      drift: drift === 0 ? (known?.drift ?? 0) : drift,
    });
  }
  return [...found.values()];
}

/** Who hears what a part sends, and with which arguments. */
function sentBy(
  charts: readonly FlatChart[],
  number: number,
): ReadonlyMap<string, { readonly receivers: readonly number[]; readonly args: readonly string[] }> {
  const found = new Map<string, { receivers: Set<number>; args: Set<string> }>();
  for (const send of sendsOf(charts)) {
    const known = found.get(send.message) ?? { receivers: new Set(), args: new Set() };
    send.receivers.filter((r) => r !== number).forEach((r) => known.receivers.add(r));
    send.args.forEach((a) => known.args.add(a.name));
    found.set(send.message, known);
  }
  return new Map([...found].map(([m, { receivers, args }]) => [m, { receivers: [...receivers], args: [...args] }]));
}

/** Tells which states have become active or not, from the numbers of the regions. */
function activity(
  model: FlatModel,
  { slots, lists }: StepProgram,
  chart: FlatChart,
): (run: RunningStep, values: Float64Array) => readonly Outside[] {
  const { states } = chart.structure;
  const stateAt = new Map(chart.active.map((index, k) => [model.variables[index].place, k]));
  const regions = slots.flatMap((s, slot) => {
    if (s.is !== 'region') return [];
    const { members } = lists[s.list];
    return members.some((m) => stateAt.has(m.from))
      ? [{ slot, members: new Map(members.map((m) => [m.value, m.from])) }]
      : [];
  });
  /** Numbers of the regions when it was last told: nobody else changes what is active. */
  const last = new Float64Array(regions.length).fill(NaN);
  return (run, values) => {
    let isSame = true;
    for (let k = 0; k < regions.length; k++) {
      const now = run.read(regions[k].slot);
      if (now === last[k]) continue;
      last[k] = now;
      isSame = false;
    }
    if (isSame && regions.length > 0) return [];
    const active = new Set<number>();
    for (const { slot, members } of regions) {
      const state = stateAt.get(members.get(run.read(slot)) ?? '');
      for (let s = state ?? -1; s >= 0; s = states[s].parent) active.add(s);
    }
    return chart.active.flatMap((variable, k): Outside[] => {
      const value = Number(active.has(k));
      return values[variable] === value ? [] : [{ kind: 'set', variable, value }];
    });
  };
}
