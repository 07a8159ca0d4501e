/* Third-party code that is stated without a place of its own, or that other third-party code needs: it is
 * looked up in the indexes of the project (reader.h).
 *
 * Of each name the least version is taken that all who ask for it accept; a version that the lock file has,
 * and that they accept, stays. Taking one may bring new askers, and with them a later version of what was
 * taken before: then all is chosen again with what was learnt, until nothing changes. Versions only go up
 * meanwhile, so that ends. */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"
#include "project/version.h"

/* What is known of one name while versions are chosen. */
typedef struct choice {
    const char *name;
    obb_word word;             /* the place that asked first */
    obb_other *stated;         /* our statement; or NULL */
    OBB_VEC(obb_asker) askers;
    const char *version;       /* NULL: not chosen */
    const obb_index *index;
    const char *entry_path;
    const obb_item *entry;     /* the statement in the entry */
    obb_items inside;
    bool loaded;
} choice;

typedef struct chooser {
    obb_reader *r;
    OBB_VEC(choice) choices;
    bool waits, failed; /* for a file that must be fetched; an error was reported */
} chooser;

void obb_read_index(obb_reader *r, const obb_item *item)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    obb_index *index = obb_arena_alloc(r->arena, sizeof *index);
    *index = (obb_index){.name = item->name.text, .place = item->name.place};
    const obb_items inside = obb_reader_items(r, item->block, OBB_IN_INDEX, NULL);
    for (size_t i = 0; i < r->project->indexes.count; i++)
        if (strcmp(r->project->indexes.at[i]->name, index->name) == 0) {
            obb_reader_twice(r, "indexes", index->name, index->place, r->project->indexes.at[i]->place);
            return;
        }
    if (inside.count == 1)
        obb_read_at(r, &inside.at[0], index);
    else
        obb_hint(r->diags,
                 obb_reader_fault(r, index->place, "it is not said where the index `%s` is", index->name),
                 "write: at FOLDER, or at URL");
    obb_arena_push(r->arena, &r->project->indexes, index);
}

/* --- files of an index -------------------------------------------------------------- */

/* Notes that a file of an index is needed. Whether it is there. */
static bool need_file(obb_reader *r, const obb_index_file *file)
{
    obb_fingerprint ignored;
    obb_index_file f = *file;
    f.missing = f.index->url &&
                obb_files_fingerprint(r->files, obb_files_number(r->files, f.path), &ignored) != 0;
    for (size_t i = 0; i < r->project->index_files.count; i++)
        if (strcmp(r->project->index_files.at[i].path, f.path) == 0)
            return !r->project->index_files.at[i].missing;
    obb_arena_push(r->arena, &r->project->index_files, f);
    r->project->incomplete = r->project->incomplete || f.missing;
    return !f.missing;
}

static const char *url_below(obb_reader *r, const obb_index *index, const char *below)
{
    return index->url ? obb_arena_format(r->arena, "%s/%s", index->url, below) : NULL;
}

bool obb_need_index_file(obb_reader *r, const obb_thirdparty *t, const obb_word *word)
{
    const char *path = obb_reader_path(r, word);
    if (!obb_path_within(path, t->index->folder))
        return true; /* our own statement names it */
    return need_file(r, &(obb_index_file){.name = t->name,
                                          .version = t->version,
                                          .index = t->index,
                                          .path = path,
                                          .url = url_below(r, t->index, path + strlen(t->index->folder) + 1),
                                          .place = word->place});
}

/* The versions that an index offers of a name, a line each; of a folder without such a list, its entries. */
static bool list_versions(chooser *c, const choice *wanted, const obb_index *index, obb_words *versions)
{
    obb_reader *r = c->r;
    const char *below = obb_arena_format(r->arena, "%s/versions", wanted->name);
    const char *path = obb_path_join(r->arena, index->folder, below),
               *folder = obb_path_folder(r->arena, path);
    obb_text text = {0};
    if (index->url && !need_file(r, &(obb_index_file){.name = wanted->name,
                                                      .index = index,
                                                      .path = path,
                                                      .url = url_below(r, index, below),
                                                      .place = wanted->word.place}))
        return false;
    if (!obb_files_read(r->files, obb_files_number(r->files, path), &text)) {
        for (const char *at = text.bytes; *at; at += strcspn(at, "\n"), at += *at == '\n') {
            const char *line = obb_arena_copy(r->arena, at, strcspn(at, " \t\r\n#"));
            if (obb_version_ok(line))
                obb_arena_push(r->arena, versions, line);
        }
    } else if (!index->url) {
        const obb_words *names = obb_files_list(r->files, obb_files_number(r->files, folder));
        for (size_t i = 0; i < names->count; i++) {
            const char *name = names->at[i], *suffix = obb_path_suffix(name);
            if (*name >= '0' && *name <= '9' && strcmp(suffix, ".score") == 0)
                obb_arena_push(r->arena, versions,
                               obb_arena_copy(r->arena, name, strlen(name) - strlen(suffix)));
        }
    }
    obb_text_free(&text);
    return true;
}

/* --- choosing ----------------------------------------------------------------------- */

static bool accepts(const obb_asker *a, const char *version)
{
    int order = a->version ? obb_version_order(version, a->version) : 0;
    return a->least ? order >= 0 : !a->version || strcmp(version, a->version) == 0;
}

static bool all_accept(const choice *w, const char *version)
{
    for (size_t i = 0; i < w->askers.count; i++)
        if (!accepts(&w->askers.at[i], version))
            return false;
    return true;
}

/* The version that the lock file has of a name, with its index; NULL: none, or it is not accepted. */
static const char *locked_version(chooser *c, const choice *w, const obb_index **index)
{
    const obb_project *p = c->r->project;
    for (size_t i = 0; i < p->lock->lines.count; i++) {
        const obb_lock_line *l = &p->lock->lines.at[i];
        if (l->kind != OBB_LOCK_ENTRY || strcmp(l->name, w->name) != 0 || !all_accept(w, l->version))
            continue;
        for (size_t k = 0; k < p->indexes.count; k++) {
            const char *entry = obb_arena_format(c->r->arena, "%s/%s/%s.score", p->indexes.at[k]->name,
                                                 w->name, l->version);
            if (strcmp(l->from, entry) == 0) {
                *index = p->indexes.at[k];
                return l->version;
            }
        }
    }
    return NULL;
}

static void add_chain(chooser *c, obb_diag *d, const obb_asker *a)
{
    const char *kind = !a->version ? "any version"
                       : a->least  ? obb_arena_format(c->r->arena, "at least %s", a->version)
                                   : a->version;
    obb_also(c->r->diags, d, a->place, "%s asks for %s", a->by ? a->by : "this project", kind);
    for (const char *by = a->by; by;) { /* and who asks for that one */
        const choice *w = NULL;
        for (size_t i = 0; i < c->choices.count; i++)
            if (strcmp(c->choices.at[i].name, by) == 0)
                w = &c->choices.at[i];
        if (!w || !w->askers.count || obb_same(w->askers.at[0].by, by))
            break;
        obb_also(c->r->diags, d, w->askers.at[0].place, "  %s%s%s is there for %s", by, w->version ? " " : "",
                 w->version ? w->version : "", w->askers.at[0].by ? w->askers.at[0].by : "this project");
        by = w->askers.at[0].by;
    }
}

/* Nothing fits: which versions there are, and who asks for what. */
static void tell_conflict(chooser *c, const choice *w, const obb_words *versions)
{
    obb_reader *r = c->r;
    obb_text offered = {0};
    for (size_t i = 0; i < versions->count; i++)
        obb_text_format(&offered, "%s%s", i ? ", " : "", versions->at[i]);
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->word.place,
                            versions->count             ? "no version of `%s` fits all who ask for it"
                            : r->project->indexes.count ? "no index has `%s`"
                                                        : "it is not said where `%s` is",
                            w->name);
    for (size_t i = 0; i < w->askers.count; i++)
        add_chain(c, d, &w->askers.at[i]);
    if (versions->count)
        obb_hint(r->diags, d, "there are: %s", offered.bytes);
    else if (!r->project->indexes.count)
        obb_hint(r->diags, d, "write: from URL, from folder PATH; or state an `index` that has it");
    obb_text_free(&offered);
    c->failed = true;
}

/* A list on a web server may have grown since it was fetched. */
static bool look_again(chooser *c, const choice *w)
{
    bool any = false;
    obb_project *p = c->r->project;
    for (size_t i = 0; i < p->index_files.count; i++) {
        obb_index_file *f = &p->index_files.at[i];
        if (f->version || strcmp(f->name, w->name) != 0 || !f->index->url)
            continue;
        f->missing = true;
        f->lacks = obb_arena_format(c->r->arena, "no version of `%s` fits all who ask for it", w->name);
        any = true;
    }
    p->incomplete = p->incomplete || any;
    c->waits = c->waits || any;
    return any;
}

static bool wants_newest(const chooser *c, const choice *w)
{
    const obb_reading *how = c->r->how;
    bool all = !how->names || !how->names->count;
    for (size_t i = 0; !all && i < how->names->count; i++)
        all = strcmp(how->names->at[i], w->name) == 0;
    return how->newest && all;
}

/* Sets version and index. */
static void choose(chooser *c, choice *w)
{
    int sign = wants_newest(c, w) ? -1 : 1;
    obb_words all = {0};
    bool waits = false;
    w->version = sign > 0 ? locked_version(c, w, &w->index) : NULL;
    if (w->version && !w->index->folder) { /* the index itself must be fetched */
        w->version = NULL;
        c->waits = true;
        return;
    }
    for (size_t i = 0; i < c->r->project->indexes.count && !w->version; i++) {
        const obb_index *index = c->r->project->indexes.at[i];
        obb_words versions = {0};
        if (!index->folder || !list_versions(c, w, index, &versions)) {
            waits = waits || index->folder || index->source;
            continue;
        }
        for (size_t k = 0; k < versions.count; k++) {
            obb_arena_push(c->r->arena, &all, versions.at[k]);
            if (all_accept(w, versions.at[k]) &&
                (!w->version || sign * obb_version_order(versions.at[k], w->version) < 0)) {
                w->version = versions.at[k];
                w->index = index;
            }
        }
        if (waits)
            w->version = NULL; /* an index before this one is not there yet */
    }
    c->waits = c->waits || (waits && !w->version);
    if (!w->version && !waits && !look_again(c, w))
        tell_conflict(c, w, &all);
}

/* The statement of the entry. */
static void load(chooser *c, choice *w)
{
    obb_reader *r = c->r;
    const char *below = obb_arena_format(r->arena, "%s/%s.score", w->name, w->version);
    const char *path = obb_path_join(r->arena, w->index->folder, below);
    obb_text text = {0};
    w->loaded = true;
    w->entry = NULL;
    if (!need_file(r, &(obb_index_file){.name = w->name,
                                        .version = w->version,
                                        .index = w->index,
                                        .path = path,
                                        .url = url_below(r, w->index, below),
                                        .place = w->word.place})) {
        c->waits = true;
        return;
    }
    int failed = obb_files_read(r->files, obb_files_number(r->files, path), &text);
    if (failed) {
        obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->word.place, "cannot read %s: %s", path,
                  strerror(failed));
        c->failed = true;
        return;
    }
    const obb_score *score = obb_score_parse(r->arena, &(obb_score_origin){.file = path}, text.bytes,
                                             text.length, r->diags);
    const obb_items top = obb_reader_items(r, &score->top, OBB_IN_TOP, NULL);
    obb_text_free(&text);
    obb_arena_push(r->arena, &r->project->descriptions, path);
    for (size_t i = 0; i < top.count; i++)
        if (top.at[i].vocable.id == OBB_W_THIRDPARTY && top.at[i].block &&
            obb_same(top.at[i].name.text, w->name) && !w->entry) {
            obb_item *kept = obb_arena_alloc(r->arena, sizeof *kept);
            *kept = top.at[i];
            w->entry = kept;
        }
    if (top.count != 1 || !w->entry) {
        obb_hint(r->diags,
                 obb_reader_fault(r, (obb_place){path, 1, 1, NULL, NULL},
                                  "the entry of `%s` must hold its statement, and nothing else", w->name),
                 "write: thirdparty %s { from URL; sha256 SUM }", w->name);
        c->failed = true;
        return;
    }
    w->inside = obb_reader_items(r, w->entry->block, OBB_IN_THIRDPARTY, NULL);
}

/* --- who asks ----------------------------------------------------------------------- */

static choice *choice_of(chooser *c, const obb_word *name)
{
    for (size_t i = 0; i < c->choices.count; i++)
        if (strcmp(c->choices.at[i].name, name->text) == 0)
            return &c->choices.at[i];
    obb_arena_push(c->r->arena, &c->choices, (choice){.name = name->text, .word = *name});
    for (size_t i = 0; i < c->r->others.count; i++)
        if (strcmp(c->r->others.at[i]->t->name, name->text) == 0)
            c->choices.at[c->choices.count - 1].stated = c->r->others.at[i];
    return &c->choices.at[c->choices.count - 1];
}

/* `VERSION`, `least VERSION`, or nothing, from word `at` on. */
static bool read_wish(chooser *c, const obb_item *item, const obb_word_list *v, size_t at, obb_asker *asker)
{
    asker->place = item->head.place;
    asker->least = v->count == at + 2 && strcmp(v->at[at].text, "least") == 0;
    if (v->count == at)
        return true;
    if ((v->count == at + 1 || asker->least) && obb_version_ok(v->at[v->count - 1].text)) {
        asker->version = v->at[v->count - 1].text;
        return true;
    }
    obb_hint(c->r->diags,
             obb_reader_fault(c->r, item->head.place, "`%s` names a version wrongly", item->head.text),
             "write, for example: version 2.4.1, version least 2.4, needs bellows least 1.2");
    c->failed = true;
    return false;
}

/* The same asker once, whatever round it is. */
static bool add_asker(chooser *c, choice *w, const obb_asker *a)
{
    for (size_t i = 0; i < w->askers.count; i++)
        if (obb_same(w->askers.at[i].by, a->by) && obb_same(w->askers.at[i].version, a->version) &&
            w->askers.at[i].least == a->least)
            return false;
    obb_arena_push(c->r->arena, &w->askers, *a);
    return true;
}

/* What a statement or an entry needs. Whether that is new. */
static bool add_needs(chooser *c, const char *by, const obb_items *inside)
{
    bool any = false;
    for (size_t i = 0; i < inside->count; i++) {
        const obb_item *item = &inside->at[i];
        obb_asker asker = {.by = by};
        if (item->vocable.id != OBB_W_NEEDS_OTHER)
            continue;
        const obb_word_list v = obb_item_values(c->r, item);
        if (v.count && read_wish(c, item, &v, 1, &asker))
            any = add_asker(c, choice_of(c, &v.at[0]), &asker) || any;
    }
    return any;
}

static void ask_for_ours(chooser *c)
{
    for (size_t i = 0; i < c->r->others.count; i++) {
        obb_other *o = c->r->others.at[i];
        obb_asker asker = {.place = o->t->place};
        if (!o->item)
            continue;
        const obb_word name = {o->t->name, o->t->place, false};
        for (size_t k = 0; k < o->ours.count && !o->placed; k++)
            if (o->ours.at[k].vocable.id == OBB_W_VERSION) {
                const obb_word_list v = obb_item_values(c->r, &o->ours.at[k]);
                read_wish(c, &o->ours.at[k], &v, 0, &asker);
            }
        add_asker(c, choice_of(c, &name), &asker);
        add_needs(c, o->t->name, &o->ours);
    }
}

/* What another version of it asked for does not count any more. */
static void forget_needs(chooser *c, const char *by)
{
    for (size_t i = 0; i < c->choices.count; i++) {
        choice *w = &c->choices.at[i];
        size_t kept = 0;
        for (size_t k = 0; k < w->askers.count; k++)
            if (!obb_same(w->askers.at[k].by, by))
                w->askers.at[kept++] = w->askers.at[k];
        w->askers.count = kept;
    }
}

/* Ours, with a place of its own: no index decides, but its version must do. */
static void check_placed(chooser *c, const choice *w)
{
    const obb_thirdparty *t = w->stated->t;
    for (size_t i = 0; i < w->askers.count; i++) {
        if (!*t->version || accepts(&w->askers.at[i], t->version))
            continue;
        obb_diag *d = obb_error(c->r->diags, OBB_FAULT_DESCRIPTION, t->place,
                                "`%s` %s is stated, which does not fit all "
                                "who ask for it",
                                w->name, t->version);
        add_chain(c, d, &w->askers.at[i]);
        obb_hint(c->r->diags, d, "state another version, or leave the place out and let an index offer one");
        c->failed = true;
    }
}

/* One round: chooses what is not chosen, or does not fit any more. Whether something changed. */
static bool choose_all(chooser *c)
{
    bool changed = false;
    for (size_t i = 0; i < c->choices.count && !c->failed; i++) {
        choice *w = &c->choices.at[i];
        if ((w->stated && w->stated->placed) || !w->askers.count || (w->version && all_accept(w, w->version)))
            continue;
        forget_needs(c, w->name);
        choose(c, w);
        w->loaded = false;
        if (!w->version || c->failed)
            continue;
        load(c, w);
        changed = true;
        if (w->entry && !c->failed) {
            const obb_items inside = w->inside; /* choices may move */
            add_needs(c, w->name, &inside);
        }
    }
    return changed;
}

static void place_all(chooser *c, obb_items *top)
{
    obb_reader *r = c->r;
    for (size_t i = 0; i < c->choices.count; i++) {
        choice *w = &c->choices.at[i];
        if (!w->askers.count)
            continue;
        obb_other *o = w->stated ? w->stated : obb_add_other(r, &w->word, NULL);
        for (size_t k = 0; k < w->askers.count; k++)
            obb_arena_push(r->arena, &o->t->askers, w->askers.at[k]);
        if (o->placed)
            continue;
        o->t->version = w->version;
        o->t->index = w->index;
        o->entry = w->inside;
        obb_place_other(r, o, top);
    }
}

void obb_look_up_others(obb_reader *r, obb_items *top)
{
    chooser c = {.r = r};
    enum { MOST_ROUNDS = 1000 };
    for (size_t i = 0; i < r->project->indexes.count; i++)
        if (r->project->indexes.at[i]->source && !r->project->indexes.at[i]->folder)
            r->project->incomplete = true;
    ask_for_ours(&c);
    size_t round = 0;
    while (!c.failed && round < MOST_ROUNDS && choose_all(&c))
        round++;
    if (round == MOST_ROUNDS)
        tell_conflict(&c, &c.choices.at[0], &(obb_words){0});
    for (size_t i = 0; i < c.choices.count && !c.failed; i++)
        if (c.choices.at[i].stated && c.choices.at[i].stated->placed)
            check_placed(&c, &c.choices.at[i]);
    if (!c.failed && !c.waits)
        place_all(&c, top);
    r->project->incomplete = r->project->incomplete || c.failed || c.waits;
}
