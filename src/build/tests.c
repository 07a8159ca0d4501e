/* Test runs of a project, and the results that are remembered (build/tests.h).
 *
 * The words of a test are filled like those of steps. A result is remembered with a fingerprint of all that
 * decides it: the program and its shared libraries, the files that words name, words, environment and
 * runner. When that is still the same, --affected leaves a passed test out. */
#include "build/tests.h"

#include <stdlib.h>
#include <string.h>

#include "base/fill.h"
#include "base/path.h"
#include "base/process.h"
#include "build/launch.h"
#include "build/outcome.h"
#include "run/cases.h"

enum { USUAL_LIMIT_MS = 60000 };

/* --- which tests -------------------------------------------------------------------- */

static bool meant(const obb_workspace *w, const obb_target *t)
{
    for (size_t i = 0; i < w->request->names.count; i++)
        if (obb_path_matches(w->request->names.at[i], t->name))
            return true;
    return !w->request->names.count && !t->optional;
}

/* A name without wildcards must be that of a test. */
static int check_name(obb_workspace *w, const char *name)
{
    obb_words known = {0};
    for (size_t i = 0; i < w->project->targets.count; i++) {
        const obb_target *t = w->project->targets.at[i];
        if (t->kind != OBB_TEST)
            continue;
        if (obb_path_matches(name, t->name))
            return 0;
        obb_arena_push(w->arena, &known, t->name);
    }
    obb_arena_push(w->arena, &known, NULL);
    obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "no test is called `%s`", name);
    obb_hint_nearest(w->diags, d, name, known.at);
    if (!d->hint)
        obb_hint(w->diags, d, "`obbligato show tests` lists them; patterns may stand for several: 'tune-*'");
    return obb_workspace_tell(w);
}

/* Whether a test was asked for by its exact name: then it is an error when it is in none of the chosen
 * variants. */
static bool named(const obb_workspace *w, const obb_target *t)
{
    for (size_t i = 0; i < w->request->names.count; i++)
        if (strcmp(w->request->names.at[i], t->name) == 0)
            return true;
    return false;
}

int obb_choose_tests(obb_workspace *w, obb_words *names, size_t *left_out)
{
    int code = obb_workspace_read_project(w);
    for (size_t i = 0; i < w->request->names.count && !code; i++)
        code = check_name(w, w->request->names.at[i]);
    if (!code)
        code = obb_workspace_choose_variants(w);
    for (size_t i = 0; i < w->project->targets.count && !code; i++) {
        const obb_target *t = w->project->targets.at[i];
        bool wanted = t->kind == OBB_TEST && meant(w, t),
             out = wanted && !named(w, t) && obb_left_out_everywhere(w, t);
        *left_out += out;
        if (wanted && !out)
            obb_arena_push(w->arena, names, obb_arena_string(w->arena, t->name));
    }
    obb_workspace_renew(w);
    return code;
}

/* --- what a trial runs -------------------------------------------------------------- */

static void take_words(obb_workspace *w, const obb_test_run *t, const obb_properties *properties,
                       const char *from, obb_words *words)
{
    for (size_t i = 0; i < properties->count; i++)
        for (size_t k = 0; k < properties->at[i].lines.count; k++) {
            const obb_words filled = obb_plan_words(w->plan, t->variant, t->target,
                                                    &properties->at[i].lines.at[k], from, w->diags);
            for (size_t n = 0; n < filled.count; n++)
                obb_arena_push(w->arena, words, filled.at[n]);
        }
}

/* Where it runs, seen from the project's folder. */
static const char *folder_of(obb_workspace *w, const obb_test_run *t)
{
    obb_word word = {t->target->folder, t->target->folder_place, false};
    const obb_word_list one = {.at = &word, .count = 1};
    if (!t->target->folder)
        return ".";
    const obb_words filled = obb_plan_words(w->plan, t->variant, t->target, &one, ".", w->diags);
    return filled.count ? filled.at[0] : ".";
}

static void take_expectations(obb_workspace *w, obb_test_run *t, const obb_properties *expectations)
{
    for (size_t i = 0; i < expectations->count; i++)
        for (size_t k = 0; k < expectations->at[i].lines.count; k++) {
            const obb_word_list *line = &expectations->at[i].lines.at[k];
            const char *kind = line->at[0].text, *value = line->at[1].text;
            if (strcmp(kind, "exit") == 0)
                t->expected_status = atoi(value);
            else if (strcmp(kind, "pattern") == 0)
                obb_arena_push(w->arena, &t->patterns, value);
            else
                t->expected_output = obb_path_join(w->arena,
                                                   line->at[1].place.folder, value);
        }
}

/* The program of a test: its own, or the one that it names. */
static const obb_action *program_of(obb_workspace *w, const obb_target *t, const obb_variant *v)
{
    if (!t->tested)
        return obb_plan_product(w->plan, t, v);
    return obb_plan_product(w->plan, obb_project_named(w->project, NULL, t->tested), v);
}

/* --- what decides how it ends ------------------------------------------------------- */

static void add_list(obb_hasher *p, const obb_words *words)
{
    obb_hasher_add(p, &words->count, sizeof words->count);
    for (size_t i = 0; i < words->count; i++)
        obb_hasher_string(p, words->at[i]);
}

/* Words as they are written. */
static void add_properties(obb_hasher *p, const obb_properties *properties)
{
    for (size_t i = 0; i < properties->count; i++)
        for (size_t k = 0; k < properties->at[i].lines.count; k++)
            for (size_t n = 0; n < properties->at[i].lines.at[k].count; n++)
                obb_hasher_string(p, properties->at[i].lines.at[k].at[n].text);
}

static void add_contents(obb_workspace *w, obb_hasher *p, obb_file file)
{
    obb_fingerprint contents = OBB_NO_FINGERPRINT;
    obb_files_fingerprint(w->files, file, &contents);
    obb_hasher_string(p, obb_files_path(w->files, file));
    obb_hasher_add(p, &contents, sizeof contents);
}

/* Files that words name, as a whole or behind `=`: products, data, the runner. */
static void add_named(obb_workspace *w, obb_hasher *p, const obb_words *words, const char *folder)
{
    for (size_t i = 0; i < words->count; i++) {
        const char *word = words->at[i], *equals = strchr(word, '=');
        const char *names[] = {word, equals ? equals + 1 : ""};
        for (int k = 0; k < 2; k++) {
            const char *path = obb_path_below(w->arena, w->root,
                                              obb_path_join(w->arena, folder ? folder : w->root, names[k]));
            if (*names[k] && obb_files_is_file(w->files, obb_files_number(w->files, path)))
                add_contents(w, p, obb_files_number(w->files, path));
        }
    }
}

/* Those on PATH, by which a test runs. */
static void add_programs(obb_workspace *w, obb_hasher *p, const obb_words *words)
{
    const char *name = words->count ? words->at[0] : "";
    const char *first = strchr(name, '/') ? NULL : obb_find_program(w->files, w->arena, name);
    obb_file_list programs = {0};
    if (first)
        obb_arena_push(w->arena, &programs, obb_files_number(w->files, first));
    obb_find_programs_behind(w->files, w->arena, words, &programs);
    for (size_t i = 0; i < programs.count; i++)
        add_contents(w, p, programs.at[i]);
}

static void add_outputs(obb_workspace *w, const obb_action *made, obb_file_list *reads)
{
    obb_arena_push(w->arena, reads, made->output);
    for (size_t k = 0; k < made->also.count; k++)
        obb_arena_push(w->arena, reads, made->also.at[k]);
}

/* Shared libraries are read when a program runs, and so is what they need, and what it brings along
 * (`needs`).
 */
static void add_read_at_run_time(obb_workspace *w, const obb_action *from, bool *seen, obb_file_list *reads)
{
    for (size_t i = 0; i < from->stated.needs.count + from->followers.count; i++) {
        bool follows = i >= from->stated.needs.count;
        const obb_action *other = w->plan->actions.at[follows
                                                          ? from->followers.at[i - from->stated.needs.count]
                                                          : from->stated.needs.at[i]];
        if ((!follows && other->kind != OBB_LINK_LIBRARY && other->kind != OBB_ARCHIVE) ||
            seen[other->number])
            continue;
        seen[other->number] = true;
        if (other->kind != OBB_ARCHIVE)
            add_outputs(w, other, reads);
        add_read_at_run_time(w, other, seen, reads);
    }
}

/* What its words name: what steps make, products, tools, and products of other variants. */
static void add_made(obb_workspace *w, const obb_test_run *t, obb_file_list *reads)
{
    for (size_t i = 0; i < t->target->uses.count; i++) {
        const obb_action *made = t->target->uses.at[i].target->kind == OBB_LIBRARY &&
                                         !t->target->commands.count
                                     ? NULL
                                     : obb_plan_product(w->plan, t->target->uses.at[i].target, t->variant);
        if (made)
            add_outputs(w, made, reads);
    }
    for (size_t i = 0; i < t->target->tools.count; i++) {
        const obb_use *use = &t->target->tools.at[i];
        const obb_variant *there = obb_variant_of_use(use, t->variant, w->plan->tools_variant, w->diags);
        const obb_action *made = there ? obb_plan_product(w->plan, use->target, there) : NULL;
        if (made)
            add_outputs(w, made, reads);
    }
}

/* All that decides the result of a test run, as far as it is known. */
static obb_fingerprint fingerprint_of(obb_workspace *w, const obb_test_run *t, const obb_action *program)
{
    obb_hasher *p = obb_hasher_new();
    obb_file_list reads = {0};
    bool *seen = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    obb_hasher_string(p, "trial 3");
    if (program)
        add_contents(w, p, program->output);
    add_list(p, &t->argv);
    add_properties(p, &t->target->cases);
    add_list(p, &t->environment);
    add_list(p, &t->patterns);
    obb_hasher_string(p, t->folder);
    obb_hasher_string(p, t->expected_output);
    obb_hasher_add(p, &t->limit, sizeof t->limit);
    obb_hasher_add(p, &t->expected_status, sizeof t->expected_status);
    add_named(w, p, &t->argv, t->folder);
    add_named(w, p, &t->environment, t->folder);
    add_programs(w, p, &t->argv);
    obb_patterns_expand(&t->target->reads, w->files, w->arena, w->diags, &reads, NULL);
    if (t->expected_output)
        obb_arena_push(w->arena, &reads, obb_files_number(w->files, t->expected_output));
    if (program)
        add_read_at_run_time(w, program, seen, &reads);
    for (size_t i = 0; !program && i < t->target->uses.count; i++) {
        const obb_action *named = obb_plan_product(w->plan, t->target->uses.at[i].target, t->variant);
        if (named)
            add_read_at_run_time(w, named, seen, &reads);
    }
    add_made(w, t, &reads);
    for (size_t i = 0; i < reads.count; i++)
        add_contents(w, p, reads.at[i]);
    return obb_hasher_end(p);
}

static obb_fingerprint result_key(const obb_test_run *t)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "result of test");
    obb_hasher_string(p, t->variant->name);
    obb_hasher_string(p, t->target->name);
    if (t->case_name)
        obb_hasher_string(p, t->case_name);
    return obb_hasher_end(p);
}

typedef struct result {
    obb_fingerprint fingerprint;
    uint32_t passed;
} result;

static bool last_result(obb_workspace *w, const obb_test_run *t, result *last)
{
    obb_memo memo = obb_state_memo(w->state);
    obb_text text = {0};
    bool known = memo.get(memo.self, result_key(t), &text) && text.length == sizeof *last;
    if (known)
        memcpy(last, text.bytes, sizeof *last);
    obb_text_free(&text);
    return known;
}

/* The first message of the obstacle to running it. */
static const char *first_message(obb_workspace *w)
{
    const char *message = w->diags->list.count ? obb_arena_string(w->arena, w->diags->list.at[0]->message)
                                               : "it cannot be run here";
    w->diags->list.count = 0;
    return message;
}

/* The words of a test that is a command: it runs on this machine, whatever the variant is for. */
static void take_command(obb_workspace *w, obb_test_run *t, const char *folder, const obb_words *arguments)
{
    obb_property last = t->target->commands.at[t->target->commands.count - 1];
    const obb_properties one = {.at = &last, .count = 1};
    size_t errors = w->diags->list.count;
    take_words(w, t, &one, folder, &t->argv);
    if (!t->argv.count && w->diags->list.count == errors)
        obb_error(w->diags, OBB_FAULT_DESCRIPTION, last.place,
                  "the test `%s` runs nothing: `%s` stands for no word here", t->target->name,
                  last.lines.at[0].at[0].text);
    for (size_t i = 0; i < arguments->count; i++)
        obb_arena_push(w->arena, &t->argv, arguments->at[i]);
}

/* What a test says of its cases. */
typedef struct case_words {
    bool tap;
    obb_word_list list, run; /* words that ask for them, and that run one; empty: neither */
} case_words;

static case_words words_for_cases(obb_workspace *w, const obb_target *t)
{
    case_words said = {0};
    obb_word_list *into = NULL;
    const obb_property *last = t->cases.count ? &t->cases.at[t->cases.count - 1] : NULL;
    for (size_t i = 0; last && i < last->lines.count; i++)
        for (size_t k = 0; k < last->lines.at[i].count; k++) {
            const obb_word *word = &last->lines.at[i].at[k];
            if (!into && !said.tap) {
                said.tap = strcmp(word->text, "tap") == 0;
                into = &said.list;
            } else if (into == &said.list && !word->quoted && strcmp(word->text, "run") == 0) {
                into = &said.run;
            } else {
                obb_arena_push(w->arena, into, *word);
            }
        }
    return said;
}

static bool name_of_case(void *self, const char *name, bool alone, obb_words *words)
{
    (void)alone;
    if (strcmp(name, "case") == 0)
        obb_vec_push(words, (const char *)self);
    return strcmp(name, "case") == 0;
}

/* The words that ask for its cases, or that run one of them. */
static void take_case_words(obb_workspace *w, const obb_test_run *t, obb_words *arguments)
{
    const case_words said = words_for_cases(w, t->target);
    const obb_word_list words = t->case_name ? said.run : said.list;
    const obb_fill fill = {name_of_case, (void *)(uintptr_t)t->case_name};
    for (size_t i = 0; i < words.count; i++)
        if (t->case_name)
            obb_fill_word(&fill, words.at[i].text, w->arena, arguments);
        else
            obb_arena_push(w->arena, arguments, words.at[i].text);
}

/* The command of a test run, or why it cannot run: then it has no words. 0, or the exit code for an error in
 * the description. `program` NULL: it is a command.
 */
static int prepare_trial(obb_workspace *w, const obb_action *program, bool unmade, obb_test_run *t)
{
    const obb_target *here = t->target;
    obb_words arguments = {0};
    const char *folder = folder_of(w, t);
    take_words(w, t, &here->arguments, folder, &arguments);
    take_case_words(w, t, &arguments);
    take_words(w, t, &here->environment, folder, &t->environment);
    take_expectations(w, t, &here->expectations);
    if (here->folder)
        t->folder = obb_path_join(w->arena, w->root, folder);
    if (!program)
        take_command(w, t, folder, &arguments);
    int code = obb_workspace_tell(w);
    if (code)
        return code;
    const obb_launching launching = {.variant = t->variant,
                                     .program = program
                                                    ? obb_path_join(w->arena, w->root,
                                                                    obb_files_path(w->files, program->output))
                                                    : NULL,
                                     .arguments = &arguments,
                                     .files = w->files,
                                     .arena = w->arena};
    if (program && !obb_launch_words(&launching, w->diags, &t->argv)) {
        t->argv.count = 0;
        t->reason = first_message(w);
    }
    if (program && t->variant->runner && !t->expected_status)
        t->expected_status = t->variant->runner->success;
    obb_arena_push(w->arena, &t->argv, NULL);
    t->argv.count--;
    t->not_built = unmade;
    if (unmade) {
        t->argv.count = 0;
        t->reason = program ? "its program could not be built" : "what it runs could not be built";
    }
    return 0;
}

/* A test without a list of its cases is run as it is, as often as that is wanted. */
static void add_run(obb_workspace *w, const obb_test_choice *choice, obb_test_run t,
                    obb_fingerprint fingerprint, obb_test_list *list)
{
    unsigned times = choice->repeat ? choice->repeat : 1;
    for (unsigned i = 1; i <= times; i++) {
        t.number = times > 1 ? i : 0;
        obb_arena_push(w->arena, &list->trials, t);
        obb_arena_push(w->arena, &list->fingerprints, fingerprint);
    }
}

/* Whether the choice wants it; else it is counted. */
static bool is_wanted(obb_workspace *w, const obb_test_choice *choice, const obb_test_run *t,
                      obb_fingerprint fingerprint, obb_test_list *list)
{
    result last;
    bool known = last_result(w, t, &last);
    bool before = choice->failed && (!known || last.passed);
    bool same = !before && choice->affected && known && last.passed &&
                obb_fingerprint_same(last.fingerprint, fingerprint);
    list->passed_before += before;
    list->unaffected += same;
    return !before && !same;
}

/* Whether its program, or of a command something that its words name, could not be made. */
static bool is_unmade(const obb_workspace *w, const bool *unmade, const obb_action *program,
                      const obb_test_run *t)
{
    bool any = program && unmade[program->number];
    for (size_t i = 0; !program && i < t->target->uses.count; i++) {
        const obb_action *named = obb_plan_product(w->plan, t->target->uses.at[i].target, t->variant);
        any = any || (named && unmade[named->number]);
    }
    return any;
}

static int add_trials(obb_workspace *w, const obb_test_choice *choice, const obb_target *described,
                      const obb_variant *v, obb_test_list *list)
{
    const obb_target *here = obb_in(v, described);
    const obb_action *program = program_of(w, here, v);
    const case_words cases = words_for_cases(w, here);
    obb_test_run t = {.target = here,
                      .variant = v,
                      .tap = cases.tap,
                      .limit = here->time_limit ? here->time_limit : USUAL_LIMIT_MS};
    if (!program && !here->commands.count)
        return 0;
    int code = prepare_trial(w, program, choice->unmade && is_unmade(w, choice->unmade, program, &t), &t);
    if (code)
        return code;
    obb_fingerprint fingerprint = fingerprint_of(w, &t, program);
    bool wanted = is_wanted(w, choice, &t, fingerprint, list);
    if (wanted && t.argv.count && cases.list.count)
        obb_arena_push(w->arena, &list->suites, ((obb_test_suite){t, fingerprint, {0}}));
    else if (wanted)
        add_run(w, choice, t, fingerprint, list);
    return 0;
}

/* --- cases -------------------------------------------------------------------------- */

static void nothing_finished(void *self, const obb_test_run *t, size_t done, size_t total)
{
    (void)self, (void)t, (void)done, (void)total;
}

static void nothing_ticked(void *self, size_t done, size_t total, unsigned running, uint64_t milliseconds)
{
    (void)self, (void)done, (void)total, (void)running, (void)milliseconds;
}

/* Cases of a test as test runs; one that does not list any has failed. */
static int add_cases(obb_workspace *w, const obb_test_choice *choice, obb_test_suite *s, obb_test_list *list)
{
    const char *wrong = s->listing.reason;
    obb_cases_read_list(s->listing.output, w->arena, &s->cases);
    if (!wrong && !s->cases.count)
        wrong = "it lists none";
    if (wrong) {
        s->listing.reason = obb_arena_format(w->arena, "its cases are not known: %s", wrong);
        s->listing.not_built = true;
        s->listing.argv.count = 0;
        add_run(w, choice, s->listing, s->fingerprint, list);
        return 0;
    }
    const obb_action *program = program_of(w, s->listing.target, s->listing.variant);
    for (size_t i = 0; i < s->cases.count; i++) {
        obb_test_run t = {.target = s->listing.target,
                          .variant = s->listing.variant,
                          .limit = s->listing.limit,
                          .case_name = s->cases.at[i]};
        int code = prepare_trial(w, program, false, &t);
        if (code)
            return code;
        if (is_wanted(w, choice, &t, s->fingerprint, list))
            add_run(w, choice, t, s->fingerprint, list);
    }
    return 0;
}

/* All programs are asked for their cases side by side. What is expected of a case is not expected of the
 * list. */
static int ask_for_cases(obb_workspace *w, const obb_test_choice *choice, obb_test_list *list)
{
    OBB_VEC(obb_test_run) listings = {0};
    const obb_test_runs_options how = {.jobs = choice->jobs ? choice->jobs : 1,
                                       .finished = nothing_finished,
                                       .ticked = nothing_ticked};
    bool interrupted = false;
    int code = 0;
    for (size_t i = 0; i < list->suites.count; i++) {
        obb_test_run listing = list->suites.at[i].listing;
        bool by_runner = listing.variant->runner && !listing.target->commands.count;
        listing.expected_status = by_runner ? listing.variant->runner->success : 0;
        listing.expected_output = NULL;
        listing.patterns.count = 0;
        obb_arena_push(w->arena, &listings, listing);
    }
    if (listings.count)
        obb_run_tests(listings.at, listings.count, &how, w->arena, &interrupted);
    if (interrupted)
        return OBB_BUILD_INTERRUPTED;
    for (size_t i = 0; i < listings.count; i++) {
        list->suites.at[i].listing = listings.at[i];
        int wrong = add_cases(w, choice, &list->suites.at[i], list);
        code = wrong ? wrong : code;
    }
    return code;
}

int obb_make_test_runs(obb_workspace *w, const obb_test_choice *choice, obb_test_list *list)
{
    int code = 0;
    for (size_t v = 0; v < w->variants.count; v++)
        for (size_t i = 0; i < w->targets.count; i++) {
            int wrong = obb_left_out(w->variants.at[v], w->targets.at[i])
                            ? 0 : add_trials(w, choice, w->targets.at[i], w->variants.at[v], list);
            code = wrong ? wrong : code;
        }
    return code ? code : ask_for_cases(w, choice, list);
}

/* A test has passed when all of its cases have, now or before, as it is now. */
static void remember_suite(obb_workspace *w, const obb_test_suite *s)
{
    obb_memo memo = obb_state_memo(w->state);
    result now = {.fingerprint = s->fingerprint, .passed = s->cases.count > 0};
    obb_test_run t = s->listing;
    for (size_t i = 0; i < s->cases.count; i++) {
        result last;
        t.case_name = s->cases.at[i];
        bool passed = last_result(w, &t, &last) && last.passed &&
                      obb_fingerprint_same(last.fingerprint, s->fingerprint);
        now.passed = now.passed && passed;
    }
    t.case_name = NULL;
    memo.put(memo.self, result_key(&t), &now, sizeof now);
}

/* A test that was run several times has failed if one run did. */
int obb_remember_test_runs(obb_workspace *w, const obb_test_list *list)
{
    obb_memo memo = obb_state_memo(w->state);
    static const obb_outcome order[] = {OBB_PASSED, OBB_FAILED};
    for (int k = 0; k < 2; k++)
        for (size_t i = 0; i < list->trials.count; i++) {
            const obb_test_run *t = &list->trials.at[i];
            const result now = {.fingerprint = list->fingerprints.at[i], .passed = t->outcome == OBB_PASSED};
            if (t->outcome == order[k])
                memo.put(memo.self, result_key(t), &now, sizeof now);
        }
    for (size_t i = 0; i < list->suites.count; i++)
        remember_suite(w, &list->suites.at[i]);
    return obb_workspace_commit(w, 0);
}
