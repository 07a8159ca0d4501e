/* Where third-party code comes from (reader.h): `from`, `version`, `patch`, `sha256`. What must be fetched is
 * only noted, with the folder that it will be unpacked in; whether it is there is looked at, and that the
 * project depends on its record. Fetching itself is src/outside's. */
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "base/sha256.h"
#include "project/read/reader.h"
#include "project/version.h"

#define FORMS "write one of: from folder PATH; from URL; from archive PATH; from repository URL at REVISION"

/* A version and a revision become part of a file name. */
static const char *as_name(obb_arena *arena, const char *text)
{
    char *name = obb_arena_string(arena, text);
    for (char *c = name; *c; c++)
        if (strchr("/\\: \t", *c))
            *c = '-';
    return name;
}

static bool is_url(const char *word)
{
    return strstr(word, "://") != NULL || obb_starts(word, "file:");
}

/* The project is read anew when its contents change. */
static void depend_on(obb_reader *r, obb_file file)
{
    obb_fingerprint ignored;
    obb_files_fingerprint(r->files, file, &ignored);
}

/* `{name}` and `{version}` in a word. */
static obb_word filled(obb_reader *r, const obb_word *word, const obb_thirdparty *t)
{
    static const char *const names[] = {"{name}", "{version}"};
    const char *const values[] = {t->project, t->version};
    obb_word done = *word;
    for (size_t i = 0; i < 2; i++)
        for (const char *at; (at = strstr(done.text, names[i]));)
            done.text = obb_arena_format(r->arena, "%.*s%s%s", (int)(at - done.text), done.text, values[i],
                                         at + strlen(names[i]));
    return done;
}

static const char *root_folder(obb_reader *r)
{
    char here[4096];
    return obb_arena_string(r->arena, getcwd(here, sizeof here) ? here : "/");
}

static void folder_here(obb_reader *r, const obb_word *word, obb_thirdparty *t)
{
    const char *root = root_folder(r), *path = obb_reader_path(r, word);
    const char *whole = obb_path_join(r->arena, root, path);
    if (obb_path_within(whole, root) || strcmp(whole, root) == 0)
        path = obb_path_below(r->arena, root, whole);
    const obb_stamp *stamp = obb_files_stamp(r->files, obb_files_number(r->files, path));
    obb_diag *d = NULL;
    if (obb_path_within(root, whole))
        d = obb_reader_fault(r, word->place, "`%s` holds this project", word->text);
    else if (strcmp(path, ".") == 0)
        d = obb_reader_fault(r, word->place, "`%s` is the folder of this project", word->text);
    else if (!stamp || stamp->kind != OBB_KIND_FOLDER)
        d = obb_reader_fault(r, word->place, stamp ? "`%s` is not a folder" : "there is no folder `%s`",
                             path);
    else
        t->folder = t->from = path;
    if (d)
        obb_hint(r->diags, d,
                 "code of others lies in a folder of the project or beside it, and is edited there");
}

/* URLs have no password: they stand in descriptions, lock files and messages. */
static bool url_ok(obb_reader *r, const obb_word *word)
{
    static const char *const schemes[] = {"https://", "http://", "file://", "ssh://", "git://", NULL};
    const char *host = strstr(word->text, "://");
    host = host ? host + 3 : word->text;
    const char *at = strchr(host, '@'), *colon = strchr(host, ':'), *slash = strchr(host, '/');
    size_t i = 0;
    while (schemes[i] && !obb_starts(word->text, schemes[i]))
        i++;
    if (at && slash && at < slash && colon && colon < at) {
        obb_diag *d = obb_reader_fault(r, word->place, "`%s` holds a password", "the URL");
        obb_hint(r->diags, d, "put it in ~/.netrc: machine HOST login NAME password WORD");
        return false;
    }
    if (!schemes[i] || strpbrk(word->text, " \t\n\"")) {
        obb_diag *d = obb_reader_fault(r, word->place, "`%s` is not a URL that can be fetched", word->text);
        obb_hint(r->diags, d, "it begins with https://, http:// or file:///");
        return false;
    }
    return true;
}

static obb_fetched *fetched_of(obb_reader *r, const obb_item *item, obb_thirdparty *t, obb_source_kind kind)
{
    if (!t->fetched)
        t->fetched = obb_arena_alloc(r->arena, sizeof *t->fetched);
    if (t->fetched->places.count && t->fetched->kind != kind)
        obb_hint(r->diags,
                 obb_reader_fault(r, item->head.place, "all `from` of `%s` must be of one kind", t->name),
                 "several `from` are mirrors of each other");
    t->fetched->kind = kind;
    return t->fetched;
}

/* `from archive PATH`: it lies in the project. */
static void archive_here(obb_reader *r, const obb_item *item, const obb_word *word, obb_thirdparty *t)
{
    obb_word path = *word;
    path.text = obb_reader_path(r, word);
    if (t->index && t->index->url && obb_path_within(path.text, t->index->folder)) {
        path.text = obb_arena_format(r->arena, "%s/%s", t->index->url,
                                     path.text + strlen(t->index->folder) + 1);
    } else if (obb_path_outside(path.text) && !(t->index && obb_path_within(path.text, t->index->folder))) {
        obb_reader_fault(r, word->place, "`%s` lies outside the project", path.text);
        return;
    }
    if (!is_url(path.text))
        depend_on(r, obb_files_number(r->files, path.text));
    obb_arena_push(r->arena, &fetched_of(r, item, t, OBB_FROM_ARCHIVE)->places, path);
}

static bool read_repository(obb_reader *r, const obb_item *item, const obb_word_list *v, obb_thirdparty *t)
{
    if (v->count != 4 || strcmp(v->at[2].text, "at") != 0)
        return false;
    obb_word url = filled(r, &v->at[1], t);
    const char *revision = filled(r, &v->at[3], t).text;
    if (*revision == '-' || strpbrk(revision, " \t\n:^~?*[\\")) {
        obb_reader_fault(r, v->at[3].place, "`%s` is not a branch, tag or commit", revision);
        return true;
    }
    obb_fetched *f = fetched_of(r, item, t, OBB_FROM_REPOSITORY);
    if (f->revision && strcmp(f->revision, revision) != 0)
        obb_reader_fault(r, v->at[3].place, "the mirrors of `%s` state several revisions", t->name);
    f->revision = revision;
    if (url_ok(r, &url))
        obb_arena_push(r->arena, &f->places, url);
    return true;
}

static void read_from(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    const obb_word_list v = obb_item_values(r, item);
    obb_word place = v.count ? filled(r, &v.at[v.count - 1], t) : (obb_word){0};
    bool ok = v.count == 1 && is_url(place.text);
    if (ok && url_ok(r, &place))
        obb_arena_push(r->arena, &fetched_of(r, item, t, OBB_FROM_ARCHIVE)->places, place);
    else if (v.count == 2 && (ok = strcmp(v.at[0].text, "folder") == 0) && !t->fetched)
        folder_here(r, &place, t);
    else if (v.count == 2 && (ok = ok || strcmp(v.at[0].text, "archive") == 0))
        archive_here(r, item, &place, t);
    else if (v.count && strcmp(v.at[0].text, "repository") == 0)
        ok = read_repository(r, item, &v, t);
    if (!ok)
        obb_hint(r->diags,
                 obb_reader_fault(r, item->head.place, "`%s` says where the code comes from",
                                  item->head.text),
                 FORMS);
}

static void read_version(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    const obb_word_list v = obb_item_values(r, item);
    if (v.count != 1 || !obb_version_ok(v.at[0].text)) {
        obb_hint(r->diags, obb_reader_fault(r, item->head.place, "`%s` states one version", item->head.text),
                 "write, for example: version 2.4.1; `version least V` is for what an index offers");
        return;
    }
    t->version = v.at[0].text;
}

static void read_sum(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    const obb_word value = obb_item_value(item);
    if (!obb_is_sha256(value.text))
        obb_hint(r->diags, obb_reader_fault(r, value.place, "`%s` is not a SHA-256 sum", value.text),
                 "it has 64 hexadecimal digits, as sha256sum prints them");
    else if (!t->fetched || t->fetched->kind != OBB_FROM_ARCHIVE)
        obb_reader_fault(r, value.place, "`%s` is of an archive, and none is stated", item->head.text);
    else
        t->fetched->sum = value.text;
}

static void read_patches(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    const obb_word_list v = obb_item_values(r, item);
    if (!t->fetched) {
        obb_hint(r->diags, obb_reader_fault(r, item->head.place, "`%s` changes code that is fetched",
                                            item->head.text),
                 "code in a folder of the project is edited there");
        return;
    }
    for (size_t i = 0; i < v.count; i++) {
        const char *pattern = obb_reader_path(r, &v.at[i]);
        if (t->index && t->index->url && obb_path_within(pattern, t->index->folder) &&
            !obb_need_index_file(r, t, &v.at[i])) {
            r->project->incomplete = true;
            continue;
        }
        size_t before = t->fetched->patches.count;
        obb_file_list found = {0};
        obb_files_expand(r->files, pattern, &found);
        for (size_t k = 0; k < found.count; k++) {
            depend_on(r, found.at[k]);
            obb_arena_push(r->arena, &t->fetched->patches, found.at[k]);
        }
        obb_vec_free(&found);
        if (before == t->fetched->patches.count)
            obb_hint(r->diags, obb_reader_fault(r, v.at[i].place, "no file matches `%s`", pattern),
                     "`obbligato patch NAME --to FILE` writes one");
    }
}

/* Where it is unpacked, and whether that has happened. */
static void find_tree(obb_reader *r, obb_thirdparty *t, const char *below)
{
    obb_fetched *f = t->fetched;
    f->tree = obb_arena_format(r->arena, "%s/" OBB_FETCHED_FOLDER "/%s", r->project->out, below);
    f->record = obb_arena_format(r->arena, "%s.record", f->tree);
    const obb_stamp *tree = obb_files_stamp(r->files, obb_files_number(r->files, f->tree));
    f->missing = !tree || tree->kind != OBB_KIND_FOLDER; /* stamps move when another file gets its number */
    f->missing = !obb_files_stamp(r->files, obb_files_number(r->files, f->record)) || f->missing;
    t->folder = f->missing ? NULL : f->tree;
    t->from = f->places.at[0].text;
}

static void find_own_tree(obb_reader *r, obb_thirdparty *t)
{
    const char *which = *t->version ? t->version : t->fetched->revision;
    if (which)
        find_tree(r, t, obb_arena_format(r->arena, "%s-%s", as_name(r->arena, t->name),
                                             as_name(r->arena, which)));
    else
        obb_hint(r->diags, obb_reader_fault(r, t->place, "the version of `%s` is not stated", t->name),
                 "write: version V; another version is another archive");
}

/* `at FOLDER`, `at URL`, `at repository URL at REVISION`. */
void obb_read_at(obb_reader *r, const obb_item *item, obb_index *index)
{
    const obb_word_list v = obb_item_values(r, item);
    obb_thirdparty *t = obb_arena_alloc(r->arena, sizeof *t);
    *t = (obb_thirdparty){.name = obb_arena_format(r->arena, "index:%s", index->name), .place = index->place,
                          .project = index->name,
                          .version = "", .licence = "", .from = ""};
    if (v.count == 1 && is_url(v.at[0].text)) {
        size_t n = strlen(v.at[0].text);
        n -= n && v.at[0].text[n - 1] == '/';
        index->url = url_ok(r, &v.at[0]) ? obb_arena_copy(r->arena, v.at[0].text, n) : "";
        index->folder = obb_arena_format(r->arena, "%s/" OBB_FETCHED_FOLDER "/.index/%s", r->project->out,
                                         index->name);
    } else if (v.count == 1) {
        folder_here(r, &v.at[0], t);
        index->folder = t->folder;
        index->ours = t->folder && !obb_path_outside(t->folder);
    } else if (v.count && strcmp(v.at[0].text, "repository") == 0 && read_repository(r, item, &v, t)) {
        if (t->fetched && t->fetched->places.count) {
            find_tree(r, t, obb_arena_format(r->arena, ".index-%s", index->name));
            index->source = t;
            index->folder = t->folder;
        }
    } else {
        obb_hint(r->diags,
                 obb_reader_fault(r, item->head.place, "`%s` says where the index is", item->head.text),
                 "write one of: at FOLDER; at URL; at repository URL at REVISION");
    }
}

void obb_read_places(obb_reader *r, const obb_items *inside, obb_thirdparty *t)
{
    for (size_t i = 0; i < inside->count; i++)
        if (inside->at[i].vocable.id == OBB_W_VERSION && !t->index)
            read_version(r, &inside->at[i], t);
    for (size_t i = 0; i < inside->count; i++)
        if (inside->at[i].vocable.id == OBB_W_FROM_PLACE)
            read_from(r, &inside->at[i], t);
    for (size_t i = 0; i < inside->count; i++)
        if (inside->at[i].vocable.id == OBB_W_PATCH)
            read_patches(r, &inside->at[i], t);
        else if (inside->at[i].vocable.id == OBB_W_SHA256)
            read_sum(r, &inside->at[i], t);
    if (t->fetched && t->fetched->places.count)
        find_own_tree(r, t);
}

void obb_read_prebuilt_places(obb_reader *r, const obb_items *inside, obb_thirdparty *t)
{
    for (size_t i = 0; i < inside->count; i++)
        if (inside->at[i].vocable.id == OBB_W_FROM_PLACE)
            read_from(r, &inside->at[i], t);
        else if (inside->at[i].vocable.id == OBB_W_SHA256)
            read_sum(r, &inside->at[i], t);
    if (t->fetched && t->fetched->kind == OBB_FROM_ARCHIVE && t->fetched->places.count)
        find_own_tree(r, t);
    else
        obb_hint(r->diags,
                 obb_reader_fault(r, t->place, "it is not said where the binary of `%s` is", t->name),
                 "write: from URL, or from archive PATH");
}
