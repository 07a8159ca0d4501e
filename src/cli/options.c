/* Reading the command line, by popt. What the environment adds (OBBLIGATO_OUT, OBBLIGATO_JOBS) is read last.
 *
 * Every option has one row. Values are kept as given: what they mean is decided where they are used. */
#include "cli/options.h"

#include <popt.h>
#include <stdint.h>
#include <assert.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"

enum {
    OPT_PLATFORM = 1,
    OPT_CONFIGURATION,
    OPT_VARIANT,
    OPT_SET,
    OPT_ORDER,
    OPT_AS,
    OPT_LINEUP, /* kept; the others are read at once */
    OPT_COLOR,
    OPT_PROGRESS,
    OPT_JOBS,
    OPT_MEMORY,
    OPT_FARM_CHECK,
    OPT_REPEAT,
    OPT_RETRY,
    OPT_TIMEOUT
};

static bool wrong(const char *what, const char *word, const char *hint)
{
    fprintf(stderr, "obbligato: error: %s%s%s%s\n", what, *word ? " `" : "", word, *word ? "`" : "");
    if (hint)
        fprintf(stderr, "  hint: %s\n", hint);
    return false;
}

static bool read_when(const char *word, const char *option, when *into)
{
    static const char *const words[] = {"auto", "always", "never"};
    for (int i = 0; i < 3; i++)
        if (strcmp(words[i], word) == 0) {
            *into = (when)i;
            return true;
        }
    return wrong(option, word, "it takes auto, always or never");
}

static bool read_number(const char *word, const char *what, const char *hint, unsigned *number)
{
    char *end;
    long n = strtol(word, &end, 10);
    if (*end || n < 1 || n > 10000)
        return wrong(what, word, hint);
    *number = (unsigned)n;
    return true;
}

static bool read_jobs(const char *word, options *o)
{
    return read_number(word, "a number of jobs is 1 or more, not", "leave it out for one job a processor",
                       &o->request.jobs);
}

static bool read_memory(const char *word, options *o)
{
    return (obb_read_size(word, &o->request.memory) && o->request.memory) ||
           wrong("an amount of memory is a number of bytes, not", word, "--memory 6G");
}

/* In hundredths of a percent. */
static bool read_share(const char *word, options *o)
{
    char *end;
    double percent = strtod(word, &end);
    bool ok = end != word && strcmp(end, "%") == 0 && percent >= 0.01 && percent <= 100;
    if (ok)
        o->request.farm_check = (unsigned)(percent * 100 + 0.5);
    return ok || wrong("a share is a percentage, not", word, "--farm-check 1%");
}

/* The known option that is most like a wrong one. */
static bool unknown_option(const struct poptOption *table, const char *word)
{
    const char *known[60];
    char hint[80] = "`obbligato help` lists the options";
    size_t n = 0;
    for (; table->longName; table++)
        if (n < 59)
            known[n++] = table->longName;
    known[n] = NULL;
    const char *near = obb_starts(word, "--") ? obb_nearest(word + 2, known) : NULL;
    if (near)
        snprintf(hint, sizeof hint, "did you mean `--%s`?", near);
    return wrong("unknown option", word, hint);
}

static bool take(options *o, int code, const char *word)
{
    switch (code) {
    case OPT_PLATFORM: obb_vec_push(&o->request.platforms, word); return true;
    case OPT_CONFIGURATION: obb_vec_push(&o->request.configurations, word); return true;
    case OPT_VARIANT: obb_vec_push(&o->request.variants, word); return true;
    case OPT_SET: obb_vec_push(&o->request.sets, word); return true;
    case OPT_ORDER: obb_vec_push(&o->orders, word); return true;
    case OPT_AS: obb_vec_push(&o->formats, word); return true;
    case OPT_LINEUP: obb_vec_push(&o->request.lineups, word); return true;
    case OPT_JOBS: return read_jobs(word, o);
    case OPT_MEMORY: return read_memory(word, o);
    case OPT_FARM_CHECK: return read_share(word, o);
    case OPT_REPEAT:
        return read_number(word, "tests are repeated once or more, not", "--repeat 10", &o->repeat);
    case OPT_RETRY:
        return read_number(word, "tests are tried again once or more, not", "--retry 2", &o->retry);
    case OPT_TIMEOUT:
        return obb_read_time(word, &o->timeout) || wrong("a time has a unit, not", word, "--timeout 10s");
    case OPT_COLOR: return read_when(word, "--color", &o->color);
    default: return read_when(word, "--progress", &o->progress);
    }
}

static void take_operands(options *o, poptContext context)
{
    const char *word;
    while ((word = poptGetArg(context))) {
        if (!o->command)
            o->command = strdup(word);
        else
            obb_vec_push(&o->request.names, strdup(word));
    }
}

static bool read_environment(options *o)
{
    const char *out = getenv("OBBLIGATO_OUT"), *jobs = getenv("OBBLIGATO_JOBS"),
               *memory = getenv("OBBLIGATO_MEMORY");
    const char *store = getenv("OBBLIGATO_STORE"), *limit = getenv("OBBLIGATO_STORE_LIMIT");
    const char *offline = getenv("OBBLIGATO_OFFLINE");
    uint64_t bytes;
    o->request.prefer = o->prefer;
    if (o->prefer && strcmp(o->prefer, "own") != 0 && strcmp(o->prefer, "system") != 0)
        return wrong("--prefer takes system or own, not", o->prefer, NULL);
    o->request.offline = o->request.offline || (offline && *offline && strcmp(offline, "0") != 0);
    if (!o->request.out && out && *out)
        o->request.out = strdup(out);
    const char *shared = store && obb_starts(store, "shared ") ? store + 7 + strspn(store + 7, " ") : store;
    if (store && *store && *shared != '/' && strcmp(store, "off") != 0)
        return wrong("OBBLIGATO_STORE is not an absolute folder, and not off:", store,
                     "OBBLIGATO_STORE=/var/cache/objects, OBBLIGATO_STORE='shared /srv/objects', or "
                     "OBBLIGATO_STORE=off");
    if (limit && *limit && (!obb_read_size(limit, &bytes) || !bytes))
        return wrong("OBBLIGATO_STORE_LIMIT is not a number of bytes:", limit,
                     "decimal, with K, M or G: OBBLIGATO_STORE_LIMIT=5G");
    if (!o->request.memory && memory && *memory && !read_memory(memory, o))
        return false;
    return o->request.jobs || !jobs || !*jobs || read_jobs(jobs, o);
}

/* `value` is where the table puts the value of an option that has one. */
static bool read_words(options *o, int argc, const char **argv, const struct poptOption *table, char **value)
{
    int own = 1;
    while (own < argc && strcmp(argv[own], "--") != 0)
        own++;
    for (int i = own + 1; i < argc; i++)
        obb_vec_push(&o->arguments, argv[i]);
    poptContext context = poptGetContext("obbligato", own, argv, table, 0);
    bool ok = true;
    int code;
    while (ok && (code = poptGetNextOpt(context)) > 0) {
        ok = take(o, code, *value);
        if (code > OPT_LINEUP)
            free(*value); /* the names are kept */
    }
    if (ok && code == POPT_ERROR_BADOPT)
        ok = unknown_option(table, poptBadOption(context, 0));
    else if (ok && code < -1)
        ok = wrong(poptStrerror(code), poptBadOption(context, 0), "`obbligato help` lists the options");
    if (ok)
        take_operands(o, context);
    poptFreeContext(context);
    return ok;
}

enum { OPTION_ROOM = 80 };

/* All options; what they set is in `o`, or the value of one that is read at once. */
static void list_options(options *o, char **value, struct poptOption *table)
{
    const struct poptOption all[] = {
        {"platform", 'p', POPT_ARG_STRING, value, OPT_PLATFORM, NULL, NULL},
        {"configuration", 'c', POPT_ARG_STRING, value, OPT_CONFIGURATION, NULL, NULL},
        {"variant", 0, POPT_ARG_STRING, value, OPT_VARIANT, NULL, NULL},
        {"set", 0, POPT_ARG_STRING, value, OPT_SET, NULL, NULL},
        {"lineup", 0, POPT_ARG_STRING, value, OPT_LINEUP, NULL, NULL},
        {"directory", 'C', POPT_ARG_STRING, &o->request.folder, 0, NULL, NULL},
        {"out", 'o', POPT_ARG_STRING, &o->request.out, 0, NULL, NULL},
        {"jobs", 'j', POPT_ARG_STRING, value, OPT_JOBS, NULL, NULL},
        {"memory", 0, POPT_ARG_STRING, value, OPT_MEMORY, NULL, NULL},
        {"check", 0, POPT_ARG_NONE, &o->check, 0, NULL, NULL},
        {"from", 0, POPT_ARG_STRING, &o->from, 0, NULL, NULL},
        {"farm-check", 0, POPT_ARG_STRING, value, OPT_FARM_CHECK, NULL, NULL},
        {"keep-going", 'k', POPT_ARG_NONE, &o->request.keep_going, 0, NULL, NULL},
        {"dry-run", 'n', POPT_ARG_NONE, &o->request.dry_run, 0, NULL, NULL},
        {"verbose", 'v', POPT_ARG_NONE, &o->verbose, 0, NULL, NULL},
        {"quiet", 'q', POPT_ARG_NONE, &o->quiet, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &o->json, 0, NULL, NULL},
        {"wide", 0, POPT_ARG_NONE, &o->wide, 0, NULL, NULL},
        {"color", 0, POPT_ARG_STRING, value, OPT_COLOR, NULL, NULL},
        {"progress", 0, POPT_ARG_STRING, value, OPT_PROGRESS, NULL, NULL},
        {"against", 0, POPT_ARG_STRING, &o->against, 0, NULL, NULL},
        {"who", 0, POPT_ARG_STRING, &o->who, 0, NULL, NULL},
        {"chain", 0, POPT_ARG_STRING, &o->chain, 0, NULL, NULL},
        {"circles", 0, POPT_ARG_NONE, &o->circles, 0, NULL, NULL},
        {"ambiguous", 0, POPT_ARG_NONE, &o->ambiguous, 0, NULL, NULL},
        {"costs", 0, POPT_ARG_NONE, &o->costs, 0, NULL, NULL},
        {"never", 0, POPT_ARG_NONE, &o->never, 0, NULL, NULL},
        {"differences", 0, POPT_ARG_NONE, &o->differences, 0, NULL, NULL},
        {"missing", 0, POPT_ARG_NONE, &o->missing, 0, NULL, NULL},
        {"all", 0, POPT_ARG_NONE, &o->all, 0, NULL, NULL},
        {"tap", 0, POPT_ARG_STRING, &o->tap, 0, NULL, NULL},
        {"junit", 0, POPT_ARG_STRING, &o->junit, 0, NULL, NULL},
        {"repeat", 0, POPT_ARG_STRING, value, OPT_REPEAT, NULL, NULL},
        {"retry", 0, POPT_ARG_STRING, value, OPT_RETRY, NULL, NULL},
        {"timeout", 0, POPT_ARG_STRING, value, OPT_TIMEOUT, NULL, NULL},
        {"failed", 0, POPT_ARG_NONE, &o->failed, 0, NULL, NULL},
        {"affected", 0, POPT_ARG_NONE, &o->affected, 0, NULL, NULL},
        {"first-failure", 0, POPT_ARG_NONE, &o->first_failure, 0, NULL, NULL},
        {"coverage", 0, POPT_ARG_NONE, &o->coverage, 0, NULL, NULL},
        {"order", 0, POPT_ARG_STRING, value, OPT_ORDER, NULL, NULL},
        {"as", 0, POPT_ARG_STRING, value, OPT_AS, NULL, NULL},
        {"batch", 0, POPT_ARG_NONE, &o->batch, 0, NULL, NULL},
        {"strict", 0, POPT_ARG_NONE, &o->request.strict, 0, NULL, NULL},
        {"offline", 0, POPT_ARG_NONE, &o->request.offline, 0, NULL, NULL},
        {"locked", 0, POPT_ARG_NONE, &o->request.locked, 0, NULL, NULL},
        {"newest", 0, POPT_ARG_NONE, &o->request.newest, 0, NULL, NULL},
        {"drop-edits", 0, POPT_ARG_NONE, &o->request.drop_edits, 0, NULL, NULL},
        {"prefer", 0, POPT_ARG_STRING, &o->prefer, 0, NULL, NULL},
        {"why", 0, POPT_ARG_STRING, &o->why, 0, NULL, NULL},
        {"to", 0, POPT_ARG_STRING, &o->to, 0, NULL, NULL},
        {"prefix", 0, POPT_ARG_STRING, &o->prefix, 0, NULL, NULL},
        {"below", 0, POPT_ARG_STRING, &o->below, 0, NULL, NULL},
        {"strip", 0, POPT_ARG_NONE, &o->strip, 0, NULL, NULL},
        {"debug-files", 0, POPT_ARG_NONE, &o->debug_files, 0, NULL, NULL},
        {"replace", 0, POPT_ARG_NONE, &o->replace, 0, NULL, NULL},
        {"device", 0, POPT_ARG_STRING, &o->device, 0, NULL, NULL},
        {"address", 0, POPT_ARG_STRING, &o->address, 0, NULL, NULL},
        {"tree", 0, POPT_ARG_NONE, &o->tree, 0, NULL, NULL},
        {"manuals", 0, POPT_ARG_STRING, &o->manuals, 0, NULL, NULL},
        {"completion", 0, POPT_ARG_STRING, &o->completion, 0, NULL, NULL},
        {"help", 'h', POPT_ARG_NONE, &o->help, 0, NULL, NULL},
        {"version", 0, POPT_ARG_NONE, &o->version, 0, NULL, NULL},
        POPT_TABLEEND};
    static_assert(sizeof all <= OPTION_ROOM * sizeof *all, "more options than there is room for");
    memcpy(table, all, sizeof all);
}

const char *const *option_names(void)
{
    static const char *names[OPTION_ROOM];
    struct poptOption table[OPTION_ROOM];
    options none;
    char *value;
    size_t n = 0;
    list_options(&none, &value, table);
    for (; table[n].longName; n++)
        names[n] = table[n].longName;
    names[n] = NULL;
    return names;
}

bool option_takes_value(const char *word)
{
    struct poptOption table[OPTION_ROOM];
    options none;
    char *value;
    list_options(&none, &value, table);
    for (const struct poptOption *t = table; *word == '-' && t->longName; t++)
        if (word[1] == '-' ? strcmp(word + 2, t->longName) == 0
                           : word[1] && word[1] == t->shortName && !word[2])
            return t->argInfo != POPT_ARG_NONE;
    return false;
}

bool options_read(options *o, int argc, const char **argv)
{
    char *value = NULL;
    struct poptOption table[OPTION_ROOM];
    list_options(o, &value, table);
    return read_words(o, argc, argv, table, &value) && read_environment(o);
}

static void free_words(obb_words *words)
{
    for (size_t i = 0; i < words->count; i++)
        free((char *)(uintptr_t)words->at[i]);
    obb_vec_free(words);
}

void options_name(options *o, obb_words *names)
{
    free_words(&o->request.names);
    o->request.names = *names;
}

void options_free(options *o)
{
    free_words(&o->request.names);
    free_words(&o->request.platforms);
    free_words(&o->request.configurations);
    free_words(&o->request.variants);
    free_words(&o->request.sets);
    free_words(&o->request.lineups);
    free_words(&o->orders);
    free_words(&o->formats);
    obb_vec_free(&o->arguments);
    free(o->command);
    free((void *)(uintptr_t)o->request.folder);
    free((void *)(uintptr_t)o->request.out);
    free(o->against);
    free(o->who);
    free(o->chain);
    free(o->tap);
    free(o->junit);
    free(o->device);
    free(o->address);
    free(o->to);
    free(o->from);
    free(o->manuals);
    free(o->completion);
    free(o->prefix);
    free(o->below);
    free(o->why);
    free(o->prefer);
    obb_vec_free(&o->request.fetched);
}
