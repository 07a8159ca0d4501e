/* The command line, read. */
#ifndef OBB_CLI_OPTIONS_H
#define OBB_CLI_OPTIONS_H

#include <stdbool.h>

#include "base/vec.h"
#include "build/request.h"

typedef enum when { WHEN_AUTO, WHEN_ALWAYS, WHEN_NEVER } when;

typedef struct options {
    char *command;
    obb_request request; /* -C, -o, -k, -n, -j, what chooses variants, and what stands behind the command */
    obb_words arguments;          /* behind `--` */
    char *against;                /* of size: what to compare with */
    char *who, *chain;            /* of scan: a file */
    char *tap, *junit;            /* of test: where reports go; "-" is standard output */
    char *device, *address;       /* of load */
    char *prefer;                 /* system or own */
    char *why;                    /* of show thirdparty: one of them */
    char *to;                     /* of patch: the file that is written */
    char *prefix, *below;         /* of install: where to; and the folder that stands for the root */
    char *manuals, *completion;   /* of help: a folder for pages; a shell */
    obb_words formats;            /* of pack */
    obb_words orders;             /* of debug: what the debugger is told to do */
    /* each 0 or 1 */
    int all, circles, ambiguous, costs, never, missing, differences;
    int strip, debug_files, replace; /* of install */
    char *from;                      /* of draft: a compilation database */
    int check;                       /* of format */
    int failed, affected, first_failure, coverage, batch;
    int verbose, quiet, json, wide, help, version, tree;
    unsigned repeat, retry;       /* of test; repeat 0: once */
    uint64_t timeout;             /* of run: milliseconds; 0: none */
    when color, progress;
} options;

/* Reads the words. False, with the message already on standard error, when they are wrong. */
bool options_read(options *o, int argc, const char **argv);
void options_free(options *o);

/* The long names of all options; ends with NULL. */
const char *const *option_names(void);

/* Whether a word is an option whose value is the next word. */
bool option_takes_value(const char *word);

/* Other names in place of those that were given; takes them over. */
void options_name(options *o, obb_words *names);

/* One row a command: see commands.c. */
struct session;

typedef enum command_kind {
    COMMAND_ASKS,  /* about a project, as it is here */
    COMMAND_MAKES, /* the same; third-party code that is missing is fetched */
    COMMAND_APART  /* it runs anywhere */
} command_kind;

typedef struct command {
    const char *name;
    int (*run)(struct session *s);
    const char *operands; /* "[TARGET...]" */
    const char *summary;  /* one line */
    const char *help;     /* more, with an example */
    command_kind kind;
} command;

extern const command commands[]; /* ends with a NULL name */
const command *command_find(const char *name);
const char *const *command_names(void);

void help_all(void);
void help_command(const command *c);

/* What every command's help has: the options; and how commands end. */
extern const char options_text[], exit_codes_text[];

#endif
