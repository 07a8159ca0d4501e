/* A draft while it is made. Only src/draft uses this header. */
#ifndef OBB_DRAFT_WORK_H
#define OBB_DRAFT_WORK_H

#include <stdint.h>

#include "base/map.h"
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
    bool known;                /* a description has it already */
    OBB_VEC(named_include) includes;
    obb_words flags;           /* of a compilation database: -D and the like */
    bool compiled;
    const char *wrong;         /* the first error of its compile */
    obb_words defines, lacks;  /* symbols */
    bool is_main;
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
    obb_words unresolved;  /* symbols that nobody defines */
};

typedef struct draft {
    obb_arena *arena;
    const obb_draft_request *request;
    obb_draft_result *result;
    OBB_VEC(draft_file *) files; /* by path */
    obb_words includes;          /* folders, the most needed first */
    obb_words folders_given;     /* of those, what the database says */
    obb_words defines;           /* of the project, */
    size_t guessed;              /* and so many of the last ones have values that are made up */
    size_t unnamed;              /* sources that a description cannot name */
    obb_words grammars;          /* files that generators read, which nobody here carries out */
    obb_map defined;             /* macros that some file defines */
    obb_words tested;            /* HAVE_ and SIZEOF_ macros that are tested and defined nowhere */
    const char *header;          /* the header that they come from (config.h), which is not there; or NULL */
    obb_words missing;           /* headers that are not found */
    obb_map definers;            /* by symbol: draft_definers */
    OBB_VEC(draft_target *) targets;
    obb_map usual;               /* what the C and C++ libraries define */
    char temporary[64];          /* a folder */
} draft;

void draft_note(draft *d, const char *format, ...);

/* tree.c: finds files, and reads what they include and test. */
const char *draft_read_tree(draft *d);

/* includes.c: the folders that includes need. */
void draft_find_includes(draft *d);

/* database.c: takes files and flags from a compilation database. NULL, or what is wrong with it. */
const char *draft_read_database(draft *d);

/* trial.c: which of these headers the compilers find by themselves. */
void draft_ask_headers(draft *d, const obb_words *names, obb_map *has);

/* trial.c: the header that a macro such as HAVE_SYS_TIME_H is of, of those that are included; NULL: none. */
const char *draft_header_of(const draft *d, const char *macro);

/* trial.c: compiles, and reads what objects define and lack. NULL, or why it cannot. */
const char *draft_compile(draft *d);

/* targets.c: programs, libraries and tests. */
void draft_find_targets(draft *d);

/* systems.c: libraries of this system that define what targets lack. */
void draft_find_libraries(draft *d);

/* systems.c: whether the C or C++ library defines it. */
bool draft_has_function(draft *d, const char *name);

/* writing.c: in small letters. */
const char *draft_lower(const draft *d, const char *text);

/* writing.c */
void draft_write(const draft *d, obb_text *text);

bool draft_has(const obb_words *list, const char *word);

#endif
