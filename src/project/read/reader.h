/* From syntax trees to items: a known word with its values, `{name}` replaced, lists
 * gathered from words and blocks. Shared by the parts of src/project that give meaning. */
#ifndef OBB_PROJECT_READ_READER_H
#define OBB_PROJECT_READ_READER_H

#include "project/project.h"
#include "project/vocabulary.h"

typedef struct obb_item {
    obb_vocable vocable;
    obb_word head;
    obb_word name;          /* of OBB_TAKES_NAME_...; the text is NULL otherwise */
    OBB_VEC(obb_word_list) lines; /* the values, line by line as written */
    const obb_block *block;  /* of OBB_TAKES_...BLOCK */
    obb_place before;        /* where a single value was stated before in this block; or none */
    const obb_condition *condition;  /* the condition around it; NULL: none */
    const obb_choose *choose; /* of a `refuse` that stands for a missing case */
} obb_item;

/* `has` of a condition, to be resolved when all checks are known. */
typedef struct obb_sought {
    obb_test *test;
    obb_place place;
} obb_sought;

typedef OBB_VEC(obb_item) obb_items;

/* Third-party code while the project is read. */
typedef struct obb_other {
    obb_thirdparty *t;
    const obb_item *item;      /* our statement; NULL: something else needs it */
    obb_items ours, entry;     /* what is in that, and in the entry of an index */
    bool placed;               /* it is known where it comes from, and its description was read */
} obb_other;

typedef struct obb_reader {
    const obb_reading *how;
    obb_project *project;
    obb_arena *arena;
    obb_files *files;
    obb_diags *diags;
    OBB_VEC(obb_other *) others;
    obb_map read_files;  /* paths of descriptions, with their scopes */
    obb_map value_names; /* obb_named_value */
    OBB_VEC(obb_assignment) alternatives; /* what conditions name: checked when all values are known */
    OBB_VEC(obb_sought) sought;
    obb_map settings_names; /* obb_item of `settings NAME` */
    int likes;              /* so many sets of settings are being read inside each other */
    int value_depth;      /* of values that are made of each other, while they are replaced */
    size_t value_words;   /* that all values have become so far */
} obb_reader;

/* The items of a block, those inside conditions among them; errors for what does not belong there.
 * `condition` is the one around the block. */
obb_items obb_reader_items(obb_reader *reader, const obb_block *block, obb_where where,
                           const obb_condition *condition);

/* The values of an item in one list; the first one (its place is the head's if none). */
obb_word_list obb_item_values(obb_reader *reader, const obb_item *item);
obb_word obb_item_value(const obb_item *item);

/* The item as a property; its words, joined by blanks. */
obb_property obb_item_property(const obb_item *item);
char *obb_joined_words(obb_arena *arena, const obb_word_list *words);

/* The word where no placeholder is left to be filled: a brace that is written twice is one. */
obb_word obb_reader_plain_braces(obb_reader *reader, const obb_word *word);

/* A path of a value, seen from the file that states it. */
const char *obb_reader_path(obb_reader *reader, const obb_word *word);

/* An error of the description; `message` is a format for `word`. */
obb_diag *obb_reader_fault(obb_reader *reader, obb_place place, const char *message, const char *word);

/* A name of a target, value or set of settings as the project knows it: with its scope in front. */
const char *obb_reader_scoped(obb_reader *reader, obb_place place, const char *name);

/* Reports a name that cannot be one (empty, with blanks, slashes or braces). */
bool obb_reader_name_ok(obb_reader *reader, const obb_word *name);

/* Reports that there are two of a kind with one name. */
void obb_reader_twice(obb_reader *reader, const char *kinds, const char *name, obb_place place,
                      obb_place before);

/* The index of a value among `words` (ends with NULL), or -1 with an error. */
int obb_reader_one_of(obb_reader *reader, const char *what, const obb_word *value,
                      const char *const *words);

/* Conditions (condition.c). A test of a list of words; NULL with an error when it is none. */
const obb_test *obb_read_test(obb_reader *reader, const obb_word_list *words, obb_place place);
const obb_condition *obb_condition_when(obb_reader *reader, const obb_word_list *words, obb_place place,
                                const obb_condition *parent);
const obb_condition *obb_condition_case(obb_reader *reader, const obb_choose *choose, size_t which);
obb_choose *obb_read_choose(obb_reader *reader, const obb_word_list *words, const obb_block *block,
                            obb_place place, const obb_condition *parent);
void obb_check_alternatives(obb_reader *reader);

/* A warning when a value that nobody stated before is written almost like a known one. */
void obb_check_new_value(obb_reader *reader, const obb_axis *axis, const char *value, obb_place place);

/* Axes (axes.c). */
obb_axis *obb_axis_or_fault(obb_reader *reader, const char *name, obb_place place);
void obb_add_axis_value(obb_reader *reader, obb_axis *axis, const char *value);
void obb_read_axes(obb_reader *reader, obb_items *top);
void obb_check_configurations_of_others(obb_reader *reader); /* the same */
void obb_set_axes_of_others(obb_reader *reader); /* thirdparty.c: `set` in its statement */

/* Whether a statement of the top level describes a target that may have conditions, and be one of many. */
bool obb_states_target(const obb_statement *statement);

/* `only` for all targets of a file, or of a block (only.c): it becomes their own. */
void obb_spread_only(obb_reader *reader, obb_block *top);

/* Code of others (thirdparty.c): its description is read as part of the project; the items that count are
 * added to `top`, their names with the scope in front. */
void obb_read_thirdparty(obb_reader *reader, const obb_item *item, obb_items *top);
void obb_place_other(obb_reader *reader, obb_other *other, obb_items *top); /* reads its description */
void obb_read_build(obb_reader *reader, const obb_items *inside, const obb_thirdparty *t,
                    obb_items *top); /* build.c: `build`, as items of a description */
void obb_read_prebuilts(obb_reader *reader, const obb_items *inside, obb_thirdparty *t,
                        obb_items *top); /* the same: binaries for some platforms */
void obb_read_prebuilt_places(obb_reader *reader, const obb_items *inside, obb_thirdparty *t); /* sources.c */
void obb_read_system_library(obb_reader *reader, const obb_thirdparty *t, obb_items *top); /* the same: what
                                                          is the system's alone */
bool obb_read_prefer(obb_reader *reader, const obb_item *item); /* whether its own sources are preferred */
obb_other *obb_add_other(obb_reader *reader, const obb_word *name, const obb_item *item);
void obb_read_index(obb_reader *reader, const obb_item *item);             /* indexes.c */
void obb_look_up_others(obb_reader *reader,
                        obb_items *top); /* the same: those without a place of their own */
bool obb_need_index_file(obb_reader *reader, const obb_thirdparty *t,
                         const obb_word *word); /* of a web server, named
              by an entry. False: it must be fetched first */
void obb_read_at(obb_reader *reader, const obb_item *item,
                 obb_index *index); /* sources.c: where an index is */
void obb_read_places(obb_reader *reader, const obb_items *inside,
                     obb_thirdparty *t); /* sources.c: where it comes from, which version, patches */
void obb_read_thirdparty_settings(obb_reader *reader, const obb_items *top);

/* Parses a file with all that it reads (project.c). False: it cannot be read, with an error at `from`. */
bool obb_read_file(obb_reader *reader, const obb_score_origin *origin, obb_place from, obb_items *top);

/* Many alike (each.c): statements that say `each` become one for each file or value. */
void obb_expand_each(obb_reader *reader, obb_block *top);

/* The parts of giving meaning, in their order. */
void obb_name_settings(obb_reader *reader, obb_items *top); /* targets.c: `settings NAME` */
void obb_read_definitions(obb_reader *reader, obb_items *top); /* definitions.c: toolchains, platforms ... */
void obb_read_runners(obb_reader *reader, obb_items *top);
void obb_read_launches(obb_reader *reader, obb_items *top); /* running.c: devices, launches; and runners */
void obb_read_tools(obb_reader *reader, const obb_word_list *words, const obb_condition *condition,
                    obb_uses *tools); /* steps.c */
void obb_check_environment(obb_reader *reader, const obb_word_list *words);
void obb_read_checks(obb_reader *reader, obb_items *top); /* checks.c */
void obb_resolve_has(obb_reader *reader);                 /* the same; when all is read */
void obb_read_deliveries(obb_reader *reader, obb_items *top); /* deliveries.c; when the targets are known */
void obb_read_lineups(obb_reader *reader, obb_items *top);
void obb_read_targets(obb_reader *reader, obb_items *top);
void obb_read_setting(obb_reader *reader, const obb_item *item, obb_settings *settings);
void obb_read_needs(obb_reader *reader, const obb_item *item); /* project.c: `needs obbligato V` */
void obb_read_refusal(obb_reader *reader, const obb_item *item, obb_refusals *refusals);
void obb_fingerprint_statements(obb_reader *reader,
                          const obb_items *top); /* statements.c; when the targets are known */
void obb_check_names(obb_project *project, obb_diags *diags);

#endif
