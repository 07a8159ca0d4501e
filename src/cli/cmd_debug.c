/* `debug`: a debugger on a program, here or against the emulator's stub; and the same as a description for
 * editors.
 *
 * The program is built first. Then either the debugger replaces this process, or, with an emulator, it is a
 * child that talks to the emulator's stub by a free port. `export` prints the same facts and starts nothing.
 */
#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <jansson.h>
#include <netinet/in.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"
#include "build/launch.h"

/* How a program is debugged: the debugger's words, and those of the emulator that waits for it. */
typedef struct plan_of_debug {
    const char *program; /* absolute */
    const obb_launch *launch;
    obb_launch_facts facts; /* what it says, with the arguments of the command */
    obb_words debugger;  /* its path and the words that always follow */
    obb_words server;    /* empty: the program runs under the debugger itself */
    const char *port;
} plan_of_debug;

/* A port that nobody uses now. */
static const char *free_port(session *s)
{
    struct sockaddr_in address = {.sin_family = AF_INET};
    socklen_t length = sizeof address;
    int fd = socket(AF_INET, SOCK_STREAM, 0);
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    bool ok = fd >= 0 && bind(fd, (struct sockaddr *)&address, length) == 0 &&
              getsockname(fd, (struct sockaddr *)&address, &length) == 0;
    if (fd >= 0)
        close(fd);
    return ok ? obb_arena_format(s->w->arena, "%u", (unsigned)ntohs(address.sin_port)) : "3333";
}

/* The toolchain's own debugger; else one that knows many machines. */
static bool find_debugger(session *s, const obb_variant *v, obb_words *words)
{
    obb_toolchain *tc = obb_toolchains_for(s->w->toolchains, v);
    const obb_tool *own = &tc->tools[OBB_TOOL_DEBUGGER];
    for (size_t i = 0; i < own->command.count; i++)
        obb_arena_push(s->w->arena, words, own->command.at[i]);
    const char *other = words->count ? NULL : obb_find_program(s->w->files, s->w->arena, "gdb-multiarch");
    if (other)
        obb_arena_push(s->w->arena, words, other);
    if (words->count)
        return true;
    obb_diag *d = obb_error(s->w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                            "no debugger for %s: neither `%s` nor `gdb-multiarch` is on PATH", v->name,
                            own->wanted ? own->wanted : "gdb");
    obb_hint(s->w->diags, d, "install gdb (for other machines gdb-multiarch), or name another: %s",
             own->variable ? own->variable : "GDB");
    return false;
}

static bool make_plan(session *s, const obb_target *t, const obb_launch *launch, plan_of_debug *p)
{
    const obb_variant *v = s->w->variants.at[0];
    *p = (plan_of_debug){.launch = launch, .facts = obb_launch_in(s->w, launch, v), .port = free_port(s)};
    for (size_t i = 0; i < s->options->arguments.count; i++)
        obb_arena_push(s->w->arena, &p->facts.arguments, s->options->arguments.at[i]);
    obb_launching launching = session_launching(s, t, &p->facts.arguments);
    bool here = !launching.image && !v->runner && obb_runs_here(v);
    launching.port = p->port;
    p->program = launching.program;
    return !s->w->diags->list.count && find_debugger(s, v, &p->debugger) &&
           (here || obb_launch_words(&launching, s->w->diags, &p->server));
}

/* --- running it --------------------------------------------------------------------- */

static pid_t start_server(const plan_of_debug *p)
{
    pid_t child = fork();
    if (child)
        return child;
    int nothing = open("/dev/null", O_RDONLY);
    setpgid(0, 0); /* so that an interrupt at the terminal reaches the debugger alone */
    if (nothing >= 0)
        dup2(nothing, 0);
    execv(p->server.at[0], (char *const *)(uintptr_t)p->server.at);
    _exit(127);
}

static obb_words debugger_words(session *s, const plan_of_debug *p)
{
    obb_words words = {0};
    for (size_t i = 0; i < p->debugger.count; i++)
        obb_arena_push(s->w->arena, &words, p->debugger.at[i]);
    obb_arena_push(s->w->arena, &words, "-q");
    if (s->options->batch)
        obb_arena_push(s->w->arena, &words, "-batch");
    obb_arena_push(s->w->arena, &words, "-ex"); /* debug information names sources relative to it */
    obb_arena_push(s->w->arena, &words, obb_arena_format(s->w->arena, "directory %s", s->w->root));
    if (p->server.count) {
        obb_arena_push(s->w->arena, &words, "-ex");
        obb_arena_push(s->w->arena, &words,
                       obb_arena_format(s->w->arena, "target remote localhost:%s", p->port));
    }
    for (size_t i = 0; i < s->options->orders.count; i++) {
        obb_arena_push(s->w->arena, &words, "-ex");
        obb_arena_push(s->w->arena, &words, s->options->orders.at[i]);
    }
    if (p->program) {
        obb_arena_push(s->w->arena, &words, "--args");
        obb_arena_push(s->w->arena, &words, p->program);
    }
    for (size_t i = 0; !p->server.count && i < p->facts.arguments.count; i++)
        obb_arena_push(s->w->arena, &words, p->facts.arguments.at[i]);
    obb_arena_push(s->w->arena, &words, NULL);
    return words;
}

static int run_debugger(session *s, plan_of_debug *p)
{
    int status = 0;
    obb_words words = debugger_words(s, p);
    obb_arena_push(s->w->arena, &p->server, NULL);
    p->server.count--;
    fflush(stdout);
    pid_t server = p->server.count ? start_server(p) : 0;
    signal(SIGINT, SIG_IGN); /* the debugger handles it */
    pid_t debugger = fork();
    if (debugger == 0) {
        signal(SIGINT, SIG_DFL);
        for (size_t i = 0; i < p->facts.environment.count; i++)
            session_set_variable(p->facts.environment.at[i]);
        if (!chdir(p->facts.folder ? p->facts.folder : s->w->start))
            execv(words.at[0], (char *const *)(uintptr_t)words.at);
        terminal_say(stderr, "obbligato: cannot run %s: %s\n", words.at[0], strerror(errno));
        _exit(127);
    }
    while (waitpid(debugger, &status, 0) < 0 && errno == EINTR)
        ;
    if (server > 0) {
        kill(server, SIGTERM);
        waitpid(server, NULL, 0);
    }
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static int find_program(session *s, const obb_target **t, const obb_launch **launch)
{
    *launch = obb_project_launch(s->w->project, s->options->request.names.at[0]);
    *t = session_program(s, *launch ? (*launch)->program : s->options->request.names.at[0]);
    return *t ? 0 : OBB_FAULT_USAGE;
}

int command_debug(session *s)
{
    const obb_target *t;
    const obb_launch *launch;
    plan_of_debug p;
    if (s->options->request.names.count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`debug` takes one program, test, image or launch%s",
                                  "", "obbligato debug tower-sim -- ARGUMENTS");
    int code = build_targets(s, stderr, false);
    if (code || s->options->request.dry_run)
        return code;
    code = obb_workspace_go_on(s->w);
    if (!code)
        code = find_program(s, &t, &launch);
    if (code)
        return code;
    if (!make_plan(s, t, launch, &p))
        return obb_workspace_tell(s->w);
    obb_state_close(s->w->state);
    s->w->state = NULL;
    return run_debugger(s, &p);
}

/* --- for editors -------------------------------------------------------------------- */

static json_t *json_words(const obb_words *words)
{
    json_t *list = json_array();
    for (size_t i = 0; i < words->count; i++)
        json_array_append_new(list, obb_report_text(words->at[i]));
    return list;
}

static json_t *describe(session *s, const obb_target *t, const obb_launch *launch, const plan_of_debug *p)
{
    json_t *o = json_object();
    json_object_set_new(o, "name", obb_report_text(launch ? launch->name : t->name));
    json_object_set_new(o, "target", obb_report_text(t->name));
    json_object_set_new(o, "variant", obb_report_text(s->w->variants.at[0]->name));
    json_object_set_new(o, "program", p->program ? obb_report_text(p->program) : json_null());
    json_object_set_new(o, "arguments", json_words(&p->facts.arguments));
    json_object_set_new(o, "environment", json_words(&p->facts.environment));
    json_object_set_new(o, "folder", obb_report_text(p->facts.folder ? p->facts.folder : s->w->root));
    json_object_set_new(o, "sources-seen-from", obb_report_text(s->w->root));
    json_object_set_new(o, "debugger", json_words(&p->debugger));
    json_object_set_new(o, "server", p->server.count ? json_words(&p->server) : json_null());
    json_object_set_new(o, "connect-to",
                        p->server.count
                            ? obb_report_text(obb_arena_format(s->w->arena, "localhost:%s", p->port))
                            : json_null());
    return o;
}

/* Programs that cannot be debugged here are left out; only wrong names are errors. */
int export_debug(session *s, obb_text *text)
{
    json_t *list = json_array(), *document = json_object();
    if (s->w->variants.count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "a description for debuggers is for one variant%s",
                                  "", "choose one: -c CONFIGURATION");
    size_t count = s->options->request.names.count ? s->w->targets.count : s->w->project->targets.count;
    for (size_t i = 0; i < count; i++) {
        const obb_target *t = obb_in(s->w->variants.at[0], s->options->request.names.count
                                                               ? s->w->targets.at[i]
                                                               : s->w->project->targets.at[i]);
        bool runs = t->kind == OBB_PROGRAM || (t->kind == OBB_TEST && obb_has_sources(t));
        plan_of_debug p;
        if (runs && !obb_left_out(s->w->variants.at[0], t) && make_plan(s, t, NULL, &p))
            json_array_append_new(list, describe(s, t, NULL, &p));
    }
    for (size_t i = 0; !s->options->request.names.count && i < s->w->project->launches.count; i++) {
        const obb_launch *l = s->w->project->launches.at[i];
        plan_of_debug p;
        if (!obb_left_out(s->w->variants.at[0], l->target) &&
            make_plan(s, obb_in(s->w->variants.at[0], l->target), l, &p))
            json_array_append_new(list, describe(s, l->target, l, &p));
    }
    s->w->diags->list.count = 0;
    json_object_set_new(document, "format", json_string("obbligato.debug"));
    json_object_set_new(document, "version", json_integer(1));
    json_object_set_new(document, "programs", list);
    char *dump = json_dumps(document, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
    obb_text_format(text, "%s\n", dump);
    free(dump);
    json_decref(document);
    return 0;
}
