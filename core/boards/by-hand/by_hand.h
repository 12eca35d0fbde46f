/*
 * The controller of the capper, written by hand: what the generated one is
 * compared with.
 */
#ifndef BY_HAND_H
#define BY_HAND_H

#include "CapperControl.h"

typedef CapperControl_in ByHand_in;
typedef CapperControl_out ByHand_out;

typedef enum {
    OFF,
    HOMING,
    READY,
    WAIT_TUBE,
    CLAMP,
    FAST,
    CREEP,
    PRESS,
    HOLD,
    RELEASE,
    ADVANCE,
    STOPPED,
    FAULT
} ByHand_mode;

typedef enum { DARK, LIT, FLASH, PAUSE } ByHand_lamp;

typedef struct {
    CapperControl_param param;
    ByHand_mode mode;
    ByHand_lamp lamp;
    bool engage;
    bool guard_shut;
    bool begun;
    int32_t left; /* steps until the mode is over */
    int32_t turning_left; /* steps until it slips */
    int32_t lamp_left;
    int32_t count;
    int32_t in_batch;
    float wanted;
    float part;
    float part_rate;
} ByHand_state;

void ByHand_init(ByHand_state *state);
void ByHand_step(ByHand_state *state, const ByHand_in *in, ByHand_out *out);

#endif
