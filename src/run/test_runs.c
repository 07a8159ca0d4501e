/* Running tests side by side and judging them (test_runs.h). Standard output and error are kept
 * apart. A test that exceeds its limit is ended with its whole process group. */
#include "run/test_runs.h"

#include <errno.h>
#include <regex.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/commands.h"
#include "run/cases.h"

typedef struct runner {
    const obb_test_runs_options *options;
    obb_arena *arena;
    obb_commands commands;
    obb_test_run *trials;
    size_t count, next, done;
    bool stopping;
} runner;

typedef struct attempt {
    obb_command command;
    runner *run;
    obb_test_run *trial;
} attempt;

static void start_more(runner *r);

/* --- judging ------------------------------------------------------------------------ */

static const char *found(obb_test_run *t, const char *pattern, obb_arena *arena)
{
    regex_t expression;
    int failed = regcomp(&expression, pattern, REG_EXTENDED | REG_NOSUB | REG_NEWLINE);
    if (failed) {
        char why[200];
        regerror(failed, &expression, why, sizeof why);
        return obb_arena_format(arena, "`%s` is not a regular expression: %s", pattern, why);
    }
    failed = regexec(&expression, t->output, 0, NULL, 0);
    regfree(&expression);
    return failed ? obb_arena_format(arena, "nothing that it printed matches `%s`", pattern) : NULL;
}

static const char *compare_output(obb_test_run *t, const obb_text *printed, obb_arena *arena)
{
    obb_text expected = {0};
    int failed = obb_file_read(t->expected_output, &expected);
    const char *reason = NULL;
    if (failed)
        reason = obb_arena_format(arena, "cannot read %s: %s", t->expected_output, strerror(failed));
    else if (expected.length != printed->length ||
             memcmp(obb_text_bytes(&expected), obb_text_bytes(printed), printed->length) != 0) {
        const char *bytes = obb_text_bytes(&expected), *other = obb_text_bytes(printed);
        size_t at = 0;
        while (at < expected.length && at < printed->length && bytes[at] == other[at])
            at++;
        bool text = !memchr(bytes, 0, expected.length) && !memchr(other, 0, printed->length);
        if (text)
            t->difference = obb_lines_difference(bytes, t->output, arena);
        reason = obb_arena_format(arena,
                                  text ? "it printed something else than %s"
                                       : "it printed something else than %s, from byte %zu on",
                                  t->expected_output, at);
    }
    obb_text_free(&expected);
    return reason;
}

static const char *judge(runner *r, obb_test_run *t, const obb_command *c)
{
    const char *reason = NULL;
    if (c->failed && t->folder && access(t->folder, X_OK))
        return obb_arena_format(r->arena, "cannot run in %s: %s", t->folder, strerror(errno));
    if (c->failed)
        return obb_arena_format(r->arena, "cannot run %s: %s", t->argv.at[0], strerror(c->failed));
    if (c->timed_out)
        return obb_arena_format(r->arena, "it ran longer than %g s and was ended", (double)t->limit / 1000);
    if (c->signal)
        return obb_arena_format(r->arena, "it was terminated by signal %d (%s)", c->signal,
                                strsignal(c->signal));
    if (c->status != t->expected_status)
        return obb_arena_format(r->arena, "exit status %d, wanted %d", c->status, t->expected_status);
    if (t->expected_output)
        reason = compare_output(t, &c->output, r->arena);
    for (size_t i = 0; i < t->patterns.count && !reason; i++)
        reason = found(t, t->patterns.at[i], r->arena);
    return reason;
}

/* What was printed, with `\x00` for each zero byte, which would end the string. */
static const char *as_string(const obb_text *printed, obb_arena *arena)
{
    static const char zero[] = "\\x00";
    const char *bytes = obb_text_bytes(printed);
    size_t zeros = 0, n = 0;
    for (size_t i = 0; i < printed->length; i++)
        zeros += !bytes[i];
    char *string = obb_arena_alloc(arena, printed->length + zeros * (sizeof zero - 2) + 1);
    for (size_t i = 0; i < printed->length; i++) {
        if (bytes[i]) {
            string[n++] = bytes[i];
        } else {
            memcpy(string + n, zero, sizeof zero - 1);
            n += sizeof zero - 1;
        }
    }
    string[n] = 0;
    return string;
}

/* --- running ------------------------------------------------------------------------ */

static void finish(runner *r, obb_test_run *t)
{
    r->done++;
    if (t->outcome == OBB_FAILED && r->options->first_failure)
        r->stopping = true;
    r->options->finished(r->options->self, t, r->done, r->count);
}

static void begin(runner *r, obb_test_run *t);

static void over(obb_command *c)
{
    attempt *a = c->self;
    runner *r = a->run;
    obb_test_run *t = a->trial;
    t->status = c->status;
    t->signal = c->signal;
    t->milliseconds = c->milliseconds;
    t->output = as_string(&c->output, r->arena);
    t->errors = as_string(&c->errors, r->arena);
    t->difference = NULL;
    bool skipped = false;
    const char *told = t->tap ? obb_cases_read_tap(t->output, r->arena, &t->cases, &skipped) : NULL;
    t->reason = judge(r, t, c);
    if (told && (!t->reason || (t->cases.count && !c->timed_out && !c->signal)))
        t->reason = told; /* which is why its status is what it is */
    t->outcome = !t->reason ? OBB_PASSED : skipped && t->reason == told ? OBB_SKIPPED : OBB_FAILED;
    obb_text_free(&c->output);
    obb_text_free(&c->errors);
    free(c->environment);
    if (r->commands.was_interrupted) {
        t->outcome = OBB_NOT_RUN;
    } else if (t->outcome == OBB_FAILED && t->attempts <= r->options->retries) {
        begin(r, t);
        return;
    }
    if (t->outcome == OBB_PASSED && t->attempts > 1)
        t->reason = obb_arena_format(r->arena, "it failed %u time%s before", t->attempts - 1,
                                     t->attempts > 2 ? "s" : "");
    if (t->outcome != OBB_NOT_RUN)
        finish(r, t);
    start_more(r);
}

static void begin(runner *r, obb_test_run *t)
{
    attempt *a = obb_arena_alloc(r->arena, sizeof *a);
    *a = (attempt){.run = r, .trial = t};
    t->attempts++;
    a->command = (obb_command){.argv = t->argv.at,
                               .folder = t->folder,
                               .lock = -1,
                               .limit = t->limit,
                               .apart = true,
                               .ends_group = true,
                               .over = over,
                               .self = a,
                               .environment = obb_environment_with(NULL, t->environment.at,
                                                                   t->environment.count)};
    obb_commands_start(&r->commands, &a->command);
}

static void start_more(runner *r)
{
    while (!r->stopping && r->commands.running < r->options->jobs && r->next < r->count) {
        obb_test_run *t = &r->trials[r->next++];
        if (t->argv.count) {
            begin(r, t);
        } else {
            t->outcome = t->not_built ? OBB_FAILED : OBB_SKIPPED;
            finish(r, t);
        }
    }
    if (!r->commands.running && (r->stopping || r->next == r->count))
        obb_commands_finish(&r->commands);
}

static void interrupted(void *self)
{
    runner *r = self;
    r->stopping = true;
    start_more(r);
}

static void ticked(void *self)
{
    runner *r = self;
    r->options->ticked(r->options->self, r->done, r->count, r->commands.running,
                       obb_commands_elapsed(&r->commands));
}

uint64_t obb_run_tests(obb_test_run *trials, size_t count, const obb_test_runs_options *options,
                       obb_arena *arena, bool *was_interrupted)
{
    runner r = {.options = options, .arena = arena, .trials = trials, .count = count};
    for (size_t i = 0; i < count; i++) {
        trials[i].outcome = OBB_NOT_RUN;
        trials[i].output = trials[i].errors = "";
    }
    r.commands = (obb_commands){.self = &r, .interrupted = interrupted, .ticked = ticked};
    obb_commands_open(&r.commands);
    start_more(&r);
    uint64_t took = obb_commands_run(&r.commands);
    *was_interrupted = r.commands.was_interrupted;
    return took;
}

/* --- differences -------------------------------------------------------------------- */

enum { MOST_LINES = 1500, AROUND = 2 };

typedef OBB_VEC(const char *) line_list;

static void split(const char *text, obb_arena *arena, line_list *lines)
{
    while (*text) {
        size_t n = strcspn(text, "\n");
        obb_arena_push(arena, lines, obb_arena_copy(arena, text, n));
        text += n + (text[n] == '\n');
    }
}

typedef struct edit_line {
    char mark; /* ' ', '-', '+' */
    const char *text;
} edit_line;

typedef OBB_VEC(edit_line) edit_lines;

/* The longest common subsequence from the end, then the lines in order. */
static void align(const line_list *a, const line_list *b, obb_arena *arena, edit_lines *edits)
{
    size_t width = b->count + 1, i = 0, k = 0;
    unsigned short *length = obb_alloc((a->count + 1) * width * sizeof *length);
    for (size_t x = a->count; x-- > 0;)
        for (size_t y = b->count; y-- > 0;) {
            unsigned short down = length[(x + 1) * width + y], right = length[x * width + y + 1];
            length[x * width + y] = strcmp(a->at[x], b->at[y]) == 0
                                        ? (unsigned short)(length[(x + 1) * width + y + 1] + 1)
                                    : down > right ? down
                                                   : right;
        }
    while (i < a->count || k < b->count) {
        if (i < a->count && k < b->count && strcmp(a->at[i], b->at[k]) == 0) {
            obb_arena_push(arena, edits, (edit_line){' ', a->at[i]});
            i++, k++;
        } else if (i < a->count &&
                   (k == b->count || length[(i + 1) * width + k] >= length[i * width + k + 1])) {
            obb_arena_push(arena, edits, (edit_line){'-', a->at[i++]});
        } else {
            obb_arena_push(arena, edits, (edit_line){'+', b->at[k++]});
        }
    }
    free(length);
}

/* Lines that are the same are left out, except for a few around those that are not. */
static void show(const edit_lines *edits, obb_text *text)
{
    bool left_out = false;
    for (size_t i = 0; i < edits->count; i++) {
        bool near = false;
        for (size_t k = i > AROUND ? i - AROUND : 0; k <= i + AROUND && k < edits->count; k++)
            near = near || edits->at[k].mark != ' ';
        if (near)
            obb_text_format(text, "%c %s\n", edits->at[i].mark, edits->at[i].text);
        else if (!left_out)
            obb_text_string(text, "  ...\n");
        left_out = !near;
    }
}

char *obb_lines_difference(const char *expected, const char *printed, obb_arena *arena)
{
    line_list a = {0}, b = {0};
    edit_lines edits = {0};
    obb_text text = {0};
    split(expected, arena, &a);
    split(printed, arena, &b);
    if (a.count > MOST_LINES || b.count > MOST_LINES) {
        size_t i = 0;
        while (i < a.count && i < b.count && strcmp(a.at[i], b.at[i]) == 0)
            i++;
        obb_text_format(&text, "line %zu is the first that differs:\n", i + 1);
        if (i < a.count)
            obb_arena_push(arena, &edits, (edit_line){'-', a.at[i]});
        if (i < b.count)
            obb_arena_push(arena, &edits, (edit_line){'+', b.at[i]});
    } else {
        align(&a, &b, arena, &edits);
    }
    show(&edits, &text);
    size_t n = strlen(expected), m = strlen(printed);
    if (!n != !m || (n && m && (expected[n - 1] == '\n') != (printed[m - 1] == '\n')))
        obb_text_format(&text, "(%s the end of the last line)\n",
                        n && expected[n - 1] == '\n' ? "it lacks" : "it has besides");
    char *copy = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}
