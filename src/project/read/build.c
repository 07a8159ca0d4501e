/* Third-party code that is built by commands of its own (reader.h): `build` in its statement. It becomes what
 * a description of it could say as well: a step that runs apart, and a library or program for each `offers`,
 * named in terms of what the step makes. So there is one way in which such things are planned. */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

typedef struct maker {
    obb_reader *r;
    const obb_thirdparty *t;
    obb_place place;   /* of the statement that is turned into another one */
} maker;

static obb_word word_at(const maker *m, const char *text, obb_place place)
{
    place.folder = m->t->folder;
    place.scope = m->t->name;
    return (obb_word){text, place, false};
}

static obb_statement *statement(maker *m, const char *const *words, obb_block *block)
{
    obb_statement *s = obb_arena_alloc(m->r->arena, sizeof *s);
    for (; *words; words++)
        obb_arena_push(m->r->arena, &s->words, word_at(m, *words, m->place));
    s->block = block;
    return s;
}

static obb_block *new_block(maker *m)
{
    obb_block *b = obb_arena_alloc(m->r->arena, sizeof *b);
    b->open = m->place;
    return b;
}

/* A statement of the block as it is, with its words as of the third-party project. */
static void take_statement(maker *m, const obb_item *item, obb_block *into)
{
    for (size_t i = 0; i < item->lines.count; i++) {
        obb_statement *s = obb_arena_alloc(m->r->arena, sizeof *s);
        obb_arena_push(m->r->arena, &s->words, word_at(m, item->head.text, item->head.place));
        for (size_t k = 0; k < item->lines.at[i].count; k++)
            obb_arena_push(m->r->arena, &s->words,
                           word_at(m, item->lines.at[i].at[k].text, item->lines.at[i].at[k].place));
        obb_arena_push(m->r->arena, &into->list, s);
    }
}

static const char *in_prefix(maker *m, const char *path)
{
    return obb_path_join(m->r->arena, "prefix", path);
}

static void add_made(maker *m, obb_statement *makes, const obb_item *item)
{
    const obb_word_list v = obb_item_values(m->r, item);
    for (size_t i = 0; i < v.count; i++)
        obb_arena_push(m->r->arena, &makes->words, word_at(m, in_prefix(m, v.at[i].text), v.at[i].place));
}

static void add_setting(maker *m, const char *word, const obb_item *item, bool below, obb_block *share)
{
    const obb_word_list v = obb_item_values(m->r, item);
    for (size_t i = 0; i < v.count; i++) {
        const char *const words[] = {word,
                                     below ? obb_arena_format(m->r->arena, "{out}/%s",
                                                              in_prefix(m, v.at[i].text))
                                           : v.at[i].text,
                                     NULL};
        m->place = v.at[i].place;
        obb_arena_push(m->r->arena, &share->list, statement(m, words, NULL));
    }
}

/* A library that the prefix holds: its users get its folders and link its files. */
static void offer_library(maker *m, const obb_item *offer, const char *name, obb_statement *makes,
                          obb_block *top)
{
    static const char *const uses_build[] = {"uses", "build", NULL};
    obb_block *block = new_block(m), *share = new_block(m);
    const obb_items inside = obb_reader_items(m->r, offer->block, OBB_IN_OFFER, NULL);
    bool any = false;
    const char *const library[] = {"library", name, NULL}, *const shared[] = {"share", NULL};
    obb_statement *s = statement(m, library, block), *hands = statement(m, shared, share);
    obb_arena_push(m->r->arena, &block->list, statement(m, uses_build, NULL));
    for (size_t i = 0; i < inside.count; i++) {
        const obb_item *item = &inside.at[i];
        m->place = item->head.place;
        switch (item->vocable.id) {
        case OBB_W_OFFERED_ARCHIVE: case OBB_W_OFFERED_SHARED:
            add_made(m, makes, item);
            add_setting(m, "libs", item, true, share);
            any = true;
            break;
        case OBB_W_OFFERED_HEADERS:
            add_made(m, makes, item);
            any = true;
            break;
        case OBB_W_OFFERED_INCLUDE: add_setting(m, "include", item, true, share); break;
        case OBB_W_OFFERED_LIBS: add_setting(m, "libs", item, false, share); break;
        case OBB_W_USES: take_statement(m, item, share); take_statement(m, item, block); break;
        default: break;
        }
    }
    obb_arena_push(m->r->arena, &block->list, hands);
    obb_arena_push(m->r->arena, &top->list, s);
    if (!any)
        obb_hint(m->r->diags,
                 obb_reader_fault(m->r, offer->head.place, "`offers library %s` names no file", name),
                 "state what is then in the prefix: archive lib/libNAME.a, headers include/NAME.h");
}

static void read_offer(maker *m, const obb_item *offer, obb_statement *makes, obb_block *top)
{
    const obb_word_list v = obb_item_values(m->r, offer);
    m->place = offer->head.place;
    if (v.count == 2 && strcmp(v.at[0].text, "library") == 0 && obb_reader_name_ok(m->r, &v.at[1])) {
        offer_library(m, offer, v.at[1].text, makes, top);
        return;
    }
    obb_hint(m->r->diags,
             obb_reader_fault(m->r, offer->head.place, "`%s` says what is then in the prefix",
                              offer->head.text),
             "write: offers library NAME { archive lib/libNAME.a; headers include/NAME.h; include include }");
}

void obb_read_build(obb_reader *r, const obb_items *inside, const obb_thirdparty *t, obb_items *top)
{
    static const char *const apart[] = {"apart", "yes", NULL}, *const reads[] = {"reads", "**/*", NULL},
                             *const makes_word[] = {"makes", NULL},
                             *const step_words[] = {"step", "build", NULL};
    maker m = {.r = r, .t = t};
    for (size_t i = 0; i < inside->count; i++) {
        const obb_item *item = &inside->at[i];
        if (item->vocable.id != OBB_W_BUILD || !item->block)
            continue;
        m.place = item->head.place;
        obb_block *made = new_block(&m), *block = new_block(&m);
        obb_statement *makes = statement(&m, makes_word, NULL);
        const obb_items parts = obb_reader_items(r, item->block, OBB_IN_BUILD, NULL);
        obb_arena_push(r->arena, &block->list, statement(&m, apart, NULL));
        obb_arena_push(r->arena, &block->list, statement(&m, reads, NULL));
        for (size_t k = 0; k < parts.count; k++)
            if (parts.at[k].vocable.id == OBB_W_OFFERS && parts.at[k].block)
                read_offer(&m, &parts.at[k], makes, made);
            else if (parts.at[k].vocable.id != OBB_W_OFFERS)
                take_statement(&m, &parts.at[k], block);
        m.place = item->head.place;
        obb_arena_push(r->arena, &block->list, makes);
        obb_arena_push(r->arena, &made->list, statement(&m, step_words, block));
        if (makes->words.count == 1)
            obb_hint(r->diags,
                     obb_reader_fault(r, item->head.place, "the `%s` offers nothing", item->head.text),
                     "state what is then in the prefix: offers library NAME { archive lib/libNAME.a }");
        else
            *top = obb_reader_items(r, made, OBB_IN_TOP, NULL);
    }
}

void obb_read_system_library(obb_reader *r, const obb_thirdparty *t, obb_items *top)
{
    maker m = {.r = r, .t = t, .place = t->system_place};
    obb_block *made = new_block(&m), *block = new_block(&m), *share = new_block(&m);
    const char *const library[] = {"library", t->name, NULL}, *const shared[] = {"share", NULL};
    const char *least = strstr(t->system, " least ");
    const char *const metadata[] = {"metadata",
                                    least ? obb_arena_copy(r->arena, t->system, (size_t)(least - t->system))
                                          : t->system,
                                    least ? "least" : NULL, least ? least + strlen(" least ") : NULL, NULL};
    obb_arena_push(r->arena, &share->list, statement(&m, metadata, NULL));
    obb_arena_push(r->arena, &block->list, statement(&m, shared, share));
    obb_arena_push(r->arena, &made->list, statement(&m, library, block));
    *top = obb_reader_items(r, made, OBB_IN_TOP, NULL);
}
