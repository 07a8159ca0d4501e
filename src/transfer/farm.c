/* Jobs for a farm (transfer/farm.h). */
#include "transfer/farm.h"

#include <errno.h>
#include <fcntl.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/files.h"
#include "base/map.h"
#include "base/own.h"
#include "base/path.h"
#include "base/real_path.h"
#include "base/system.h"
#include "farm/job.h"
#include "toolchain/toolchain.h"
#include "transfer/packing.h"

/* A file that jobs read, or the list of a toolchain's. */
typedef struct blob {
    char sum[OBB_SHA256_TEXT];
    const char *path; /* NULL: `text` */
    const char *text;
    bool asked, there;
    OBB_VEC(job *) waiting;
} blob;

typedef struct named_file {
    const char *path;
    obb_fingerprint fingerprint;
    blob *blob;             /* NULL: not looked at; of what has changed meanwhile there is none */
    const char *real;       /* where it lies */
    bool executable;
    obb_file_listing links; /* on the way there */
} named_file;

typedef struct toolchain {
    blob *list;
    OBB_VEC(blob *) blobs;
    const char *why; /* it cannot be sent; NULL: it can */
    bool unseen;     /* of a step: its files are not known yet, and jobs wait for that */
    OBB_VEC(job *) waiting;
} toolchain;

struct farm {
    obb_arena *arena;
    obb_resp *resp, *answers;
    const obb_signing_key *signer;
    const char *id, *machine;
    char folder[4096];
    OBB_VEC(named_file) files; /* by number */
    obb_map blobs, toolchains; /* by sum; by name */
    size_t to_count;           /* workers that have not said yet how many slots they have */
    unsigned long counted, slots;
    bool announced; /* the stream */
};

/* --- blobs -------------------------------------------------------------------------- */

static blob *blob_of(farm *f, const char *sum, const char *path, const char *text)
{
    blob *b = obb_map_get(&f->blobs, sum);
    if (b)
        return b;
    b = obb_arena_alloc(f->arena, sizeof *b);
    memcpy(b->sum, sum, sizeof b->sum);
    b->path = path;
    b->text = text;
    obb_map_put(&f->blobs, b->sum, b);
    return b;
}

static void send_job(farm *f, job *j);

/* The job goes when the last of its blobs is there. */
static void count_down(farm *f, blob *b)
{
    b->there = true;
    for (size_t i = 0; i < b->waiting.count; i++) {
        job *j = b->waiting.at[i];
        if (j->making && --j->making->waits_for == 0)
            send_job(f, j);
    }
    b->waiting.count = 0;
}

static void put_blob(farm *f, const blob *b)
{
    obb_text text = {0};
    char sum[OBB_SHA256_TEXT];
    if (b->path && obb_file_read(b->path, &text))
        return; /* the worker says that it is not there */
    if (!b->path)
        obb_text_string(&text, b->text);
    if (strcmp(obb_sha256(obb_text_bytes(&text), text.length, sum), b->sum) == 0) {
        const char *key = obb_arena_format(f->arena, "%sblob:%s", obb_resp_prefix(f->resp), b->sum);
        const char *const words[] = {"SET", key, obb_text_bytes(&text)};
        const size_t lengths[] = {3, strlen(key), text.length};
        obb_resp_tell(f->resp, 3, words, lengths);
    }
    obb_text_free(&text);
}

static void blob_looked_for(void *self, void *what, const redisReply *reply)
{
    farm *f = self;
    blob *b = what;
    if (reply && !(reply->type == REDIS_REPLY_INTEGER && reply->integer == 1))
        put_blob(f, b);
    if (reply)
        count_down(f, b);
}

static void need_blob(farm *f, job *j, blob *b)
{
    if (b->there)
        return;
    j->making->waits_for++;
    obb_vec_push(&b->waiting, j);
    if (b->asked)
        return;
    b->asked = true;
    const char *const words[] = {"EXISTS",
                                 obb_arena_format(f->arena, "%sblob:%s", obb_resp_prefix(f->resp), b->sum)};
    obb_resp_say(f->resp, 2, words, NULL, blob_looked_for, f, b);
}

/* --- files and toolchains ----------------------------------------------------------- */

void farm_file(farm *f, size_t number, obb_fingerprint fingerprint, const char *path)
{
    while (f->files.count <= number)
        obb_vec_push(&f->files, (named_file){.path = NULL});
    f->files.at[number] = (named_file){.path = obb_arena_string(f->arena, path), .fingerprint = fingerprint};
}

static void note_link(void *self, const char *link, const char *target)
{
    obb_vec_push(&((named_file *)self)->links, ((obb_listed_file){.path = link, .target = target}));
}

/* NULL: it is not what the build has seen. */
static blob *blob_of_file(farm *f, size_t number)
{
    named_file *n = number < f->files.count ? &f->files.at[number] : NULL;
    obb_text text = {0};
    char sum[OBB_SHA256_TEXT];
    if (!n || !n->path || n->blob)
        return n ? n->blob : NULL;
    if (!obb_file_read(n->path, &text) &&
        obb_fingerprint_same(obb_fingerprint_of(obb_text_bytes(&text), text.length), n->fingerprint))
        n->blob = blob_of(f, obb_sha256(obb_text_bytes(&text), text.length, sum), n->path, NULL);
    if (n->blob) {
        const char *path = *n->path == '/' ? n->path
                                           : obb_arena_format(f->arena, "%s/%s", f->folder, n->path);
        n->real = obb_real_path(f->arena, path, note_link, n);
        n->executable = access(path, X_OK) == 0;
        n->blob = n->real ? n->blob : NULL;
    }
    obb_text_free(&text);
    return n->blob;
}

typedef struct asking {
    farm *f;
    const making *m;
} asking;

/* Whether a file is a compiler of the project, or lies in the folder of one (above its `bin`). */
static bool lies_with(farm *f, const char *path, const char *compiler)
{
    const char *program = obb_path_join(f->arena, f->folder, compiler),
               *folder = obb_path_folder(f->arena, program);
    if (strcmp(obb_path_name(folder), "bin") == 0)
        folder = obb_path_folder(f->arena, folder);
    return strcmp(path, program) == 0 ||
           (strcmp(folder, f->folder) != 0 && obb_path_within(folder, f->folder) &&
            obb_path_within(path, folder));
}

static bool is_input(void *self, const char *path)
{
    const asking *a = self;
    if (obb_path_within(path, a->f->folder) && !lies_with(a->f, path, a->m->words.at[0]))
        return true; /* nothing of the project belongs to the compiler, but what lies with it */
    for (size_t i = 0; i < a->m->inputs.count; i++) {
        size_t number = a->m->inputs.at[i];
        if (number < a->f->files.count && obb_same(a->f->files.at[number].path, path))
            return true;
    }
    return false;
}

/* In a folder that is this person's alone: who can write such a list could have files sent. NULL: nowhere. */
static const char *list_path(farm *f, const char *name)
{
    const char *folder = obb_user_folder(f->arena, "XDG_CACHE_HOME", ".cache", "obbligato/toolchains");
    return folder && obb_own_folder(folder) == OBB_OWN ? obb_path_join(f->arena, folder, name) : NULL;
}

/* Whether nothing that it lists has changed since: the inode's time cannot be set back, as packages do with
 * the other one. */
static bool still_holds(const char *kept, const obb_file_listing *list)
{
    struct stat then, now;
    bool holds = list->count && lstat(kept, &then) == 0 && obb_own_of(&then) == OBB_OWN;
    for (size_t i = 0; holds && i < list->count; i++)
        holds = lstat(list->at[i].path, &now) == 0 && obb_changed_at(&now) < obb_modified_at(&then);
    return holds;
}

/* What was found before, if it still holds. */
static bool recall_files(farm *f, const char *name, obb_file_listing *list, obb_text *text)
{
    const char *kept = list_path(f, name);
    bool holds = kept && !obb_file_read(kept, text) &&
                 obb_listing_read(f->arena, text->bytes, text->length, list) && still_holds(kept, list);
    if (!holds)
        list->count = text->length = 0;
    return holds;
}

/* Kept under the compiler's identity. */
static void keep_files(farm *f, const char *name, const obb_file_listing *list, obb_text *text)
{
    const char *kept = list_path(f, name);
    obb_listing_write(list, text);
    if (kept)
        obb_file_replace(kept, obb_text_bytes(text), text->length, 0600);
}

static void watch_compile(farm *f, const making *m, toolchain *t, obb_file_listing *list)
{
    obb_words words = {0};
    asking a = {f, m};
    for (size_t i = 0; i < m->words.count; i++)
        obb_arena_push(f->arena, &words,
                       strcmp(m->words.at[i], OBB_FAR_OUTPUT) == 0 ? "/dev/null" : m->words.at[i]);
    obb_arena_push(f->arena, &words, NULL);
    t->why = list_toolchain(f->arena, words.at, is_input, &a, list);
}

static void set_files(farm *f, toolchain *t, const obb_file_listing *list, const obb_text *text)
{
    char sum[OBB_SHA256_TEXT];
    const char *kept = obb_arena_copy(f->arena, obb_text_bytes(text), text->length);
    t->list = blob_of(f, obb_sha256(kept, text->length, sum), NULL, kept);
    for (size_t i = 0; i < list->count; i++)
        if (!list->at[i].target)
            obb_arena_push(f->arena, &t->blobs, blob_of(f, list->at[i].sum, list->at[i].path, NULL));
}

static toolchain *toolchain_of(farm *f, const making *m)
{
    toolchain *t = obb_map_get(&f->toolchains, m->toolchain);
    if (t)
        return t;
    t = obb_arena_alloc(f->arena, sizeof *t);
    obb_map_put(&f->toolchains, obb_arena_string(f->arena, m->toolchain), t);
    obb_file_listing list = {0};
    obb_text text = {0};
    bool known = recall_files(f, m->toolchain, &list, &text);
    t->unseen = !known && m->step;
    if (!known && !m->step) {
        watch_compile(f, m, t, &list);
        if (!t->why)
            keep_files(f, m->toolchain, &list, &text);
    }
    if (t->unseen)
        want_watch(m->toolchain);
    else if (!t->why)
        set_files(f, t, &list, &text);
    obb_text_free(&text);
    return t;
}

static void begin_known(farm *f, job *j, const toolchain *t);

void farm_seen(farm *f, const char *name, const char *report)
{
    toolchain *t = obb_map_get(&f->toolchains, name);
    obb_file_listing list = {0};
    obb_text text = {0};
    if (t && t->unseen && t->waiting.count) {
        asking a = {f, t->waiting.at[0]->making};
        t->unseen = false;
        t->why = list_report(f->arena, report, is_input, &a, &list);
        if (!t->why) {
            keep_files(f, name, &list, &text);
            set_files(f, t, &list, &text);
        }
        for (size_t i = 0; i < t->waiting.count; i++)
            if (!t->waiting.at[i]->making->cancelled)
                begin_known(f, t->waiting.at[i], t);
        t->waiting.count = 0;
    }
    unlink(report);
    obb_text_free(&text);
}

/* --- jobs --------------------------------------------------------------------------- */

static json_t *environment(void)
{
    static const char *const others[] = {"PATH",        "LANG",     "LC_ALL", "LC_CTYPE",
                                         "LC_MESSAGES", "LANGUAGE", NULL};
    json_t *list = json_array();
    for (int group = 0; group < 2; group++)
        for (const char *const *name = group ? others : obb_compiler_variables; *name; name++) {
            const char *value = getenv(*name);
            if (value)
                json_array_append_new(list, json_sprintf("%s=%s", *name, value));
        }
    return list;
}

/* What steps see everywhere, but HOME. */
static json_t *step_environment(const making *m)
{
    const char *path = getenv("PATH");
    json_t *list = json_pack("[s]", "LC_ALL=C");
    if (path)
        json_array_append_new(list, json_sprintf("PATH=%s", path));
    for (size_t i = 0; i < m->environment.count; i++)
        json_array_append_new(list, json_string(m->environment.at[i]));
    return list;
}

/* Of a file of the project, as the worker lays it out; links on the way lead to another place. */
static const char *path_in(farm *f, const char *path)
{
    return strcmp(path, ".") == 0 ? f->folder : obb_path_join(f->arena, f->folder, path);
}

static char *describe(farm *f, const job *j)
{
    const making *m = j->making;
    const toolchain *t = obb_map_get(&f->toolchains, m->toolchain);
    json_t *o = json_object(), *words = json_array(), *inputs = json_array(), *links = json_object();
    for (size_t i = 0; i < m->words.count; i++)
        json_array_append_new(words, json_string(m->words.at[i]));
    for (size_t i = 0; i < m->inputs.count; i++) {
        const named_file *n = &f->files.at[m->inputs.at[i]];
        json_array_append_new(inputs, json_pack("[ssb]", n->real, n->blob->sum, n->executable));
        for (size_t k = 0; k < n->links.count; k++)
            json_object_set_new(links, n->links.at[k].path, json_string(n->links.at[k].target));
    }
    json_object_set_new(o, "version", json_integer(OBB_FARM_VERSION));
    json_object_set_new(o, "key", json_string(j->key.text));
    json_object_set_new(o, "folder", json_string(m->step ? path_in(f, m->folder) : f->folder));
    json_object_set_new(o, "words", words);
    json_object_set_new(o, "environment", m->step ? step_environment(m) : environment());
    if (m->step) {
        json_t *makes = json_array();
        for (size_t i = 0; i < m->makes.count; i++)
            json_array_append_new(makes, json_string(path_in(f, m->makes.at[i])));
        json_object_set_new(o, "makes", makes);
        if (m->in)
            json_object_set_new(o, "stdin", json_string(path_in(f, m->in)));
        if (m->out)
            json_object_set_new(o, "stdout", json_string(path_in(f, m->out)));
    }
    json_object_set_new(o, "toolchain", json_string(t->list->sum));
    json_object_set_new(o, "links", links);
    json_object_set_new(o, "inputs", inputs);
    json_object_set_new(o, "milliseconds", json_integer((json_int_t)m->milliseconds));
    json_object_set_new(o, "answers", json_string(f->id));
    char *text = json_dumps(o, JSON_COMPACT);
    json_decref(o);
    return text;
}

static void job_entered(void *self, void *what, const redisReply *reply)
{
    farm *f = self;
    job *j = what;
    if (reply && reply->type == REDIS_REPLY_STRING && j->making)
        j->making->entry = obb_arena_copy(f->arena, reply->str, reply->len);
}

/* So that `show farm` finds the stream, also where nobody works. */
static void announce(farm *f)
{
    const char *const words[] = {"SADD",
                                 obb_arena_format(f->arena, "%squeues:" OBB_FARM_VERSION_TEXT,
                                                  obb_resp_prefix(f->resp)),
                                 f->machine};
    if (!f->announced)
        obb_resp_tell(f->resp, 3, words, NULL);
    f->announced = true;
}

static void send_job(farm *f, job *j)
{
    if (j->making->cancelled)
        return;
    char *text = describe(f, j);
    obb_text bytes = {0};
    if (!text) {
        made_job(j->key.text, false);
        return;
    }
    obb_text_string(&bytes, text);
    const obb_seal seal = obb_seal_text(&bytes, f->signer);
    const char *stream = obb_farm_stream(f->arena, obb_resp_prefix(f->resp), f->machine);
    const char *const words[] = {"XADD", stream, "*", "job", text, "seal", (const char *)&seal};
    const size_t lengths[] = {4, strlen(stream), 1, 3, bytes.length, 4, sizeof seal};
    j->making->sent = true;
    announce(f);
    obb_resp_say(f->resp, 7, words, lengths, job_entered, f, j);
    obb_text_free(&bytes);
    free(text);
}

/* The job waits until all that it needs is there. */
static void begin_known(farm *f, job *j, const toolchain *t)
{
    making *m = j->making;
    bool known = !t->why;
    for (size_t i = 0; i < m->inputs.count && known; i++)
        known = blob_of_file(f, m->inputs.at[i]) != NULL;
    if (!known) {
        made_job(j->key.text, false);
        return;
    }
    m->waits_for = 1; /* so that it does not go before all were asked for */
    need_blob(f, j, t->list);
    for (size_t i = 0; i < t->blobs.count; i++)
        need_blob(f, j, t->blobs.at[i]);
    for (size_t i = 0; i < m->inputs.count; i++)
        need_blob(f, j, f->files.at[m->inputs.at[i]].blob);
    if (--m->waits_for == 0)
        send_job(f, j);
}

void farm_begin(farm *f, job *j)
{
    toolchain *t = toolchain_of(f, j->making);
    if (t->unseen)
        obb_arena_push(f->arena, &t->waiting, j);
    else
        begin_known(f, j, t);
}

void farm_cancel(farm *f, job *j)
{
    const char *entry = j->making->entry;
    j->making->cancelled = true;
    if (entry) {
        const char *const words[] = {"XDEL", obb_farm_stream(f->arena, obb_resp_prefix(f->resp), f->machine),
                                     entry};
        obb_resp_tell(f->resp, 3, words, NULL);
    }
}

/* --- workers ------------------------------------------------------------------------ */

static bool says(const redisReply *reply, const char *word)
{
    return reply->type == REDIS_REPLY_STRING && strcmp(reply->str, word) == 0;
}

static void slots_told(void *self, void *what, const redisReply *reply)
{
    farm *f = self;
    (void)what;
    bool told = reply && reply->type == REDIS_REPLY_ARRAY && reply->elements == 3;
    if (told && says(reply->element[1], f->machine) && says(reply->element[2], OBB_FARM_VERSION_TEXT) &&
        reply->element[0]->type == REDIS_REPLY_STRING)
        f->counted += strtoul(reply->element[0]->str, NULL, 10);
    if (--f->to_count == 0)
        f->slots = f->counted;
}

static void workers_told(void *self, void *what, const redisReply *reply)
{
    farm *f = self;
    (void)what;
    for (size_t i = 0; reply && reply->type == REDIS_REPLY_ARRAY && i < reply->elements; i++) {
        const char *const words[] = {"HMGET",
                                     obb_arena_format(f->arena, "%sworker:%s", obb_resp_prefix(f->resp),
                                                      reply->element[i]->str),
                                     "slots", "machine", "jobs"};
        f->to_count++;
        obb_resp_say(f->resp, 5, words, NULL, slots_told, f, NULL);
    }
    if (--f->to_count == 0)
        f->slots = f->counted;
}

void farm_count_slots(farm *f)
{
    const char *const words[] = {"SMEMBERS",
                                 obb_arena_format(f->arena, "%sworkers", obb_resp_prefix(f->resp))};
    if (f->to_count)
        return; /* it is still being asked */
    f->counted = 0;
    f->to_count = 1;
    obb_resp_say(f->resp, 2, words, NULL, workers_told, f, NULL);
}

unsigned long farm_slots(const farm *f)
{
    return f->slots;
}

uint64_t farm_sent(const farm *f)
{
    return obb_resp_sent(f->resp) + obb_resp_sent(f->answers);
}

/* --- answers ------------------------------------------------------------------------ */

static void wait_for_answer(farm *f);

static void answered(void *self, void *what, const redisReply *reply)
{
    farm *f = self;
    (void)what;
    if (!reply)
        return;
    if (reply->type == REDIS_REPLY_ARRAY && reply->elements == 2 &&
        reply->element[1]->type == REDIS_REPLY_STRING) {
        char *key = obb_arena_copy(f->arena, reply->element[1]->str, reply->element[1]->len),
             *word = strchr(key, ' ');
        if (word) {
            *word++ = 0;
            made_job(key, strcmp(word, "made") == 0);
        }
    }
    wait_for_answer(f);
}

static void wait_for_answer(farm *f)
{
    const char *const words[] = {"BLPOP",
                                 obb_arena_format(f->arena, "%sanswers:%s", obb_resp_prefix(f->resp), f->id),
                                 "0"};
    obb_resp_say(f->answers, 3, words, NULL, answered, f, NULL);
}

obb_resp *farm_answers(farm *f)
{
    return f->answers;
}

farm *farm_new(obb_resp *resp, const char *url, const obb_signing_key *signer, obb_arena *arena,
               const char **why)
{
    unsigned char lot[16];
    int fd = open("/dev/urandom", O_RDONLY | O_CLOEXEC);
    farm *f = obb_arena_alloc(arena, sizeof *f);
    *f = (farm){.arena = arena, .resp = resp, .signer = signer, .machine = obb_farm_machine(arena)};
    bool drawn = fd >= 0 && read(fd, lot, sizeof lot) == sizeof lot;
    if (fd >= 0)
        close(fd);
    char sum[OBB_SHA256_TEXT];
    f->id = obb_arena_string(arena, obb_sha256(lot, sizeof lot, sum));
    if (!drawn || !getcwd(f->folder, sizeof f->folder)) {
        *why = strerror(errno);
        return NULL;
    }
    static const char *const taken[] = {"/proc", OBB_FARM_OUTPUT_FOLDER};
    for (size_t i = 0; i < sizeof taken / sizeof *taken; i++)
        if (obb_path_within(f->folder, taken[i])) {
            *why = obb_arena_format(arena, "projects in %s cannot be built elsewhere", taken[i]);
            return NULL;
        }
    f->answers = obb_resp_open(url, arena, why);
    if (*why)
        return NULL;
    wait_for_answer(f);
    return f;
}
