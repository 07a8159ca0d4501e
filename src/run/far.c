/* Asking a far store (run/far.h). The program is started in a session of its own, so that what interrupts a
 * build does not end what it sends; that it outlives this one is meant. */
#include "run/far.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/map.h"
#include "base/process.h"

struct obb_far {
    const obb_far_place *place;
    obb_commands *commands;
    obb_far_answer *answer;
    void *self;
    obb_arena *arena;
    obb_map asked; /* by key: the number of the action, plus 1 */
    const char *trouble;
    size_t refused;
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

/* A JSON array (RFC 8259). */
static void add_words(const obb_action *a, obb_text *text)
{
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *word = i == a->output_word ? OBB_FAR_OUTPUT : a->argv.at[i];
        obb_text_string(text, i ? ",\"" : "[\"");
        for (; *word; word++)
            if (*word == '"' || *word == '\\' || (unsigned char)*word < ' ')
                obb_text_format(text, "\\u%04x", (unsigned)(unsigned char)*word);
            else
                obb_text_char(text, *word);
        obb_text_char(text, '"');
    }
    obb_text_string(text, "]\n");
}

/* What the files of the compiler hang on: the compiler, the language, and the flags, which may name some of
 * them. */
static obb_fingerprint toolchain_of(const obb_action *a)
{
    obb_hasher *hasher = obb_hasher_new();
    obb_hasher_add(hasher, &a->tools, sizeof a->tools);
    obb_hasher_add(hasher, &a->options->language, sizeof a->options->language);
    for (size_t i = 0; i < a->options->flags.count; i++)
        obb_hasher_string(hasher, a->options->flags.at[i]);
    return obb_hasher_end(hasher);
}

bool obb_far_make(obb_far *f, const obb_object_cache_key *key, const obb_dependency_table *table,
                  const obb_action *a, uint64_t milliseconds)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_text text = {0};
    bool known = f->place->reads && !f->trouble && !obb_map_get(&f->asked, key->text);
    for (size_t i = 0; i < d->inputs.count && known; i++)
        known = tell_file(f, table->plan->files, d->inputs.at[i], &text);
    const obb_fingerprint toolchain = toolchain_of(a);
    obb_text_format(&text, "make %s %llu %016llx%016llx ", key->text, (unsigned long long)milliseconds,
                    (unsigned long long)toolchain.high, (unsigned long long)toolchain.low);
    for (size_t i = 0; i < d->inputs.count; i++)
        obb_text_format(&text, "%s%lu", i ? "," : "", (unsigned long)d->inputs.at[i]);
    obb_text_char(&text, ' ');
    add_words(a, &text);
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
    obb_text_free(&f->heard);
    obb_arena_free(f->arena);
    free(f);
}
