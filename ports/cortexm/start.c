/* SPDX-License-Identifier: MIT */
/*
 * A bare Cortex-M4F: vectors, start-up, and what it has to say over the debugger's channel
 * (semihosting, Arm's own specification), which an emulator prints.
 */
#include <stddef.h>
#include <stdint.h>

#include "exercise.h"

extern uint32_t image_data[], data_start[], data_end[], bss_start[], bss_end[];
void stack_top(void); /* an address only */

void reset(void);
static void trap(void);
/* What the compiler calls for copies and clears. */
void *memcpy(void *to, const void *from, size_t length);
void *memset(void *to, int value, size_t length);

__attribute__((section(".vectors"), used)) static void (*const vectors[])(void) = {
    stack_top, reset, trap, trap, trap, trap, trap,
};

void *memcpy(void *to, const void *from, size_t length)
{
    unsigned char *t = to;
    const unsigned char *f = from;

    while (length-- > 0) {
        *t++ = *f++;
    }
    return to;
}

void *memset(void *to, int value, size_t length)
{
    unsigned char *t = to;

    while (length-- > 0) {
        *t++ = (unsigned char)value;
    }
    return to;
}

enum { SYS_WRITE0 = 0x04, SYS_EXIT = 0x18, STOPPED_BY_ERROR = 0x20023, STOPPED = 0x20026 };

static void call_debugger(uint32_t operation, uintptr_t argument)
{
    register uint32_t r0 __asm__("r0") = operation;
    register uintptr_t r1 __asm__("r1") = argument;

    __asm__ volatile("bkpt 0xAB" : "+r"(r0) : "r"(r1) : "memory");
}

static void tell(const char *text)
{
    call_debugger(SYS_WRITE0, (uintptr_t)text);
}

static void trap(void)
{
    tell("fault\n");
    call_debugger(SYS_EXIT, STOPPED_BY_ERROR);
    for (;;) {
    }
}

static size_t words_between(const uint32_t *from, const uint32_t *to)
{
    return ((uintptr_t)to - (uintptr_t)from) / sizeof *from;
}

void reset(void)
{
    volatile uint32_t *const access = (volatile uint32_t *)0xE000ED88U; /* CPACR */
    size_t i;

    *access |= 0xFU << 20; /* the floating-point unit on */
    __asm__ volatile("dsb\n isb");
    for (i = 0; i < words_between(data_start, data_end); i++) {
        data_start[i] = image_data[i];
    }
    for (i = 0; i < words_between(bss_start, bss_end); i++) {
        bss_start[i] = 0;
    }
    exercise_blocks(tell);
    call_debugger(SYS_EXIT, STOPPED);
    for (;;) {
    }
}
