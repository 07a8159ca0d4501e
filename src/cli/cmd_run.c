/* `run`: building a program, and becoming it. */
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "build/launch.h"

/* Under a time limit this process stays, to end the program. */
static int run_within(session *s, const char *const *argv, const char *folder)
{
    bool timed_out;
    int status = obb_run_within(argv, folder, s->options->timeout, &timed_out);
    if (status < 0)
        return obb_workspace_fail(s->w, OBB_FAULT_OUTSIDE, "cannot run the program: %s", strerror(-status),
                                  NULL);
    if (!timed_out)
        return status;
    return obb_workspace_fail(s->w, OBB_FAULT_ACTION, "it ran longer than %s and was ended",
                              obb_arena_format(s->w->arena, "%g s", (double)s->options->timeout / 1000),
                              NULL);
}

/* Becomes the program, or its runner. Returns only when that fails. */
static int become(session *s, const obb_target *target, const obb_launch *launch)
{
    const obb_variant *v = s->w->variants.at[0];
    obb_launch_facts facts = obb_launch_in(s->w, launch, v);
    const char *folder = facts.folder ? facts.folder : s->w->start;
    obb_words argv = {0};
    for (size_t i = 0; i < s->options->arguments.count; i++)
        obb_arena_push(s->w->arena, &facts.arguments, s->options->arguments.at[i]);
    const obb_launching launching = session_launching(s, target, &facts.arguments);
    if (s->w->diags->list.count || !obb_launch_words(&launching, s->w->diags, &argv))
        return obb_workspace_tell(s->w);
    obb_arena_push(s->w->arena, &argv, NULL);
    fflush(stdout);
    if (chdir(folder))
        return obb_workspace_fail(s->w, OBB_FAULT_OUTSIDE, "cannot go to `%s`", folder, NULL);
    for (size_t i = 0; i < facts.environment.count; i++)
        session_set_variable(facts.environment.at[i]);
    obb_workspace_close_state(s->w); /* no build has to wait for a long-running program */
    if (s->options->timeout)
        return run_within(s, argv.at, folder);
    execv(argv.at[0], (char *const *)(uintptr_t)argv.at);
    return obb_workspace_fail(s->w, OBB_FAULT_OUTSIDE, "cannot run the program: %s", strerror(errno), NULL);
}

int command_run(session *s)
{
    if (s->options->request.names.count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`run` takes one program, image or launch%s", "",
                            "arguments of the program stand behind --: obbligato run NAME -- ARGUMENTS");
    int code = build_targets(s, stderr, false);
    if (code || s->options->request.dry_run)
        return code;
    code = s->w->project ? 0 : obb_workspace_go_on(s->w);
    if (code)
        return code;
    const obb_launch *launch = obb_project_launch(s->w->project, s->options->request.names.at[0]);
    const obb_target *t = session_program(s, launch ? launch->program : s->options->request.names.at[0]);
    return t ? become(s, t, launch) : OBB_FAULT_USAGE;
}
