/* Fingerprints of statements: what an edit of a description changed, and what it left as it was. */
#include <string.h>

#include "project/read/reader.h"

static void add_word(obb_hasher *p, const obb_word *word)
{
    obb_hasher_string(p, word->text);
    obb_hasher_add(p, &word->quoted, sizeof word->quoted);
}

static void add_words(obb_hasher *p, const obb_word_list *words)
{
    obb_hasher_add(p, &words->count, sizeof words->count);
    for (size_t i = 0; i < words->count; i++)
        add_word(p, &words->at[i]);
}

static void add_block(obb_hasher *p, const obb_block *block)
{
    size_t count = block ? block->list.count : SIZE_MAX;
    obb_hasher_add(p, &count, sizeof count);
    for (size_t i = 0; block && i < count; i++) {
        add_words(p, &block->list.at[i]->words);
        add_block(p, block->list.at[i]->block);
    }
}

/* Paths in it are seen from its file. */
static void add_item(obb_hasher *p, const obb_item *item)
{
    obb_hasher_string(p, item->head.place.file);
    add_word(p, &item->head);
    add_word(p, &item->name);
    obb_hasher_add(p, &item->lines.count, sizeof item->lines.count);
    for (size_t i = 0; i < item->lines.count; i++)
        add_words(p, &item->lines.at[i]);
    add_block(p, item->block);
}

static obb_target *target_of(const obb_reader *r, const obb_item *item)
{
    switch (item->vocable.id) {
    case OBB_W_PROGRAM:
    case OBB_W_LIBRARY:
    case OBB_W_IMAGE:
    case OBB_W_GROUP:
    case OBB_W_STEP:
    case OBB_W_TEST: return item->name.text ? obb_project_target(r->project, item->name.text) : NULL;
    default: return NULL;
    }
}

void obb_fingerprint_statements(obb_reader *r, const obb_items *top)
{
    obb_hasher *rest = obb_hasher_new();
    for (size_t i = 0; i < top->count; i++) {
        obb_target *t = target_of(r, &top->at[i]);
        if (t) {
            obb_hasher *one = obb_hasher_new();
            add_item(one, &top->at[i]);
            t->statement = obb_hasher_end(one);
            obb_hasher_add(rest, &t->kind, sizeof t->kind);
            obb_hasher_string(rest, t->name);
        } else {
            add_item(rest, &top->at[i]);
        }
    }
    for (size_t i = 0; i < r->others.count; i++) { /* what an index says, and which version that is */
        const obb_other *o = r->others.at[i];
        obb_hasher_string(rest, o->t->version);
        obb_hasher_string(rest, o->t->folder);
        for (size_t k = 0; k < o->entry.count; k++)
            add_item(rest, &o->entry.at[k]);
    }
    r->project->rest = obb_hasher_end(rest);
}
