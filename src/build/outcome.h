/* The outcome of a build. */
#ifndef OBB_BUILD_OUTCOME_H
#define OBB_BUILD_OUTCOME_H

#include "plan/plan.h"
#include "run/event.h"

/* What would be made, and why; of a dry run. */
typedef struct obb_forecast_line {
    const obb_action *action;
    const char *cause;
} obb_forecast_line;

typedef struct obb_build_outcome {
    bool ran; /* actions were carried out, or there was nothing to do: `run` and `variants` are set */
    obb_run_result run;
    obb_words variants;  /* names */
    obb_words left_out;  /* see obb_list_left_out */
    size_t looks;        /* how many places of the file system were looked at */
    bool forecasted;
    OBB_VEC(obb_forecast_line) forecast;
} obb_build_outcome;

enum { OBB_BUILD_INTERRUPTED = 130 }; /* an exit code besides those of obb_fault */

#endif
