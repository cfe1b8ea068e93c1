/* SPDX-License-Identifier: MIT */
#include "board.h"

static rk_status read_pv(void *user, rk_real *pv)
{
    const board_channel *c = &((const board *)user)->pv;
    uint16_t counts;

    if (!board_read_counts(&counts)) return RK_ERR_IO;
    *pv = c->low + (((rk_real)counts - c->counts_low) / (c->counts_high - c->counts_low) *
                    (c->high - c->low));
    return RK_OK;
}

static rk_status write_out(void *user, rk_real out)
{
    board *b = user;
    const board_channel *c = &b->out;
    const rk_real counts = c->counts_low + ((out - c->low) / (c->high - c->low) *
                                            (c->counts_high - c->counts_low));

    if (!board_write_counts((uint16_t)(counts + RK_C(0.5)))) return RK_ERR_IO;
    b->written = out;
    return RK_OK;
}

static rk_status read_out(void *user, rk_real *out)
{
    *out = ((const board *)user)->written;
    return RK_OK;
}

rk_port board_port(board *b)
{
    const rk_port port = {b, read_pv, write_out, read_out};

    return port;
}
