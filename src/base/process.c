#include "base/process.h"

#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "base/vec.h"

extern char **environ;

typedef struct session {
    obb_answer answer;
    uv_process_t process;
    uv_pipe_t in, out, err;
    uv_write_t write;
} session;

static void give_room(uv_handle_t *handle, size_t wanted, uv_buf_t *buffer)
{
    (void)handle;
    *buffer = uv_buf_init(obb_alloc(wanted), (unsigned)wanted);
}

static void took(uv_stream_t *stream, ssize_t n, const uv_buf_t *buffer)
{
    if (n > 0)
        obb_text_add(stream->data, buffer->base, (size_t)n);
    free(buffer->base);
    if (n < 0)
        uv_close((uv_handle_t *)stream, NULL);
}

static void ended(uv_process_t *process, int64_t status, int signal_number)
{
    session *s = process->data;
    s->answer.status = signal_number ? 128 + signal_number : (int)status;
    uv_close((uv_handle_t *)process, NULL);
}

static void wrote(uv_write_t *write, int status)
{
    (void)status; /* a program that does not read its input is its own affair */
    uv_close((uv_handle_t *)write->handle, NULL);
}

/* The environment with LC_ALL=C in place of what was there. */
static char **plain_environment(void)
{
    OBB_VEC(char *) env = {0};
    for (char **e = environ; *e; e++)
        if (!obb_starts(*e, "LC_ALL="))
            obb_vec_push(&env, *e);
    static char plain[] = "LC_ALL=C";
    obb_vec_push(&env, plain);
    obb_vec_push(&env, NULL);
    return env.at;
}

static void begin(session *s, uv_loop_t *loop, const char *const *argv, char **env, const char *input)
{
    uv_pipe_init(loop, &s->in, 0);
    uv_pipe_init(loop, &s->out, 0);
    uv_pipe_init(loop, &s->err, 0);
    uv_stdio_container_t io[3] = {
        {.flags = UV_CREATE_PIPE | UV_READABLE_PIPE, .data.stream = (uv_stream_t *)&s->in},
        {.flags = UV_CREATE_PIPE | UV_WRITABLE_PIPE, .data.stream = (uv_stream_t *)&s->out},
        {.flags = UV_CREATE_PIPE | UV_WRITABLE_PIPE, .data.stream = (uv_stream_t *)&s->err},
    };
    uv_process_options_t options = {
        .file = argv[0],
        .args = (char **)(uintptr_t)argv, /* libuv does not change them */
        .env = env,
        .exit_cb = ended,
        .stdio = io,
        .stdio_count = 3,
    };
    s->process.data = s;
    s->out.data = &s->answer.out;
    s->err.data = &s->answer.err;
    int failed = uv_spawn(loop, &s->process, &options);
    if (failed) {
        s->answer.failed = -failed;
        uv_close((uv_handle_t *)&s->process, NULL);
        uv_close((uv_handle_t *)&s->in, NULL);
        uv_close((uv_handle_t *)&s->out, NULL);
        uv_close((uv_handle_t *)&s->err, NULL);
        return;
    }
    uv_buf_t text = uv_buf_init((char *)(uintptr_t)input, (unsigned)strlen(input));
    uv_write(&s->write, (uv_stream_t *)&s->in, &text, 1, wrote);
    uv_read_start((uv_stream_t *)&s->out, give_room, took);
    uv_read_start((uv_stream_t *)&s->err, give_room, took);
}

void obb_ask_all(const char *const *const *argvs, size_t count, const char *input, obb_answer *answers)
{
    session *sessions = obb_alloc((count ? count : 1) * sizeof *sessions);
    uv_loop_t loop;
    char **env = plain_environment();
    signal(SIGPIPE, SIG_IGN);
    uv_loop_init(&loop);
    for (size_t i = 0; i < count; i++)
        begin(&sessions[i], &loop, argvs[i], env, input);
    uv_run(&loop, UV_RUN_DEFAULT);
    uv_loop_close(&loop);
    for (size_t i = 0; i < count; i++)
        answers[i] = sessions[i].answer;
    free(env);
    free(sessions);
}

obb_answer obb_ask(const char *const *argv, const char *input)
{
    obb_answer answer;
    obb_ask_all(&argv, 1, input, &answer);
    return answer;
}

void obb_answer_free(obb_answer *answer)
{
    obb_text_free(&answer->out);
    obb_text_free(&answer->err);
}

static bool runs(obb_files *files, const char *path)
{
    const obb_stamp *s = obb_files_stamp(files, obb_files_number(files, path));
    return s && s->kind == OBB_KIND_FILE && access(path, X_OK) == 0;
}

char *obb_find_program(obb_files *files, obb_arena *arena, const char *name)
{
    if (!*name)
        return NULL;
    if (strchr(name, '/'))
        return runs(files, name) ? obb_arena_string(arena, name) : NULL;
    const char *path = getenv("PATH");
    for (path = path ? path : "/bin:/usr/bin"; *path;) {
        size_t n = strcspn(path, ":");
        char *folder = n ? obb_arena_copy(arena, path, n) : obb_arena_string(arena, ".");
        char *full = obb_path_join(arena, folder, name);
        if (runs(files, full))
            return full;
        path += n;
        path += *path == ':';
    }
    return NULL;
}
