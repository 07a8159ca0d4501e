/* Asking a far store (run/far.h). The program is started in a session of its own, so that what interrupts a
 * build does not end what it sends; that it outlives this one is meant. */
#include "run/far.h"

#include <jansson.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/map.h"
#include "base/process.h"

struct obb_far {
    const obb_far_place *place;
    obb_commands *commands;
    obb_far_answer *answer;
    void *self;
    obb_arena *arena;
    obb_map asked;  /* by key: the number of the action, plus 1 */
    obb_map wanted; /* by name: what the farm wants to learn */
    const char *trouble;
    size_t refused;
    obb_farm_view farm;
    bool started, ended;
    uv_process_t process;
    uv_pipe_t to, from;
    obb_text heard;
    OBB_VEC(obb_fingerprint) files; /* by number: as they were told */
};

typedef struct message {
    uv_write_t write;
    obb_text text;
} message;

obb_far *obb_far_new(const obb_far_place *place, obb_commands *commands, obb_far_answer *answer, void *self)
{
    if (!place || !place->url || (!place->reads && !place->writes))
        return NULL;
    obb_far *f = obb_alloc(sizeof *f);
    *f = (obb_far){.place = place,
                   .commands = commands,
                   .answer = answer,
                   .self = self,
                   .arena = obb_arena_new()};
    return f;
}

static void close_handle(uv_handle_t *handle)
{
    if (!uv_is_closing(handle))
        uv_close(handle, NULL);
}

void obb_far_finish(obb_far *f)
{
    if (!f || !f->started || f->ended)
        return;
    f->ended = true;
    close_handle((uv_handle_t *)&f->to); /* what was written is in the pipe; the program reads its end */
    close_handle((uv_handle_t *)&f->from);
    close_handle((uv_handle_t *)&f->process);
}

static void give_up(obb_far *f, const char *why)
{
    if (!f->trouble)
        f->trouble = obb_arena_string(f->arena, why);
    obb_map asked = f->asked;
    f->asked = (obb_map){0};
    for (size_t i = 0; i < asked.count; i++)
        if (asked.at[i].value)
            f->answer(f->self, (uint32_t)((uintptr_t)asked.at[i].value - 1), false);
    obb_map_free(&asked);
}

/* --- what it says ------------------------------------------------------------------- */

static void take_line(obb_far *f, char *line)
{
    char *rest = strchr(line, ' ');
    if (!rest)
        return;
    *rest++ = 0;
    if (strcmp(line, "off") == 0) {
        give_up(f, rest);
        return;
    }
    if (strcmp(line, "watch") == 0) {
        obb_map_put(&f->wanted, obb_arena_string(f->arena, rest), f);
        return;
    }
    if (strcmp(line, "farm") == 0) {
        f->farm.slots = strtoull(rest, &rest, 10);
        f->farm.jobs = strtoull(rest, &rest, 10);
        f->farm.bytes = strtoull(rest, &rest, 10);
        return;
    }
    uintptr_t number = (uintptr_t)obb_map_get(&f->asked, rest);
    if (!number)
        return;
    f->refused += strcmp(line, "refused") == 0;
    obb_map_put(&f->asked, rest, NULL);
    f->answer(f->self, (uint32_t)(number - 1), strcmp(line, "hit") == 0);
}

static void give_room(uv_handle_t *handle, size_t wanted, uv_buf_t *buffer)
{
    (void)handle, (void)wanted;
    *buffer = uv_buf_init(obb_alloc(4096), 4096);
}

static void heard(uv_stream_t *stream, ssize_t n, const uv_buf_t *buffer)
{
    obb_far *f = stream->data;
    if (n > 0)
        obb_text_add(&f->heard, buffer->base, (size_t)n);
    free(buffer->base);
    if (n < 0) {
        give_up(f, "obbligato-transfer has ended");
        obb_far_finish(f);
        return;
    }
    size_t begin = 0;
    for (char *end;
         begin < f->heard.length && (end = memchr(f->heard.bytes + begin, '\n', f->heard.length - begin));) {
        char *line = f->heard.bytes + begin;
        *end = 0;
        begin = (size_t)(end - f->heard.bytes) + 1;
        take_line(f, line);
    }
    memmove(f->heard.bytes, f->heard.bytes + begin, f->heard.length - begin);
    f->heard.length -= begin;
}

/* --- starting and telling it -------------------------------------------------------- */

static void process_ended(uv_process_t *process, int64_t status, int signal_number)
{
    (void)process, (void)status, (void)signal_number; /* its pipe tells it as well */
}

/* The program, its words and its pipes. */
static int spawn(obb_far *f, const char *program)
{
    obb_words words = {0};
    const char *url = obb_arena_format(f->arena, OBB_FAR_URL "=%s", f->place->url);
    char **environment = obb_environment_with(NULL, &url, 1); /* others can read command lines */
    obb_arena_push(f->arena, &words, program);
    obb_arena_push(f->arena, &words,
                   f->place->makes    ? "make"
                   : f->place->writes ? "read-write"
                                      : "read-only");
    for (size_t i = 0; i < f->place->trust.count; i++)
        obb_arena_push(f->arena, &words, f->place->trust.at[i]);
    obb_arena_push(f->arena, &words, NULL);
    uv_stdio_container_t ends[3] = {{.flags = UV_CREATE_PIPE | UV_READABLE_PIPE,
                                     .data.stream = (uv_stream_t *)&f->to},
                                    {.flags = UV_CREATE_PIPE | UV_WRITABLE_PIPE,
                                     .data.stream = (uv_stream_t *)&f->from},
                                    {.flags = UV_IGNORE}};
    const uv_process_options_t how = {.exit_cb = process_ended,
                                      .file = program,
                                      .args = (char **)(uintptr_t)words.at,
                                      .env = environment,
                                      .flags = UV_PROCESS_DETACHED,
                                      .stdio_count = 3,
                                      .stdio = ends};
    int failed = uv_spawn(&f->commands->loop, &f->process, &how);
    free(environment);
    return failed;
}

static void start(obb_far *f)
{
    const char *program = obb_program_beside(f->arena, "obbligato-transfer");
    if (!program) {
        give_up(f, "the program obbligato-transfer, which belongs beside obbligato, is not there");
        return;
    }
    f->started = true;
    signal(SIGPIPE, SIG_IGN); /* it may end at any time */
    uv_pipe_init(&f->commands->loop, &f->to, 0);
    uv_pipe_init(&f->commands->loop, &f->from, 0);
    f->to.data = f->from.data = f;
    int failed = spawn(f, program);
    if (!failed)
        failed = uv_read_start((uv_stream_t *)&f->from, give_room, heard);
    uv_unref((uv_handle_t *)&f->process);
    uv_unref((uv_handle_t *)&f->from);
    if (!failed)
        return;
    give_up(f, obb_arena_format(f->arena, "cannot run %s: %s", program, uv_strerror(failed)));
    obb_far_finish(f);
}

static void told(uv_write_t *write, int status)
{
    (void)status; /* its end is told by what it does not say any more */
    message *m = write->data;
    obb_text_free(&m->text);
    free(m);
}

/* Takes the text over. */
static bool say(obb_far *f, obb_text *text)
{
    if (!f->started && !f->trouble && !f->commands->broken)
        start(f);
    message *m = f->trouble || f->ended || !f->started ? NULL : obb_alloc(sizeof *m);
    if (!m) {
        obb_text_free(text);
        return false;
    }
    *m = (message){.text = *text};
    uv_buf_t bytes = uv_buf_init(m->text.bytes, (unsigned)m->text.length);
    m->write.data = m;
    int failed = uv_write(&m->write, (uv_stream_t *)&f->to, &bytes, 1, told);
    if (failed)
        told(&m->write, failed);
    return !failed;
}

static bool tell(obb_far *f, const char *what, const obb_object_cache_key *key)
{
    obb_text text = {0};
    obb_text_format(&text, "%s %s\n", what, key->text);
    return say(f, &text);
}

static void remember(obb_far *f, const obb_object_cache_key *key, uint32_t number)
{
    obb_map_put(&f->asked, obb_arena_string(f->arena, key->text), (void *)((uintptr_t)number + 1));
}

bool obb_far_ask(obb_far *f, const obb_object_cache_key *key, uint32_t number)
{
    if (!f->place->reads || f->trouble || obb_map_get(&f->asked, key->text))
        return false;
    if (!tell(f, "get", key))
        return false;
    remember(f, key, number);
    return true;
}

bool obb_far_makes(const obb_far *f)
{
    return f->place->makes;
}

/* A file has one number for all jobs; it is told when it is named for the first time, and when it has
 * changed. */
static bool tell_file(obb_far *f, obb_files *files, obb_file file, obb_text *text)
{
    obb_fingerprint now;
    while (f->files.count <= file)
        obb_arena_push(f->arena, &f->files, OBB_NO_FINGERPRINT);
    if (obb_files_fingerprint(files, file, &now))
        return false;
    if (!obb_fingerprint_same(now, f->files.at[file]))
        obb_text_format(text, "file %lu %016llx%016llx %s\n", (unsigned long)file,
                        (unsigned long long)now.high, (unsigned long long)now.low,
                        obb_files_path(files, file));
    f->files.at[file] = now;
    return true;
}

static json_t *texts(const obb_words *words)
{
    json_t *list = json_array();
    for (size_t i = 0; i < words->count; i++)
        json_array_append_new(list, json_string_nocheck(words->at[i]));
    return list;
}

/* What is said of a compile: its words. */
static json_t *describe_compile(const obb_action *a)
{
    json_t *o = json_object(), *words = json_array();
    for (size_t i = 0; i < a->argv.count; i++)
        json_array_append_new(words,
                              json_string_nocheck(i == a->output_word ? OBB_FAR_OUTPUT : a->argv.at[i]));
    json_object_set_new(o, "words", words);
    return o;
}

static json_t *describe_step(const obb_files *files, const obb_action *a)
{
    const obb_step_command *command = &a->step->commands.at[0];
    json_t *o = json_object(), *makes = json_array();
    json_array_append_new(makes, json_string_nocheck(obb_files_path(files, a->output)));
    for (size_t i = 0; i < a->also.count; i++)
        json_array_append_new(makes, json_string_nocheck(obb_files_path(files, a->also.at[i])));
    json_object_set_new(o, "words", texts(&command->words));
    json_object_set_new(o, "makes", makes);
    json_object_set_new(o, "environment", texts(&a->step->environment));
    json_object_set_new(o, "folder", json_string_nocheck(a->step->folder ? a->step->folder : "."));
    if (command->input)
        json_object_set_new(o, "stdin", json_string_nocheck(command->input));
    if (command->output)
        json_object_set_new(o, "stdout", json_string_nocheck(command->output));
    return o;
}

/* What the files of a compiler hang on: the compiler, the language, and the flags, which may name some of
 * them. Of a step: its program, and where others are found. */
static const char *toolchain_of(obb_far *f, obb_files *files, const obb_action *a)
{
    obb_hasher *hasher = obb_hasher_new();
    if (a->step) {
        const char *name = a->step->commands.at[0].words.at[0], *path = getenv("PATH"),
                   *program = strchr(name, '/') ? NULL : obb_find_program(files, f->arena, name);
        obb_fingerprint fingerprint = OBB_NO_FINGERPRINT;
        if (program)
            obb_files_fingerprint(files, obb_files_number(files, program), &fingerprint);
        obb_hasher_string(hasher, name);
        obb_hasher_string(hasher, path ? path : "");
        obb_hasher_add(hasher, &fingerprint, sizeof fingerprint);
    } else {
        obb_hasher_add(hasher, &a->tools, sizeof a->tools);
        obb_hasher_add(hasher, &a->options->language, sizeof a->options->language);
        for (size_t i = 0; i < a->options->flags.count; i++)
            obb_hasher_string(hasher, a->options->flags.at[i]);
    }
    const obb_fingerprint toolchain = obb_hasher_end(hasher);
    return obb_arena_format(f->arena, "%016llx%016llx", (unsigned long long)toolchain.high,
                            (unsigned long long)toolchain.low);
}

const char *obb_far_to_learn(obb_far *f, obb_files *files, const obb_action *a)
{
    const char *name = a->step->anywhere && f->wanted.count ? toolchain_of(f, files, a) : NULL;
    if (!name || !obb_map_get(&f->wanted, name))
        return NULL;
    obb_map_put(&f->wanted, name, NULL);
    return name;
}

void obb_far_learned(obb_far *f, const char *name, const char *report)
{
    const char *kept = obb_arena_format(f->arena, "%s.%s", report, name); /* obbligato-transfer removes it */
    obb_text text = {0};
    unlink(kept);
    if (link(report, kept))
        return;
    obb_text_format(&text, "seen %s %s\n", name, kept);
    if (!say(f, &text))
        unlink(kept);
}

bool obb_far_make(obb_far *f, const obb_object_cache_key *key, const obb_dependency_table *table,
                  const obb_action *a, uint64_t milliseconds)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_text text = {0};
    bool known = f->place->reads && !f->trouble && !obb_map_get(&f->asked, key->text);
    for (size_t i = 0; i < d->inputs.count && known; i++)
        known = tell_file(f, table->plan->files, d->inputs.at[i], &text);
    obb_text_format(&text, "make %s %llu %s ", key->text, (unsigned long long)milliseconds,
                    toolchain_of(f, table->plan->files, a));
    for (size_t i = 0; i < d->inputs.count; i++)
        obb_text_format(&text, "%s%lu", i ? "," : "", (unsigned long)d->inputs.at[i]);
    obb_text_char(&text, ' ');
    json_t *described = a->step ? describe_step(table->plan->files, a) : describe_compile(a);
    char *line = json_dumps(described, JSON_COMPACT);
    obb_text_format(&text, "%s\n", line ? line : "");
    json_decref(described);
    known = known && line;
    free(line);
    if (!known) {
        obb_text_free(&text);
        return false;
    }
    if (!say(f, &text))
        return false;
    remember(f, key, a->number);
    return true;
}

void obb_far_send(obb_far *f, const obb_object_cache_key *key)
{
    if (f->place->writes)
        tell(f, "put", key);
}

obb_farm_view obb_far_farm(const obb_far *f)
{
    return f->trouble ? (obb_farm_view){0, 0, 0} : f->farm;
}

const char *obb_far_trouble(const obb_far *f)
{
    return f->trouble;
}

size_t obb_far_refused(const obb_far *f)
{
    return f->refused;
}

void obb_far_free(obb_far *f)
{
    if (!f)
        return;
    obb_map_free(&f->asked);
    obb_map_free(&f->wanted);
    obb_text_free(&f->heard);
    obb_arena_free(f->arena);
    free(f);
}
