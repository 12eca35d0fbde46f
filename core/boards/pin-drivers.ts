import type { Line } from '../pins/channels';
import type { Carrier, Pin } from '../pins/pin-boards';
import type { Board } from './board';

/** A line that is on a pin of the board, with how it is called in its firmware. */
export interface PinLine extends Line {
  readonly c: string;
}

/** How pins are worked on a chip, as C. */
export interface Drivers {
  /** What stands before everything. */
  head(lines: readonly PinLine[]): string;
  /** Statements that make the pins ready. */
  init(lines: readonly PinLine[]): readonly string[];
  /** Sum of so many measurements of a voltage. */
  measure(line: PinLine): string;
  isHigh(line: PinLine): string;
  put(line: PinLine, level: string): string;
  /** Statements; of a pair `steps` is declared. */
  pulse(line: PinLine, steps: string): readonly string[];
  /** What is done for edges of encoders: functions that are called for them, and what makes that so. */
  edges(lines: readonly PinLine[]): { readonly functions: string; readonly init: readonly string[] };
}

export const drivers = (chip: Board['chip']): Drivers => (chip === 'avr8' ? eight : thirtyTwo);

const isUsed = (lines: readonly PinLine[], kind: PinLine['kind'], direction?: PinLine['direction']): boolean =>
  lines.some((l) => l.kind === kind && (direction === undefined || l.direction === direction));

// --- 8 bits: three ports of 8, 6 and 6 pins; timer 1 counts up and down

const portOf = ({ number }: Pick<Pin, 'number'>): { readonly port: 'B' | 'C' | 'D'; readonly bit: number } =>
  number < 8
    ? { port: 'D', bit: number }
    : number < 14
      ? { port: 'B', bit: number - 8 }
      : { port: 'C', bit: number - 14 };
const clockBits: Readonly<Record<number, string>> = {
  1: '(1u << CS10)',
  8: '(1u << CS11)',
  64: '((1u << CS11) | (1u << CS10))',
  256: '(1u << CS12)',
  1024: '((1u << CS12) | (1u << CS10))',
};
const ab = (pin: Pin): string => 'AB'[pin.pulses!.output];
const hasCarrier = (lines: readonly PinLine[], carrier: Carrier): boolean =>
  lines.some((l) => !l.pair && l.timing?.carrier === carrier);
const hasPair = (lines: readonly PinLine[]): boolean => lines.some((l) => l.pair);
const encodersOf = (lines: readonly PinLine[]): readonly PinLine[] => lines.filter((l) => l.kind === 'encoder');
/** Both pins of an encoder, or of a pair. */
const bothOf = (l: PinLine): readonly Pin[] => [l.pin!, ...(l.other ? [l.other] : [])];

const pairText = (type: string): string => `
/* Either of a pair is on while the other is off, and both are off for a
   while in between; where one is always on nothing is switched. */
static ${type} board_first(${type} steps, ${type} most, ${type} blanking)
{
    ${type} on = steps;

    if (steps < most) {
        on = (steps > blanking) ? (${type})(steps - blanking) : 0u;
    }
    return on;
}

static ${type} board_second(${type} steps, ${type} most, ${type} blanking)
{
    ${type} off = 0;

    if (steps > 0u) {
        off = ((most - steps) > blanking) ? (${type})(steps + blanking) : most;
    }
    return off;
}
`;
/** Few bits are measured with a faster clock: 13 of its cycles are one measurement. */
const finestQuick = 8;

const eight: Drivers = {
  head: (lines) => `${encodersOf(lines).length > 0 ? '#include <avr/interrupt.h>\n' : ''}#include <avr/io.h>
${
  encodersOf(lines).length > 0
    ? `
/* Four bytes are not read at once: nothing may come in between. */
static int32_t board_count(const volatile board_disc *disc)
{
    int32_t count;

    cli();
    count = disc->count;
    sei();
    return count;
}
`
    : ''
}${
    hasCarrier(lines, 'ramp')
      ? `
/* What goes up only is on for at least a step: none is an output that is
   not led to its pin. */
static void board_pulse(volatile uint16_t *compare, uint8_t led,
                        uint16_t steps)
{
    if (steps == 0u) {
        TCCR1A = (uint8_t)(TCCR1A & ~led);
    } else {
        *compare = (uint16_t)(steps - 1u);
        TCCR1A = (uint8_t)(TCCR1A | led);
    }
}
`
      : ''
  }${hasPair(lines) ? pairText('uint16_t') : ''}${
    isUsed(lines, 'analog')
      ? `
/* So many measurements against the supply; the converter has 10 bits. */
static uint32_t board_measure(uint8_t input, uint8_t clock, uint8_t drop,
                              uint8_t times)
{
    uint32_t sum = 0;
    uint8_t k;

    ADMUX = (uint8_t)((1u << REFS0) | input);
    for (k = 0; k < times; k++) {
        ADCSRA = (uint8_t)((1u << ADEN) | (1u << ADSC) | clock);
        while ((ADCSRA & (1u << ADSC)) != 0u) {
        }
        sum += (uint32_t)ADC >> drop;
    }
    return sum;
}
`
      : ''
  }${
    isUsed(lines, 'digital', 'out')
      ? `
static void board_put(volatile uint8_t *port, uint8_t bit, bool level)
{
    if (level) {
        *port = (uint8_t)(*port | (1u << bit));
    } else {
        *port = (uint8_t)(*port & ~(1u << bit));
    }
}
`
      : ''
  }`,
  init: (lines) => {
    const rows: string[] = [];
    for (const l of lines) {
      const { port, bit } = portOf(l.pin!);
      if (l.direction === 'out')
        for (const { port: p, bit: b } of bothOf(l).map(portOf)) rows.push(`DDR${p} |= (uint8_t)(1u << ${b});`);
      else if (l.kind === 'digital' && l.pull === 'up') rows.push(`PORT${port} |= (uint8_t)(1u << ${bit});`);
    }
    // the first measurement takes longer than all others
    if (isUsed(lines, 'analog')) rows.push('(void)board_measure(0, 7, 0, 1);');
    const pulses = lines.filter((l) => l.kind === 'pwm');
    if (pulses.length > 0) {
      const { frequency, steps, divider, carrier } = pulses[0].timing!;
      rows.push(
        `/* ${Math.round(frequency)} Hz in ${steps} steps */`,
        `ICR1 = ${carrier === 'ramp' ? steps - 1 : steps}u;`,
        ...pulses.flatMap((l) => bothOf(l).map((pin) => `OCR1${ab(pin)} = 0;`)),
        `TCCR1A = (uint8_t)(${carrier === 'ramp' ? '' : pulses.map(leads).join('')}(1u << WGM11));`,
        `TCCR1B = (uint8_t)((1u << WGM13) | ${carrier === 'ramp' ? '(1u << WGM12) | ' : ''}${clockBits[divider]});`,
      );
    }
    return rows;
  },
  measure: (l) => `board_measure(${l.pin!.analog}, ${l.bits <= finestQuick ? 4 : 7}, ${10 - l.bits}, ${l.average})`,
  isHigh: (l) => {
    const { port, bit } = portOf(l.pin!);
    return `((PIN${port} & (1u << ${bit})) != 0u)`;
  },
  put: (l, level) => {
    const { port, bit } = portOf(l.pin!);
    return `board_put(&PORT${port}, ${bit}, ${level});`;
  },
  pulse: (l, steps) =>
    l.pair
      ? [
          `steps = ${steps};`,
          `OCR1${ab(l.pin!)} = ${paired('first', l)};`,
          `OCR1${ab(l.other!)} = ${paired('second', l)};`,
        ]
      : l.timing!.carrier === 'ramp'
        ? [`board_pulse(&OCR1${ab(l.pin!)}, (1u << COM1${ab(l.pin!)}1), ${steps});`]
        : [`OCR1${ab(l.pin!)} = ${steps};`],
  edges(lines) {
    const found = new Map<string, number>();
    for (const { port, bit } of encodersOf(lines).flatMap(bothOf).map(portOf))
      found.set(port, (found.get(port) ?? 0) | (1 << bit));
    const number = (port: string): number => 'BCD'.indexOf(port);
    return {
      functions: [...found.keys()]
        .map((port) => `\nISR(PCINT${number(port)}_vect)\n{\n    board_turned();\n}\n`)
        .join(''),
      init: [
        ...[...found].map(([port, bits]) => `PCMSK${number(port)} = 0x${bits.toString(16)}u;`),
        `PCICR = ${[...found.keys()].map((port) => `(1u << ${number(port)})`).join(' | ')};`,
        'sei();',
      ],
    };
  },
};
/** Leads outputs of the timer that goes up and down to their pins, of a pair the other one turned round. */
const leads = (l: PinLine): string =>
  `(1u << COM1${ab(l.pin!)}1) | ${l.other ? `(1u << COM1${ab(l.other)}1) | (1u << COM1${ab(l.other)}0) | ` : ''}`;
const paired = (which: 'first' | 'second', { timing, blanking }: PinLine): string =>
  `board_${which}(steps, ${timing!.steps}u, ${blanking}u)`;

// --- 32 bits: one port, a converter of its own, eight timers of two outputs

/** Number of the interrupt for edges at pins. */
export const edgeInterrupt = 13;

const thirtyTwo: Drivers = {
  head: (lines) => `
#define BOARD_REG(address) (*(volatile uint32_t *)(uintptr_t)(address))
#define BOARD_RESET_CLEAR BOARD_REG(0x4000f000u)
#define BOARD_RESET_DONE BOARD_REG(0x4000c008u)
#define BOARD_USE(pin) BOARD_REG(0x40014004u + (8u * (pin)))
#define BOARD_PAD(pin) BOARD_REG(0x4001c004u + (4u * (pin)))
#define BOARD_LEVELS BOARD_REG(0xd0000004u)
#define BOARD_SET BOARD_REG(0xd0000014u)
#define BOARD_CLEAR BOARD_REG(0xd0000018u)
#define BOARD_DRIVE BOARD_REG(0xd0000024u)
#define BOARD_TIMER(timer, at) BOARD_REG(0x40050000u + (0x14u * (timer)) + (at))
#define BOARD_ADC_CONTROL BOARD_REG(0x4004c000u)
#define BOARD_ADC_RESULT BOARD_REG(0x4004c004u)
${
  isUsed(lines, 'analog')
    ? `
/* So many measurements against the supply; the converter has 12 bits. */
static uint32_t board_measure(uint32_t input, uint32_t drop, uint32_t times)
{
    uint32_t sum = 0;
    uint32_t k;

    for (k = 0; k < times; k++) {
        BOARD_ADC_CONTROL = 1u | (1u << 2) | (input << 12);
        while ((BOARD_ADC_CONTROL & (1u << 8)) == 0u) {
        }
        sum += BOARD_ADC_RESULT >> drop;
    }
    return sum;
}
`
    : ''
}${
    encodersOf(lines).length > 0
      ? `
static int32_t board_count(const volatile board_disc *disc)
{
    return disc->count;
}
`
      : ''
  }${hasPair(lines) ? pairText('uint32_t') : ''}${
    isUsed(lines, 'digital', 'in') || encodersOf(lines).length > 0
      ? `
static bool board_level(uint32_t pin)
{
    return (BOARD_LEVELS & (1uL << pin)) != 0u;
}
`
      : ''
  }${
    isUsed(lines, 'digital', 'out')
      ? `
static void board_put(uint32_t pin, bool level)
{
    if (level) {
        BOARD_SET = 1uL << pin;
    } else {
        BOARD_CLEAR = 1uL << pin;
    }
}
`
      : ''
  }${
    isUsed(lines, 'pwm')
      ? `
/* Two outputs share a register. */
static void board_pulse(uint32_t timer, uint32_t output, uint32_t steps)
{
    const uint32_t moved = 16u * output;
    const uint32_t kept = BOARD_TIMER(timer, 0xcu) & ~(0xffffuL << moved);

    BOARD_TIMER(timer, 0xcu) = kept | (steps << moved);
}
`
      : ''
  }`,
  init: (lines) => {
    const needed = [
      ['io', 5],
      ['pads', 8],
      ...(isUsed(lines, 'pwm') ? [['pwm', 14] as const] : []),
      ...(isUsed(lines, 'analog') ? [['adc', 0] as const] : []),
    ] as const;
    const mask = `0x${needed.reduce((m, [, bit]) => m + 2 ** bit, 0).toString(16)}u`;
    const timers = new Set<number>();
    return [
      `BOARD_RESET_CLEAR = ${mask};`,
      `while ((BOARD_RESET_DONE & ${mask}) != ${mask}) {`,
      '}',
      ...(isUsed(lines, 'analog')
        ? ['BOARD_ADC_CONTROL = 1u;', 'while ((BOARD_ADC_CONTROL & (1u << 8)) == 0u) {', '}']
        : []),
      ...lines.flatMap((l): string[] => {
        const pin = l.pin!;
        const { number } = pin;
        // input enabled, a way to be read as on or off even where it is loose
        const pulls = l.pull === 'up' ? '0x4au' : l.pull === 'down' ? '0x46u' : '0x42u';
        if (l.kind === 'analog') return [`BOARD_PAD(${number}u) = 0x80u;`, `BOARD_USE(${number}u) = 0x1fu;`];
        if (l.kind === 'encoder')
          return bothOf(l).flatMap((p) => [`BOARD_PAD(${p.number}u) = 0x42u;`, `BOARD_USE(${p.number}u) = 5u;`]);
        if (l.kind === 'digital')
          return l.direction === 'in'
            ? [`BOARD_PAD(${number}u) = ${pulls};`, `BOARD_USE(${number}u) = 5u;`]
            : [`BOARD_DRIVE = 1uL << ${number};`, `BOARD_USE(${number}u) = 5u;`];
        const { timer, output } = pin.pulses!;
        const mode = 1 + (l.timing!.carrier === 'triangle' ? 2 : 0) + (l.pair ? 4 << (1 - output) : 0);
        const isFirst = !timers.has(timer);
        timers.add(timer);
        return [
          ...(isFirst
            ? [
                `/* ${Math.round(l.timing!.frequency)} Hz in ${l.timing!.steps} steps */`,
                `BOARD_TIMER(${timer}u, 0x10u) = ${l.timing!.steps - 1}u;`,
                `BOARD_TIMER(${timer}u, 4u) = ${l.timing!.divider}u << 4;`,
                `BOARD_TIMER(${timer}u, 0xcu) = 0u;`,
                `BOARD_TIMER(${timer}u, 0u) = ${mode}u;`,
              ]
            : []),
          ...bothOf(l).map((p) => `BOARD_USE(${p.number}u) = 4u;`),
        ];
      }),
    ];
  },
  measure: (l) => `board_measure(${l.pin!.analog}u, ${12 - l.bits}u, ${l.average}u)`,
  isHigh: (l) => `board_level(${l.pin!.number}u)`,
  put: (l, level) => `board_put(${l.pin!.number}u, ${level});`,
  pulse(l, steps) {
    const put = (pin: Pin, on: string): string => `board_pulse(${pin.pulses!.timer}u, ${pin.pulses!.output}u, ${on});`;
    return l.pair
      ? [`steps = ${steps};`, put(l.pin!, paired('first', l)), put(l.other!, paired('second', l))]
      : [put(l.pin!, steps)];
  },
  edges(lines) {
    const pins = encodersOf(lines).flatMap(bothOf);
    const bits = new Map<number, number>();
    for (const { number } of pins)
      bits.set(number >> 3, ((bits.get(number >> 3) ?? 0) | (0xc << (4 * (number & 7)))) >>> 0);
    const rows = (address: number): readonly string[] =>
      [...bits].map(([k, mask]) => `BOARD_REG(0x${(address + 4 * k).toString(16)}u) = 0x${mask.toString(16)}u;`);
    return {
      functions: `\nvoid board_edges(void)\n{\n${rows(0x400140f0)
        .map((r) => `    ${r}\n`)
        .join('')}    board_turned();\n}\n`,
      init: [...rows(0x40014100), `BOARD_REG(0xe000e100u) = 1u << ${edgeInterrupt};`],
    };
  },
};
