/* A memory for answers that are costly to get (what a compiler is, what it includes). The core asks through
 * this interface; src/state keeps the answers between runs. */
#ifndef OBB_BASE_MEMO_H
#define OBB_BASE_MEMO_H

#include <stdbool.h>

#include "base/fingerprint.h"
#include "base/text.h"

typedef struct obb_memo {
    void *self;
    /* Adds the remembered answer to `answer`; false when there is none. */
    bool (*get)(void *self, obb_fingerprint key, obb_text *answer);
    void (*put)(void *self, obb_fingerprint key, const void *answer, size_t length);
} obb_memo;

/* Remembers nothing. */
extern const obb_memo obb_no_memo;

#endif
