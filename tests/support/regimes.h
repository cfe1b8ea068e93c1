/* SPDX-License-Identifier: MIT */
#ifndef TEST_REGIMES_H
#define TEST_REGIMES_H

#include <stdbool.h>
#include <stdint.h>

#include <redkettle/redkettle.h>

enum { REGIME_MOVES = 6 };

/** How records of one sort are made: a process, its test, and what spoils it. */
typedef struct regime {
    const char *name;
    rk_model m;
    double interval; /* s */
    int rows;
    struct {
        double at, size; /* s, out-EU; ended by size 0 */
    } move[REGIME_MOVES];
    double noise, ar;     /* its deviation, and correlation from a row to the next */
    double off_rest;      /* OUT stood off by as much until just before the record */
    double drift;         /* pv-EU per s */
    double load, load_at; /* a step at the plant's input, out-EU, and when, s */
    bool between;         /* each move comes anywhere between two rows, not on one */
    double quantum;       /* of the transmitter, pv-EU */
    int spikes;           /* bad rows in a row, 30 rows before the second move */
    bool bad_row;         /* PV is missing on the row of the first move */
    double jitter;        /* of the rows' times, part of the interval */
    bool doubtful;        /* beyond what such a record tells: it must not be called GOOD */
} regime;

extern const regime regimes[];
extern const int regime_count;

/** A record of a regime; the same seed makes the same record. */
rk_record *regime_record(const regime *r, uint64_t seed);

/** What many of them tell. */
typedef struct regime_score {
    int records;
    int gain, tau, theta; /* intervals that hold */
    int kind;             /* the right kind */
    int extras;           /* a drift, a load or a start that is not there */
    int missed;           /* one that is there and is not found */
    int good, sure;       /* verdict GOOD; GOOD although an interval does not hold */
    double error[3];      /* root mean square of gain, ln time constant, dead time */
    double width;         /* of the dead time's interval, mean, s */
    double fitted;        /* s of processor time for a fit */
} regime_score;

regime_score regime_run(const regime *r, int records);

/** Standard deviations of gain, ln time constant and dead time that no unbiased estimate can be
 * below, each move's time and the noise's colour being known (Cramer, Rao). */
void regime_bound(const regime *r, double sd[3]);

#endif
