/* SPDX-License-Identifier: MIT */
#ifndef CLI_H
#define CLI_H

#include <argp.h>
#include <stdbool.h>
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

/** A command: argv[0] is its name. Returns an exit status. */
int cmd_inspect(int argc, char **argv);
int cmd_bump(int argc, char **argv);
int cmd_fit(int argc, char **argv);
int cmd_tune(int argc, char **argv);
int cmd_search(int argc, char **argv);
int cmd_check(int argc, char **argv);
int cmd_trial(int argc, char **argv);
int cmd_run(int argc, char **argv);
int cmd_emit(int argc, char **argv);
int cmd_prove(int argc, char **argv);
int cmd_demo(int argc, char **argv);

enum { CASES_MAX = 12 };

/** Everything a command line can say, and what was loaded by it. */
typedef struct job {
    const char *command;
    const struct argp *argp; /* the command's own; set by run_command */
    const char *input;       /* the positional argument; NULL: none */

    const char *option[RK_KEYS_MAX]; /* of each key of the loop file: its value as typed */
    rk_design typed;                 /* the same, read; nothing else in it is of use */
    double band, kc_percent, repeats, filter_ratio; /* other ways to write kc, ti and tf */
    const char *rule, *mode;
    rk_knobs knobs;

    rk_fit_plan fit_plan; /* of the fit command: window; kind by --kind */

    const char *figure;
    bool json, minutes, save;
    bool in_order; /* arguments belong to the options before them */

    rk_design loop;
    bool is_loop_file;
    rk_record *record; /* loaded on demand */
    rk_import import;  /* how it was read */
    rk_fit fit;
} job;

/** Is a key of the loop file given as an option? */
bool is_given(const job *j, const char *section, const char *name);

/** Is any number of the model given as an option? */
bool model_is_given(const job *j);

/** Nothing said, nothing loaded. */
job job_make(const char *command);
void job_free(job *j);

/** Option groups for argp children; their input is the job. */
extern const struct argp column_options, kind_option, model_options, tuning_options,
    settings_options, windup_options, scan_options, limit_options, output_options,
    figure_option, save_option;

/**
 * The parser of a command that has no options of its own but its children's: takes one
 * positional argument, a .loop or .csv file, and hands the job on. A command with options of
 * its own leaves to it what it does not know; its input must begin with the job.
 */
error_t parse_common(int key, char *arg, struct argp_state *state);

/** Parse a command line and run the command; frees the job. Returns the exit status. */
int run_command(const struct argp *argp, int argc, char **argv, job *j, int (*run)(job *j));

/** Read a number, or a time with its unit, of an option; an error ends the parse with status 2.
 */
void take_number(struct argp_state *state, const char *option, const char *arg, double *value);
void take_time(struct argp_state *state, const char *option, const char *arg, double *seconds);

/** Load the input file and lay the options over it. */
int load(job *j);

/** The record, the model (fitted to the record if there is none), the settings (by --rule or
 * given). */
int need_record(job *j);
int need_model(job *j);
int need_settings(job *j);

/** The plant that a test or a run acts on. */
int need_plant(const job *j);

/** Write the loop's settings into its file, and say so. */
int save_settings(const job *j);

/** Judge the loaded record by what the loop knows, and print it; percentages are what is wanted
 * of the next test. */
rk_status inspect_record(const job *j, rk_inspection *inspection, double gain_percent,
                         double dead_time_percent, rk_diag *diag);
void print_inspection(const job *j, const rk_inspection *inspection);

/** kc, ti, td and tf by a rule's name, the rest of *settings left alone; lambda NaN: the
 * default. */
rk_status tune_by_name(const rk_model *model, const char *name, const char *mode,
                       const rk_knobs *knobs, rk_settings *settings, rk_tuning *tuning,
                       rk_diag *diag);

/** "gain -0.118 degBx/%, time constant 46.5 s, dead time 17.4 s", as the model's kind has it.
 */
void describe_model(const job *j, char *text, size_t room);

/** Print an error in one line; returns the exit status that belongs to it. */
int fail(const job *j, int exit_status, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
int fail_diag(const job *j, rk_status status, const rk_diag *diag);

/** Write a figure to its file, or to standard output if it is for the terminal. */
typedef rk_status draw_function(const job *j, const void *what, const rk_figure_style *style,
                                rk_text *image, rk_diag *diag);
int write_figure(const job *j, draw_function *draw, const void *what);

/** Print a finished JSON text, or the error that kept it from being made; frees it. */
int print_json(const job *j, rk_text *text, rk_status status, const rk_diag *diag);

#endif
