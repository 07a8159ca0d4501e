/* What a build is asked for, and its observer: all input to src/build. */
#ifndef OBB_BUILD_REQUEST_H
#define OBB_BUILD_REQUEST_H

#include "base/diag.h"
#include "outside/fetch.h"
#include "run/event.h"

struct obb_build_outcome;

/* Zero is a valid default for each. The texts must outlive the workspace. */
typedef struct obb_request {
    const char *folder;     /* to look for the project in and above; NULL: the working folder */
    const char *out;        /* the output folder, seen from there; NULL: `out` beside the description */
    obb_words names;        /* targets or launches; none: the default ones */
    obb_words platforms, configurations, variants, lineups; /* none: the default variants */
    obb_words sets;         /* AXIS=VALUE, for all of them */
    unsigned jobs;          /* commands side by side; 0: as many as there are processors */
    unsigned farm_check;    /* of 10,000 objects that the farm made, so many are made here as well */
    uint64_t memory;        /* bytes that they together may be expected to need; 0: what is at hand when the
                               build begins */
    /* each 0 or 1 */
    int keep_going;         /* what does not need a failed action is still made */
    int dry_run;            /* nothing is written */
    int strict;             /* steps may read nothing that they do not declare */
    int budgets_apart;      /* the caller compares programs with their budgets */
    int fetches;            /* third-party code that is missing is fetched; else it is an error */
    int offline, locked, newest, drop_edits; /* see outside/fetch.h */
    const char *prefer;     /* "system" or "own": of third-party code that both have; NULL: as it is stated */
    obb_words fetched;      /* only these third-party projects; none: all */
} obb_request;

/* Each may be NULL. Called in the thread that builds. */
typedef struct obb_build_observer {
    void *self;

    /* Diagnostics so far, in order and each once (obb_diags_settle). They are dropped afterwards. */
    void (*messages)(void *self, const obb_diags *diags);

    /* A phase that may take long begins; "": it has ended. */
    void (*phase)(void *self, const char *what);

    /* Another build holds the output folder, and is waited for; `holder` may be "". */
    void (*waiting)(void *self, const char *out, const char *holder);

    /* An edited description reaches so many of all targets; they are planned again. */
    void (*replanned)(void *self, size_t targets, size_t of);

    /* Third-party code is fetched (outside/fetch.h): how far downloads are, what is there now, whose sum was
     * recorded. */
    void (*downloading)(void *self, const obb_download *downloads, size_t count);
    void (*brought)(void *self, const obb_thirdparty *other, const char *from, uint64_t bytes);
    void (*recorded)(void *self, const char *name, const char *version);

    /* The scan leaves a source to the compiler, and why. */
    void (*undecided)(void *self, const char *source, const char *why);

    /* Actions (run/event.h). */
    void (*event)(void *self, const obb_event *event);

    /* The last action has ended; what is checked afterwards, such as budgets, is reported as messages. */
    void (*ended)(void *self, const struct obb_build_outcome *outcome);
} obb_build_observer;

#endif
