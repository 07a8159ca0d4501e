/* `worker`: lends a hand to a farm; `show farm`. */
#include <errno.h>
#include <string.h>
#include <unistd.h>
#include <uv.h>

#include "build/farm.h"
#include "cli/commands.h"
#include "cli/terminal.h"

int command_worker(session *s)
{
    obb_words words = {0};
    const obb_words *names = &s->options->request.names;
    unsigned slots = s->options->request.jobs ? s->options->request.jobs : uv_available_parallelism();
    if (names->count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`worker` takes no names, not `%s`", names->at[0],
                                  "OBBLIGATO_FARM=redis://farm.example/0 obbligato worker -j 16");
    int code = obb_farm_worker_command(s->w, slots, &words);
    if (code)
        return code;
    execv(words.at[0], (char **)(uintptr_t)words.at);
    return obb_workspace_fail(s->w, OBB_FAULT_OUTSIDE, "cannot run %s", words.at[0], strerror(errno));
}

int show_farm(session *s)
{
    table workers = {.name = "farm"}, queues = {.name = "queues"};
    obb_farm_state f;
    int code = obb_farm_look(s->w, &f);
    if (code)
        return code;
    table_row(&workers, "worker", ">slots", "machine", "version");
    table_row(&queues, "jobs for", ">waiting", ">begun");
    for (size_t i = 0; i < f.workers.count; i++)
        table_row(&workers, f.workers.at[i].name, f.workers.at[i].slots, f.workers.at[i].machine,
                  f.workers.at[i].version);
    for (size_t i = 0; i < f.queues.count; i++)
        table_row(&queues, f.queues.at[i].machine, f.queues.at[i].waiting, f.queues.at[i].begun);
    if (s->options->json) {
        json_t *document = json_object();
        json_object_set_new(document, "url", f.url ? json_string(f.url) : json_null());
        json_object_set_new(document, "workers", table_rows(&workers));
        json_object_set_new(document, "queues", table_rows(&queues));
        json_print(document, "farm");
        return 0;
    }
    if (!f.url)
        terminal_say(stdout, "there is no farm: OBBLIGATO_FARM=redis://farm.example/0 names one\n");
    else if (!f.workers.count)
        terminal_say(stdout, "farm %s: nobody lends a hand (obbligato worker)\n", f.url);
    else
        terminal_say(stdout, "farm %s\n", f.url);
    if (f.workers.count)
        table_print(&workers, false);
    else
        table_drop(&workers);
    if (f.queues.count)
        fputc('\n', stdout), table_print(&queues, false);
    else
        table_drop(&queues);
    return 0;
}
