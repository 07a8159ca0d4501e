/* Where the far store is: objects of other machines, behind the object cache of this one (object_cache.h).
 *
 * A project names it (`far-store URL [read-only]`, `trust KEY...`), and OBBLIGATO_FAR_STORE in its place
 * ("URL [read-only]", or "off") and OBBLIGATO_TRUST besides. OBBLIGATO_FARM is the URL of a Redis server
 * where workers make what is not there. Whoever can write there could decide what programs are made of. So an
 * entry is taken when it is signed (Ed25519, RFC 8032) by one of the keys that are trusted; with `anyone`, or
 * from a server on this machine when no key is stated, unsigned ones are taken as well.
 */
#ifndef OBB_STATE_FAR_PLACE_H
#define OBB_STATE_FAR_PLACE_H

#include <stdbool.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

typedef struct obb_far_place {
    const char *url; /* NULL: there is none */
    bool reads, writes;
    bool makes;      /* it is a farm: what is not there is made there */
    obb_words trust; /* public keys, or OBB_TRUST_ANYONE */
} obb_far_place;

#define OBB_FAR_OUTPUT "/obbligato-output/object" /* the name of what is made on another machine */
#define OBB_FAR_URL                                                                                          \
    "OBBLIGATO_TRANSFER_URL" /* the variable in which obbligato-transfer and obbligato-worker are told it */
#define OBB_TRUST_ANYONE "anyone"
#define OBB_PUBLIC_KEY_PREFIX "ed25519:" /* and 64 hexadecimal digits */

/* What a project states, as words that a serialized plan keeps: the URL ("": none), "read-only" or "", and
 * who is trusted. The place has it and the environment; its words are the arena's or those given. */
obb_words obb_far_words(obb_arena *arena, const char *url, bool read_only, const obb_words *trust);
obb_far_place obb_far_place_of(const obb_words *words, obb_arena *arena);

/* "https" and so on when the URL is one of a far store; NULL: it is none. */
const char *obb_far_scheme(const char *url);

/* The URL for users, without a password in it. */
const char *obb_far_shown(const char *url, obb_arena *arena);

/* Whether a word is a public key or OBB_TRUST_ANYONE. */
bool obb_is_trust(const char *word);

/* Whether a pair may be called so: letters, digits, `-`, `_` and dots, not in front. */
bool obb_is_key_name(const char *name);

/* Where key pairs of this person are: `obbligato/keys` below XDG_CONFIG_HOME or ~/.config; NULL: there is no
 * home. A pair NAME is the files NAME.private (0600) and NAME.public, each a line. */
const char *obb_keys_folder(obb_arena *arena);

/* What was brought and sent so far, added up over all builds with the object cache in a folder. */
typedef struct obb_far_account {
    uint64_t hits, misses, refused, sent, failures;
    uint64_t bytes_in, bytes_out;
    uint64_t saved; /* milliseconds that making the hits once took */
} obb_far_account;

obb_far_account obb_far_account_of(const char *cache_folder);

/* Two that add in one instant may lose one of both, which only users see. */
void obb_far_account_add(const char *cache_folder, const obb_far_account *more);

#endif
