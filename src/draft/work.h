/* A draft while it is made. Only src/draft uses this header. */
#ifndef OBB_DRAFT_WORK_H
#define OBB_DRAFT_WORK_H

#include <stdint.h>

#include "base/map.h"
#include "base/template.h"
#include "draft/draft.h"
#include "project/language.h"

typedef struct named_include {
    const char *name;
    bool quoted;
} named_include;

typedef struct draft_target draft_target;

/* A source or header. */
typedef struct draft_file {
    const char *path, *folder; /* from the top of the tree */
    obb_language language;
    bool header;
    bool other_configuration;  /* a header that says nothing of this system */
    bool known;                /* a description has it already */
    const char *part_of;       /* it does not compile, and this file includes it; or NULL */
    OBB_VEC(named_include) includes;
    obb_words flags;           /* of a compilation database: -D and the like; and of */
    bool extended;             /* extensions of the processor, which it needs */
    unsigned guesses;          /* macros that were made up for it */
    bool compiled;
    const char *object;        /* then, its path */
    const char *wrong;         /* the first error of its compile, */
    const char *wrong_in;      /* the file that it names, and the line; or NULL */
    size_t wrong_line;
    const char *shown;         /* the line that this is about; or NULL */
    size_t column;             /* of it, from 0: where the compiler points */
    const char *missing;       /* the header that it is about; or NULL */
    const char *processor;     /* a source whose folder says that it is for this one; NULL: for all */
    bool foreign;              /* its folder says that it is for another one than this machine's */
    const char *beside;        /* then the folder above that */
    obb_words defines, lacks;  /* symbols */
    bool is_main;
    const char *left_for;      /* why it is in no target, since another one is; or NULL */
    OBB_VEC(uint32_t) programs; /* numbers of the programs that need it */
    draft_target *target;
} draft_file;

/* The files that define a symbol. */
typedef struct draft_definers {
    OBB_VEC(draft_file *) files;
} draft_definers;

typedef enum draft_kind { DRAFT_LIBRARY, DRAFT_PROGRAM, DRAFT_TEST } draft_kind;

struct draft_target {
    draft_kind kind;
    const char *name, *folder;
    draft_file *main;      /* NULL: a library */
    OBB_VEC(draft_file *) files;
    OBB_VEC(draft_target *) uses;
    obb_words libs, packages; /* of the system */
    obb_words known;       /* files that it needs, which a description has */
    obb_words instead;     /* patterns of files that stand in for its own on some processors, */
    obb_words replaced;    /* and the folders of those */
    obb_words processors;  /* folders in which each processor has a folder of its own */
    obb_words unresolved;  /* symbols that nobody defines */
};

typedef enum draft_kind_of_question {
    DRAFT_ASKS_HEADER,
    DRAFT_ASKS_FUNCTION,
    DRAFT_ASKS_TYPE,
    DRAFT_ASKS_MEMBER,
    DRAFT_ASKS_SIZE,
    DRAFT_ASKS_DECLARED,
    DRAFT_ASKS_UNKNOWN
} draft_kind_of_question;

/* What a macro of a configuration asks. */
typedef struct draft_question {
    const char *macro;
    draft_kind_of_question kind;
    const char *name, *of; /* of a member: the type */
    bool holds;            /* on this system */
    uint64_t size;         /* bytes */
} draft_question;

/* A header that is missing, and how a step makes it; or `checks`, since its template has more in it than
 * values. */
typedef struct draft_made_header {
    const char *name;     /* as it is included */
    const char *copied;   /* from this one; or NULL */
    const char *template; /* filled in from this one, with `values`; or NULL */
    obb_words values;
    const char *text;     /* else this */
    bool checks;
} draft_made_header;

/* A macro that was defined since a source does not compile without it. */
typedef struct draft_choice {
    const char *define, *because;
} draft_choice;

/* A library whose headers lie in folders of their own. */
typedef struct draft_package {
    const char *name;  /* of its .pc file */
    obb_words words;   /* for compiles, with those of what it requires */
    obb_words headers; /* that are included */
} draft_package;

typedef struct draft {
    obb_arena *arena;
    const obb_draft_request *request;
    obb_draft_result *result;
    OBB_VEC(draft_file *) files; /* by path */
    obb_words includes;          /* folders, the most needed first */
    obb_words folders_given;     /* of those, what the database says */
    OBB_VEC(draft_package *) packages;
    obb_words defines;           /* of the project, */
    size_t guessed;              /* and so many of the last ones have values that are made up */
    OBB_VEC(draft_choice) choices; /* some of those */
    size_t unnamed;              /* sources that a description cannot name */
    obb_words templates;         /* files that become headers: x.h.in */
    obb_words grammars;          /* files that generators read, which nobody here carries out */
    obb_map defined;             /* macros that some file defines, */
    obb_map answered;            /* and those of headers */
    obb_map compared;            /* macros that are compared with numbers: obb_words of NAME=NUMBER */
    obb_map placed;              /* macros for which templates have places: configurations define them */
    obb_words tested;            /* HAVE_ and SIZEOF_ macros that are tested and that nothing answers, */
    OBB_VEC(draft_question) questions; /* and what they ask */
    obb_words names;             /* macros with names and versions of the project that are tested */
    const char *header;          /* the header that they come from (config.h), which is not there; or NULL */
    const char *template;        /* what else that header has (x.h.in), */
    const char *template_text;   /* its text, filled in with these values; or NULL */
    obb_words template_values;
    OBB_VEC(draft_made_header) made; /* headers that builds will make, besides that one */
    bool forced;                 /* no source includes it: it stands in front of each */
    const char *unstarted;       /* the compiler that is not there, and why; NULL: all are */
    const char *failed;          /* why nothing can be tried any more, such as a full disk; or NULL */
    obb_words missing;           /* headers that are not found */
    obb_map definers;            /* by symbol: draft_definers */
    OBB_VEC(draft_target *) targets;
    obb_map usual;               /* what the C and C++ libraries define */
    char *temporary;             /* a folder; headers are made in `gen` in it, as builds do, */
    size_t objects;              /* and how many objects are in it */
    size_t tries;                /* how often draft_try compiled */
    void *systems;               /* of systems.c: libraries of this system */
} draft;

void draft_note(draft *d, const char *format, ...);

/* tree.c: finds files, and reads what they include and test. */
const char *draft_read_tree(draft *d);

/* tree.c: whether a description can name it: UTF-8 without control characters, and nothing that patterns and
 * placeholders give a meaning to. */
bool draft_can_be_named(const draft *d, const char *path);

/* tree.c: whether it is for another processor than this machine's; whether it is a source for this machine
 * that no description has. */
bool draft_is_foreign(const draft_file *f);
bool draft_is_counted(const draft_file *f);

/* includes.c: the folders that includes need. */
void draft_find_includes(draft *d);

/* packages.c: headers that lie in folders of libraries; the targets whose files include them. */
void draft_find_packages(draft *d);
void draft_use_packages(draft *d);

/* database.c: takes files and flags from a compilation database. NULL, or what is wrong with it. */
const char *draft_read_database(draft *d);

/* trial.c: which of these headers the compilers find by themselves. */
void draft_ask_headers(draft *d, const obb_words *names, obb_map *has);

enum { DRAFT_ROUNDS = 8 }; /* of guessing, at most */

/* trial.c: compiles those that were not compiled yet; how many were now. `note`: what headers they miss. */
size_t draft_compile_rest(draft *d, bool note);

/* trial.c: what compiled and what did not, to take an attempt back. */
typedef struct draft_attempt draft_attempt;
const draft_attempt *draft_save(const draft *d);
void draft_take_back(draft *d, const draft_attempt *saved);

/* trial.c: compiles a source more times, each with another macro defined, or another flag (it begins with
 * `-`), which is gone then. The index of the first one with which it compiles (*compiles), or else of the
 * first one with another error, which is better no `#error`; their count: none. */
size_t draft_try(draft *d, draft_file *f, const obb_words *words, bool *compiles);

/* extensions.c: adds a flag for an extension of the processor, if that is what a source lacks. False: it is
 * not, or none helps. */
bool draft_add_extensions(draft *d, draft_file *f);
void draft_tell_extensions(draft *d);

/* guesses.c: values that a macro may have (NAME=VALUE): numbers with which it is compared, or else one.
 */
void draft_list_numbers(draft *d, const char *name, obb_words *defines);

/* guesses.c: makes up values of macros that nobody defines. */
void draft_guess(draft *d);

/* guesses.c: whether what is wrong is `#error`. */
bool draft_is_refusal(const draft_file *f);

/* guesses.c: a macro that may be dropped again, unless this source compiles with it. */
void draft_add_guess(draft *d, const char *define, draft_file *f, obb_map *asked);

/* choices.c: defines macros that decide whether the code is compiled in which an error stands. False: none
 * helps. */
bool draft_choose(draft *d, obb_map *asked);

/* headers.c: whether a header of this name can be made: below the folder of made headers or beside it, and
 * not of any name; its path below the folder of a variant, and in the trial. */
bool draft_can_make(const draft *d, const char *name);
const char *draft_made_path(const draft *d, const char *name);
const char *draft_trial_path(const draft *d, const char *name);

/* trial.c: writes a header of the trial, and its folders. False: nothing can be tried any more. */
bool draft_write_trial(draft *d, const char *name, const char *text, size_t length);

/* headers.c: whether a part of a path, or of the name at its end, is a system or compiler that this is not.
 */
bool draft_is_elsewhere(const char *path);

/* headers.c: whether a header is called like one of a configuration. */
bool draft_is_configuration(const char *path);

/* headers.c: whether it is called like a template of a header; and that of a header, by its name, or NULL. */
bool draft_is_template(const char *path);
const char *draft_template_of(const draft *d, const char *header);

/* headers.c: a text with made-up values for all its names; adds NAME=VALUE of each. */
void draft_fill_in(draft *d, const char *text, obb_template_kind kind, obb_words *values, obb_text *filled);

/* configuration.c: the header that sources include for answers, and do not find. */
void draft_configure(draft *d);
void draft_compile_anew(draft *d); /* all sources, whether they compiled or not */
void draft_forget_missing(draft *d, const char *name); /* it is no longer missing */
size_t draft_count_missing(const draft *d, const char *name); /* sources that lack it */
size_t draft_count_compiled(const draft *d);

/* headers.c: makes what is missing for the trial, where it is known how. False: nothing more. */
bool draft_make_headers(draft *d);
bool draft_is_made(const draft *d, const char *name);
void draft_write_made_headers(const draft *d, obb_text *text);

/* trial.c: its words: it may have some behind it. */
void draft_add_compiler(draft *d, bool cxx, obb_words *words);

/* questions.c: what the tested macros ask, and what this system answers. */
void draft_find_questions(draft *d);

/* questions.c: the header of the configuration, for the trial: by what this system has. What the description
 * asks is answered by its build. */
void draft_write_header(draft *d, const char *name);

/* questions.c: headers in which functions usually are, or types and their members; ends with NULL. */
const char *const *draft_usual_headers(bool of_types);

/* trial.c: compiles, and reads what objects define and lack. NULL, or why it cannot. */
const char *draft_compile(draft *d);

/* targets.c: programs, libraries and tests. */
void draft_find_targets(draft *d);

/* systems.c: libraries of this system that define what targets lack. */
void draft_find_libraries(draft *d);

/* processors.c: folders with variants of files for processors become patterns of targets. */
void draft_find_processors(draft *d);

/* processors.c: whether it stands in for a source beside its folder. */
bool draft_stands_in(const draft *d, const draft_file *f);
void draft_write_processors(const draft *d, const draft_target *t, obb_text *text);

/* systems.c: whether the C or C++ library defines it. */
bool draft_has_function(draft *d, const char *name);

/* systems.c: whether the compiler, or some library of this system, defines a symbol. */
bool draft_is_of_system(draft *d, const char *symbol);

/* writing.c: a word as a description has it, in quotation marks where it needs them. */
void draft_write_word(obb_text *text, const char *word);

/* writing.c: whether a text ends so, and is not that alone. */
bool draft_ends_with(const char *text, const char *end);

/* writing.c: in small letters. */
const char *draft_lower(const draft *d, const char *text);

/* writing.c */
void draft_write(const draft *d, obb_text *text);

#endif
