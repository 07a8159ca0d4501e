/* The entry of the program: reads the options, finds the command, and gives it a session. */
#include <stdio.h>
#include <string.h>

#include "cli/build_view.h"
#include "cli/terminal.h"
#include "base/trace.h"

static int run_command(options *o)
{
    const command *c = command_find(o->command);
    if (!c) {
        const char *near = obb_nearest(o->command, command_names());
        fprintf(stderr, "obbligato: error: there is no command `%s`\n", o->command);
        if (near)
            fprintf(stderr, "  hint: did you mean `%s`?\n", near);
        else
            fprintf(stderr, "  hint: `obbligato help` lists the commands\n");
        return OBB_FAULT_USAGE;
    }
    if (o->help) {
        help_command(c);
        return 0;
    }
    session s = {.options = o};
    o->request.fetches = c->kind == COMMAND_MAKES;
    const obb_build_observer observer = view_observer(&s);
    s.w = obb_workspace_new(&o->request, &observer);
    int code = c->kind == COMMAND_APART ? 0 : obb_workspace_enter(s.w);
    if (!code)
        code = c->run(&s);
    obb_workspace_free(s.w);
    json_decref(s.told);
    return code;
}

int main(int argc, char **argv)
{
    options o = {0};
    int code = OBB_FAULT_USAGE;
    if (argc > 3 &&
        strcmp(argv[1], "trace-reads") == 0) /* what --strict puts in front of the commands of steps */
        return obb_trace(argv + 3, argv[2]);
    if (options_read(&o, argc, (const char **)argv)) {
        terminal_open(&o);
        if (o.version)
            code = printf("obbligato " OBB_VERSION "\n") < 0;
        else if (o.command)
            code = run_command(&o);
        else if (o.help)
            help_all(), code = 0;
        else
            help_all();
    }
    options_free(&o);
    if (fflush(stdout) || ferror(stdout)) {
        fputs("obbligato: error: cannot write to standard output\n", stderr);
        code = code ? code : OBB_FAULT_OUTSIDE;
    }
    return code;
}
