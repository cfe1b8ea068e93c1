/* SPDX-License-Identifier: MIT */
/* The device blocks in single precision beside those in double: included ahead of their
   sources, so that both stand in one library. */
#ifndef RKI_SINGLE_NAMES_H
#define RKI_SINGLE_NAMES_H

#define rk_pid_params_make rki_single_pid_params_make
#define rk_pid_param_error rki_single_pid_param_error
#define rk_pid_init rki_single_pid_init
#define rk_pid_set_params rki_single_pid_set_params
#define rk_pid_reset rki_single_pid_reset
#define rk_pid_set_manual rki_single_pid_set_manual
#define rk_pid_set_tracking rki_single_pid_set_tracking
#define rk_pid_set_auto rki_single_pid_set_auto
#define rk_pid_set_feedforward rki_single_pid_set_feedforward
#define rk_pid_take_out rki_single_pid_take_out
#define rk_pid_scan rki_single_pid_scan
#define rk_pid_restart_derivative rki_single_pid_restart_derivative
#define rk_pid_hold rki_single_pid_hold
#define rk_pid_fail rki_single_pid_fail
#define rk_filter_param_error rki_single_filter_param_error
#define rk_filter_init rki_single_filter_init
#define rk_filter_scan rki_single_filter_scan
#define rk_predictor_param_error rki_single_predictor_param_error
#define rk_predictor_init rki_single_predictor_init
#define rk_predictor_scan rki_single_predictor_scan
#define rk_on_off_param_error rki_single_on_off_param_error
#define rk_on_off_init rki_single_on_off_init
#define rk_on_off_scan rki_single_on_off_scan
#define rk_plant_param_error rki_single_plant_param_error
#define rk_plant_init rki_single_plant_init
#define rk_plant_pv rki_single_plant_pv
#define rk_plant_scan rki_single_plant_scan

#endif
