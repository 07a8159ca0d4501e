/* From syntax trees to items: a known word with its values, `{name}` replaced, lists
 * gathered from words and blocks. Shared by the parts of src/project that give meaning. */
#ifndef OBB_PROJECT_READER_H
#define OBB_PROJECT_READER_H

#include "project/project.h"
#include "project/vocabulary.h"

typedef struct obb_item {
    obb_vocable vocable;
    obb_word head;
    obb_word name;          /* of OBB_TAKES_NAME_…; the text is NULL otherwise */
    OBB_VEC(obb_word_list) lines; /* the values, line by line as written */
    const obb_block *block;  /* of OBB_TAKES_…BLOCK */
    obb_place before;        /* where a single value was stated before in this block; or none */
} obb_item;

typedef struct obb_reader {
    obb_project *project;
    obb_arena *arena;
    obb_files *files;
    obb_diags *diags;
    obb_map value_names; /* obb_named_value */
} obb_reader;

typedef OBB_VEC(obb_item) obb_items;

/* The items of a block; errors for what does not belong there. */
obb_items obb_reader_items(obb_reader *reader, const obb_block *block, obb_where where);

/* The values of an item in one list; the first one (its place is the head's if none). */
obb_word_list obb_item_values(obb_reader *reader, const obb_item *item);
obb_word obb_item_value(const obb_item *item);

/* A path of a value, seen from the file that states it. */
const char *obb_reader_path(obb_reader *reader, const obb_word *word);

/* An error of the description; `message` is a format for `word`. */
obb_diag *obb_reader_fault(obb_reader *reader, obb_place place, const char *message, const char *word);

/* Reports a name that cannot be one (empty, with blanks, slashes or braces). */
bool obb_reader_name_ok(obb_reader *reader, const obb_word *name);

/* The parts of giving meaning, in their order. */
void obb_read_configurations(obb_reader *reader, obb_items *top, const obb_block *builtin);
void obb_read_targets(obb_reader *reader, obb_items *top);
void obb_read_setting(obb_reader *reader, const obb_item *item, obb_settings *settings);
void obb_check_uses(obb_project *project, obb_diags *diags);

#endif
