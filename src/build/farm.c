/* The farm (build/farm.h). What crosses the network is obbligato-transfer's and obbligato-worker's. */
#include "build/farm.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/process.h"
#include "state/far_place.h"

static obb_far_place find_farm(obb_workspace *w)
{
    const obb_words nothing = {0};
    return obb_far_place_of(&nothing, w->arena);
}

static int no_program(obb_workspace *w, const char *name)
{
    return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "the program `%s` is not there", name,
                              "it belongs beside obbligato");
}

int obb_farm_worker_command(obb_workspace *w, unsigned slots, obb_words *command)
{
    const obb_far_place farm = find_farm(w);
    const char *program = obb_program_beside(w->arena, "obbligato-worker"),
               *cache = obb_user_folder(w->arena, "XDG_CACHE_HOME", ".cache", "obbligato/worker");
    char host[256] = "";
    if (!farm.makes)
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "it is not said for which farm%s", "",
                                  "OBBLIGATO_FARM=redis://farm.example/0 obbligato worker");
    if (!obb_starts(farm.url, "redis"))
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "a farm is a Redis server, not `%s`", farm.url,
                                  "OBBLIGATO_FARM=rediss://farm.example/0");
    if (!program)
        return no_program(w, "obbligato-worker");
    if (!cache)
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "there is no home folder to keep files in%s", "",
                                  "set HOME or XDG_CACHE_HOME");
    setenv(OBB_FAR_URL, farm.url, 1); /* others can read command lines */
    gethostname(host, sizeof host - 1);
    const char *const words[] = {program, obb_arena_format(w->arena, "%u", slots), cache,
                                 obb_arena_format(w->arena, "%s-%ld", host, (long)getpid())};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        obb_arena_push(w->arena, command, words[i]);
    for (size_t i = 0; i < farm.trust.count; i++)
        obb_arena_push(w->arena, command, farm.trust.at[i]);
    obb_arena_push(w->arena, command, NULL);
    return 0;
}

/* A line of words that have no blanks: `worker NAME SLOTS MACHINE VERSION`, `queue MACHINE WAITING BEGUN`. */
static void take_line(obb_workspace *w, char *line, obb_farm_state *state)
{
    const char *words[5];
    size_t n = 0;
    char *rest = NULL;
    for (char *word = strtok_r(line, " ", &rest); word && n < 5; word = strtok_r(NULL, " ", &rest))
        words[n++] = obb_arena_string(w->arena, word);
    if (n == 5 && strcmp(words[0], "worker") == 0)
        obb_arena_push(w->arena, &state->workers,
                       ((obb_farm_worker){words[1], words[2], words[3], words[4]}));
    else if (n == 4 && strcmp(words[0], "queue") == 0)
        obb_arena_push(w->arena, &state->queues, ((obb_farm_queue){words[1], words[2], words[3]}));
}

int obb_farm_look(obb_workspace *w, obb_farm_state *state)
{
    const obb_far_place farm = find_farm(w);
    const char *program = obb_program_beside(w->arena, "obbligato-transfer");
    *state = (obb_farm_state){.url = farm.makes ? obb_far_shown(farm.url, w->arena) : NULL};
    if (!farm.makes)
        return 0;
    if (!program)
        return no_program(w, "obbligato-transfer");
    const char *const argv[] = {program, "farm", NULL};
    setenv(OBB_FAR_URL, farm.url, 1); /* others can read command lines */
    obb_answer answer = obb_ask(argv, NULL);
    int code = 0;
    if (answer.failed || answer.status)
        code = obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "the farm %s",
                                  obb_arena_format(w->arena, "%s cannot be asked: %.*s", state->url,
                                                   (int)strcspn(obb_text_bytes(&answer.err), "\n"),
                                                   obb_text_bytes(&answer.err)),
                                  NULL);
    char *rest = NULL;
    for (char *line = answer.out.length ? strtok_r(answer.out.bytes, "\n", &rest) : NULL; line;
         line = strtok_r(NULL, "\n", &rest))
        take_line(w, line, state);
    obb_answer_free(&answer);
    return code;
}
