import { longestFrame } from '../serial/frames';
import { mostWatched, noSlot, orderKinds, tellingKind, type SerialLine } from '../serial/messages';
import { legalName } from '../stepcode/c-names';
import type { SlotRole, StepProgram } from '../stepcode/step-program';
import type { CSource } from '../stepcode/write-c';
import type { Board } from './board';

/** What the wrapper of a chip looks for: one turn of the loop in which it waits. */
export const linkTurn = 'board_link_turn';
export const linkTell = 'board_link_tell';
const waiting = 256;
const longestOrder = 16;

/** How the clock of a chip is divided for a line, and the bits per second that come of it. */
export function baudOf({ chip, clock }: Pick<Board, 'chip' | 'clock'>, baud: number) {
  if (chip === 'avr8') {
    const divider = Math.max(0, Math.min(4095, Math.round(clock / (8 * baud)) - 1));
    return { divider, baud: clock / (8 * (divider + 1)) };
  }
  const divider = Math.max(64, Math.min(65535 * 64, Math.round((clock * 4) / baud)));
  return { divider, baud: (clock * 4) / divider };
}

const owners: Partial<Record<SlotRole, string>> = {
  input: 'board_in.',
  output: 'board_out.',
  parameter: 'board_state.param.',
  part: 'board_state.',
};

/**
 * The serial line of a program on a board: after so many steps what is watched goes out, and between steps orders are followed. Frames are those of
 * core/serial.
 */
export function writeLink(
  program: StepProgram,
  { names }: Pick<CSource, 'names'>,
  places: readonly number[],
  board: Pick<Board, 'chip' | 'name' | 'clock'>,
  { baud, every }: SerialLine,
): { readonly header: string; readonly source: string } {
  const own = legalName(program.name);
  const { divider } = baudOf(board, baud);
  const small = board.chip === 'avr8';
  const rows = places.map((k) => {
    const { role, size } = program.slots[k];
    const member = `${owners[role]}${names[k]}`;
    return size > 0 ? `    { (uint8_t *)0, 0 },` : `    { (uint8_t *)&${member},\n      (uint8_t)sizeof ${member} },`;
  });
  const source = `/* The serial line of ${own} on ${board.name}: what is watched is told, and
   orders are followed. */
#include "board_link.h"
#include <string.h>
${small ? eightHead : thirtyTwoHead}
extern ${own}_state board_state;
extern ${own}_in board_in;
extern ${own}_out board_out;

typedef struct {
    uint8_t *at;
    uint8_t size;
} board_place;

static const board_place board_places[] BOARD_FLASH = {
${rows.join('\n')}
};
enum {
    board_place_count = ${places.length},
    board_most_watched = ${mostWatched},
    board_waiting = ${waiting},
    board_longest_order = ${longestOrder}
};

static uint16_t board_watched[board_most_watched];
static uint8_t board_watched_count;
static uint8_t board_told;
static uint8_t board_followed;
static uint16_t board_steps_done;
static uint8_t board_until_told;

static uint8_t board_sending[board_waiting];
static volatile uint8_t board_send_first;
static volatile uint8_t board_send_end;

static uint8_t board_order[board_longest_order];
static uint8_t board_order_length;

static board_place board_place_of(uint16_t slot)
{
    board_place place;

    BOARD_COPY(&place, &board_places[slot], sizeof place);
    return place;
}

/* CRC-16/CCITT-FALSE, a byte at a time. */
static uint16_t board_check(uint16_t check, uint8_t byte)
{
    uint8_t x = (uint8_t)((check >> 8) ^ byte);

    x = (uint8_t)(x ^ (x >> 4));
    return (uint16_t)((uint16_t)(check << 8) ^ (uint16_t)((uint16_t)x << 12)
        ^ (uint16_t)((uint16_t)x << 5) ^ x);
}

static uint8_t board_send_put(uint8_t at, uint8_t byte)
{
    board_sending[at] = byte;
    return (uint8_t)(at + 1u);
}

/* Stuffed, so that 0 stands at the end alone. */
static void board_send_frame(uint8_t *said, uint8_t length)
{
    const uint8_t room = (uint8_t)(board_send_first - board_send_end - 1u);
    uint16_t check = 0xffffu;
    uint8_t end = board_send_end;
    uint8_t code;
    uint8_t run = 1;
    uint8_t k;

    if (room < (uint8_t)(length + 4u)) {
        return;
    }
    for (k = 0; k < length; k++) {
        check = board_check(check, said[k]);
    }
    said[length] = (uint8_t)(check >> 8);
    said[length + 1u] = (uint8_t)(check & 0xffu);
    code = end;
    end = (uint8_t)(end + 1u);
    for (k = 0; k < (uint8_t)(length + 2u); k++) {
        if (said[k] == 0u) {
            (void)board_send_put(code, run);
            code = end;
            end = (uint8_t)(end + 1u);
            run = 1;
        } else {
            end = board_send_put(end, said[k]);
            run++;
        }
    }
    (void)board_send_put(code, run);
    end = board_send_put(end, 0);
    board_send_end = end;
    board_send_more();
}

void ${linkTell}(void)
{
    uint8_t said[5 + (4 * board_most_watched) + 2];
    uint8_t length = 5;
    uint8_t k;

    board_steps_done++;
    if (board_until_told > 0u) {
        board_until_told--;
        return;
    }
    board_until_told = ${every - 1}u;
    said[0] = ${tellingKind}u;
    said[1] = board_told;
    said[2] = board_followed;
    said[3] = (uint8_t)(board_steps_done & 0xffu);
    said[4] = (uint8_t)(board_steps_done >> 8);
    board_told++;
    for (k = 0; k < board_watched_count; k++) {
        memset(&said[length], 0, 4);
        if (board_watched[k] < (uint16_t)board_place_count) {
            const board_place place = board_place_of(board_watched[k]);

            memcpy(&said[length], place.at, place.size);
        }
        length = (uint8_t)(length + 4u);
    }
    board_send_frame(said, length);
}

/* What an order that is whole says is done. */
static void board_follow(const uint8_t *said)
{
    const uint16_t slot = (uint16_t)(said[3] | (uint16_t)(said[4] << 8));

    if ((said[0] == ${orderKinds.watch}u) && (said[2] < board_most_watched)) {
        board_watched[said[2]] = slot;
        if (board_watched_count <= said[2]) {
            board_watched_count = (uint8_t)(said[2] + 1u);
        }
    } else if ((said[0] == ${orderKinds.set}u) && (slot < (uint16_t)board_place_count)) {
        const board_place place = board_place_of(slot);

        memcpy(place.at, &said[5], place.size);
    } else {
        return;
    }
    board_followed = said[1];
}

/* Takes the stuffing out, and looks whether it is whole. */
static void board_take_order(void)
{
    uint8_t said[board_longest_order];
    uint8_t length = 0;
    uint16_t check = 0xffffu;
    uint8_t k = 0;

    while (k < board_order_length) {
        uint8_t next = (uint8_t)(k + board_order[k]);

        if (next > board_order_length) {
            return;
        }
        for (k = (uint8_t)(k + 1u); k < next; k++) {
            said[length] = board_order[k];
            length++;
        }
        if (k < board_order_length) {
            said[length] = 0;
            length++;
        }
    }
    for (k = 0; k < length; k++) {
        check = board_check(check, said[k]);
    }
    /* with its own check behind it nothing is left */
    if ((length == 11u) && (check == 0u)) {
        board_follow(said);
    }
}

static void board_take_byte(uint8_t byte)
{
    if (byte == 0u) {
        if (board_order_length <= board_longest_order) {
            board_take_order();
        }
        board_order_length = 0;
    } else if (board_order_length < board_longest_order) {
        board_order[board_order_length] = byte;
        board_order_length++;
    } else {
        /* too long to be an order */
        board_order_length = board_longest_order + 1;
    }
}
${small ? eightTail(divider) : thirtyTwoTail(divider)}`;
  const header = `#ifndef BOARD_LINK_H
#define BOARD_LINK_H

#include "${own}.h"

void board_link_init(void);
/* One turn of the loop in which the board waits. */
void ${linkTurn}(void);
/* Tells what is watched, after a step. */
void ${linkTell}(void);

#endif
`;
  return { header, source };
}

const eightHead = `#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/pgmspace.h>

#define BOARD_FLASH PROGMEM
#define BOARD_COPY memcpy_P

static void board_send_more(void)
{
    UCSR0B = (uint8_t)(UCSR0B | (1u << UDRIE0));
}
`;
const eightTail = (divider: number): string => `
static volatile uint8_t board_received[64];
static volatile uint8_t board_receive_first;
static volatile uint8_t board_receive_end;

ISR(USART_RX_vect)
{
    const uint8_t next = (uint8_t)((board_receive_end + 1u) & 63u);
    const uint8_t byte = UDR0;

    if (next != board_receive_first) {
        board_received[board_receive_end] = byte;
        board_receive_end = next;
    }
}

ISR(USART_UDRE_vect)
{
    if (board_send_first == board_send_end) {
        UCSR0B = (uint8_t)(UCSR0B & ~(1u << UDRIE0));
    } else {
        UDR0 = board_sending[board_send_first];
        board_send_first = (uint8_t)(board_send_first + 1u);
    }
}

void board_link_init(void)
{
    board_watched_count = 0;
    UBRR0 = ${divider};
    UCSR0A = (uint8_t)(1u << U2X0);
    UCSR0C = (uint8_t)((1u << UCSZ01) | (1u << UCSZ00));
    UCSR0B = (uint8_t)((1u << RXEN0) | (1u << TXEN0) | (1u << RXCIE0));
    sei();
}

void ${linkTurn}(void)
{
    while (board_receive_first != board_receive_end) {
        board_take_byte(board_received[board_receive_first]);
        board_receive_first = (uint8_t)((board_receive_first + 1u) & 63u);
    }
}
`;

const thirtyTwoHead = `
#define BOARD_FLASH
#define BOARD_COPY memcpy
#define BOARD_AT(address) (*(volatile uint32_t *)(uintptr_t)(address))
#define BOARD_LINE_DATA BOARD_AT(0x40034000u)
#define BOARD_LINE_FLAGS BOARD_AT(0x40034018u)

static void board_send_more(void);
`;
const thirtyTwoTail = (divider: number): string => `
/* The chip has room for 32 bytes of its own. */
static void board_send_more(void)
{
    while ((board_send_first != board_send_end)
           && ((BOARD_LINE_FLAGS & (1u << 5)) == 0u)) {
        BOARD_LINE_DATA = board_sending[board_send_first];
        board_send_first = (uint8_t)(board_send_first + 1u);
    }
}

void board_link_init(void)
{
    board_watched_count = 0;
    BOARD_AT(0x4000f000u) = (1u << 22) | (1u << 5) | (1u << 8);
    while ((BOARD_AT(0x4000c008u) & (1u << 22)) == 0u) {
    }
    BOARD_AT(0x40034024u) = ${divider >> 6}u;
    BOARD_AT(0x40034028u) = ${divider & 63}u;
    BOARD_AT(0x4003402cu) = (3u << 5) | (1u << 4);
    BOARD_AT(0x40034030u) = (1u << 9) | (1u << 8) | 1u;
    BOARD_AT(0x40014004u) = 2u;
    BOARD_AT(0x4001400cu) = 2u;
}

void ${linkTurn}(void)
{
    board_send_more();
    while ((BOARD_LINE_FLAGS & (1u << 4)) == 0u) {
        board_take_byte((uint8_t)(BOARD_LINE_DATA & 0xffu));
    }
}
`;

export const linkLimits = { waiting, longestFrame, noSlot };
