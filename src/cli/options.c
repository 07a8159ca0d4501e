#include "cli/options.h"

#include <popt.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"

enum { OPT_PLATFORM = 1, OPT_CONFIGURATION, OPT_VARIANT, OPT_SET, OPT_LINEUP, /* kept; the others are read at once */
       OPT_COLOR, OPT_PROGRESS, OPT_JOBS };

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

static bool read_jobs(const char *word, options *o)
{
    char *end;
    long n = strtol(word, &end, 10);
    if (*end || n < 1 || n > 10000)
        return wrong("a number of jobs is 1 or more, not", word, "leave it out for one job a processor");
    o->jobs = (unsigned)n;
    return true;
}

/* The known option that is most like a wrong one. */
static bool unknown_option(const struct poptOption *table, const char *word)
{
    const char *known[40];
    char hint[80] = "`obbligato help` lists the options";
    size_t n = 0;
    for (; table->longName; table++)
        if (n < 39)
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
    case OPT_PLATFORM: obb_vec_push(&o->platforms, word); return true;
    case OPT_CONFIGURATION: obb_vec_push(&o->configurations, word); return true;
    case OPT_VARIANT: obb_vec_push(&o->variants, word); return true;
    case OPT_SET: obb_vec_push(&o->sets, word); return true;
    case OPT_LINEUP: obb_vec_push(&o->lineups, word); return true;
    case OPT_JOBS: return read_jobs(word, o);
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
            obb_vec_push(&o->names, strdup(word));
    }
}

static bool read_environment(options *o)
{
    const char *out = getenv("OBBLIGATO_OUT"), *jobs = getenv("OBBLIGATO_JOBS");
    if (!o->out && out && *out)
        o->out = strdup(out);
    return o->jobs || !jobs || !*jobs || read_jobs(jobs, o);
}

bool options_read(options *o, int argc, const char **argv)
{
    int keep = 0, dry = 0, verbose = 0, quiet = 0, json = 0, help = 0, version = 0, tree = 0;
    int circles = 0, ambiguous = 0, costs = 0, never = 0, missing = 0, differences = 0;
    char *folder = NULL, *out = NULL, *against = NULL, *who = NULL, *chain = NULL, *value = NULL;
    struct poptOption table[] = {
        {"platform", 'p', POPT_ARG_STRING, &value, OPT_PLATFORM, NULL, NULL},
        {"configuration", 'c', POPT_ARG_STRING, &value, OPT_CONFIGURATION, NULL, NULL},
        {"variant", 0, POPT_ARG_STRING, &value, OPT_VARIANT, NULL, NULL},
        {"set", 0, POPT_ARG_STRING, &value, OPT_SET, NULL, NULL},
        {"lineup", 0, POPT_ARG_STRING, &value, OPT_LINEUP, NULL, NULL},
        {"directory", 'C', POPT_ARG_STRING, &folder, 0, NULL, NULL},
        {"out", 'o', POPT_ARG_STRING, &out, 0, NULL, NULL},
        {"jobs", 'j', POPT_ARG_STRING, &value, OPT_JOBS, NULL, NULL},
        {"keep-going", 'k', POPT_ARG_NONE, &keep, 0, NULL, NULL},
        {"dry-run", 'n', POPT_ARG_NONE, &dry, 0, NULL, NULL},
        {"verbose", 'v', POPT_ARG_NONE, &verbose, 0, NULL, NULL},
        {"quiet", 'q', POPT_ARG_NONE, &quiet, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
        {"color", 0, POPT_ARG_STRING, &value, OPT_COLOR, NULL, NULL},
        {"progress", 0, POPT_ARG_STRING, &value, OPT_PROGRESS, NULL, NULL},
        {"against", 0, POPT_ARG_STRING, &against, 0, NULL, NULL},
        {"who", 0, POPT_ARG_STRING, &who, 0, NULL, NULL},
        {"chain", 0, POPT_ARG_STRING, &chain, 0, NULL, NULL},
        {"circles", 0, POPT_ARG_NONE, &circles, 0, NULL, NULL},
        {"ambiguous", 0, POPT_ARG_NONE, &ambiguous, 0, NULL, NULL},
        {"costs", 0, POPT_ARG_NONE, &costs, 0, NULL, NULL},
        {"never", 0, POPT_ARG_NONE, &never, 0, NULL, NULL},
        {"differences", 0, POPT_ARG_NONE, &differences, 0, NULL, NULL},
        {"missing", 0, POPT_ARG_NONE, &missing, 0, NULL, NULL},
        {"tree", 0, POPT_ARG_NONE, &tree, 0, NULL, NULL},
        {"help", 'h', POPT_ARG_NONE, &help, 0, NULL, NULL},
        {"version", 0, POPT_ARG_NONE, &version, 0, NULL, NULL},
        POPT_TABLEEND};
    int own = 1;
    while (own < argc && strcmp(argv[own], "--") != 0)
        own++;
    for (int i = own + 1; i < argc; i++)
        obb_vec_push(&o->arguments, argv[i]);
    poptContext context = poptGetContext("obbligato", own, argv, table, 0);
    bool ok = true;
    int code;
    while (ok && (code = poptGetNextOpt(context)) > 0) {
        ok = take(o, code, value);
        if (code > OPT_LINEUP)
            free(value); /* the names are kept */
    }
    if (ok && code == POPT_ERROR_BADOPT)
        ok = unknown_option(table, poptBadOption(context, 0));
    else if (ok && code < -1)
        ok = wrong(poptStrerror(code), poptBadOption(context, 0), "`obbligato help` lists the options");
    if (ok)
        take_operands(o, context);
    poptFreeContext(context);
    o->folder = folder;
    o->out = out;
    o->against = against;
    o->who = who;
    o->chain = chain;
    o->circles = circles;
    o->ambiguous = ambiguous;
    o->costs = costs;
    o->never = never;
    o->missing = missing;
    o->differences = differences;
    o->keep_going = keep;
    o->dry_run = dry;
    o->verbose = verbose;
    o->quiet = quiet;
    o->json = json;
    o->help = help;
    o->version = version;
    o->tree = tree;
    return ok && read_environment(o);
}

static void free_words(obb_words *words)
{
    for (size_t i = 0; i < words->count; i++)
        free((char *)(uintptr_t)words->at[i]);
    obb_vec_free(words);
}

void options_free(options *o)
{
    free_words(&o->names);
    free_words(&o->platforms);
    free_words(&o->configurations);
    free_words(&o->variants);
    free_words(&o->sets);
    free_words(&o->lineups);
    obb_vec_free(&o->arguments);
    free(o->command);
    free(o->folder);
    free(o->out);
    free(o->against);
    free(o->who);
    free(o->chain);
}
