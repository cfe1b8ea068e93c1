/* SPDX-License-Identifier: MIT */
#include <locale.h>
#include <math.h>
#include <string.h>

#include "../support/support.h"

static rk_status read_text(const char *content, const rk_columns *columns, rk_record **record,
                           rk_diag *diag)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "r.csv");
    rk_status status;

    put_file(path, content);
    status = rk_record_read(path, columns, record, NULL, diag);
    scratch_free(dir);
    return status;
}

/* Files as loggers and historians write them; every one holds (0, 42, 11.8), (1.5, 47, 11.75),
   (3, 47, 11.5) for whoever asks for nothing. */
static const struct {
    const char *fact, *content;
} good[] = {
    {"plain", "time,out,pv\n0,42,11.8\n1.5,47,11.75\n3,47,11.5\n"},
    {"no newline at the end", "time,out,pv\n0,42,11.8\n1.5,47,11.75\n3,47,11.5"},
    {"CRLF", "time,out,pv\r\n0,42,11.8\r\n1.5,47,11.75\r\n3,47,11.5\r\n"},
    {"byte order mark", "\xEF\xBB\xBFtime,out,pv\n0,42,11.8\n1.5,47,11.75\n3,47,11.5\n"},
    {"other order and more columns",
     "x,pv,note,out,time\n9,11.8,a,42,0\n9,11.75,b,47,1.5\n9,11.5,c,47,3\n"},
    {"quotes", "\"time\",\"out\",\"pv\"\n\"0\",\"42\",\"11.8\"\n\"1.5\",\"47\",\"11.75\"\n"
               "\"3\",\"47\",\"11.5\"\n"},
    {"a quoted comma in another column",
     "time,out,pv,note\n0,42,11.8,\"a, \"\"b\"\"\"\n1.5,47,11.75,c\n3,47,11.5,\n"},
    {"a quoted line break",
     "time,out,pv,note\n0,42,11.8,\"a\nb\"\n1.5,47,11.75,c\n3,47,11.5,\"\r\n\r\n\"\n"},
    {"semicolon and decimal comma", "time;out;pv\n0;42,0;11,8\n1,5;47,0;11,75\n3;47;11,5\n"},
    {"semicolon and decimal point", "time;out;pv\n0;42;11.8\n1.5;47;11.75\n3;47;11.5\n"},
    {"tab and decimal comma", "time\tout\tpv\n0\t42\t11,8\n1,5\t47\t11,75\n3\t47\t11,5\n"},
    {"quoted decimal commas and semicolons",
     "time;out;pv\n\"0\";\"42,0\";\"11,8\"\n\"1,5\";\"47\";\"11,75\"\n3;47;11,5\n"},
    {"comments and empty lines",
     "# made up\n\ntime,out,pv\n# here, it starts\n0,42,11.8\n\n1.5,47,11.75\n3,47,11.5\n\n"},
    {"rows of nothing but separators",
     "time;out;pv\n0;42;11.8\n;;\n1.5;47;11.75\n3;47;11.5\n;;\n"},
    {"a separator at the end of each row",
     "time,out,pv,\n0,42,11.8,\n1.5,47,11.75,\n3,47,11.5,\n"},
    {"capitals", "Time,OUT,Pv\n0,42,11.8\n1.5,47,11.75\n3,47,11.5\n"},
    {"tags with suffixes", "Timestamp,FV210.OUT,AT210.PV,AT210.SP\n0,42,11.8,12\n"
                           "1.5,47,11.75,12\n3,47,11.5,12\n"},
    {"op and units in the header", "Time (s);FIC210_OP [%];FIC210_PV [degBx]\n"
                                   "0;42;11,8\n1,5;47;11,75\n3;47;11,5\n"},
    {"mv, and a word that is only part of one", "t,output_valve.MV,pv,improvement\n"
                                                "0,42,11.8,1\n1.5,47,11.75,2\n3,47,11.5,3\n"},
    {"a units row", "time,out,pv\ns,%,degBx\n0,42,11.8\n1.5,47,11.75\n3,47,11.5\n"},
    {"a units row in milliseconds", "time,out,pv\n[ms],[%],[degBx]\n0,42,11.8\n1500,47,11.75\n"
                                    "3000,47,11.5\n"},
    {"minutes in the header", "time_min,out,pv\n0,42,11.8\n0.025,47,11.75\n0.05,47,11.5\n"},
    {"hours in brackets", "Time (h),out,pv\n0,42,11.8\n41.666666666666667e-5,47,11.75\n"
                          "83.333333333333333e-5,47,11.5\n"},
    {"exponents and blanks", "time, out ,pv\n0, 4.2e1 ,11.8\n15e-1, 47 ,1175e-2\n3,47,11.5\n"},
    {"ISO 8601 with T and Z",
     "time,out,pv\n2026-03-17T09:40:00Z,42,11.8\n2026-03-17T09:40:01.5Z,47,11.75\n"
     "2026-03-17T09:40:03Z,47,11.5\n"},
    {"ISO 8601 with a blank",
     "time,out,pv\n2026-03-17 09:40:00,42,11.8\n2026-03-17 09:40:01.500,47,11.75\n"
     "2026-03-17 09:40:03.000,47,11.5\n"},
    {"ISO 8601, basic format",
     "time,out,pv\n20260317T094000Z,42,11.8\n20260317T094001.5Z,47,11.75\n"
     "20260317T094003Z,47,11.5\n"},
    {"ISO 8601 across midnight",
     "time,out,pv\n2026-02-28T23:59:59,42,11.8\n2026-03-01T00:00:00.5,47,11.75\n"
     "2026-03-01T00:00:02,47,11.5\n"},
    {"offsets across a clock change",
     "time,out,pv\n2026-10-25T02:59:58.5+02:00,42,11.8\n2026-10-25T02:00:00+01:00,47,11.75\n"
     "2026-10-25T02:00:01.5+0100,47,11.5\n"},
    {"ISO 8601 across a leap day",
     "time,out,pv\n2028-02-29T23:59:59.5Z,42,11.8\n2028-03-01T00:00:01Z,47,11.75\n"
     "2028-03-01T00:00:02.5Z,47,11.5\n"},
    {"ISO 8601 with a comma for the fraction",
     "time;out;pv\n2026-03-17T09:40:00,0;42;11,8\n2026-03-17T09:40:01,5;47;11,75\n"
     "2026-03-17T09:40:03,0;47;11,5\n"},
    {"time of day", "time,out,pv\n09:40:00,42,11.8\n09:40:01.5,47,11.75\n09:40:03,47,11.5\n"},
    {"time of day across midnight",
     "time,out,pv\n23:59:58.5,42,11.8\n00:00:00,47,11.75\n0:00:01.500,47,11.5\n"},
    {"epoch-sized seconds",
     "time,out,pv\n1773740400,42,11.8\n1773740401.5,47,11.75\n1773740403,47,11.5\n"},
    {"rows out of order", "time,out,pv\n1.5,47,11.75\n0,42,11.8\n3,47,11.5\n"},
    {"the same time twice: the last one stays",
     "time,out,pv\n0,42,11.8\n1.5,42,9\n1.5,47,11.75\n3,47,11.5\n"},
    {"an empty cell", "time,out,pv\n0,42,11.8\n0.5,42,\n1.5,47,11.75\n3,47,11.5\n"},
    {"NaN", "time,out,pv\n0,42,11.8\n0.5,NaN,12\n1.5,47,11.75\n3,47,11.5\n"},
    {"words for what is bad",
     "time,out,pv\n0,42,11.8\n0.5,Bad,12\n1.5,47,11.75\n2,47,#N/A\n3,47,11.5\n"},
    {"infinity and too large", "time,out,pv\n0,42,11.8\n1,inf,12\n1.5,47,11.75\n2,47,1e999\n"
                               "3,47,11.5\n"},
    {"a time that is none", "time,out,pv\n0,42,11.8\n#N/A,42,12\n1.5,47,11.75\n3,47,11.5\n"},
    {"a row cut short", "time,out,pv\n0,42,11.8\n1.5,47,11.75\n3,47,11.5\n4.5,4"},
    {"a number too long to be one",
     "time,out,pv\n0,42,11.8\n1.5,47,11.75\n2,47,0."
     "0000000000000000000000000000000000000000000000000000000000000x\n3,47,11.5\n"},
    {"a number of eighty digits",
     "time,out,pv\n0,42,11.80000000000000000000000000000000000000000000000000000000000000000000000000000000\n"
     "1.5,47,11.75\n3,47,11.5\n"},
    {"a quality column", "time,out,pv,AT210.quality\n0,42,11.8,Good\n0.5,42,13,Bad\n1.5,47,11."
                         "75,good\n3,47,11.5,\n"},
    {"a quality of numbers",
     "time,out,pv,pv_status\n0,42,11.8,192\n0.5,42,13,24\n1.5,47,11.75,216\n3,47,11.5,192\n"},
};

START_TEST(files_of_loggers_are_read)
{
    static const double time[] = {0, 1.5, 3}, out[] = {42, 47, 47}, pv[] = {11.8, 11.75, 11.5};
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};
    const char *fact = good[_i].fact;
    size_t i;

    ck_assert_msg(read_text(good[_i].content, NULL, &record, &diag) == RK_OK, "%s: %s", fact,
                  diag.text);
    ck_assert_msg(rk_record_rows(record) == 3, "%s: %zu rows", fact, rk_record_rows(record));
    for (i = 0; i < 3; i++) {
        const double since = rk_record_time(record)[i] - rk_record_time(record)[0];

        /* Seconds since 1970 leave 2e-7 s of a double. */
        ck_assert_msg(fabs(since - time[i]) < 1e-6, "%s: time %.9g", fact, since);
        ck_assert_double_eq(rk_record_out(record)[i], out[i]);
        ck_assert_double_eq(rk_record_pv(record)[i], pv[i]);
    }
    rk_record_free(record);
}
END_TEST

/* OUT moves in a row whose PV is bad. */
static const struct {
    const char *content;
    size_t rows;
    double moved_at; /* s, where OUT first differs */
} out_alone[] = {
    {"time,out,pv\n0,42,11.8\n1,42,11.8\n2,47,Bad\n3,47,11.7\n", 4, 2},
    {"time,out,pv\n0,42,11.8\n1,42,11.8\n2,47,\n3,47,11.7\n", 4, 2},
    {"time,out,pv,quality\n0,42,11.8,ok\n1,47,99,Bad\n2,47,99,Bad\n3,47,11.7,ok\n", 3, 1},
    /* Nothing moves there; OUT is bad; a row cut short. */
    {"time,out,pv\n0,42,11.8\n1,42,Bad\n2,47,11.8\n3,47,11.7\n", 3, 2},
    {"time,out,pv\n0,42,11.8\n1,Bad,11.8\n2,47,11.8\n3,47,11.7\n", 3, 2},
    {"time,out,pv\n0,42,11.8\n1,42,11.8\n2,47,11.7\n3,4", 3, 2},
};

START_TEST(out_that_moves_beside_a_bad_pv_is_kept)
{
    rk_record *record = NULL;
    size_t i = 0;

    ck_assert_int_eq(read_text(out_alone[_i].content, NULL, &record, NULL), RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), out_alone[_i].rows);
    while (i + 1 < rk_record_rows(record) && rk_record_out(record)[i] == 42) {
        i++;
    }
    ck_assert_double_eq(rk_record_time(record)[i], out_alone[_i].moved_at);
    for (i = 0; i < rk_record_rows(record); i++) {
        /* a bad PV is drawn between its neighbours */
        ck_assert(rk_record_pv(record)[i] >= 11.7 && rk_record_pv(record)[i] <= 11.8);
        ck_assert(!rk_record_missing(record)[i] ||
                  rk_record_time(record)[i] == out_alone[_i].moved_at);
    }
    rk_record_free(record);
}
END_TEST

/* Who wrote OUT, by a comment that says so, and nothing else. */
static const struct {
    const char *content;
    bool on_rows;
} comments[] = {
    {"# OUT moves on the rows\ntime,out,pv\n0,1,2\n1,2,2\n", true},
    {"#OUT moves on the rows\r\ntime,out,pv\r\n0,1,2\r\n1,2,2\r\n", true},
    {"time,out,pv\n0,1,2\n# OUT moves on the rows  \n1,2,2\n", true},
    {"time,out,pv\n0,1,2\n1,2,2\n", false},
    {"#\n# OUT moves on the rows at times\ntime,out,pv\n0,1,2\n1,2,2\n", false},
};

START_TEST(a_comment_says_that_out_moves_on_the_rows)
{
    rk_record *record = NULL;

    ck_assert_int_eq(read_text(comments[_i].content, NULL, &record, NULL), RK_OK);
    ck_assert(rk_record_on_rows(record) == comments[_i].on_rows);
    rk_record_free(record);
}
END_TEST

/* What is told of a file that was read. Rows stands for rows kept. */
static const struct {
    const char *content;
    size_t rows, dropped, repeated, late;
    int clock_changes;
    const char *first, *pv_units, *out_units;
    double time_unit, last_time;
} told[] = {
    {"time,out,pv\n0,1,2\n1,1,2\n2,1,2\n", 3, 0, 0, 0, 0, "", "", "", 1, 2},
    {"time,out,pv\n0,1,2\n1,1,Bad\n2,,2\n3,1,2\n4,1,2\n", 3, 2, 0, 0, 0,
     "line 3, column 'pv': 'Bad' is not a number", "", "", 1, 4},
    {"time,out,pv\n0,1,2\n1,,2\n2,1,2\n", 2, 1, 0, 0, 0, "line 3, column 'out': empty", "", "",
     1, 2},
    {"time,out,pv,quality\n0,1,2,ok\n1,1,2,uncertain\n2,1,2,ok\n", 2, 1, 0, 0, 0,
     "line 3, column 'quality': 'uncertain' is not good", "", "", 1, 2},
    {"time,out,pv\n0,1,2\n1,1,2\n1,1,3\n2,1,2\n", 3, 0, 1, 0, 0, "", "", "", 1, 2},
    {"time,out,pv\n0,1,2\n2,1,2\n1,1,3\n3,1,2\n", 4, 0, 0, 1, 0, "", "", "", 1, 3},
    {"Time [min],FV1.OUT (%),AT1.PV_degBx\n0,1,2\n1,1,2\n", 2, 0, 0, 0, 0, "", "degBx", "%", 60,
     60},
    {"time_s,FV1.OUT_pct,FT1.PV [L/min]\n0,1,2\n1,1,2\n", 2, 0, 0, 0, 0, "", "L/min", "%", 1,
     1},
    {"time,out,pv\nh,pct,kPa\n0,1,2\n1,1,2\n", 2, 0, 0, 0, 0, "", "kPa", "%", 3600, 3600},
    /* Local stamps: the clock goes back, and forward, at the full hour. */
    {"time,out,pv\n2026-10-25 02:59:58,1,2\n2026-10-25 02:59:59,1,2\n2026-10-25 02:00:00,1,2\n"
     "2026-10-25 02:00:01,1,2\n",
     4, 0, 0, 0, 1, "", "", "", 1, 10801},
    {"time,out,pv\n2026-03-29 01:59:58,1,2\n2026-03-29 01:59:59,1,2\n2026-03-29 03:00:00,1,2\n"
     "2026-03-29 03:00:01,1,2\n",
     4, 0, 0, 0, 1, "", "", "", 1, 7201},
    {"time,out,pv\n01:59:58,1,2\n01:59:59,1,2\n03:00:00,1,2\n", 3, 0, 0, 0, 1, "", "", "", 1,
     7200},
    /* A gap of an hour at another time of it is a gap; so is one in UTC. */
    {"time,out,pv\n2026-03-29 01:30:00,1,2\n2026-03-29 01:30:01,1,2\n2026-03-29 02:30:02,1,2\n",
     3, 0, 0, 0, 0, "", "", "", 1, 9002},
    {"time,out,pv\n2026-03-29T01:59:58Z,1,2\n2026-03-29T01:59:59Z,1,2\n2026-03-29T03:00:00Z,1,"
     "2\n",
     3, 0, 0, 0, 0, "", "", "", 1, 10800},
    /* Two nights. */
    {"time,out,pv\n20:00:00,1,2\n04:00:00,1,2\n12:00:00,1,2\n20:00:00,1,2\n04:00:00,1,2\n", 5,
     0, 0, 0, 0, "", "", "", 1, 187200},
};

START_TEST(what_was_done_about_a_file_is_told)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "r.csv");
    rk_record *record = NULL;
    rk_import import;
    rk_diag diag = {RK_OK, ""};

    put_file(path, told[_i].content);
    ck_assert_msg(rk_record_read(path, NULL, &record, &import, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_uint_eq(rk_record_rows(record), told[_i].rows);
    ck_assert_uint_eq(import.dropped, told[_i].dropped);
    ck_assert_uint_eq(import.repeated, told[_i].repeated);
    ck_assert_uint_eq(import.late, told[_i].late);
    ck_assert_int_eq(import.clock_changes, told[_i].clock_changes);
    ck_assert_str_eq(import.dropped_first, told[_i].first);
    ck_assert_str_eq(import.pv_units, told[_i].pv_units);
    ck_assert_str_eq(import.out_units, told[_i].out_units);
    ck_assert_double_eq(import.time_unit, told[_i].time_unit);
    ck_assert_double_eq_tol(rk_record_time(record)[told[_i].rows - 1], told[_i].last_time,
                            1e-9);
    rk_record_free(record);
    scratch_free(dir);
}
END_TEST

/* The ways in which plants write a record; of each the last row's time, s from the first. */
static const struct {
    const char *fact, *content;
    size_t rows;
    double length;
    rk_date_order order;
} ways[] = {
    {"day, month, points", "time;out;pv\n17.03.2026 09:40:00;1;2,5\n17.03.2026 09:41:30;1;2\n",
     2, 90, 0},
    {"points, past a month's end",
     "time;out;pv\n31.03.2026 23:59:50;1;2\n01.04.2026 00:00:10;1;2\n", 2, 20, 0},
    {"month first, half days",
     "time,out,pv\n03/17/2026 9:40 AM,1,2\n03/17/2026 12:40 PM,1,2\n03/17/2026 1:40:30 PM,1,2\n",
     3, 14430, 0},
    {"midnight in half days",
     "time,out,pv\n03/17/2026 11:59 PM,1,2\n03/18/2026 12:00 AM,1,2\n03/18/2026 12:01 AM,1,2\n",
     3, 120, 0},
    {"a time of day in half days", "time,out,pv\n11:59:59 AM,1,2\n12:00:01 PM,1,2\n", 2, 2, 0},
    {"day first", "time,out,pv\n17/03/2026 09:40:00,1,2\n17/03/2026 09:40:05,1,2\n", 2, 5, 0},
    {"one day of either order",
     "time,out,pv\n03/04/2026 09:40:00,1,2\n03/04/2026 09:40:05,1,2\n", 2, 5, 0},
    {"settled later in the file, day first",
     "time,out,pv\n11/03/2026 12:00,1,2\n12/03/2026 12:00,1,2\n13/03/2026 12:00,1,2\n", 3,
     172800, 0},
    {"settled later in the file, month first",
     "time,out,pv\n03/11/2026 12:00,1,2\n03/12/2026 12:00,1,2\n03/13/2026 12:00,1,2\n", 3,
     172800, 0},
    {"settled by a midnight, day first",
     "time,out,pv\n03/04/2026 23:59:58,1,2\n04/04/2026 00:00:01,1,2\n", 2, 3, 0},
    {"settled by a midnight, month first",
     "time,out,pv\n04/03/2026 23:59:58,1,2\n04/04/2026 00:00:01,1,2\n", 2, 3, 0},
    {"settled by time that runs on",
     "time,out,pv\n01/02/2026 12:00,1,2\n02/01/2027 12:00,1,2\n01/02/2027 12:00,1,2\n", 3,
     365 * 86400.0, 0},
    {"day first, as asked", "time,out,pv\n03/04/2026 09:40,1,2\n04/05/2026 09:40,1,2\n", 2,
     31 * 86400.0, RK_DATE_ORDER_DAY_FIRST},
    {"month first, as asked", "time,out,pv\n03/04/2026 09:40,1,2\n04/05/2026 09:40,1,2\n", 2,
     32 * 86400.0, RK_DATE_ORDER_MONTH_FIRST},
    {"a month's name", "time,out,pv\n28-Feb-2028 23:59:00,1,2\n29-FEB-2028 00:00:00,1,2\n", 2,
     60, 0},
    {"a month's whole name", "time;out;pv\n1 March 2026 10:00;1;2\n2 march 2026 10:00;1;2\n", 2,
     86400, 0},
    {"year first, strokes", "time,out,pv\n2026/03/17 09:40:00.5,1,2\n2026/03/17 09:40:01,1,2\n",
     2, 0.5, 0},
    {"a zone", "time,out,pv\n2026-03-17T09:40:00+01:00,1,2\n2026-03-17T08:40:10Z,1,2\n", 2, 10,
     0},
    {"seconds from 1970", "Timestamp,out,pv\n1773740400,1,2\n1773740410,1,2\n", 2, 10, 0},
    {"milliseconds from 1970", "Timestamp,out,pv\n1773740400000,1,2\n1773740400250,1,2\n", 2,
     0.25, 0},
    {"microseconds from 1970", "Timestamp,out,pv\n1773740400000000,1,2\n1773740402000000,1,2\n",
     2, 2, 0},
    {"a unit's word is time", "millis,out,pv\n0,1,2\n250,1,2\n", 2, 0.25, 0},
    {"and in its long form", "elapsed_minutes,out,pv\n0,1,2\n2,1,2\n", 2, 120, 0},
    {"blanks", "time out pv\n0   42 11.8\n  10 42 11.7  \n", 2, 10, 0},
    {"blanks and decimal commas", "time   out    pv\n0,5 42,5 11,8\n1,5 42 11,7\n", 2, 1, 0},
};

START_TEST(a_record_is_read_as_plants_write_it)
{
    const rk_columns asked = {.order = ways[_i].order};
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};
    const rk_status status = read_text(ways[_i].content, &asked, &record, &diag);

    ck_assert_msg(status == RK_OK, "%s: %s", ways[_i].fact, diag.text);
    ck_assert_uint_eq(rk_record_rows(record), ways[_i].rows);
    ck_assert_double_eq_tol(rk_record_time(record)[ways[_i].rows - 1] -
                                rk_record_time(record)[0],
                            ways[_i].length, 1e-6);
    rk_record_free(record);
}
END_TEST

/* A record without OUT: how it was moved is told, in one place. */
static const struct {
    const char *content;
    rk_columns asked;
    rk_status status;
    double first, last; /* OUT */
} told_moves[] = {
    {"time,pv\n100,1\n150,1\n160,1\n170,2\n", {.moved_at = 60, .move = 5}, RK_OK, 0, 5},
    {"time,pv\n100,1\n150,1\n160,1\n",
     {.moved_at = 60, .move = -5, .out_start = 42},
     RK_OK,
     42,
     37},
    {"time,pv\n100,1\n150,1\n", {.moved_at = 60, .move = 5}, RK_OK, 0, 0},
    {"time,pv\n100,1\n150,1\n", {.curve = true}, RK_OK, 0, 0},
    {"time;pv\n0,5;1,5\n1,5;1,7\n", {.curve = true}, RK_OK, 0, 0},
    {"time,out,pv\n0,42,1\n9,42,1\n",
     {.out = "out", .moved_at = 6, .move = 5},
     RK_ERR_FORMAT,
     0,
     0},
    {"time,pv\n0,1\n9,1\n", {.moved_at = (double)NAN, .move = 5}, RK_ERR_RANGE, 0, 0},
    {"time,pv\n0,1\n9,1\n", {.move = 0}, RK_ERR_FORMAT, 0, 0},
};

START_TEST(a_record_without_out_is_told_how_it_was_moved)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(read_text(told_moves[_i].content, &told_moves[_i].asked, &record, &diag) ==
                      told_moves[_i].status,
                  "%d: %s", _i, diag.text);
    if (told_moves[_i].status != RK_OK) return;
    ck_assert_double_eq(rk_record_out(record)[0], told_moves[_i].first);
    ck_assert_double_eq(rk_record_out(record)[rk_record_rows(record) - 1], told_moves[_i].last);
    rk_record_free(record);
}
END_TEST

/* Files that cannot be read, and what the message must say: where, what. */
static const struct {
    const char *fact, *content, *says;
} bad[] = {
    {"empty", "", "is empty"},
    {"only comments", "# nothing\n#\n", "is empty"},
    {"only a header", "time,out,pv\n", "has a header but no rows"},
    {"a header and units", "time,out,pv\ns,%,degBx\n", "has a header but no rows"},
    {"no such column", "time,out,level\n0,1,2\n",
     ":1: no column looks like PV; there are: 1 'time', 2 'out', 3 'level'; name it with --pv"},
    {"two of them", "time,FV1.OUT,FV2.OUT,pv\n0,1,2,3\n",
     ":1: more than one column could be OUT; there are: 1 'time', 2 'FV1.OUT', 3 'FV2.OUT', 4 "
     "'pv'; name it with --out"},
    {"no header", "0,42,11.8\n1,42,11.8\n",
     ":1: the first row has no names; which column is time?; there are: 1 '0', 2 '42', 3 "
     "'11.8'; give its number with --time"},
    {"one column", "time\n0\n1\n", "no column looks like OUT"},
    {"words for numbers", "time,out,pv\n0,open,11.8\n1,closed,11.8\n",
     ":2: column 'out': 'open' cannot be used, and 2 of 2 rows are like it: check the column"},
    {"a year of two digits", "time,out,pv\n17/03/26 09:40:00,1,2\n",
     "'17/03/26 09:40:00' cannot be used, and 1 of 1 rows are like it: give seconds, "
     "hh:mm:ss or ISO 8601"},
    {"dates in either order", "time,out,pv\n03/04/2026 09:40,1,2\n04/05/2026 09:40,1,2\n",
     "dates such as '03/04/2026 09:40' could be day/month or month/day: say which with "
     "--date-order day-first or month-first"},
    {"dates that contradict", "time,out,pv\n13/04/2026 09:40,1,2\n04/13/2026 09:40,1,2\n",
     "say which with --date-order"},
    {"a month without a name", "time,out,pv\n17-Mrz-2026 09:40:00,1,2\n", ":2: column 'time'"},
    {"an hour past noon that is none", "time,out,pv\n03/17/2026 13:40 PM,1,2\n",
     ":2: column 'time'"},
    {"all bad by quality", "time,out,pv,status\n0,1,2,0\n1,1,2,0\n", "--quality none"},
    {"time runs backwards", "time,out,pv\n5,42,11.8\n4,42,11.8\n3,42,11.8\n",
     "time runs backwards in 2 of 3 rows"},
    {"every other row late", "time,out,pv\n5,1,1\n4,1,1\n7,1,1\n6,1,1\n9,1,1\n8,1,1\n",
     "time runs backwards in 3 of 6 rows"},
    {"two decimal commas", "time;out;pv\n0;42;1,2,3\n", ":2: column 'pv': '1,2,3'"},
    {"a quoted decimal comma between commas", "time,out,pv\n0,42,\"11,8\"\n",
     ":2: column 'pv': '11,8'"},
    {"a decimal comma between commas", "time,out,pv\n0,42,0,11,8\n",
     ":2: 5 cells in a row, 3 in the first one; decimal commas need quotes, or ; or tab"},
    {"a quote that does not close", "time,out,pv\n0,42,\"11.8\n1,42,11.8\n", "quote"},
    {"text behind a quote", "time,out,pv\n0,42,\"11.8\"x\n", ":2: a quote"},
    {"a month that is none", "time,out,pv\n2026-13-01T00:00:00Z,42,1\n", ":2: column 'time'"},
    {"an hour that is none", "time,out,pv\n2026-01-01T25:00:00Z,42,1\n", ":2: column 'time'"},
    {"an offset that is none", "time,out,pv\n2026-01-01T00:00:00+1,42,1\n",
     ":2: column 'time'"},
    {"minutes of an hour", "time,out,pv\n00:60:00,42,1\n", ":2: column 'time': '00:60:00'"},
    {"numbers too large", "time,out,pv\n0,1e999,1\n", ":2: column 'out'"},
    {"the line number counts comments", "# a\n# b\ntime,out,pv\n\n0,42,x\n", ":5: column 'pv'"},
    {"the line number counts line breaks in quotes",
     "time,out,pv,note\n0,42,1,\"a\nb\"\n1,42,1,2,3\n", ":4: 5 cells"},
    {"UTF-16", "\xFF\xFEt\xFFi", "is UTF-16 text; save or export it as CSV in UTF-8"},
};

START_TEST(files_that_cannot_be_read_are_told_with_line_and_column)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(read_text(bad[_i].content, NULL, &record, &diag) == RK_ERR_FORMAT, "%s",
                  bad[_i].fact);
    ck_assert_msg(strstr(diag.text, bad[_i].says) != NULL, "%s: '%s' does not say '%s'",
                  bad[_i].fact, diag.text, bad[_i].says);
    ck_assert_ptr_nonnull(strstr(diag.text, "r.csv"));
    ck_assert_ptr_null(record);
}
END_TEST

/* Columns by name and number, and time units. */
static const struct {
    const char *content;
    rk_columns asked;
    double out, pv, last_time;
    const char *says; /* NULL: it can be read */
} asked[] = {
    {"a,b,c\n0,1,2\n1,1,2\n", {"a", "b", "c", NULL, 0}, 1, 2, 1, NULL},
    {"a,b,c\n0,1,2\n1,1,2\n", {"1", "3", "2", NULL, 0}, 2, 1, 1, NULL},
    {"0,1,2\n1,1,2\n", {"1", "2", "3", NULL, 0}, 1, 2, 1, NULL},
    {"0,5;1,5;2,5\n1,5;1,5;2,5\n", {"1", "2", "3", NULL, 0}, 1.5, 2.5, 1.5, NULL},
    {"09:40:00;1,5;2,5\n09:41:00;1,5;2,5\n", {"1", "3", "2", NULL, 0}, 2.5, 1.5, 34860, NULL},
    {"2026-03-17T00:00:00Z,1,2\n2026-03-17T00:01:00Z,1,2\n",
     {"1", "2", "3", NULL, 0},
     1,
     2,
     60,
     NULL},
    /* A name that is a number goes before the number of a column. */
    {"t,3,2,1\n0,7,8,9\n5,7,8,9\n", {"t", "3", "1", NULL, 0}, 7, 9, 5, NULL},
    {"A,a,c\n0,1,2\n1,1,2\n", {"A", "a", "c", NULL, 0}, 1, 2, 1, NULL},
    {"a,b,B\n0,1,2\n1,1,2\n", {"A", "b", "B", NULL, 0}, 1, 2, 1, NULL},
    {"a,b,c,c\n0,1,2,3\n", {"a", "b", "c", NULL, 0}, 0, 0, 0, "more than one column 'c'"},
    {"a,b,c\n0,1,2\n", {"a", "b", "4", NULL, 0}, 0, 0, 0, "no column '4'; there are: 1 'a', 2"},
    {"a,b,c\n0,1,2\n", {"a", "b", "0", NULL, 0}, 0, 0, 0, "no column '0'"},
    {"a,b,c\n0,1,2\n", {"a", "b", "1.5", NULL, 0}, 0, 0, 0, "no column '1.5'"},
    {"time,out,pv\n0,1,2\n1,1,2\n", {NULL, NULL, NULL, NULL, 60}, 1, 2, 60, NULL},
    {"time_min,out,pv\n0,1,2\n1,1,2\n", {NULL, NULL, NULL, NULL, 3600}, 1, 2, 3600, NULL},
    {"time,out,pv\n0,1,2\n200,1,2\n", {NULL, NULL, NULL, NULL, 0.001}, 1, 2, 0.2, NULL},
    {"time,out,pv\n09:40:00,1,2\n09:40:01,1,2\n",
     {NULL, NULL, NULL, NULL, 60},
     0,
     0,
     0,
     "leave --time-unit out"},
    {"time,out,pv,status\n0,1,2,0\n1,1,2,0\n", {NULL, NULL, NULL, "none", 0}, 1, 2, 1, NULL},
    {"time,out,pv,q\n0,1,2,ok\n1,1,2,ok\n2,1,2,bad\n",
     {NULL, NULL, NULL, "q", 0},
     1,
     2,
     1,
     NULL},
    {"time,out,pv\n0,1,2\n", {NULL, NULL, NULL, "q", 0}, 0, 0, 0, "no column 'q'"},
};

START_TEST(columns_are_taken_as_asked)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};
    const rk_status status = read_text(asked[_i].content, &asked[_i].asked, &record, &diag);

    if (asked[_i].says != NULL) {
        ck_assert_int_eq(status, RK_ERR_FORMAT);
        ck_assert_msg(strstr(diag.text, asked[_i].says) != NULL, "%s", diag.text);
        return;
    }
    ck_assert_msg(status == RK_OK, "%s", diag.text);
    ck_assert_uint_eq(rk_record_rows(record), 2);
    ck_assert_double_eq(rk_record_time(record)[1], asked[_i].last_time);
    ck_assert_double_eq(rk_record_out(record)[0], asked[_i].out);
    ck_assert_double_eq(rk_record_pv(record)[0], asked[_i].pv);
    rk_record_free(record);
}
END_TEST

/* The numbers of a locale with a decimal comma must change nothing. */
START_TEST(a_locale_changes_nothing)
{
    const char *const locales[] = {"de_DE.UTF-8", "fr_FR.UTF-8", "C"};
    rk_record *record = NULL;
    size_t i = 0;

    while (setlocale(LC_ALL, locales[i]) == NULL) {
        i++;
    }
    ck_assert_int_eq(read_text("time,out,pv\n0,1,2.1234567890123456789\n", NULL, &record, NULL),
                     RK_OK);
    ck_assert_double_eq(rk_record_pv(record)[0], 2.1234567890123456789);
    (void)setlocale(LC_ALL, "C");
    rk_record_free(record);
}
END_TEST

/* The time of row k of n: forward, with a thousandth of the rows a little late, or backward. */
static double time_of_row(int k, int n, int way)
{
    if (way == 2) return n - k;
    return way == 1 && k % 1000 == 999 ? k - 3.5 : k;
}

static const struct {
    int rows, way;
    size_t late;
    rk_status status;
} orders[] = {{20000, 0, 0, RK_OK}, {20000, 1, 20, RK_OK}, {20000, 2, 0, RK_ERR_FORMAT}};

START_TEST(a_few_late_rows_are_sorted_and_a_record_that_runs_backwards_is_refused)
{
    rk_text *text = rk_text_create();
    char *dir = scratch_make();
    const char *path = path_in(dir, "r.csv");
    rk_record *record = NULL;
    rk_import import;
    int i;

    rk_text_add(text, "time,out,pv\n");
    for (i = 0; i < orders[_i].rows; i++) {
        rk_text_add(text, "%.1f,%d,1\n", time_of_row(i, orders[_i].rows, orders[_i].way), i);
    }
    put_file(path, rk_text_chars(text));
    ck_assert_int_eq(rk_record_read(path, NULL, &record, &import, NULL), orders[_i].status);
    if (orders[_i].status == RK_OK) {
        ck_assert_uint_eq(import.late, orders[_i].late);
        for (i = 1; i < orders[_i].rows; i++) {
            ck_assert_double_gt(rk_record_time(record)[i], rk_record_time(record)[i - 1]);
        }
    }
    rk_record_free(record);
    rk_text_free(text);
    scratch_free(dir);
}
END_TEST

START_TEST(a_record_tells_its_first_and_its_last_time_as_they_stand_in_it)
{
    rk_record *record = NULL;
    rk_import import;

    ck_assert_int_eq(
        rk_record_read(RK_SOURCE "/data/blend-brix.csv", NULL, &record, &import, NULL), RK_OK);
    ck_assert_str_eq(import.first_stamp, "2026-03-17T09:40:00");
    ck_assert_str_eq(import.last_stamp, "2026-03-17T09:50:00");
    ck_assert(!import.time_is_number);
    rk_record_free(record);
}
END_TEST

START_TEST(a_file_that_is_not_there_is_no_format_error)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_record_read("/nowhere/at/all.csv", NULL, &record, NULL, &diag),
                     RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "No such file"));
    ck_assert_int_eq(rk_record_read(RK_SOURCE, NULL, &record, NULL, NULL),
                     RK_ERR_IO); /* a directory */
    ck_assert_int_eq(rk_record_read(NULL, NULL, &record, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_record_read("x.csv", NULL, NULL, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* Rows that cross the reader's chunks must not be cut. */
START_TEST(long_files_are_read_to_the_last_row)
{
    rk_text *text = rk_text_create();
    rk_record *record = NULL;
    int i;

    rk_text_add(text, "time,out,pv,some quite long name for a column that nobody needs\n");
    for (i = 0; i < 20000; i++) {
        rk_text_add(text, "%d.25,%d,%d.5,\"filler, filler\"\n", i, i % 7, i);
    }
    ck_assert_int_eq(read_text(rk_text_chars(text), NULL, &record, NULL), RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), 20000);
    for (i = 0; i < 20000; i++) {
        ck_assert_double_eq(rk_record_time(record)[i], i + 0.25);
        ck_assert_double_eq(rk_record_out(record)[i], i % 7);
        ck_assert_double_eq(rk_record_pv(record)[i], i + 0.5);
    }
    rk_record_free(record);
    rk_text_free(text);
}
END_TEST

Suite *suite_record_file(void)
{
    Suite *suite = suite_create("files/record_file");
    TCase *t = tcase_create("record_file");

    add_table(t, files_of_loggers_are_read, good);
    add_table(t, out_that_moves_beside_a_bad_pv_is_kept, out_alone);
    add_table(t, a_comment_says_that_out_moves_on_the_rows, comments);
    add_table(t, what_was_done_about_a_file_is_told, told);
    add_table(t, a_record_is_read_as_plants_write_it, ways);
    add_table(t, a_record_without_out_is_told_how_it_was_moved, told_moves);
    add_table(t, files_that_cannot_be_read_are_told_with_line_and_column, bad);
    add_table(t, columns_are_taken_as_asked, asked);
    tcase_add_test(t, a_locale_changes_nothing);
    add_table(t, a_few_late_rows_are_sorted_and_a_record_that_runs_backwards_is_refused,
              orders);
    tcase_add_test(t, a_record_tells_its_first_and_its_last_time_as_they_stand_in_it);
    tcase_add_test(t, a_file_that_is_not_there_is_no_format_error);
    tcase_add_test(t, long_files_are_read_to_the_last_row);
    suite_add_tcase(suite, t);
    return suite;
}
