/* SPDX-License-Identifier: MIT */
/* The exercise of the Cortex-M image on this machine. */
#include <stdio.h>

#include <ports/cortexm/exercise.h>

static void tell(const char *text)
{
    (void)fputs(text, stdout);
}

int main(void)
{
    exercise_blocks(tell);
    return 0;
}
