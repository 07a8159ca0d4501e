/* Far entries, and the keys that sign them.
 *
 * A far entry is, in bytes: "obbfar1" and a zero; the public key (32) and the signature (64) of who made it
 * (RFC 8032, Ed25519), or zeros and the SHA-256 in hexadecimal of what would be signed; four numbers of 64
 * bits, the least significant byte first: how many bytes its command printed, how many the object has,
 * milliseconds and bytes of memory that making it cost; what was printed; the object. What is signed is
 * "obbligato far entry 1\n", the key of the entry in hexadecimal, and the SHA-256 of all behind the
 * signature.
 */
#ifndef OBB_FARM_ENTRY_H
#define OBB_FARM_ENTRY_H

#include "base/arena.h"
#include "state/far_place.h"
#include "state/object_cache.h"

enum { OBB_MOST_ENTRY = 1 << 28 }; /* bytes of one */

enum { OBB_KEY_BYTES = 32, OBB_SIGNATURE_BYTES = 64 };

typedef struct obb_signing_key {
    bool there;
    unsigned char private_key[OBB_KEY_BYTES], public_key[OBB_KEY_BYTES];
} obb_signing_key;

/* The key that this person signs with: OBBLIGATO_SIGN_WITH=NAME, else the only pair there is. NULL, or why
 * the one that is named cannot be used. */
const char *obb_find_signing_key(obb_signing_key *key, obb_arena *arena);

/* Makes a pair and prints the public key, or why it cannot: an exit status. */
int obb_make_signing_key(const char *name);

void obb_far_encode(const obb_object_cache_key *key, const obb_object_cache_item *item,
                    const obb_signing_key *signer, obb_text *bytes);

/* False: it is damaged, or not signed by one of `trust`. */
bool obb_far_decode(const obb_object_cache_key *key, const obb_text *bytes, const obb_words *trust,
                    obb_object_cache_item *item);

/* The same for any text: public key and signature, or zeros and a sum. */
typedef struct obb_seal {
    unsigned char public_key[OBB_KEY_BYTES], signature[OBB_SIGNATURE_BYTES];
} obb_seal;

obb_seal obb_seal_text(const obb_text *text, const obb_signing_key *signer);
bool obb_seal_holds(const obb_seal *seal, const obb_text *text, const obb_words *trust);

#endif
