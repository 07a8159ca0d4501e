/* Asking obbligato-fetch (fetcher.h): one command of an event loop, whose answer is read line by line. */
#include "outside/fetcher.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/commands.h"
#include "base/path.h"
#include "base/process.h"
#include "base/text.h"

enum { MOST_BYTES_GIB = 8, MOST_ENTRIES = 500000 };

const char obb_fetch_interrupted[] = "it was interrupted";

typedef struct asking {
    obb_command command;
    obb_arena *arena;
    size_t read; /* bytes of the answer */
    void (*take)(struct asking *a, const json_t *line);
    obb_download *downloads;
    size_t count;
    obb_download_progress *progress;
    void *self;
    obb_not_unpacked unpacked;
    bool answered;
} asking;

static void take_lines(obb_command *c)
{
    asking *a = c->self;
    const char *at, *end;
    while (a->read < c->output.length && (end = strchr(at = c->output.bytes + a->read, '\n'))) {
        json_t *line = json_loadb(at, (size_t)(end - at), 0, NULL);
        if (line)
            a->take(a, line);
        a->read += (size_t)(end - at) + 1;
        json_decref(line);
    }
}

static void over(obb_command *c)
{
    obb_commands_finish(c->commands);
}

static void interrupted(void *self)
{
    (void)self; /* the command was told, and ends */
}

/* NULL, or why it could not be run to its end. */
static const char *ask(asking *a, json_t *request)
{
    const char *program = obb_program_beside(a->arena, "obbligato-fetch");
    if (!program)
        return "the program obbligato-fetch, which belongs beside obbligato, is not there";
    const char *const argv[] = {program, NULL};
    char *text = json_dumps(request, JSON_COMPACT);
    obb_commands commands = {.interrupted = interrupted};
    obb_commands_open(&commands);
    a->command = (obb_command){.argv = argv, .input = text, .lock = -1, .apart = true, .ends_group = true,
                               .over = over, .printed = take_lines, .self = a};
    obb_commands_start(&commands, &a->command);
    obb_commands_run(&commands);
    take_lines(&a->command);
    const obb_command *c = &a->command;
    const char *why = NULL;
    if (c->failed)
        why = obb_arena_format(a->arena, "cannot run %s: %s", program, strerror(c->failed));
    else if (commands.was_interrupted)
        why = obb_fetch_interrupted;
    else if (c->signal || c->status || !a->answered)
        why = obb_arena_format(a->arena, "%s ended with status %d: %s", program,
                               c->signal ? 128 + c->signal : c->status, obb_text_bytes(&c->errors));
    obb_text_free(&a->command.output);
    obb_text_free(&a->command.errors);
    free(text);
    json_decref(request);
    return why;
}

static const char *text_of(asking *a, const json_t *line, const char *name)
{
    const char *text = json_string_value(json_object_get(line, name));
    return text ? obb_arena_string(a->arena, text) : NULL;
}

static void take_download(asking *a, const json_t *line)
{
    const json_t *number = json_object_get(line, "number"), *done = json_object_get(line, "done"),
                 *got = json_object_get(line, "got"), *place = json_object_get(line, "place");
    if (!json_is_integer(number) || (size_t)json_integer_value(number) >= a->count)
        return;
    obb_download *d = &a->downloads[json_integer_value(number)];
    size_t which = (size_t)json_integer_value(json_is_integer(done) ? done : place);
    if (got) {
        d->got = (uint64_t)json_integer_value(got);
        d->total = (uint64_t)json_integer_value(json_object_get(line, "total"));
        if (a->progress)
            a->progress(a->self, a->downloads, a->count);
    } else if (json_is_integer(done) && which < d->places.count) {
        d->from = d->places.at[which];
        d->resumed = json_is_true(json_object_get(line, "resumed"));
    } else if (place && which < d->places.count) {
        const char *why = text_of(a, line, "failed");
        obb_arena_push(a->arena, &d->failed,
                       (obb_failed_place){d->places.at[which], why ? why : "it failed"});
    }
    a->answered = true;
}

const char *obb_fetcher_download(obb_arena *arena, obb_download *downloads, size_t count,
                                 obb_download_progress *progress, void *self)
{
    asking a = {.arena = arena,
                .take = take_download,
                .downloads = downloads,
                .count = count,
                .progress = progress,
                .self = self};
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        json_t *places = json_array();
        for (size_t k = 0; k < downloads[i].places.count; k++)
            json_array_append_new(places, json_string(downloads[i].places.at[k]));
        json_array_append_new(list, json_pack("{s:o,s:s}", "places", places, "to", downloads[i].to));
    }
    return ask(&a, json_pack("{s:o}", "downloads", list));
}

static void take_unpacked(asking *a, const json_t *line)
{
    const char *entry = text_of(a, line, "entry");
    a->unpacked = (obb_not_unpacked){text_of(a, line, "failed"), entry ? entry : "",
                                     json_is_true(json_object_get(line, "here"))};
    a->answered = true;
}

/* How much an archive may become: OBBLIGATO_UNPACK_LIMIT, such as 2G. */
static uint64_t most_bytes(void)
{
    const char *said = getenv("OBBLIGATO_UNPACK_LIMIT");
    uint64_t bytes;
    return said && obb_read_size(said, &bytes) && bytes ? bytes : (uint64_t)MOST_BYTES_GIB << 30;
}

obb_not_unpacked obb_fetcher_unpack(obb_arena *arena, const char *archive, const char *folder)
{
    asking a = {.arena = arena, .take = take_unpacked};
    const char *why = ask(&a, json_pack("{s:s,s:s,s:I,s:I}", "unpack", archive, "to", folder, "most-bytes",
                                        (json_int_t)most_bytes(), "most-entries", (json_int_t)MOST_ENTRIES));
    return why ? (obb_not_unpacked){why, "", true} : a.unpacked;
}
