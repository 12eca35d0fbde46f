import { converterOf, pulserOf, restingLevel } from '../pins/pin-side';
import { momentsOf, type Line } from '../pins/channels';
import { createNames, legalName } from '../stepcode/c-names';
import { helpers, keptInMember, valueOfMember } from '../stepcode/c-helpers';
import { floatText, widest } from '../stepcode/c-text';
import type { StepProgram } from '../stepcode/step-program';
import type { CSource } from '../stepcode/write-c';
import type { Board } from './board';
import { drivers, type PinLine } from './pin-drivers';

/** A row that would be too wide goes on in the next one. */
function fitting(row: string): readonly string[] {
  if (row.length <= widest - 4) return [row];
  const at = / = (?!.* = )/.exec(row) ?? /, /.exec(row);
  if (!at) return [row];
  const end = at.index + at[0].trimEnd().length;
  return [row.slice(0, end), ...fitting(`    ${row.slice(end).trimStart()}`)];
}

/** Of a line, so that rows stay narrow. */
const longestName = 36;

export function pinLines(lines: readonly Line[]): readonly PinLine[] {
  const name = createNames();
  return lines.flatMap((l) => (l.pin ? [{ ...l, c: name(l.name.slice(0, longestName)) }] : []));
}

/** What the firmware remembers of its pins, as its wrapper finds it. */
export const pinMemory = 'board_pins';
/** Where it is while it waits for its next step, where that has to be seen. */
export const waitTurn = 'board_wait';

/**
 * What stands between a step and the pins of a board: what is measured and looked at before it, and put out after it. The numbers are those of
 * core/pins/pin-side.ts, operation by operation.
 */
export function writePins(
  program: StepProgram,
  { names }: Pick<CSource, 'names'>,
  lines: readonly Line[],
  board: Pick<Board, 'chip' | 'name'>,
): { readonly header: string; readonly source: string } {
  const own = legalName(program.name);
  const used = pinLines(lines);
  const member = (role: 'input' | 'output', name: string): string | undefined => {
    const slot = program.slots.findIndex((s) => s.role === role && s.name === name);
    return slot < 0 ? undefined : `${role === 'input' ? 'in' : 'out'}->${names[slot]}`;
  };
  const needed = new Set<string>();
  const slotOf = (role: 'input' | 'output', name: string) =>
    program.slots.find((s) => s.role === role && s.name === name)!;
  const inputs = used.filter((l) => l.direction === 'in');
  const outputs = used.filter((l) => l.direction === 'out');
  const d = drivers(board.chip);
  const remembered = used.filter(
    (l) => l.kind === 'encoder' || l.early > 0 || (l.kind === 'digital' && (l.direction === 'in' || l.quantity === '')),
  );
  const moments = momentsOf(used);
  const encoders = used.filter((l) => l.kind === 'encoder');
  const edges = encoders.length > 0 ? d.edges(used) : undefined;
  const has = (kind: Line['kind'], direction: Line['direction']): boolean =>
    used.some((l) => l.kind === kind && l.direction === direction);

  const readLines = inputs.flatMap((l): string[] => {
    const at = `/* ${l.name}, pin ${l.pin!.name}${l.other ? ` and ${l.other.name}` : ''} */`;
    const target = (name: string): string | undefined => (name === '' ? undefined : member('input', name));
    if (l.kind === 'analog' || l.kind === 'encoder') {
      const to = target(l.quantity);
      const { base, perCount } = converterOf(l);
      if (!to) return [];
      const slot = slotOf('input', l.quantity);
      const measured = [
        `${floatText(base)}`,
        `    + ((float)${l.kind === 'encoder' ? `board_count(&board_pins.${l.c})` : l.early > 0 ? `board_pins.${l.c}` : d.measure(l)} * ${floatText(perCount)})`,
      ];
      return slot.storage
        ? [at, `measured = ${measured[0]}`, `${measured[1]};`, `${to} = ${keptInMember(slot, 'measured', needed)};`]
        : [at, `${to} = ${measured[0]}`, `${measured[1]};`];
    }
    const line = `board_pins.${l.c}`;
    const [value, rises, falls] = [target(l.quantity), target(l.rises), target(l.falls)];
    return [
      at,
      `board_look(&${line}, ${l.inverted ? '!' : ''}${d.isHigh(l)}, ${l.debounce}u);`,
      ...(value ? [`${value} = ${line}.held;`] : []),
      ...(rises ? [`${rises} = board_edge(&${line}, true);`] : []),
      ...(falls ? [`${falls} = board_edge(&${line}, false);`] : []),
    ];
  });
  const writeLines = outputs.flatMap((l): string[] => {
    const at = `/* ${l.name}, pin ${l.pin!.name}${l.other ? ` and ${l.other.name}` : ''} */`;
    const source = (name: string): string => member('output', name) ?? '0';
    if (l.kind === 'pwm') {
      const { base, perUnit } = pulserOf(l);
      return [
        at,
        ...d.pulse(
          l,
          `board_steps(${member('output', l.quantity) ? valueOfMember(slotOf('output', l.quantity), source(l.quantity)) : '0'}, ${floatText(base)}, ${floatText(perUnit)}, ${l.timing!.steps}u)`,
        ),
      ];
    }
    const level = (x: string): string => (l.inverted ? `!(${x})` : x);
    if (l.quantity !== '') return [at, d.put(l, level(source(l.quantity)))];
    const line = `board_pins.${l.c}`;
    const [up, down] = [l.rises, l.falls].map((m) => (m === '' ? '' : source(m)));
    const next =
      up === ''
        ? [`${line}.held = (${down} == 0);`]
        : down === ''
          ? [`${line}.held = (${up} > 0);`]
          : [`${line}.held = board_pair(${line}.held,`, `    ${up}, ${down});`];
    return [at, ...next, d.put(l, level(`${line}.held`))];
  });
  const indented = (rows: readonly string[]): string =>
    rows
      .flatMap(fitting)
      .map((r) => `    ${r}`)
      .join('\n');
  const kept = helpers(needed, program.period).join('\n');
  const source = `/* Pins of ${own} on ${board.name}: what its signals go through.
   Voltages are measured and lines looked at before a step, pulses and
   lines put out after it. */
#include "board_pins.h"
${d.head(used)}
${remembered.length > 0 ? `board_pin_memory ${pinMemory};\n` : ''}${kept === '' ? '' : `\n${kept.trimEnd()}\n`}${
    has('digital', 'in')
      ? `
/* A line counts once it has stayed for so many steps; what it is at first
   is no edge. */
static void board_look(board_line *line, bool level, uint16_t stays)
{
    if (!line->seen) {
        line->seen = true;
        line->held = level;
        line->was = level;
        return;
    }
    line->was = line->held;
    if (level == line->held) {
        line->other = 0;
        return;
    }
    line->other++;
    if (line->other >= stays) {
        line->held = level;
        line->other = 0;
    }
}
`
      : ''
  }${
    inputs.some((l) => l.rises !== '' || l.falls !== '')
      ? `
static int32_t board_edge(const board_line *line, bool level)
{
    return ((line->held == level) && (line->was != level)) ? 1 : 0;
}
`
      : ''
  }${
    outputs.some((l) => l.rises !== '' && l.falls !== '')
      ? `
/* A line with two messages stays where the last of them has put it. */
static bool board_pair(bool level, int32_t rises, int32_t falls)
{
    return level ? (falls <= rises) : (rises > falls);
}
`
      : ''
  }${
    has('pwm', 'out')
      ? `
/* Of all steps of a pulse those in which it is on; what is no number is
   none. */
static uint16_t board_steps(float x, float base, float per_unit,
                            uint16_t most)
{
    const float steps = ((x - base) * per_unit) + 0.5f;
    uint16_t found = 0;

    if (steps >= (float)most) {
        found = most;
    } else if (steps >= 1.0f) {
        found = (uint16_t)steps;
    } else {
        found = 0;
    }
    return found;
}
`
      : ''
  }
${
  edges
    ? `
/* Of two lines that change one after the other: up where the first leads. */
static void board_look_disc(volatile board_disc *disc, bool first,
                            bool second)
{
    static const int8_t change[16] = {
        0, -1, 1, 0, 1, 0, 0, -1, -1, 0, 0, 1, 0, 1, -1, 0
    };
    const uint8_t now = (uint8_t)((first ? 2u : 0u) | (second ? 1u : 0u));

    disc->count += change[((uint8_t)(disc->was << 2) | now) & 15u];
    disc->was = now;
}

void board_turned(void)
{
${indented(encoders.flatMap((l) => [`board_look_disc(&board_pins.${l.c},`, `    ${d.isHigh(l)},`, `    ${d.isHigh({ ...l, pin: l.other })});`]))}
}
${edges.functions}`
    : ''
}
void board_pins_init(void)
{
${indented([
  ...outputs.flatMap((l) => [
    ...(restingLevel(l) > 0 ? [`board_pins.${l.c}.held = true;`] : []),
    ...(l.kind === 'digital' && restingLevel(l) > 0 !== l.inverted ? [d.put(l, 'true')] : []),
  ]),
  ...d.init(used),
  // where the discs stand at first is where they are counted from
  ...(edges ? ['board_turned();', ...encoders.map((l) => `board_pins.${l.c}.count = 0;`), ...edges.init] : []),
])}
}
${
  edges
    ? `
void ${waitTurn}(void)
{
    /* nothing: it is seen here that the next step is waited for */
}
`
    : ''
}
${
  moments.length > 0
    ? `/* What a step gets was so some time before it: the first of such moments
   is 0. */
void board_pins_measure(uint8_t moment)
{
${indented(moments.flatMap((m, k) => [`${k > 0 ? '} else ' : ''}if (moment == ${k}u) {`, ...inputs.filter((l) => l.early === m).flatMap((l) => [`    /* ${l.name}, pin ${l.pin!.name}: ${Number((m * 1e6).toPrecision(6))} us before */`, `    board_pins.${l.c} = ${d.measure(l)};`])]))}
    } else {
        /* there is no such moment */
    }
}

`
    : ''
}void board_pins_read(${own}_in *in)
{
${readLines.some((l) => l.startsWith('measured')) ? '    float measured;\n\n' : ''}${indented(readLines.length > 0 ? readLines : ['(void)in;'])}
}

void board_pins_write(const ${own}_out *out)
{
${
  outputs.some((l) => l.pair)
    ? `    ${board.chip === 'avr8' ? 'uint16_t' : 'uint32_t'} steps;

`
    : ''
}${indented(writeLines.length > 0 ? writeLines : ['(void)out;'])}
}
`;
  const header = `#ifndef BOARD_PINS_H
#define BOARD_PINS_H

#include "${own}.h"

typedef struct {
    uint16_t other;
    bool held;
    bool was;
    bool seen;
} board_line;
${
  edges
    ? `
typedef struct {
    int32_t count;
    uint8_t was;
} board_disc;
`
    : ''
}${
    remembered.length > 0
      ? `
typedef struct {
${remembered.map((l) => `    ${l.kind === 'encoder' ? 'volatile board_disc' : l.early > 0 ? 'uint32_t' : 'board_line'} ${l.c};`).join('\n')}
} board_pin_memory;

extern board_pin_memory ${pinMemory};
`
      : ''
  }
${
  edges
    ? `void ${waitTurn}(void);
void board_turned(void);
${board.chip === 'avr8' ? '' : 'void board_edges(void);\n'}`
    : ''
}void board_pins_init(void);
${moments.length > 0 ? 'void board_pins_measure(uint8_t moment);\n' : ''}void board_pins_read(${own}_in *in);
void board_pins_write(const ${own}_out *out);

#endif
`;
  return { header, source };
}
