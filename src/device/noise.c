/* SPDX-License-Identifier: MIT */
#include <redkettle/device/noise.h>

#include <stddef.h>

rk_status rk_noise_init(rk_noise *noise, rk_real deviation, rk_real correlation,
                        rk_real innovation, uint32_t seed)
{
    if (noise == NULL) return RK_ERR_ARG;
    if (!(deviation >= 0) || !rk_is_finite(deviation)) return RK_ERR_RANGE;
    if (!(correlation >= 0) || !(correlation < 1)) return RK_ERR_RANGE;
    if (!(innovation >= 0) || !(innovation <= 1)) return RK_ERR_RANGE;
    noise->deviation = deviation;
    noise->correlation = correlation;
    noise->innovation = innovation;
    noise->value = 0;
    noise->random = (seed * 2654435761U) ^ 0x9E3779B9U;
    if (noise->random == 0) {
        noise->random = 1; /* the one state that xorshift cannot leave */
    }
    return RK_OK;
}

static uint32_t next_random(rk_noise *noise)
{
    uint32_t x = noise->random;

    x ^= x << 13;
    x ^= x >> 17;
    x ^= x << 5;
    noise->random = x;
    return x;
}

/* Nearly normal, mean 0, deviation 1: the sum of twelve uniform numbers, less six. */
static rk_real normal(rk_noise *noise)
{
    rk_real sum = RK_C(-6.0);
    int i;

    for (i = 0; i < 12; i++) {
        sum += (rk_real)(next_random(noise) >> 8) / RK_C(16777216.0);
    }
    return sum;
}

rk_real rk_noise_scan(rk_noise *noise)
{
    noise->value = (noise->correlation * noise->value) +
                   (noise->deviation * noise->innovation * normal(noise));
    return noise->value;
}
