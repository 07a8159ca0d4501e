/* Far entries and the keys that sign them (farm/entry.h). Ed25519 (RFC 8032) by libsodium, which
 * takes a quarter of the time that Nettle does. */
#include "farm/entry.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <sodium.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "base/own.h"

static const char magic[8] = "obbfar1", private_prefix[] = "ed25519-private:", private_suffix[] = ".private";

typedef struct far_header {
    char magic[8];
    obb_seal seal;
    unsigned char numbers[4][8];
} far_header;

enum { SIGNED_FROM = sizeof magic + OBB_KEY_BYTES + OBB_SIGNATURE_BYTES };

static void put_number(unsigned char to[8], uint64_t value)
{
    for (int i = 0; i < 8; i++)
        to[i] = (unsigned char)(value >> (8 * i));
}

static uint64_t number_at(const unsigned char from[8])
{
    uint64_t value = 0;
    for (int i = 0; i < 8; i++)
        value |= (uint64_t)from[i] << (8 * i);
    return value;
}

/* What is signed. */
static void statement_of(const obb_object_cache_key *key, const obb_text *bytes, obb_text *statement)
{
    char sum[OBB_SHA256_TEXT];
    obb_sha256(bytes->bytes + SIGNED_FROM, bytes->length - SIGNED_FROM, sum);
    obb_text_format(statement, "obbligato far entry 1\n%s\n%s\n", key->text, sum);
}

/* Of what is not signed, against damage: 64 hexadecimal digits in the place of the signature. */
static void put_sum(const obb_text *text, unsigned char signature[OBB_SIGNATURE_BYTES])
{
    char sum[OBB_SHA256_TEXT];
    obb_sha256(obb_text_bytes(text), text->length, sum);
    memcpy(signature, sum, OBB_SIGNATURE_BYTES);
}

static bool is_ready(void)
{
    return sodium_init() >= 0; /* does its work once */
}

/* The library's private key is ours with the public one behind it. */
static void sign(const obb_signing_key *signer, const obb_text *text,
                 unsigned char signature[OBB_SIGNATURE_BYTES])
{
    unsigned char pair[2 * OBB_KEY_BYTES];
    memcpy(pair, signer->private_key, OBB_KEY_BYTES);
    memcpy(pair + OBB_KEY_BYTES, signer->public_key, OBB_KEY_BYTES);
    if (is_ready())
        crypto_sign_ed25519_detached(signature, NULL, (const unsigned char *)obb_text_bytes(text),
                                     text->length, pair);
    sodium_memzero(pair, sizeof pair);
}

static void find_public_key(obb_signing_key *key)
{
    unsigned char pair[2 * OBB_KEY_BYTES];
    if (is_ready())
        crypto_sign_ed25519_seed_keypair(key->public_key, pair, key->private_key);
    sodium_memzero(pair, sizeof pair);
}

obb_seal obb_seal_text(const obb_text *text, const obb_signing_key *signer)
{
    obb_seal seal = {{0}, {0}};
    if (signer->there) {
        memcpy(seal.public_key, signer->public_key, OBB_KEY_BYTES);
        sign(signer, text, seal.signature);
    } else {
        put_sum(text, seal.signature);
    }
    return seal;
}

void obb_far_encode(const obb_object_cache_key *key, const obb_object_cache_item *item,
                    const obb_signing_key *signer, obb_text *bytes)
{
    far_header h = {.numbers = {{0}}};
    memcpy(h.magic, magic, sizeof magic);
    put_number(h.numbers[0], item->printed.length);
    put_number(h.numbers[1], item->bytes.length);
    put_number(h.numbers[2], item->cost.milliseconds);
    put_number(h.numbers[3], item->cost.memory);
    obb_text_add(bytes, &h, sizeof h);
    if (item->printed.length)
        obb_text_add(bytes, item->printed.bytes, item->printed.length);
    if (item->bytes.length)
        obb_text_add(bytes, item->bytes.bytes, item->bytes.length);
    obb_text statement = {0};
    statement_of(key, bytes, &statement);
    h.seal = obb_seal_text(&statement, signer);
    memcpy(bytes->bytes, &h, sizeof h);
    obb_text_free(&statement);
}

static void spell_key(const unsigned char *key, char text[2 * OBB_KEY_BYTES + 1])
{
    for (int i = 0; i < OBB_KEY_BYTES; i++)
        snprintf(text + 2 * i, 3, "%02x", key[i]);
}

bool obb_seal_holds(const obb_seal *seal, const obb_text *text, const obb_words *trust)
{
    static const unsigned char nobody[OBB_KEY_BYTES];
    char who[sizeof OBB_PUBLIC_KEY_PREFIX + (size_t)2 * OBB_KEY_BYTES] = OBB_PUBLIC_KEY_PREFIX;
    unsigned char sum[OBB_SIGNATURE_BYTES];
    bool is_signed = memcmp(seal->public_key, nobody, OBB_KEY_BYTES) != 0;
    spell_key(seal->public_key, who + strlen(OBB_PUBLIC_KEY_PREFIX));
    if (!obb_has_word(trust, OBB_TRUST_ANYONE) && !(is_signed && obb_has_word(trust, who)))
        return false;
    if (is_signed)
        return is_ready() && crypto_sign_ed25519_verify_detached(seal->signature,
                                                                 (const unsigned char *)obb_text_bytes(text),
                                                                 text->length, seal->public_key) == 0;
    put_sum(text, sum);
    return memcmp(sum, seal->signature, sizeof sum) == 0;
}

bool obb_far_decode(const obb_object_cache_key *key, const obb_text *bytes, const obb_words *trust,
                    obb_object_cache_item *item)
{
    far_header h;
    obb_text statement = {0};
    *item = (obb_object_cache_item){.cost = {0, 0}};
    if (bytes->length < sizeof h)
        return false;
    memcpy(&h, bytes->bytes, sizeof h);
    uint64_t printed = number_at(h.numbers[0]), object = number_at(h.numbers[1]);
    if (memcmp(h.magic, magic, sizeof magic) != 0 || printed > bytes->length || object > bytes->length ||
        sizeof h + printed + object != bytes->length)
        return false;
    statement_of(key, bytes, &statement);
    bool good = obb_seal_holds(&h.seal, &statement, trust);
    obb_text_free(&statement);
    if (!good)
        return false;
    obb_text_add(&item->printed, bytes->bytes + sizeof h, (size_t)printed);
    obb_text_add(&item->bytes, bytes->bytes + sizeof h + printed, (size_t)object);
    item->cost = (obb_cost){number_at(h.numbers[2]), number_at(h.numbers[3])};
    return true;
}

/* --- keys --------------------------------------------------------------------------- */

static bool read_hexadecimal(const char *text, unsigned char *key)
{
    for (int i = 0; i < OBB_KEY_BYTES; i++) {
        unsigned byte;
        if (strspn(text, "0123456789abcdef") < 2 || sscanf(text, "%2x", &byte) != 1)
            return false;
        key[i] = (unsigned char)byte;
        text += 2;
    }
    return *text == '\n' || !*text;
}

/* NULL, or why it is no key of this person. */
static const char *read_private_key(const char *path, obb_signing_key *key, obb_arena *arena)
{
    struct stat file;
    obb_text text = {0};
    const char *why = NULL;
    if (stat(path, &file) || obb_file_read(path, &text))
        why = obb_arena_format(arena, "there is no key %s: obbligato keys NAME makes one", path);
    else if (file.st_uid != geteuid() || (file.st_mode & 077))
        why = obb_arena_format(arena, "others can read the key %s: chmod 600", path);
    else if (strncmp(obb_text_bytes(&text), private_prefix, strlen(private_prefix)) != 0 ||
             !read_hexadecimal(text.bytes + strlen(private_prefix), key->private_key))
        why = obb_arena_format(arena, "%s is no private key", path);
    obb_text_free(&text);
    if (why)
        return why;
    find_public_key(key);
    key->there = true;
    return NULL;
}

/* The name of the only pair in a folder; NULL: there is none, or more. */
static const char *only_pair(const char *folder, obb_arena *arena)
{
    DIR *d = opendir(folder);
    const char *found = NULL;
    size_t count = 0;
    for (struct dirent *e; d && (e = readdir(d));) {
        size_t n = strlen(e->d_name), suffix = strlen(private_suffix);
        if (n > suffix && strcmp(e->d_name + n - suffix, private_suffix) == 0 && !count++)
            found = obb_arena_copy(arena, e->d_name, n - suffix);
    }
    if (d)
        closedir(d);
    return count == 1 ? found : NULL;
}

const char *obb_find_signing_key(obb_signing_key *key, obb_arena *arena)
{
    const char *folder = obb_keys_folder(arena), *name = getenv("OBBLIGATO_SIGN_WITH");
    *key = (obb_signing_key){.there = false};
    if (!folder)
        return NULL;
    if (!name || !*name)
        name = only_pair(folder, arena);
    return name ? read_private_key(obb_arena_format(arena, "%s/%s%s", folder, name, private_suffix), key,
                                   arena)
                : NULL;
}

static bool write_new(const char *path, const char *text, mode_t mode)
{
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode);
    if (fd < 0)
        return false;
    size_t n = strlen(text);
    bool ok = write(fd, text, n) == (ssize_t)n && fsync(fd) == 0;
    return close(fd) == 0 && ok;
}

int obb_make_signing_key(const char *name)
{
    obb_arena *arena = obb_arena_new();
    const char *folder = obb_keys_folder(arena), *private_path, *public_path;
    obb_signing_key key;
    char private_text[2 * OBB_KEY_BYTES + 1], public_text[2 * OBB_KEY_BYTES + 1];
    int fd = open("/dev/urandom", O_RDONLY | O_CLOEXEC), status = 0;
    bool drawn = fd >= 0 && read(fd, key.private_key, OBB_KEY_BYTES) == OBB_KEY_BYTES;
    if (fd >= 0)
        close(fd);
    if (!folder || !drawn || obb_own_make(folder)) {
        fprintf(stderr, "%s\n", folder ? strerror(errno) : "there is none");
        obb_arena_free(arena);
        return 4;
    }
    find_public_key(&key);
    spell_key(key.private_key, private_text);
    spell_key(key.public_key, public_text);
    private_path = obb_arena_format(arena, "%s/%s%s", folder, name, private_suffix);
    public_path = obb_arena_format(arena, "%s/%s.public", folder, name);
    if (!write_new(private_path, obb_arena_format(arena, "%s%s\n", private_prefix, private_text), 0600)) {
        status = errno == EEXIST ? 2 : 4;
        fprintf(stderr, "%s\n", strerror(errno));
    } else if (!write_new(public_path, obb_arena_format(arena, OBB_PUBLIC_KEY_PREFIX "%s\n", public_text),
                          0644)) {
        status = 4;
        fprintf(stderr, "%s\n", strerror(errno));
        unlink(private_path);
    } else {
        printf(OBB_PUBLIC_KEY_PREFIX "%s\n", public_text);
    }
    obb_arena_free(arena);
    return status;
}
