/* Collecting, ordering and merging diagnostics (diag.h). All of it lives in the arena of the list.
 *
 * While a list grows, it is in the order in which faults were found, with duplicates; obb_diags_settle
 * orders and merges it once, before it is shown. Notes and hints belong to their diagnostic. */
#include "base/diag.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/map.h"
#include "base/text.h"

obb_diags *obb_diags_new(void)
{
    obb_diags *d = obb_alloc(sizeof *d);
    d->arena = obb_arena_new();
    return d;
}

void obb_diags_free(obb_diags *diags)
{
    if (!diags)
        return;
    obb_arena_free(diags->arena);
    free(diags);
}

static char *formatted(obb_arena *arena, const char *format, va_list args)
{
    va_list again;
    va_copy(again, args);
    size_t n = (size_t)vsnprintf(NULL, 0, format, args) + 1;
    char *text = obb_arena_alloc(arena, n);
    vsnprintf(text, n, format, again);
    va_end(again);
    return text;
}

static obb_diag *add(obb_diags *diags, obb_fault fault, obb_place place, const char *message)
{
    obb_diag *d = obb_arena_alloc(diags->arena, sizeof *d);
    d->fault = fault;
    d->place = place;
    d->message = message;
    obb_arena_push(diags->arena, &diags->list, d);
    return d;
}

obb_diag *obb_error(obb_diags *diags, obb_fault fault, obb_place place, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    const char *message = formatted(diags->arena, format, args);
    va_end(args);
    return add(diags, fault, place, message);
}

obb_diag *obb_warn(obb_diags *diags, obb_place place, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    const char *message = formatted(diags->arena, format, args);
    va_end(args);
    return add(diags, OBB_FAULT_NONE, place, message);
}

void obb_hint(obb_diags *diags, obb_diag *diag, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    diag->hint = formatted(diags->arena, format, args);
    va_end(args);
}

void obb_also(obb_diags *diags, obb_diag *diag, obb_place place, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    obb_note note = {place, formatted(diags->arena, format, args)};
    va_end(args);
    obb_arena_push(diags->arena, &diag->notes, note);
}

void obb_hint_nearest(obb_diags *diags, obb_diag *diag, const char *word,
                      const char *const *known)
{
    const char *near = obb_nearest(word, known);
    if (near)
        obb_hint(diags, diag, "did you mean `%s`?", near);
}

obb_fault obb_diags_fault(const obb_diags *diags)
{
    for (size_t i = 0; i < diags->list.count; i++)
        if (diags->list.at[i]->fault != OBB_FAULT_NONE)
            return diags->list.at[i]->fault;
    return OBB_FAULT_NONE;
}

void obb_stops(obb_diags *diags, obb_diag *diag, const char *cause, const char *stopped)
{
    diag->cause = obb_arena_string(diags->arena, cause);
    diag->stopped = obb_arena_string(diags->arena, stopped);
}

static void put_in_order(obb_diags *diags)
{
    for (size_t i = 1; i < diags->list.count; i++) {
        obb_diag *d = diags->list.at[i];
        size_t k = i;
        while (k > 0 && d->place.line && obb_same(diags->list.at[k - 1]->place.file, d->place.file) &&
               diags->list.at[k - 1]->place.line > d->place.line) {
            diags->list.at[k] = diags->list.at[k - 1];
            k--;
        }
        diags->list.at[k] = d;
    }
}

/* Whether an earlier one says the same: several modules may find the same fault. */
static bool said_before(const obb_diags *diags, size_t n)
{
    const obb_diag *d = diags->list.at[n];
    for (size_t i = 0; i < n; i++) {
        const obb_diag *other = diags->list.at[i];
        if (d->cause && obb_same(d->cause, other->cause))
            return true;
        if (other->place.line == d->place.line && other->place.column == d->place.column &&
            obb_same(other->place.file, d->place.file) && strcmp(other->message, d->message) == 0)
            return true;
    }
    return false;
}

static void collect_stopped(obb_diags *diags, size_t first)
{
    obb_diag *d = diags->list.at[first];
    obb_map seen = {0};
    for (size_t i = first; d->cause && i < diags->list.count; i++)
        if (obb_same(diags->list.at[i]->cause, d->cause) &&
            !obb_map_put(&seen, diags->list.at[i]->stopped, d))
            obb_arena_push(diags->arena, &d->all_stopped, diags->list.at[i]->stopped);
    obb_map_free(&seen);
}

void obb_diags_settle(obb_diags *diags)
{
    size_t kept = 0;
    put_in_order(diags);
    for (size_t i = 0; i < diags->list.count; i++)
        collect_stopped(diags, i);
    bool *again = obb_alloc(diags->list.count + 1);
    for (size_t i = 0; i < diags->list.count; i++)
        again[i] = said_before(diags, i);
    for (size_t i = 0; i < diags->list.count; i++)
        if (!again[i])
            diags->list.at[kept++] = diags->list.at[i];
    diags->list.count = kept;
    free(again);
}
