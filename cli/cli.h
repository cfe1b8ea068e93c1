/* SPDX-License-Identifier: MIT */
#ifndef CLI_H
#define CLI_H

#include <argp.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

#include <redkettle/redkettle.h>

/** What the tool exits with. */
enum exit_status {
    EXIT_DONE = 0,
    EXIT_VERDICT_NO = 1,
    EXIT_USAGE = 2,
    EXIT_BAD_INPUT = 3,
    EXIT_NO_ACCESS = 4,
};

enum { CASES_MAX = 12 };

/** Everything a command line can say, and what was loaded by it. A command with more puts it
 * behind: its own struct begins with the job. */
typedef struct job {
    const struct command *command;
    const char *input; /* the positional argument; NULL: none */

    const char *option[RK_KEYS_MAX]; /* of each key of the loop file: its value as typed */
    rk_design typed;                 /* the same, read; nothing else in it is of use */
    rk_other_settings other;
    const char *rule, *mode;
    rk_knobs knobs;
    rk_fit_plan fit_plan; /* of the fit command: window; kind by --kind */

    const char *figure;
    bool json, minutes, save;
    bool piped; /* a table goes to the standard output, and nothing else does */

    rk_design loop;
    bool is_loop_file;
    rk_record *record; /* loaded on demand */
    rk_import import;  /* how it was read */
    rk_fit fit;
} job;

/** What an option takes. Numbers and times that are not given are NaN. */
typedef enum take {
    TAKE_HEADING = 0, /* nothing: `help` heads the options that follow */
    TAKE_FLAG,        /* bool */
    TAKE_TEXT,        /* const char * */
    TAKE_NUMBER,      /* double */
    TAKE_TIME,        /* double, s */
    TAKE_OWN,         /* a function reads it, and ends the parse by refuse_option */
} take;

/** An option: what it is called, and where its value goes. A list ends with one without help.
 */
typedef struct command_option {
    const char *name, *arg;
    int group; /* in the help */
    const char *help;
    take take;
    size_t to; /* the value's place in the command's struct, which begins with the job */
    void (*own)(job *j, struct argp_state *state, const struct command_option *o,
                const char *arg);
} command_option;

/** A step of a command: an exit status, and with any but EXIT_DONE it is the last one. */
typedef int step_function(job *j);

/** Take steps, up to a NULL, until one does not succeed. */
int take_steps(job *j, step_function *const *steps);

/** What is wrong with the options: numbers out of range, or options that do not go together. */
typedef struct wrong_option {
    bool is_so;
    const char *why; /* what it is and what to do; the list ends at a NULL */
} wrong_option;

/** Refuse the first that is so. */
int refuse_wrong(const job *j, const wrong_option *list);

/** A command of the tool. */
typedef struct command {
    const char *name, *what; /* one line, for the list of commands */
    const char *input;       /* the positional argument as the help shows it; NULL: none */
    const char *help;        /* and, after \v, what follows the options */
    const command_option *options;   /* NULL: none of its own */
    const struct argp_child *groups; /* of options that other commands have too */
    size_t size;                     /* of its struct */
    void (*make)(job *j);            /* sets what is not 0 or NaN; may be NULL */
    bool in_order;                   /* arguments belong to the options before them, .. */
    bool (*take_argument)(job *j, const char *arg); /* .. which this tries first; may be NULL */
    step_function *const *steps; /* after the input is loaded; the last gives the exit status */
    void (*free)(job *j);        /* what the steps made, however they ended; may be NULL */
} command;

extern const command command_inspect, command_bump, command_fit, command_tune, command_search,
    command_check, command_trial, command_emit, command_prove, command_run, command_plant,
    command_report, command_demo;

/** Read a command line, argv[0] being the command's name, and run it. Gives the exit status. */
int run_command(const command *c, int argc, char **argv);

/** Groups of options. */
extern const struct argp column_options, kind_option, model_options, tuning_options,
    settings_options, windup_options, scan_options, limit_options, require_options,
    noise_option, program_options, output_options, figure_option, save_option;

/** A parser of a group whose values go into the job. */
error_t parse_options(const command_option *options, int first, int key, char *arg,
                      struct argp_state *state);

/** End the parse with status 2: "--NAME: ...". */
void refuse_option(struct argp_state *state, const char *name, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/** The options of the loop file's keys are made before a command line is read. */
void make_key_options(void);

/** A line for the engineer on standard error, about a file (NULL: none). */
void note(const job *j, const char *about, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/** Is a key of the loop file given as an option? */
bool is_given(const job *j, const char *section, const char *name);

/** A rule's settings within the loop's others: its numbers, and its setpoint weight where it names
 * one and none was typed. */
void within_loop(const job *j, rk_tuning *tuning);

/** Are settings given as options, in whatever way they are typed? */
bool settings_are_given(const job *j);

/** Is any number of the model given as an option? */
bool model_is_given(const job *j);

/** Load the input file and lay the options over it. */
int load(job *j);

/** The record, the model (fitted to the record if there is none), the settings (by --rule or
 * given), the scan, the port that a test or a run acts on: all of that or an error. */
int need_record(job *j);
int need_model(job *j);
int need_settings(job *j);
int need_scan(job *j);
int need_port(job *j);

/** The columns that the loop's record has, and how its times are written. */
rk_columns record_columns(const job *j);

/** Read a record by the columns that the loop's has; one of PV alone by OUT's move too. */
rk_status read_record(const job *j, const char *path, rk_record **record, rk_import *import,
                      rk_diag *diag);

/** Judge the loaded record by what the loop knows; percentages are what is wanted of the next
 * test. */
rk_status inspect_record(const job *j, double gain_percent, double dead_time_percent,
                         rk_inspection *inspection, rk_findings *findings, rk_diag *diag);

/** Write the loop's settings into its file if that is asked for, and say so. */
int save_settings(job *j);

/** Say that a section was saved. */
int tell_saved(const job *j, const char *section, rk_status saved, const rk_diag *diag);

/** Print an error in one line; returns the exit status that belongs to it. */
int fail(const job *j, int exit_status, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
int fail_diag(const job *j, rk_status status, const rk_diag *diag);

/** An error of the usage if the value is out of its range, else as fail_diag; RK_OK: none. */
int fail_range(const job *j, rk_status status, const rk_diag *diag);

/** An empty report in the style that was asked for. */
rk_report *report_make(const job *j);

/** Print a text, unless JSON is asked for, which stands alone. */
void say(const job *j, const char *format, ...) __attribute__((format(printf, 2, 3)));

/** Write a figure to its file, or to standard output if it is for the terminal. */
typedef rk_status draw_function(const job *j, const rk_figure_style *style, rk_text *image,
                                rk_diag *diag);
int write_figure(const job *j, draw_function *draw);

/** Print a report as text or JSON, and free it; then the figure, if draw is not NULL. status:
 * whether the report could be filled. */
int show_report(const job *j, rk_report *report, rk_status status, draw_function *draw);

/** May a table be written there? "-" is the standard output, which it then has for itself. */
int take_table(job *j, const char *option, const char *path);

/** Write a finished text to a file, and free it; status: whether it could be made. */
int write_text(const job *j, const char *path, rk_text *text, rk_status status,
               const rk_diag *diag);

/** The same for a table of numbers, with decimal commas if asked for. */
int write_curves_file(const job *j, const char *path, bool comma, rk_text *text,
                      rk_status status, rk_diag *diag);

/** Does anything stand there? */
bool file_stands(const char *path);

/** On a terminal: one line that is written over and over; NULL wipes it out. */
void show_progress_line(const char *format, ...) __attribute__((format(printf, 1, 2)));

/** Room for a path as rk_shell_word shows it. */
enum { SHELL_WORD_CHARS = (4 * RK_PATH_CHARS) + 3 };

/** "PREFIX: unknown 'typed'; did you mean MARKnearest? see ...", with the nearest of the names. */
void tell_unknown(const char *prefix, const char *what, const char *mark, const char *typed,
                  const char *const *names, const char *see);

#endif
