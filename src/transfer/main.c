/* Takes lines and moves entries (transfer.h): what is asked for first, then what is sent. */
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <time.h>
#include <unistd.h>

#include "base/files.h"
#include "base/json.h"
#include "base/map.h"
#include "project/project.h"
#include "transfer/farm.h"
#include "transfer/transfer.h"

enum {
    USUAL_LINGER = 60,
    MOST_FAILURES = 3,
    SENDS_WHILE_BRINGING = 2,
    WAIT_MS = 1000,
    NICENESS = 10,
    LOOK_SECONDS = 3
};

static struct transfer {
    obb_arena *arena;
    obb_object_cache *cache;
    obb_far_place place;
    obb_signing_key signer;
    server *far;
    OBB_VEC(job *) to_bring, to_send, under_way; /* the first two are queues, from `..._from` on */
    size_t bring_from, send_from;
    obb_map asked;      /* by key: the job that brings it */
    obb_text heard;     /* of standard input */
    bool ended;         /* standard input has */
    bool deaf;          /* nobody reads standard output */
    int failures;       /* one after the other */
    bool brings, sends; /* still */
    obb_far_account sum;
} all;

static void say(const char *what, const char *rest)
{
    if (all.deaf || all.ended)
        return;
    all.deaf = printf("%s %s\n", what, rest) < 0 || fflush(stdout);
}

/* --- jobs --------------------------------------------------------------------------- */

static void free_job(job *j)
{
    obb_text_free(&j->bytes);
    free(j);
}

static void stop_bringing(const char *why)
{
    if (!all.brings)
        return;
    all.brings = false;
    say("off", why);
}

/* What has come goes into the cache. */
static void keep(job *j)
{
    obb_object_cache_item item;
    bool good = obb_far_decode(&j->key, &j->bytes, &all.place.trust, &item);
    all.sum.bytes_in += j->bytes.length;
    all.sum.refused += !good;
    if (good && obb_object_cache_put(all.cache, &j->key, &item)) {
        all.sum.hits++;
        all.sum.saved += item.cost.milliseconds;
        say("hit", j->key.text);
    } else {
        say(good ? "miss" : "refused", j->key.text);
    }
    obb_object_cache_item_free(&item);
}

static void count_failure(const job *j, outcome how, const char *why)
{
    all.sum.failures++;
    all.failures++;
    bool over = how == UNREACHABLE || all.failures >= MOST_FAILURES;
    if (j->sends && (over || how == NOT_ALLOWED))
        all.sends = false;
    if (over || (how == NOT_ALLOWED && !j->sends))
        stop_bringing(why);
    all.sends = all.sends && how != UNREACHABLE;
}

void job_over(job *j, outcome how, const char *why)
{
    for (size_t i = 0; i < all.under_way.count; i++)
        if (all.under_way.at[i] == j) {
            all.under_way.at[i] = all.under_way.at[--all.under_way.count];
            break;
        }
    if (how == MOVED || how == NOT_THERE)
        all.failures = 0;
    else
        count_failure(j, how, why);
    if (j->sends) {
        all.sum.sent += how == MOVED;
        all.sum.bytes_out += how == MOVED ? j->bytes.length : 0;
    } else {
        obb_map_put(&all.asked, j->key.text, NULL);
        all.sum.misses += how == NOT_THERE;
        if (how == MOVED)
            keep(j);
        else
            say("miss", j->key.text);
    }
    if (j->sends) /* the key of one that brings stays in the map */
        free_job(j);
    else
        obb_text_free(&j->bytes);
}

static job *new_job(const char *key, bool sends)
{
    job *j = sends ? obb_alloc(sizeof *j) : obb_arena_alloc(all.arena, sizeof *j);
    *j = (job){.sends = sends};
    memcpy(j->key.text, key, sizeof j->key.text);
    return j;
}

/* False: it is not in the cache any more. */
static bool load(job *j)
{
    obb_object_cache_item item;
    if (!obb_object_cache_take(all.cache, &j->key, &item))
        return false;
    obb_far_encode(&j->key, &item, &all.signer, &j->bytes);
    obb_object_cache_item_free(&item);
    return true;
}

static void begin(job *j)
{
    obb_vec_push(&all.under_way, j);
    all.far->begin(all.far->self, j);
}

static size_t sending(void)
{
    size_t n = 0;
    for (size_t i = 0; i < all.under_way.count; i++)
        n += all.under_way.at[i]->sends;
    return n;
}

static void begin_more(void)
{
    while (all.bring_from < all.to_bring.count && all.under_way.count < all.far->room) {
        job *j = all.to_bring.at[all.bring_from++];
        if (obb_map_get(&all.asked, j->key.text) != j) /* it was made here meanwhile */
            continue;
        if (all.brings)
            begin(j);
        else
            job_over(j, NOT_THERE, NULL);
    }
    bool bringing = all.under_way.count > sending();
    while (all.send_from < all.to_send.count && all.under_way.count < all.far->room &&
           (!bringing || sending() < SENDS_WHILE_BRINGING)) {
        job *j = all.to_send.at[all.send_from++];
        if (all.sends && load(j))
            begin(j);
        else
            free_job(j);
    }
}

/* --- what is asked ------------------------------------------------------------------ */

static void drop(const char *key)
{
    job *j = obb_map_get(&all.asked, key);
    if (!j)
        return;
    obb_map_put(&all.asked, j->key.text, NULL);
    for (size_t i = 0; i < all.under_way.count; i++)
        if (all.under_way.at[i] == j) {
            all.under_way.at[i] = all.under_way.at[--all.under_way.count];
            all.far->cancel(all.far->self, j);
            obb_text_free(&j->bytes);
            break;
        }
}

/* A job is over elsewhere: its result is brought like any other entry. */
void made_job(const char *key, bool made)
{
    job *j = obb_map_get(&all.asked, key);
    if (!j)
        return;
    if (made)
        all.far->begin(all.far->self, j);
    else
        job_over(j, NOT_THERE, NULL);
}

static void take_file(char *words)
{
    unsigned long long number, high, low;
    int at = 0;
    if (all.far->farm && sscanf(words, "%llu %16llx%16llx %n", &number, &high, &low, &at) == 3 && at)
        farm_file(all.far->farm, (size_t)number, (obb_fingerprint){high, low}, words + at);
}

void want_watch(const char *toolchain)
{
    say("watch", toolchain);
}

static void take_seen(char *words)
{
    char *file = strchr(words, ' ');
    if (!all.far->farm || !file)
        return;
    *file++ = 0;
    farm_seen(all.far->farm, words, file);
}

/* What is made, and by what. */
static void read_what(const char *text, making *m)
{
    json_t *o = json_loads(text, 0, NULL);
    obb_json_words(all.arena, json_object_get(o, "words"), &m->words);
    obb_json_words(all.arena, json_object_get(o, "makes"), &m->makes);
    obb_json_words(all.arena, json_object_get(o, "environment"), &m->environment);
    m->step = m->makes.count > 0;
    m->folder = obb_json_text(all.arena, o, "folder");
    m->in = obb_json_text(all.arena, o, "stdin");
    m->out = obb_json_text(all.arena, o, "stdout");
    json_decref(o);
}

/* MS TOOLCHAIN N,... WHAT */
static making *read_making(char *rest)
{
    making *m = obb_arena_alloc(all.arena, sizeof *m);
    char *toolchain = strchr(rest, ' '), *inputs = toolchain ? strchr(toolchain + 1, ' ') : NULL,
         *what = inputs ? strchr(inputs + 1, ' ') : NULL;
    if (!what)
        return NULL;
    *toolchain++ = *inputs++ = *what++ = 0;
    m->milliseconds = strtoull(rest, NULL, 10);
    m->toolchain = obb_arena_string(all.arena, toolchain);
    for (char *end; *inputs; inputs = *end ? end + 1 : end)
        obb_arena_push(all.arena, &m->inputs, (size_t)strtoull(inputs, &end, 10));
    read_what(what, m);
    return m->words.count ? m : NULL;
}

static void ask(const char *key, making *m)
{
    if (obb_map_get(&all.asked, key))
        return;
    job *j = new_job(key, false);
    j->making = m;
    obb_map_put(&all.asked, j->key.text, j);
    obb_vec_push(&all.to_bring, j);
}

static void take_line(char *line)
{
    if (strncmp(line, "file ", 5) == 0) {
        take_file(line + 5);
        return;
    }
    if (strncmp(line, "seen ", 5) == 0) {
        take_seen(line + 5);
        return;
    }
    char *rest = strncmp(line, "make ", 5) == 0 ? strchr(line + 5, ' ') : NULL;
    if (rest)
        *rest++ = 0;
    char *key = strchr(line, ' ');
    if (!key || strlen(key + 1) != OBB_SHA256_TEXT - 1 || !obb_is_sha256(key + 1))
        return;
    *key++ = 0;
    if (strcmp(line, "get") == 0)
        ask(key, NULL);
    else if (rest)
        ask(key, all.far->farm ? read_making(rest) : NULL);
    else if (strcmp(line, "put") == 0) {
        drop(key);
        obb_vec_push(&all.to_send, new_job(key, true));
    }
}

static void listen_once(void)
{
    char room[65536];
    ssize_t n = read(0, room, sizeof room);
    if (n < 0 && (errno == EAGAIN || errno == EINTR))
        return;
    if (n > 0)
        obb_text_add(&all.heard, room, (size_t)n);
    all.ended = n <= 0;
    size_t from = 0;
    for (char *end;
         from < all.heard.length && (end = memchr(all.heard.bytes + from, '\n', all.heard.length - from));) {
        char *line = all.heard.bytes + from;
        *end = 0;
        from = (size_t)(end - all.heard.bytes) + 1;
        take_line(line);
    }
    memmove(all.heard.bytes, all.heard.bytes + from, all.heard.length - from);
    all.heard.length -= from;
}

static void drop_all_that_comes(void)
{
    for (size_t i = 0; i < all.to_bring.count; i++)
        drop(all.to_bring.at[i]->key.text);
    all.bring_from = all.to_bring.count;
}

/* --- the whole ---------------------------------------------------------------------- */

static double seconds(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec / 1e9;
}

static double linger(void)
{
    const char *said = getenv("OBBLIGATO_FAR_LINGER");
    char *end;
    double n = said && *said ? strtod(said, &end) : USUAL_LINGER;
    return said && *said && *end ? USUAL_LINGER : n;
}

static void say_farm(void)
{
    static unsigned long long seen[3];
    unsigned long long jobs = 0;
    char text[80];
    for (size_t i = 0; i < all.under_way.count; i++)
        jobs += all.under_way.at[i]->making && all.under_way.at[i]->making->sent;
    const unsigned long long now[3] = {farm_slots(all.far->farm), jobs, farm_sent(all.far->farm)};
    if (memcmp(now, seen, sizeof now) == 0)
        return;
    memcpy(seen, now, sizeof seen);
    snprintf(text, sizeof text, "%llu %llu %llu", now[0], now[1], now[2]);
    say("farm", text);
}

/* What users see of the farm, once a second while something is asked of it. */
static void look_at_farm(void)
{
    static double told, counted = -LOOK_SECONDS;
    double now = seconds();
    if (now - counted >= LOOK_SECONDS) {
        counted = now;
        farm_count_slots(all.far->farm);
    }
    if (now - told >= 1) {
        told = now;
        say_farm();
    }
}

static void serve(void)
{
    double until = 0;
    for (;;) {
        begin_more();
        if (all.ended && until <= 0) {
            until = seconds() + linger();
            drop_all_that_comes();
            continue;
        }
        if (all.ended && ((!all.under_way.count && all.send_from == all.to_send.count) || seconds() > until))
            return;
        all.far->go_on(all.far->self, all.ended ? -1 : 0, WAIT_MS);
        if (!all.ended)
            listen_once();
        if (!all.ended && all.far->farm && all.brings)
            look_at_farm();
    }
}

/* NULL, or why nothing can be moved. */
static const char *prepare(const char *url, int argc, char **argv)
{
    const char *why = NULL;
    obb_object_cache_place here = obb_object_cache_find_place(all.arena);
    all.cache = obb_object_cache_open(&here, all.arena, &why);
    if (!all.cache)
        return why ? why : "the store of this machine is off";
    all.place = (obb_far_place){.url = url, .writes = strcmp(argv[1], "read-only") != 0};
    for (int i = 2; i < argc; i++)
        obb_arena_push(all.arena, &all.place.trust, argv[i]);
    all.brings = all.place.trust.count > 0;
    why = obb_find_signing_key(&all.signer, all.arena);
    if (why)
        return why;
    bool anyone = false; /* takes what is not signed */
    for (size_t i = 0; i < all.place.trust.count; i++)
        anyone = anyone || strcmp(all.place.trust.at[i], OBB_TRUST_ANYONE) == 0;
    all.sends = all.place.writes && (all.signer.there || anyone);
    const char *scheme = obb_far_scheme(url);
    if (!scheme)
        return "its URL does not begin with https://, http://, rediss:// or redis://";
    bool makes = strcmp(argv[1], "make") == 0;
    all.far = *scheme == 'r' ? redis_server(url, makes, &all.signer, all.arena, &why)
                             : http_server(url, all.arena, &why);
    if (makes && !why && !all.far->farm)
        why = "a farm is a Redis server: redis:// or rediss://";
    return why;
}

int main(int argc, char **argv)
{
    if (argc == 2 && strcmp(argv[1], "--version") == 0) {
        puts("obbligato-transfer " OBB_VERSION);
        return 0;
    }
    if (argc == 3 && strcmp(argv[1], "keys") == 0 && obb_is_key_name(argv[2]))
        return obb_make_signing_key(argv[2]);
    const char *url = getenv(OBB_FAR_URL);
    if (argc == 2 && strcmp(argv[1], "farm") == 0 && url)
        return show_farm(url);
    if (argc < 2 || !url || strcmp(argv[1], "keys") == 0) {
        fputs("obbligato-transfer is started by obbligato, which tells it on standard input what to do\n",
              stderr);
        return 2;
    }
    signal(SIGPIPE, SIG_IGN);
    setpriority(PRIO_PROCESS, 0, NICENESS); /* the commands of the build come first */
    all.arena = obb_arena_new();
    const char *why = prepare(url, argc, argv);
    if (why) {
        say("off", why);
        return 1;
    }
    fcntl(0, F_SETFL, fcntl(0, F_GETFL) | O_NONBLOCK);
    serve();
    obb_far_account_add(obb_object_cache_folder(all.cache), &all.sum);
    obb_object_cache_close(all.cache);
    return 0;
}
