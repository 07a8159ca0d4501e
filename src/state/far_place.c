/* Where the far store is (state/far_place.h). */
#include "state/far_place.h"

#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "base/files.h"
#include "base/sha256.h"
#include "base/text.h"

static const char read_only_word[] = "read-only";

const char *obb_far_scheme(const char *url)
{
    static const char *const schemes[] = {"https", "http", "redis", "rediss"};
    for (size_t i = 0; i < sizeof schemes / sizeof *schemes; i++) {
        size_t n = strlen(schemes[i]);
        if (strncmp(url, schemes[i], n) == 0 && strncmp(url + n, "://", 3) == 0 && url[n + 3])
            return schemes[i];
    }
    return NULL;
}

/* Where the host begins, behind a name and a password. */
static const char *host_of(const char *url)
{
    const char *host = strstr(url, "://") + 3, *user = strchr(host, '@');
    return user && user < host + strcspn(host, "/") ? user + 1 : host;
}

const char *obb_far_shown(const char *url, obb_arena *arena)
{
    const char *begin = strstr(url, "://") + 3, *host = host_of(url);
    return host == begin ? url : obb_arena_format(arena, "%.*s%s", (int)(begin - url), url, host);
}

bool obb_is_trust(const char *word)
{
    return strcmp(word, OBB_TRUST_ANYONE) == 0 ||
           (obb_starts(word, OBB_PUBLIC_KEY_PREFIX) && obb_is_sha256(word + strlen(OBB_PUBLIC_KEY_PREFIX)));
}

bool obb_is_key_name(const char *name)
{
    return *name && *name != '.' &&
           !name[strspn(name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.")];
}

const char *obb_keys_folder(obb_arena *arena)
{
    return obb_user_folder(arena, "XDG_CONFIG_HOME", ".config", "obbligato/keys");
}

obb_words obb_far_words(obb_arena *arena, const char *url, bool read_only, const obb_words *trust)
{
    obb_words words = {0};
    obb_arena_push(arena, &words, url ? url : "");
    obb_arena_push(arena, &words, read_only ? read_only_word : "");
    for (size_t i = 0; i < trust->count; i++)
        obb_arena_push(arena, &words, trust->at[i]);
    return words;
}

/* A server that only programs of this machine can be. */
static bool is_here(const char *url)
{
    static const char *const hosts[] = {"127.0.0.1", "localhost", "[::1]"};
    const char *host = host_of(url);
    for (size_t i = 0; i < sizeof hosts / sizeof *hosts; i++) {
        size_t n = strlen(hosts[i]);
        if (strncmp(host, hosts[i], n) == 0 && strchr(":/", host[n])) /* also at the end */
            return true;
    }
    return false;
}

static void add_words(obb_arena *arena, obb_words *words, const char *text)
{
    for (size_t n; text && *(text += strspn(text, " ")); text += n) {
        n = strcspn(text, " ");
        obb_arena_push(arena, words, obb_arena_copy(arena, text, n));
    }
}

obb_far_place obb_far_place_of(const obb_words *words, obb_arena *arena)
{
    const char *said = getenv("OBBLIGATO_FAR_STORE");
    obb_words stated = {0};
    obb_far_place place = {.url = words->count && *words->at[0] ? words->at[0] : NULL};
    place.writes = words->count < 2 || !*words->at[1];
    add_words(arena, &stated, said);
    if (stated.count) {
        place.url = strcmp(stated.at[0], "off") == 0 ? NULL : stated.at[0];
        place.writes = stated.count < 2 || strcmp(stated.at[1], read_only_word) != 0;
    }
    const char *farm = getenv("OBBLIGATO_FARM");
    if (farm && *farm && (!said || strcmp(said, "off") != 0)) {
        place.url = farm;
        place.writes = place.makes = true;
    }
    for (size_t i = 2; i < words->count; i++)
        obb_arena_push(arena, &place.trust, words->at[i]);
    add_words(arena, &place.trust, getenv("OBBLIGATO_TRUST"));
    if (place.url && !place.trust.count && is_here(place.url))
        obb_arena_push(arena, &place.trust, OBB_TRUST_ANYONE);
    place.reads = place.trust.count > 0;
    return place;
}

#define ACCOUNT_FORM(number)                                                                                 \
    "hits %" number " misses %" number " refused %" number " sent %" number " failures %" number             \
    " bytes-in %" number " bytes-out %" number " saved %" number "\n"

obb_far_account obb_far_account_of(const char *cache_folder)
{
    obb_arena *arena = obb_arena_new();
    obb_text text = {0};
    obb_far_account a = {0};
    obb_file_read(obb_arena_format(arena, "%s/far", cache_folder), &text);
    if (sscanf(obb_text_bytes(&text), ACCOUNT_FORM(SCNu64), &a.hits, &a.misses, &a.refused, &a.sent,
               &a.failures, &a.bytes_in, &a.bytes_out, &a.saved) != 8)
        a = (obb_far_account){0};
    obb_text_free(&text);
    obb_arena_free(arena);
    return a;
}

void obb_far_account_add(const char *cache_folder, const obb_far_account *more)
{
    obb_arena *arena = obb_arena_new();
    const obb_far_account a = obb_far_account_of(cache_folder);
    const char *line = obb_arena_format(arena, ACCOUNT_FORM(PRIu64), a.hits + more->hits,
                                        a.misses + more->misses, a.refused + more->refused,
                                        a.sent + more->sent, a.failures + more->failures,
                                        a.bytes_in + more->bytes_in, a.bytes_out + more->bytes_out,
                                        a.saved + more->saved);
    obb_file_replace(obb_arena_format(arena, "%s/far", cache_folder), line, strlen(line), 0600);
    obb_arena_free(arena);
}
