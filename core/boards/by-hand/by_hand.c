#include "by_hand.h"
#include <math.h>

static bool is_running(ByHand_mode mode)
{
    return (mode >= WAIT_TUBE) && (mode <= ADVANCE);
}

static bool is_turning(ByHand_mode mode)
{
    return (mode >= FAST) && (mode <= PRESS);
}

static int32_t steps(float seconds)
{
    const float exact = seconds / 0.001f;
    int32_t found = (int32_t)exact;

    if ((exact - floorf(exact)) > (exact * 1e-5f)) {
        found += 1;
    }
    return found;
}

static void go(ByHand_state *s, ByHand_mode mode, int32_t left)
{
    s->mode = mode;
    s->left = left;
}

static void stop_for(ByHand_state *s, ByHand_mode mode)
{
    s->engage = false;
    go(s, mode, 0);
}

static void fault(ByHand_state *s, ByHand_out *out)
{
    stop_for(s, FAULT);
    out->halt += 1;
    out->fault += 1;
}

static void capped(ByHand_state *s, ByHand_out *out)
{
    s->count += 1;
    s->in_batch += 1;
    if (s->in_batch >= (s->param.batchSize + s->param.counterSlip)) {
        out->batchDone += 1;
        out->batchDone_tubes = s->in_batch;
        s->in_batch = 0;
    }
}

/* What goes on by itself. */
static bool moves(ByHand_state *s, const ByHand_in *in, ByHand_out *out)
{
    const ByHand_mode before = s->mode;

    switch (s->mode) {
    case OFF:
        if (s->left == 0) {
            go(s, HOMING, 100);
        }
        break;
    case HOMING:
        if (s->left == 0) {
            go(s, READY, 0);
            out->ready += 1;
        }
        break;
    case WAIT_TUBE:
        if (s->left == 0) {
            fault(s, out);
        }
        break;
    case FAST:
        if ((in->angle / 6.2831855f) >= s->param.creepAfter) {
            s->mode = CREEP;
        }
        break;
    case PRESS:
        if ((fabsf(in->torque - s->param.pressTorque)
            < (0.05f * s->param.pressTorque)) && (fabsf(in->speed) < 0.25f)) {
            go(s, HOLD, steps(s->param.holdTime));
        }
        break;
    case HOLD:
        if (s->left == 0) {
            s->engage = false;
            go(s, RELEASE, 120);
            out->open += 1;
            capped(s, out);
        }
        break;
    case RELEASE:
        if (s->left == 0) {
            go(s, ADVANCE, 20);
            out->advance += 1;
        }
        break;
    case ADVANCE:
        if (s->left == 0) {
            go(s, WAIT_TUBE, 3000);
        }
        break;
    default:
        break;
    }
    if ((s->mode == before) && is_turning(s->mode)
        && (s->turning_left == 0)) {
        fault(s, out);
    }
    if ((s->mode == before) && is_running(s->mode)
        && (in->temperature > s->param.hottest)) {
        fault(s, out);
    }
    return s->mode != before;
}

static bool shines(ByHand_state *s)
{
    const ByHand_lamp before = s->lamp;

    switch (s->lamp) {
    case DARK:
        if (is_running(s->mode)) {
            s->lamp = LIT;
        } else if (s->mode == FAULT) {
            s->lamp = FLASH;
            s->lamp_left = 400;
        } else {
            /* stays dark */
        }
        break;
    case LIT:
        if (!is_running(s->mode)) {
            s->lamp = DARK;
        }
        break;
    case FLASH:
    case PAUSE:
        if (s->lamp_left == 0) {
            s->lamp = (s->lamp == FLASH) ? PAUSE : FLASH;
            s->lamp_left = 400;
        } else if (s->mode != FAULT) {
            s->lamp = DARK;
        } else {
            /* goes on */
        }
        break;
    default:
        break;
    }
    return s->lamp != before;
}

static void settle(ByHand_state *s, const ByHand_in *in, ByHand_out *out)
{
    bool moved = true;

    while (moved) {
        moved = moves(s, in, out);
        if (shines(s)) {
            moved = true;
        }
    }
}

static void on_start(ByHand_state *s, ByHand_out *out)
{
    if (s->mode == READY) {
        out->advance += 1;
        go(s, WAIT_TUBE, 3000);
    }
}

static void on_stop(ByHand_state *s, ByHand_out *out)
{
    if (is_running(s->mode)) {
        stop_for(s, READY);
        out->ready += 1;
    }
}

static void on_reset(ByHand_state *s, ByHand_out *out)
{
    (void)out;
    if ((s->mode == FAULT) || ((s->mode == STOPPED) && s->guard_shut)) {
        go(s, HOMING, 100);
    }
}

static void on_tube_seen(ByHand_state *s, ByHand_out *out)
{
    if (s->mode == WAIT_TUBE) {
        go(s, CLAMP, 0);
        out->newCap += 1;
        out->close += 1;
    }
}

static void on_clamped(ByHand_state *s, ByHand_out *out)
{
    (void)out;
    if (s->mode == CLAMP) {
        go(s, FAST, 0);
        s->engage = true;
        s->turning_left = 3000;
    }
}

static void on_seated(ByHand_state *s, ByHand_out *out)
{
    (void)out;
    if ((s->mode == FAST) || (s->mode == CREEP)) {
        s->mode = PRESS;
    }
}

static void on_guard_opened(ByHand_state *s, ByHand_out *out)
{
    if (is_running(s->mode)) {
        stop_for(s, STOPPED);
        s->guard_shut = false;
        out->halt += 1;
    }
}

static void on_guard_closed(ByHand_state *s, ByHand_out *out)
{
    (void)out;
    if (s->mode == STOPPED) {
        s->guard_shut = true;
    }
}

static void take(ByHand_state *s, const ByHand_in *in, ByHand_out *out,
    int32_t count, void (*on)(ByHand_state *s, ByHand_out *out))
{
    int32_t left = (count > 16) ? 16 : count;

    while (left > 0) {
        on(s, out);
        settle(s, in, out);
        left -= 1;
    }
}

static float between(float least, float x, float most)
{
    const float below = (most < x) ? most : x;

    return (least > below) ? least : below;
}

/* The voltage that keeps the speed, or presses. */
static float drive(ByHand_state *s, const ByHand_in *in)
{
    const CapperControl_param *p = &s->param;
    const float torqueConstant = p->motorConstant * p->gear;
    const float backEmf = torqueConstant * in->speed;
    const float most = p->resistance * p->mostCurrent;
    const float change = p->steepest * 0.001f;
    float asked = 0.0f;
    float missing;
    float demand;
    float least;
    float turning;

    if (s->mode == FAST) {
        asked = p->fastSpeed;
    } else if (s->mode == CREEP) {
        asked = p->creepSpeed;
    } else {
        asked = 0.0f;
    }
    if (s->begun) {
        s->wanted += between(-change, asked - s->wanted, change);
    }
    missing = s->wanted - in->speed;
    if (s->begun && is_turning(s->mode)) {
        s->part += 0.001f * s->part_rate;
    } else {
        s->part = 0.0f;
    }
    demand = (torqueConstant * s->wanted) + (p->speedGain * missing) + s->part;
    least = backEmf - most;
    turning = between((0.0f > least) ? 0.0f : least, demand, backEmf + most);
    s->part_rate = p->speedGain / p->speedReset
        * (missing + ((turning - demand) / p->speedGain));
    if ((s->mode == FAST) || (s->mode == CREEP)) {
        return turning;
    }
    if ((s->mode == PRESS) || (s->mode == HOLD)) {
        return (p->resistance * p->pressTorque
            / (p->gear * p->efficiency * p->motorConstant))
            + (p->compensation * backEmf);
    }
    return 0.0f;
}

void ByHand_step(ByHand_state *state, const ByHand_in *in, ByHand_out *out)
{
    out->advance = 0;
    out->halt = 0;
    out->close = 0;
    out->open = 0;
    out->newCap = 0;
    out->batchDone = 0;
    out->fault = 0;
    out->ready = 0;
    if (state->left > 0) {
        state->left -= 1;
    }
    if (state->turning_left > 0) {
        state->turning_left -= 1;
    }
    if (state->lamp_left > 0) {
        state->lamp_left -= 1;
    }
    if (!state->begun) {
        go(state, OFF, 50);
        settle(state, in, out);
    }
    take(state, in, out, in->start, on_start);
    take(state, in, out, in->stop, on_stop);
    take(state, in, out, in->reset, on_reset);
    take(state, in, out, in->tubeSeen, on_tube_seen);
    take(state, in, out, in->clamped, on_clamped);
    take(state, in, out, in->seated, on_seated);
    take(state, in, out, in->guardOpened, on_guard_opened);
    take(state, in, out, in->guardClosed, on_guard_closed);
    settle(state, in, out);
    out->voltage = drive(state, in);
    out->engage = state->engage;
    out->lamp = (state->lamp == LIT) || (state->lamp == FLASH);
    state->begun = true;
}

void ByHand_init(ByHand_state *state)
{
    const CapperControl_param given = {
        26.0f, 6.0f, 1.0f, 0.6f, 0.1f, 24, 0, 0.25f, 0.1f, 2600.0f, 9.5f,
        0.6f, 95.0f, 0.035f, 10.0f, 1.2f, 0.85f
    };

    state->param = given;
    state->mode = OFF;
    state->lamp = DARK;
    state->engage = false;
    state->guard_shut = false;
    state->begun = false;
    state->left = 0;
    state->turning_left = 0;
    state->lamp_left = 0;
    state->count = 0;
    state->in_batch = 0;
    state->wanted = 0.0f;
    state->part = 0.0f;
    state->part_rate = 0.0f;
}
