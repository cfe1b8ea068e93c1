/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_PORT_SIDE_H
#define RKI_PROVE_PORT_SIDE_H

#include "dice.h"
#include "reference.h"

/** The variables of a loop's port, in the order of their registers. */
enum {
    RKI_REMOTE,
    RKI_REMOTE_LOST,
    RKI_PORT_PV,
    RKI_PORT_OUT,
    RKI_PORT_OUT_NOW,
    RKI_PORT_PV_GOOD,
    RKI_PORT_ENABLE,
    RKI_PORT_HEARTBEAT,
    RKI_PV_BAD,
    RKI_PORT_WORDS
};

/** What the PLC's side of a port must do, said once more, and who is at the other end. */
typedef struct rki_port_side {
    bool there;
    int place[RKI_PORT_WORDS]; /* in the reference's list; -1: the loop has none */
    bool begun, was_remote;
    double beat;
    int quiet;
    rki_dice dice;
    bool beats; /* the other end is alive */
} rki_port_side;

rki_port_side rki_port_side_make(const rki_reference *r);

/** A start of the PLC. */
void rki_port_side_restart(rki_port_side *s, const rki_reference *r);

/** A hand or the other end sets a variable; -1: no more in this scan. `turn` counts from 0. */
int rki_port_side_hand(rki_port_side *s, const rki_reference *r, int turn, double *value);

/** One scan, before the loop's own. */
void rki_port_side_scan(rki_port_side *s, rki_reference *r);

#endif
