/* SPDX-License-Identifier: MIT */
/* Bad input for every command: the exit status, one clear line, and no slip of memory. */
#include <string.h>

#include "../support/support.h"
#include "tool.h"

#define MODEL "--gain", "2", "--time-constant", "10", "--dead-time", "5"
#define PI_ "--kc", "1", "--ti", "10"

/* Files that the rows below name. */
static const struct {
    const char *name, *content;
} files[] = {
    {"empty.csv", ""},
    {"header.csv", "time,out,pv\n"},
    {"text.csv", "time,out,pv\n0,1,2\n1,one,2\n2,two,2\n"},
    {"unit.loop", "[loop]\n[record]\ntime-unit = sec\n"},
    {"nan.csv", "time,out,pv\n0,NaN,2\n1,NaN,2\n"},
    {"backwards.csv", "time,out,pv\n2,1,2\n1,1,2\n0,1,2\n"},
    {"few.csv", "time,out,pv\n0,1,2\n1,2,2\n2,2,3\n"},
    {"still.csv", "time,out,pv\n0,1,2\n1,1,3\n2,1,4\n3,1,4\n4,1,4\n5,1,5\n"},
    {"dead.csv", "time,out,pv\n0,1,2\n1,2,2\n2,2,2\n3,2,2\n4,2,2\n5,2,2\n"},
    {"flat.csv", "time,out,pv\n0,1,2\n1,2,2.1\n2,2,2\n3,2,2.1\n4,2,2\n5,2,2.1\n6,2,2\n7,2,2."
                 "1\n8,2,2\n9,2,2.1\n"},
    {"binary.csv", "\x01\x02\xFF\xFE\x80,\n\x00"},
    {"good.csv", "time,out,pv\n0,1,2\n1,1,2\n2,2,2\n3,2,2.6\n4,2,2.9\n5,2,3\n6,2,3.05\n7,2,3."
                 "1\n8,2,3.1\n9,2,3.11\n"},
    {"empty.loop", ""},
    {"key.loop", "[loop]\nscna = 1\n"},
    {"line.loop", "[loop]\nscan\n"},
    {"scan0.loop", "[loop]\nscan = 0\n"},
    {"tau.loop", "[model]\ngain = 1\ntime-constant = -1\ndead-time = 0\n"},
    {"limits.loop", "[out]\nlow = 100\nhigh = 0\n"},
    {"ti0.loop", "[settings]\nkc = 1\nti = 0\n"},
    {"nan.loop", "[model]\ngain = nan\n"},
    {"norecord.loop", "[loop]\nscan = 1\n[record]\nfile = nowhere.csv\n"},
    {"bare.loop", "[loop]\nname = bare\nscan = 1\n"},
    {"noscan.loop", "[out]\nlow = 0\nhigh = 100\n[settings]\nkc = 1\nti = 10\n"},
    {"norange.loop", "[loop]\nscan = 1\n[settings]\nkc = 1\nti = 10\n"},
    {"slow.loop",
     "[loop]\nscan = 60\n[out]\nlow = 0\nhigh = 100\n[settings]\nkc = 1\nti = 10\n"},
    {"plant.loop",
     "[loop]\nname = p\nscan = 1\n[pv]\nlow = 0\nhigh = 100\n[out]\nlow = 0\nhigh = "
     "100\n[plant]\ngain = 2\ntime-constant = 10\ndead-time = 5\nout0 = 20\n"
     "pv0 = 40\nnoise = 0.1\n"},
    {"unlimited.loop",
     "[loop]\nscan = 1\n[plant]\ngain = 2\ntime-constant = 10\ndead-time = 5\n"},
    {"noise.loop", "[loop]\nscan = 1\n[plant]\ngain = 2\ntime-constant = 10\ndead-time = "
                   "5\nnoise = -1\n"},
    {"bits.loop", "[loop]\nscan = 1\n[plant]\ngain = 2\ntime-constant = 10\ndead-time = "
                  "5\nadc-bits = 12\n"},
    {"load.loop", "[loop]\nscan = 1\n[plant]\ngain = 2\ntime-constant = 10\ndead-time = "
                  "5\nload = 3\n"},
    {"stretch.loop", "[plant]\nsensor-bad = 30s\n"},
    {"process.loop", "[plant]\ngain = 2\n"},
    {"damping.loop", "[model]\nkind = sopdt-osc\ngain = 2\ntime-constant = 10\ndead-time = "
                     "5\ndamping = 2\n"},
    {"times.loop", "[model]\nkind = sopdt\ngain = 2\ntime-constant = 10s;5s\ndead-time = 5\n"},
    {"ipdt.loop", "[loop]\nscan = 1\n[model]\nkind = ipdt\ngain = 2\ndead-time = 5\n"
                  "[settings]\nkc = 0.1\nti = 40\n"},
    {"covariance.loop",
     "[model]\ngain = 2\ntime-constant = 10\ndead-time = 5\ncovariance = 1, 2\n"},
    {"hold.loop", "[loop]\nscan = 1\n[out]\nlow = 0\nhigh = 100\n[settings]\nkc = 1\nti = 9\n"
                  "[alarm]\nhold = 5\n[plant]\ngain = 1\ntime-constant = 9\ndead-time = 1\n"
                  "out0 = 20\npv0 = 5\n"},
    {"full.loop", "[loop]\nscan = 1\n[out]\nlow = 0\nhigh = 100\n[model]\ngain = "
                  "2\ntime-constant = 10\ndead-time = 5\n"
                  "[settings]\nkc = 0.5\nti = 10\n"},
};

static const struct {
    int status;
    const char *says, *arguments[20];
} rows[] = {
    {2, "Usage", {NULL}},
    {2, "unknown command 'tuen'", {"tuen"}},
    /* inspect */
    {2, "no record", {"inspect"}},
    {2, "--gain-within 0: give a percentage", {"inspect", "good.csv", "--gain-within", "0"}},
    {2,
     "--dead-time-within: 'x' is not a number",
     {"inspect", "good.csv", "--dead-time-within", "x"}},
    {3, "header.csv: has a header but no rows", {"inspect", "header.csv"}},
    {1, "", {"inspect", "still.csv"}},
    {1, "", {"inspect", "dead.csv"}},
    {1, "", {"inspect", "few.csv"}},
    {4, "cannot write", {"inspect", "good.csv", "--figure", "no/such/dir/f.png"}},
    /* bump */
    {2, "how far? give --move", {"bump", "plant.loop"}},
    {2, "how long shall OUT be held?", {"bump", "plant.loop", "--move", "5"}},
    {2, "where to? give --record", {"bump", "plant.loop", "--move", "5", "--hold", "60"}},
    {2,
     "no port: give a loop file with [port]",
     {"bump", "full.loop", "--move", "5", "--hold", "60", "--record", "b.csv"}},
    {2,
     "no port",
     {"bump", "good.csv", "--move", "5", "--hold", "60", "--scan", "1", "--out-low", "0",
      "--out-high", "100"}},
    {2, "how often? give [loop] scan", {"bump", "--move", "5", "--hold", "60"}},
    {2,
     "OUT's limits are not known",
     {"bump", "unlimited.loop", "--move", "5", "--hold", "60", "--record", "b.csv"}},
    {2,
     "OUT would go to 105, beyond its limits 0 to 100",
     {"bump", "plant.loop", "--move", "85", "--hold", "60", "--record", "b.csv"}},
    {2,
     "outside the bounds 50 to 100",
     {"bump", "plant.loop", "--move", "5", "--hold", "60", "--record", "b.csv", "--pv-low",
      "50"}},
    {2, "--moves: '5,x' is not a list", {"bump", "plant.loop", "--moves", "5,x"}},
    {2, "--moves says it all", {"bump", "plant.loop", "--moves", "5,-5", "--back"}},
    {2,
     "--back or --doublet, not both",
     {"bump", "plant.loop", "--move", "5", "--back", "--doublet"}},
    {2,
     "move 2 of OUT is 0",
     {"bump", "plant.loop", "--moves", "5,0", "--hold", "60", "--record", "b.csv"}},
    {2,
     "hold 0.5 s: give 1 s or more",
     {"bump", "plant.loop", "--move", "5", "--hold", "0.5", "--record", "b.csv"}},
    {4,
     "no/such/dir/b.csv: No such file",
     {"bump", "plant.loop", "--move", "5", "--hold", "60", "--record", "no/such/dir/b.csv"}},
    {4,
     "good.csv: is there already",
     {"bump", "plant.loop", "--move", "5", "--hold", "60", "--record", "good.csv"}},
    {3,
     "noise.loop:7: noise '-1' is out of range: give a number of 0 or more",
     {"bump", "noise.loop"}},
    {3, "adc-bits: a converter needs PV's range", {"bump", "bits.loop"}},
    {3, "[plant]: give both load and load-at", {"bump", "load.loop"}},
    {3, "sensor-bad '30s' is not two times", {"bump", "stretch.loop"}},
    {3, "[plant] has no dead-time", {"bump", "process.loop"}},
    {2, "--relay 85: OUT stands at 20", {"bump", "plant.loop", "--relay", "85"}},
    {2, "--relay makes its own moves", {"bump", "plant.loop", "--relay", "5", "--back"}},
    {2, "--cycles: give 1 to 100", {"bump", "plant.loop", "--relay", "5", "--cycles", "0"}},
    {2,
     "--save keeps what a relay test found",
     {"bump", "plant.loop", "--move", "5", "--save"}},
    /* run */
    {2, "no settings", {"run", "plant.loop"}},
    {2, "no port: give a loop file with [port]", {"run", "full.loop"}},
    {2, "no scan interval: give --scan", {"run", "--kc", "1", "--ti", "9"}},
    {2, "--at: '5x' is not a time", {"run", "plant.loop", "--at", "5x"}},
    {2, "--at: what then?", {"run", "plant.loop", "--at", "5s"}},
    {2, "--at: 'sp' is none of", {"run", "plant.loop", "--at", "5s sp"}},
    {2, "--at: 'kcc=1' is none of", {"run", "plant.loop", "--at", "5s kcc=1"}},
    {2, "--at: kc '0' is out of range", {"run", "plant.loop", "--at", "5s kc=0"}},
    {2,
     "--at 5s: [settings]: kc, ti and td belong",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--at", "5s form=parallel kc=2"}},
    {2, "--at: 'auto=1' is none of", {"run", "plant.loop", "--at", "5s auto=1"}},
    {2,
     "--at 999s is not within",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--at", "999s auto"}},
    {2,
     "output 120 is beyond",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--at", "9s manual=120"}},
    {2,
     "--for: give a time above 0",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--for", "0"}},
    {2, "--times: give", {"run", "plant.loop", "--kc", "1", "--ti", "9", "--times", "0"}},
    {2,
     "no --at changes the setpoint",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--soft-start", "9"}},
    {2,
     "two runs cannot share a clock",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--soft-start", "9", "--real-time"}},
    {4,
     "is there already",
     {"run", "plant.loop", "--kc", "1", "--ti", "9", "--record", "good.csv"}},
    {3, "[alarm] hold needs a safe output", {"run", "hold.loop"}},
    /* trial */
    {2, "one load at a time", {"trial", "ipdt.loop", "--load-step", "1", "--load-out", "1"}},
    {2, "the loop file has no [plant]", {"trial", "ipdt.loop", "--plant"}},
    {2,
     "the setpoint has one shape",
     {"trial", "ipdt.loop", "--sp-ramp", "9", "--sp-sine", "9"}},
    {2, "--seed: give a whole number", {"trial", "ipdt.loop", "--seed", "1.5"}},
    {2,
     "--open-step goes without",
     {"trial", "ipdt.loop", "--open-step", "1", "--sp-step", "1"}},
    {2, "--open-step: a step of 0", {"trial", "ipdt.loop", "--open-step", "0"}},
    {2,
     "predictor: 'maybe' is not yes or no",
     {"trial", "ipdt.loop", "--case", "a: predictor=maybe"}},
    {2, "give either it, or kc", {"trial", "ipdt.loop", "--case", "a: on-off=1 kc=1 ti=9"}},
    {4, "nowhere.loop: cannot open", {"trial", "ipdt.loop", "--case", "nowhere.loop"}},
    {4, "nowhere.csv: cannot open", {"trial", "ipdt.loop", "--overlay", "nowhere.csv"}},
    /* search */
    {2, "leave --rule out", {"search", "ipdt.loop", "--rule", "simc"}},
    {2, "--cost: unknown cost 'x'", {"search", "ipdt.loop", "--cost", "x"}},
    {2, "--kc: '5:1:1' is not LOW:HIGH:STEP", {"search", "ipdt.loop", "--kc", "5:1:1"}},
    {2, "a sweep of PI needs --kc and --ti", {"search", "ipdt.loop", "--kc", "0.1:1:0.1"}},
    {2,
     "--ms '0' is out of range: give a number above 1",
     {"search", "ipdt.loop", "--ms", "0"}},
    {2, "--effort: unknown effort 'x'", {"search", "ipdt.loop", "--effort", "x"}},
    {2, "give --weigh-effort too", {"search", "ipdt.loop", "--weigh-error", "2"}},
    {2, "noise is not known: give it", {"search", "ipdt.loop", "--out-noise", "1"}},
    {2, "--over: unknown way to judge models 'x'", {"search", "ipdt.loop", "--over", "x"}},
    {2, "--over: how sure the model's numbers", {"search", "ipdt.loop", "--over", "mean"}},
    {2, "wrong by 120 %", {"search", "ipdt.loop", "--model-error", "120"}},
    {2, "--load-step '0' is out of range", {"search", "ipdt.loop", "--load-step", "0"}},
    {2, "--figure draws a sweep", {"search", "ipdt.loop", "--figure", "f.png"}},
    {2, "--runs keeps the runs of a sweep", {"search", "ipdt.loop", "--runs", "r.csv"}},
    {3,
     "no point of the grid is stable",
     {"search", "ipdt.loop", "--kc", "90:99:3", "--ti", "9"}},
    /* fit */
    {3,
     "damping.loop:6: damping '2' is out of range: give a number between 0 and 1",
     {"check", "damping.loop"}},
    {3, "time-constant '10s;5s' is not one time, or two", {"check", "times.loop"}},
    {2, "unknown rule 'x'", {"tune", "ipdt.loop", "--rule", "x"}},
    {2, "unknown mode 'pit'", {"tune", "ipdt.loop", "--mode", "pit"}},
    {2,
     "cohen-coon has no formula for a model of kind ipdt",
     {"tune", "ipdt.loop", "--rule", "cohen-coon"}},
    {2, "zeta 0: give a value above 0", {"tune", "ipdt.loop", "--zeta", "0"}},
    {2,
     "an ultimate point is a gain and a period",
     {"tune", "ipdt.loop", "--ultimate-gain", "2"}},
    {2,
     "another sign than the process gain",
     {"tune", "ipdt.loop", "--ultimate-gain", "-2", "--ultimate-period", "9"}},
    {2,
     "--sort: unknown column 'speed'; known: rule, mode",
     {"tune", "ipdt.loop", "--sort", "speed"}},
    {2, "--figure draws the fan of --speed", {"tune", "ipdt.loop", "--figure", "f.png"}},
    {2, "the rule amigo has no lambda", {"tune", "ipdt.loop", "--speed", "--rule", "amigo"}},
    {2, "--save needs one rule", {"tune", "ipdt.loop", "--save", "--rule", "all"}},
    {2, "percent needs both ranges", {"check", "ipdt.loop", "--band", "50"}},
    {2, "give one of --kc, --band", {"check", "ipdt.loop", "--band", "50", "--kc", "1"}},
    {2,
     "give --ti or --repeats",
     {"check", "ipdt.loop", "--ti", "5", "--repeats", "1", "--kc", "1"}},
    {2,
     "--tf-ratio: give a value above 0, and --td",
     {"check", "ipdt.loop", "--kc", "1", "--tf-ratio", "8"}},
    {2, "--exclude: '5' is not two times", {"fit", "good.csv", "--exclude", "5"}},
    {2, "--compare: unknown model kind", {"fit", "good.csv", "--compare", "x"}},
    {2, "the model's numbers are what is fitted", {"fit", "full.loop", "--gain", "2"}},
    {2, "--as-given: give the model", {"fit", "good.csv", "--as-given"}},
    {2, "--as-given fits nothing", {"fit", "full.loop", "--as-given", "--save"}},
    {2, "--guess: give the guess", {"fit", "good.csv", "--guess"}},
    {2, "--guess lays a guess beside one fit", {"fit", "full.loop", "--guess", "--by-move"}},
    {2, "--out-moves: 'x' is neither", {"fit", "good.csv", "--out-moves", "x"}},
    {2, "--out-moves is for a fit", {"fit", "good.csv", "--out-moves", "on-rows", "--by-move"}},
    {2, "--decimal-comma goes with --curves", {"trial", "full.loop", "--decimal-comma"}},
    {2, "--decimal-comma goes with --curves", {"prove", "full.loop", "--decimal-comma"}},
    {2, "--by-move is a table", {"fit", "good.csv", "--by-move", "--figure", "f.png"}},
    {3, "the window leaves 2 rows of 10: widen it", {"fit", "good.csv", "--from", "8s"}},
    {3, "OUT never moves", {"fit", "still.csv", "--by-move"}},
    {4, "missing.csv: cannot open", {"fit", "good.csv", "--validate", "missing.csv"}},
    {3, "covariance has 2 numbers, and a fopdt model's has 6", {"check", "covariance.loop"}},
    {2, "--kind: unknown model kind 'pt1'", {"fit", "good.csv", "--kind", "pt1"}},
    {2, "no record", {"fit"}},
    {4, "missing.csv: cannot open: No such file", {"fit", "missing.csv"}},
    {4, "missing.loop: cannot open", {"fit", "missing.loop"}},
    {4, "notes.txt: cannot open", {"fit", "notes.txt"}},
    {2, "one file at a time", {"fit", "good.csv", "few.csv"}},
    {3, "empty.csv: is empty", {"fit", "empty.csv"}},
    {3, "has a header but no rows", {"fit", "header.csv"}},
    {3,
     "no column 'level'; there are: 1 'time', 2 'out', 3 'pv'",
     {"fit", "good.csv", "--pv", "level"}},
    {3, "text.csv:3: column 'out': 'one' cannot be used, and 2 of 3 rows", {"fit", "text.csv"}},
    {3, "nan.csv:2: column 'out': 'NaN' cannot be used, and 2 of 2 rows", {"fit", "nan.csv"}},
    {3, "time runs backwards in 2 of 3 rows", {"fit", "backwards.csv"}},
    {2, "--time-unit 'days'", {"fit", "good.csv", "--time-unit", "days"}},
    {3,
     "unit.loop:3: time-unit 'sec' is not a time unit; give ms, s, min or h",
     {"fit", "unit.loop"}},
    {3, "too few", {"fit", "few.csv"}},
    {3, "OUT never moves", {"fit", "still.csv"}},
    {3, "PV never moves", {"fit", "dead.csv"}},
    {3, "binary.csv: is no text file", {"fit", "binary.csv"}},
    {3, "empty.loop: is empty", {"fit", "empty.loop"}},
    {3, "key.loop:2: unknown key 'scna'", {"fit", "key.loop"}},
    {3, "line.loop:2: neither", {"fit", "line.loop"}},
    {4, "nowhere.csv: cannot open", {"fit", "norecord.loop"}},
    {2, "no record", {"fit", "bare.loop"}},
    {2, "--save writes into a loop file", {"fit", "good.csv", "--save"}},
    {2, "figure 'f.gif'", {"fit", "good.csv", "--figure", "f.gif"}},
    {4, "cannot write", {"fit", "good.csv", "--figure", "no/such/dir/f.png"}},
    {2, "both want standard output", {"fit", "good.csv", "--json", "--figure", "-"}},
    {2, "unrecognized option", {"fit", "good.csv", "--kc", "1"}},
    {2, "requires an argument", {"fit", "good.csv", "--pv"}},
    /* tune */
    {2, "no model", {"tune"}},
    {2, "a model needs all of", {"tune", "--gain", "2"}},
    {2, "--gain 'two' is not a number", {"tune", "--gain", "two"}},
    {2, "--gain 'nan' is not a number", {"tune", "--gain", "nan"}},
    {2,
     "--time-constant '-4' is out of range: give a time above 0",
     {"tune", "--gain", "2", "--time-constant", "-4", "--dead-time", "1"}},
    {2,
     "--time-constant '0' is out of range",
     {"tune", "--gain", "2", "--time-constant", "0", "--dead-time", "1"}},
    {2,
     "--dead-time '-1' is out of range: give a time of 0 or more",
     {"tune", "--gain", "2", "--time-constant", "4", "--dead-time", "-1"}},
    {2,
     "--gain '0' is out of range",
     {"tune", "--gain", "0", "--time-constant", "4", "--dead-time", "1"}},
    {2,
     "'4 parsecs' is not one time, or two",
     {"tune", "--gain", "2", "--time-constant", "4 parsecs"}},
    {2, "unknown model kind 'cubic'", {"tune", MODEL, "--kind", "cubic"}},
    {2, "unknown rule 'magic'", {"tune", MODEL, "--rule", "magic"}},
    {2, "unknown controller form 'fancy'", {"tune", MODEL, "--form", "fancy"}},
    {2, "--lambda 0: give a time above 0", {"tune", MODEL, "--lambda", "0"}},
    {2, "--save needs one rule", {"tune", "full.loop", "--save"}},
    {3, "tau.loop:3: time-constant '-1' is out of range", {"tune", "tau.loop"}},
    {3, "nan.loop:2: gain 'nan' is not a number", {"tune", "nan.loop"}},
    {3, "OUT never moves", {"tune", "still.csv"}},
    {1, "no usable model", {"tune", "flat.csv"}},
    /* check */
    {2, "no settings", {"check", MODEL}},
    {2, "no model", {"check", PI_}},
    {2, "--ti '0' is out of range", {"check", MODEL, "--kc", "1", "--ti", "0"}},
    {2, "--ti '-3' is out of range", {"check", MODEL, "--kc", "1", "--ti", "-3"}},
    {2, "--kc '0' is out of range", {"check", MODEL, "--kc", "0", "--ti", "3"}},
    {2, "--kc 'nan' is not a number", {"check", MODEL, "--kc", "nan"}},
    {2, "no controller gain: give --kc", {"check", MODEL, "--ti", "3"}},
    {2,
     "belong to the parallel form: add --form parallel",
     {"check", MODEL, "--kc", "1", "--ki", "0.1"}},
    {2, "takes --kp, --ki and --kd", {"check", MODEL, "--form", "parallel", PI_}},
    {2, "--td '-1' is out of range", {"check", MODEL, PI_, "--td", "-1"}},
    {2, "not both", {"check", MODEL, PI_, "--rule", "simc"}},
    {2, "--lambda goes with --rule", {"check", MODEL, PI_, "--lambda", "3"}},
    {2,
     "--form says how settings are typed",
     {"check", MODEL, "--rule", "simc", "--form", "series"}},
    {2, "--scan '0' is out of range", {"check", MODEL, PI_, "--scan", "0"}},
    {3, "scan0.loop:2: scan '0' is out of range", {"check", "scan0.loop"}},
    {3, "ti0.loop:3: ti '0' is out of range", {"check", "ti0.loop"}},
    {3, "limits.loop: OUT range 100 to 0", {"check", "limits.loop"}},
    /* trial */
    {2, "no scan interval", {"trial", MODEL, PI_}},
    {2, "--scan '0' is out of range", {"trial", MODEL, PI_, "--scan", "0"}},
    {2, "--scan '-1s' is out of range", {"trial", MODEL, PI_, "--scan", "-1s"}},
    {2,
     "OUT range 5 to 1 is the wrong way round",
     {"trial", MODEL, PI_, "--scan", "1", "--out-low", "5", "--out-high", "1"}},
    {2, "OUT range: give both", {"trial", MODEL, PI_, "--scan", "1", "--out-low", "5"}},
    {2,
     "--out-rate '0' is out of range",
     {"trial", MODEL, PI_, "--scan", "1", "--out-rate", "0"}},
    {2, "shorter than the scan", {"trial", MODEL, PI_, "--scan", "60"}},
    {2,
     "outside the limits 1 to 5",
     {"trial", MODEL, PI_, "--scan", "1", "--out-low", "1", "--out-high", "5"}},
    {2,
     "unknown anti-windup 'maybe'",
     {"trial", MODEL, PI_, "--scan", "1", "--anti-windup", "maybe"}},
    {2,
     "case 'x': unknown scheme 'midpoint'",
     {"trial", "full.loop", "--sp-step", "1", "--case", "x: integral-by=midpoint"}},
    {2,
     "case 'x': unknown algorithm 'speed'",
     {"trial", "full.loop", "--sp-step", "1", "--case", "x: algorithm=speed"}},
    {2,
     "--tracking-time '0' is out of range",
     {"trial", MODEL, PI_, "--scan", "1", "--tracking-time", "0"}},
    {2,
     "--sp-weight '3' is out of range: give a number from 0 to 1",
     {"trial", MODEL, PI_, "--scan", "1", "--sp-weight", "3"}},
    {2, "a trial of 0 s", {"trial", MODEL, PI_, "--scan", "1", "--for", "0"}},
    {2,
     "load step at 50 s",
     {"trial", MODEL, PI_, "--scan", "1", "--for", "40", "--load-step", "1", "--load-at",
      "50"}},
    {2,
     "--load-at goes with --load-step",
     {"trial", MODEL, PI_, "--scan", "1", "--sp-step", "1", "--load-at", "5"}},
    {2,
     "--tracking-time goes with",
     {"trial", MODEL, PI_, "--scan", "1", "--anti-windup", "none", "--tracking-time", "5"}},
    {2, "no record is read", {"check", "full.loop", "--pv", "level"}},
    {2, "unrecognized option", {"check", MODEL, PI_, "--cost", "ms"}},
    {2, "--order goes with --figure", {"check", MODEL, PI_, "--order", "3"}},
    {2,
     "--order goes with --figure",
     {"check", MODEL, PI_, "--order", "12", "--figure", "f.png"}},
    {2, "--delay-scans '-1' is out of range", {"check", MODEL, PI_, "--delay-scans=-1"}},
    {2, "a task every 0 s", {"check", MODEL, PI_, "--task", "0"}},
    {2, "wrong by 100 %", {"check", MODEL, PI_, "--model-error", "100"}},
    {2, "--sp: 'x' is not a number", {"check", MODEL, PI_, "--sp", "x"}},
    {2, "settling band 0 %", {"trial", MODEL, PI_, "--scan", "1", "--band", "0"}},
    {2,
     "shorten it or scan more slowly",
     {"trial", MODEL, PI_, "--scan", "0.1ms", "--for", "1h"}},
    {2, "is not a time", {"trial", MODEL, PI_, "--scan", "1s", "--for", "ever"}},
    {2, "give \"name: key=value", {"trial", MODEL, PI_, "--scan", "1", "--case", "kc=2"}},
    {2, "unknown key 'kx'", {"trial", MODEL, PI_, "--scan", "1", "--case", "a: kx=2"}},
    {2, "'kc' is not key=value", {"trial", MODEL, PI_, "--scan", "1", "--case", "a: kc"}},
    {2,
     "case 'a': kc 'two' is not a number",
     {"trial", MODEL, PI_, "--scan", "1", "--case", "a: kc=two"}},
    {2,
     "case 'a': ti '0' is out of range: give a time above 0",
     {"trial", MODEL, PI_, "--scan", "1", "--case", "a: kc=1 ti=0"}},
    {2,
     "case 'a': unknown rule 'magic'",
     {"trial", MODEL, PI_, "--scan", "1", "--case", "a: rule=magic"}},
    {2, "not both", {"trial", MODEL, PI_, "--scan", "1", "--case", "a: rule=simc kc=1"}},
    {2,
     "manual has no settings",
     {"trial", MODEL, PI_, "--scan", "1", "--case", "a: manual=1 kc=1"}},
    {2, "lambda goes with rule", {"trial", MODEL, PI_, "--scan", "1", "--case", "a: lambda=1"}},
    {2,
     "case 'a': time-constant '-3' is out of range",
     {"trial", MODEL, PI_, "--scan", "1", "--case", "a: time-constant=-3"}},
    {2, "no settings", {"trial", MODEL, "--scan", "1"}},
    /* emit */
    {2, "give a loop file", {"emit"}},
    {2, "give a loop file", {"emit", "good.csv"}},
    {3, "no settings", {"emit", "bare.loop"}},
    {3, "no scan interval", {"emit", "noscan.loop"}},
    {3, "no output range", {"emit", "norange.loop"}},
    {3, "shorter than the scan", {"emit", "slow.loop"}},
    {2, "give it alone", {"emit", "full.loop", "--show", "--force"}},
    {2, "unknown kind 'ladder'", {"emit", "full.loop", "--to", "st,ladder"}},
    {4, "is a file, not a directory", {"emit", "full.loop", "--dir", "good.csv"}},
    {4, "cannot open", {"emit", "missing.loop"}},
    {2, "unknown number type 'half'", {"emit", "full.loop", "--real", "half"}},
    {2,
     "--real fixed has neither test vectors",
     {"emit", "full.loop", "--slim", "--real", "fixed", "--to", "vectors"}},
    {2, "nor --show", {"emit", "full.loop", "--slim", "--real", "fixed", "--show"}},
    {2, "give --slim too", {"emit", "full.loop", "--real", "fixed"}},
    {2, "--slim has no XML", {"emit", "full.loop", "--slim", "--to", "xml"}},
    {2, "--name-length '12' is out of range", {"emit", "full.loop", "--name-length", "12"}},
    {2, "--warm-start", {"emit", "full.loop", "--warm-start", "hot"}},
    {2, "--configuration", {"emit", "full.loop", "--configuration", "maybe"}},
    {2, "pv-raw needs the range", {"emit", "full.loop", "--pv-raw", "0,100"}},
    {2, "is no address", {"emit", "full.loop", "--out-at", "QW1"}},
    {2, "is no count", {"emit", "full.loop", "--out-raw", "0,10.5"}},
    {2, "low must be below high", {"emit", "full.loop", "--out-raw", "5,5"}},
    {3, "fixed point needs PV's range", {"emit", "full.loop", "--slim", "--real", "fixed"}},
    /* prove */
    {2, "give the loop file", {"prove"}},
    {2, "give the loop file", {"prove", "good.csv"}},
    {3, "nothing to prove", {"prove", "full.loop"}},
    {3, "nothing to prove", {"prove", "full.loop", "--dir", "nowhere"}},
    {2, "--scans: from 1", {"prove", "full.loop", "--scans", "0"}},
    {3, "no settings", {"prove", "bare.loop", "--block", "good.csv"}},
    {3, "line 1, column 1", {"prove", "full.loop", "--block", "good.csv"}},
    {4, "cannot open", {"prove", "full.loop", "--block", "missing.st"}},
    {2, "--figure goes with --block", {"prove", "full.loop", "--figure", "steps.png"}},
    {2, "--pin speed=W: give PIN=NAME", {"prove", "full.loop", "--pin", "speed=W"}},
    {2, "--pin sp=: give PIN=NAME", {"prove", "full.loop", "--pin", "sp="}},
    {2, "--pin goes with --block", {"prove", "full.loop", "--pin", "sp=W"}},
    /* demo */
    {2, "demo takes no file", {"demo", "x"}},
    {4, "is a file, not a directory", {"demo", "--dir", "good.csv"}},
};

static char *put_files(void)
{
    char *dir = scratch_make();
    size_t i;

    for (i = 0; i < COUNT(files); i++) {
        put_file(path_in(dir, files[i].name), files[i].content);
    }
    return dir;
}

static void check_row(int _i)
{
    char *dir = put_files();
    outcome o = run_tool(dir, rows[_i].arguments);

    ck_assert_msg(o.status == rows[_i].status, "'%s': exit %d, not %d: %s", rows[_i].says,
                  o.status, rows[_i].status, o.err);
    ck_assert_msg(strstr(o.err, rows[_i].says) != NULL, "'%s' does not say '%s'", o.err,
                  rows[_i].says);
    ck_assert_msg(rows[_i].status == 1 || o.out[0] == '\0' || strstr(o.err, "figure") != NULL ||
                      strstr(o.err, "write") != NULL,
                  "'%s': also on standard output: %s", rows[_i].says, o.out);
    if (rows[_i].status > 2) { /* usage errors may point to --help in a second line */
        ck_assert_msg(strchr(o.err, '\n') == o.err + strlen(o.err) - 1,
                      "more than one line: %s", o.err);
    }
    outcome_free(&o);
    scratch_free(dir);
}

START_TEST(wrong_usage_gets_its_status_and_one_clear_line)
{
    if (rows[_i].status == 2) {
        check_row(_i);
    }
}
END_TEST

START_TEST(bad_input_gets_its_status_and_one_clear_line)
{
    if (rows[_i].status != 2 && is_wanted(_i)) {
        check_row(_i);
    }
}
END_TEST

/* Sound input, under the same checker. */
static const char *const sound[][16] = {
    {"inspect", "good.csv"},
    {"inspect", "good.csv", "--json"},
    {"inspect", "good.csv", "--figure", "f.svg"},
    {"bump", "plant.loop", "--move", "5", "--hold", "60s", "--record", "b.csv"},
    {"bump", "plant.loop", "--move", "5", "--doublet", "--hold", "60s", "--record", "b.csv",
     "--json"},
    {"fit", "good.csv", "--json"},
    {"fit", "good.csv", "--figure", "f.png"},
    {"tune", MODEL, "--rule", "lambda", "--form", "series"},
    {"check", "full.loop"},
    {"trial", "full.loop", "--sp-step", "1", "--case", "p: kc=1"},
    {"trial", "full.loop", "--sp-step", "1", "--case",
     "v: integral-by=trapezoid derivative-by=trapezoid algorithm=velocity"},
    {"emit", "full.loop", "--dir", "out"},
    {"tune", "full.loop", "--rule", "simc", "--save"},
    {"search", MODEL, "--scan", "1", "--mode", "P", "--ms", "1.6"},
    {"search", MODEL, "--scan", "1", "--kc", "0.1:0.5:0.1", "--ti", "8:12:2", "--runs",
     "r.csv"},
    {"run", "plant.loop", PI_, "--for", "60s", "--at", "20s sp=42", "--record", "r.csv"},
    {"bump", "plant.loop", "--relay", "5", "--record", "b.csv"},
};

START_TEST(sound_input_is_silent_too)
{
    char *dir;
    outcome o;

    if (!is_wanted(_i)) return;
    dir = put_files();
    o = run_tool(dir, sound[_i]);

    ck_assert_msg(o.status == 0, "%s %s: exit %d: %s", sound[_i][0], sound[_i][1], o.status,
                  o.err);
    ck_assert_str_eq(o.err, "");
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

Suite *suite_bad_input(void)
{
    Suite *suite = suite_create("cli/bad_input");
    TCase *usage = tcase_create("usage"), *t = tcase_create("bad_input");

    tcase_set_timeout(usage, 60);
    tcase_set_timeout(t, 60);
    /* A process each; under the sanitizers the same rows run in one (inside/main.c). */
    tcase_set_tags(usage, "usage processes");
    tcase_set_tags(t, "processes");
    add_table(usage, wrong_usage_gets_its_status_and_one_clear_line, rows);
    suite_add_tcase(suite, usage);
    add_table(t, bad_input_gets_its_status_and_one_clear_line, rows);
    add_table(t, sound_input_is_silent_too, sound);
    suite_add_tcase(suite, t);
    return suite;
}
