/* One function a module; each runs the tests of its module. */
#ifndef OBB_TESTS_SUITES_H
#define OBB_TESTS_SUITES_H

#include "harness/harness.h"

void suite_base(void);
void suite_score(void);
void suite_project(void);
void suite_toolchain(void);
void suite_scan(void);
void suite_state(void);
void suite_plan(void);
void suite_order(void);
void suite_farm(void);
void suite_run(void);
void suite_image(void);
void suite_trials(void);
void suite_steps(void);
void suite_build(void);
void suite_outside(void);
void suite_delivery(void);
void suite_report(void);

#endif
