/* SPDX-License-Identifier: MIT */
#ifndef LOOP_FILE_HELP_H
#define LOOP_FILE_HELP_H

/** Every section and key of a loop file: meaning, how it is written, and what holds without it.
 */
void print_loop_file_help(void);

#endif
