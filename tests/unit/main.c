#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "unit/suites.h"

/* Each suite runs in a folder of its own, which is the working folder. */
static void run(const char *only, const char *name, void (*suite)(void))
{
    char home[4096];
    if (only && strcmp(only, name) != 0)
        return;
    char *folder = harness_folder();
    if (!getcwd(home, sizeof home) || chdir(folder))
        exit(1);
    suite();
    if (chdir(home))
        exit(1);
    harness_remove(folder);
    free(folder);
}

int main(int argc, char **argv)
{
    const char *only = argc > 1 ? argv[1] : NULL;
    run(only, "base", suite_base);
    run(only, "score", suite_score);
    run(only, "project", suite_project);
    run(only, "toolchain", suite_toolchain);
    run(only, "scan", suite_scan);
    run(only, "plan", suite_plan);
    run(only, "state", suite_state);
    run(only, "order", suite_order);
    run(only, "farm", suite_farm);
    run(only, "run", suite_run);
    run(only, "image", suite_image);
    run(only, "trials", suite_trials);
    run(only, "steps", suite_steps);
    run(only, "build", suite_build);
    run(only, "outside", suite_outside);
    run(only, "delivery", suite_delivery);
    run(only, "report", suite_report);
    return harness_end();
}
