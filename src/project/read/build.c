/* Third-party code that is built by commands of its own (reader.h): `build` in its statement. It becomes what
 * a description of it could say as well: a step that runs apart, and a library or program for each `offers`,
 * named in terms of what the step makes. So there is one way in which such things are planned. */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

typedef struct maker {
    obb_reader *r;
    const obb_thirdparty *t;
    const char *folder; /* what paths are seen from */
    obb_place place;   /* of the statement that is turned into another one */
} maker;

static obb_word word_at(const maker *m, const char *text, obb_place place)
{
    place.folder = m->folder;
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

/* What an archive of binaries has: its files and folders by their paths, other libraries by their names. */
static void add_file_setting(maker *m, const obb_item *item, obb_block *share)
{
    const obb_word_list v = obb_item_values(m->r, item);
    bool include = item->vocable.id == OBB_W_OFFERED_INCLUDE, plain = item->vocable.id == OBB_W_OFFERED_LIBS;
    for (size_t i = 0; i < v.count; i++) {
        /* a name without a folder would be one of the system's */
        const char *text = plain || strchr(v.at[i].text, '/')
                               ? v.at[i].text
                               : obb_arena_format(m->r->arena, "./%s", v.at[i].text);
        const char *const words[] = {include ? "include" : "libs", text, NULL};
        m->place = v.at[i].place;
        obb_arena_push(m->r->arena, &share->list, statement(m, words, NULL));
    }
}

static bool is_program(obb_reader *r, const obb_item *offer)
{
    const obb_word_list v = obb_item_values(r, offer);
    return v.count == 2 && strcmp(v.at[0].text, "program") == 0;
}

/* `at FILE` of an offered program; NULL with an error. */
static const obb_item *find_program_file(maker *m, const obb_item *offer)
{
    const char *name = obb_item_values(m->r, offer).at[1].text;
    const obb_items inside = obb_reader_items(m->r, offer->block, OBB_IN_OFFER, NULL);
    const obb_item *at = NULL;
    for (size_t i = 0; i < inside.count; i++)
        if (inside.at[i].vocable.id == OBB_W_OFFERED_AT)
            at = &inside.at[i];
        else
            obb_hint(m->r->diags,
                     obb_reader_fault(m->r, inside.at[i].head.place, "`%s` is nothing that a program offers",
                                      inside.at[i].head.text),
                     "of a program only its file is stated: offers program %s { at bin/%s }", name, name);
    if (!at)
        obb_hint(m->r->diags,
                 obb_reader_fault(m->r, offer->head.place, "`offers program %s` names no file", name),
                 "state where it is: offers program %s { at bin/%s }", name, name);
    return at;
}

/* A program that the prefix holds. */
static void offer_program(maker *m, const obb_item *offer, const char *name, obb_statement *makes,
                          obb_block *top)
{
    obb_block *block = new_block(m);
    const char *const program[] = {"program", name, NULL};
    const obb_item *at = find_program_file(m, offer);
    obb_statement *s = statement(m, program, block);
    if (!at)
        return;
    m->place = at->head.place;
    const char *const words[] = {
        "executable",
        obb_arena_format(m->r->arena, "made:%s", in_prefix(m, obb_item_value(at).text)), NULL};
    add_made(m, makes, at);
    obb_arena_push(m->r->arena, &block->list, statement(m, words, NULL));
    obb_arena_push(m->r->arena, &top->list, s);
}

static void read_offer(maker *m, const obb_item *offer, obb_statement *makes, obb_block *top)
{
    const obb_word_list v = obb_item_values(m->r, offer);
    m->place = offer->head.place;
    bool library = v.count == 2 && strcmp(v.at[0].text, "library") == 0;
    if (library || (v.count == 2 && strcmp(v.at[0].text, "program") == 0)) {
        if (obb_reader_name_ok(m->r, &v.at[1]))
            (library ? offer_library : offer_program)(m, offer, v.at[1].text, makes, top);
        return;
    }
    obb_hint(m->r->diags,
             obb_reader_fault(m->r, offer->head.place, "`%s` says what is then in the prefix",
                              offer->head.text),
             "write: offers library NAME { archive lib/libNAME.a; headers include/NAME.h; include include }, "
             "or: offers program NAME { at bin/NAME }");
}

void obb_read_build(obb_reader *r, const obb_items *inside, const obb_thirdparty *t, obb_items *top)
{
    static const char *const apart[] = {"apart", "yes", NULL}, *const reads[] = {"reads", "**/*", NULL},
                             *const makes_word[] = {"makes", NULL},
                             *const step_words[] = {"step", "build", NULL};
    maker m = {.r = r, .t = t, .folder = t->folder};
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
    maker m = {.r = r, .t = t, .folder = t->folder, .place = t->system->place};
    obb_block *made = new_block(&m), *block = new_block(&m), *share = new_block(&m);
    const char *const library[] = {"library", t->name, NULL}, *const shared[] = {"share", NULL};
    const char *metadata = t->system->metadata, *least = metadata ? strstr(metadata, " least ") : NULL;
    if (metadata) {
        const char *const words[] = {"metadata",
                                     obb_arena_copy(r->arena, metadata,
                                                    least ? (size_t)(least - metadata) : strlen(metadata)),
                                     least ? "least" : NULL, least ? least + strlen(" least ") : NULL, NULL};
        obb_arena_push(r->arena, &share->list, statement(&m, words, NULL));
    }
    for (size_t i = 0; i < t->system->libs.count; i++) {
        const char *const words[] = {"libs", t->system->libs.at[i], NULL};
        obb_arena_push(r->arena, &share->list, statement(&m, words, NULL));
    }
    obb_arena_push(r->arena, &block->list, statement(&m, shared, share));
    obb_arena_push(r->arena, &made->list, statement(&m, library, block));
    *top = obb_reader_items(r, made, OBB_IN_TOP, NULL);
}

/* --- binaries ----------------------------------------------------------------------- */

/* One `prebuilt`, where its archive is unpacked. */
typedef struct binary {
    const obb_item *item;
    obb_items inside;
    obb_thirdparty *source;
} binary;

static binary read_binary(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    binary b = {.item = item, .inside = obb_reader_items(r, item->block, OBB_IN_PREBUILT, NULL)};
    b.source = obb_arena_alloc(r->arena, sizeof *b.source);
    *b.source = (obb_thirdparty){.name = obb_arena_format(r->arena, "%s:prebuilt-%zu", t->name,
                                                          t->prebuilts.count + 1),
                                 .place = item->head.place,
                                 .project = t->name,
                                 .index = t->index,
                                 .version = t->version,
                                 .licence = t->licence,
                                 .from = ""};
    obb_arena_push(r->arena, &t->prebuilts, b.source);
    obb_read_prebuilt_places(r, &b.inside, b.source);
    return b;
}

/* `when CONDITION { share { ... } }`, or `{ executable ... }`, for what a binary offers under a name. */
static void add_offer(maker *m, const binary *b, const obb_item *offer, obb_block *target)
{
    static const char *const when[] = {"when", NULL}, *const share_word[] = {"share", NULL};
    obb_block *share = new_block(m), *held = new_block(m);
    const obb_items inside = obb_reader_items(m->r, offer->block, OBB_IN_OFFER, NULL);
    const obb_word_list condition = obb_item_values(m->r, b->item);
    m->place = b->item->head.place;
    obb_statement *s = statement(m, when, held);
    for (size_t i = 0; i < condition.count; i++)
        obb_arena_push(m->r->arena, &s->words, condition.at[i]);
    m->folder = b->source->folder;
    for (size_t i = 0; i < inside.count; i++)
        switch (inside.at[i].vocable.id) {
        case OBB_W_OFFERED_ARCHIVE:
        case OBB_W_OFFERED_SHARED:
        case OBB_W_OFFERED_LIBS:
        case OBB_W_OFFERED_INCLUDE: add_file_setting(m, &inside.at[i], share); break;
        case OBB_W_USES: take_statement(m, &inside.at[i], share); break;
        default: break;
        }
    if (is_program(m->r, offer)) {
        const obb_item *at = find_program_file(m, offer);
        const char *const file[] = {"executable", at ? obb_item_value(at).text : "", NULL};
        if (!at)
            return;
        m->place = at->head.place;
        obb_arena_push(m->r->arena, &held->list, statement(m, file, NULL));
    } else
        obb_arena_push(m->r->arena, &held->list, statement(m, share_word, share));
    obb_arena_push(m->r->arena, &target->list, s);
}

/* A library or program for each name that binaries offer. Where there are sources as well, the library is
 * called `prebuilt` and takes the place of theirs (resolve/variant.c). */
static void describe_binary(maker *m, const binary *all, size_t count, const char *name, bool sources,
                        obb_block *made)
{
    obb_block *block = new_block(m);
    static const char *const only[] = {"only", NULL};
    const char *kind = "library";
    obb_statement *s = statement(m, only, NULL);
    for (size_t i = 0; i < count; i++)
        for (size_t k = 0; k < all[i].inside.count; k++) {
            const obb_item *offer = &all[i].inside.at[k];
            const obb_word_list v = offer->vocable.id == OBB_W_OFFERS ? obb_item_values(m->r, offer)
                                                                      : (obb_word_list){0};
            const obb_word_list condition = obb_item_values(m->r, all[i].item);
            if (v.count != 2 || strcmp(v.at[1].text, name) != 0 || !offer->block)
                continue;
            if (s->words.count > 1)
                obb_arena_push(m->r->arena, &s->words, word_at(m, "or", m->place));
            obb_arena_push(m->r->arena, &s->words, word_at(m, "(", m->place));
            for (size_t n = 0; n < condition.count; n++)
                obb_arena_push(m->r->arena, &s->words, condition.at[n]);
            obb_arena_push(m->r->arena, &s->words, word_at(m, ")", m->place));
            kind = is_program(m->r, offer) ? "program" : kind;
            if (sources && is_program(m->r, offer))
                obb_hint(m->r->diags,
                         obb_reader_fault(m->r, offer->head.place,
                                          "`%s` has sources, so a binary can offer its library alone",
                                          m->t->name),
                         "state the program as third-party code of its own");
            add_offer(m, &all[i], offer, block);
        }
    obb_arena_push(m->r->arena, &block->list, s);
    const char *const target[] = {kind, sources ? "prebuilt" : name, NULL};
    obb_arena_push(m->r->arena, &made->list, statement(m, target, block));
}

void obb_read_prebuilts(obb_reader *r, const obb_items *inside, obb_thirdparty *t, obb_items *top)
{
    OBB_VEC(binary) all = {0};
    obb_words names = {0};
    maker m = {.r = r, .t = t, .folder = "."};
    for (size_t i = 0; i < inside->count; i++)
        if (inside->at[i].vocable.id == OBB_W_PREBUILT && inside->at[i].block)
            obb_arena_push(r->arena, &all, read_binary(r, &inside->at[i], t));
    for (size_t i = 0; i < all.count; i++) {
        r->project->incomplete = r->project->incomplete || !all.at[i].source->folder;
        for (size_t k = 0; k < all.at[i].inside.count; k++) {
            const obb_item *offer = &all.at[i].inside.at[k];
            const obb_word_list v = offer->vocable.id == OBB_W_OFFERS ? obb_item_values(r, offer)
                                                                      : (obb_word_list){0};
            bool known = v.count != 2;
            for (size_t n = 0; n < names.count && !known; n++)
                known = strcmp(names.at[n], v.at[1].text) == 0;
            if (!known)
                obb_arena_push(r->arena, &names, v.at[1].text);
        }
    }
    if (r->project->incomplete || !all.count)
        return;
    m.place = all.at[0].item->head.place;
    obb_block *made = new_block(&m);
    for (size_t i = 0; i < names.count; i++) {
        m.folder = ".";
        describe_binary(&m, all.at, all.count, names.at[i], t->fetched || t->folder, made);
    }
    *top = obb_reader_items(r, made, OBB_IN_TOP, NULL);
}
