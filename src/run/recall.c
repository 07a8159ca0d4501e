/* Taking scans from records (recall.h). What the record has must be the same: the command, what the scan
 * depended on besides files, places where nothing was, and files, as far as a scan looks at them. */
#include "run/recall.h"

static bool scans_are_alike(obb_recaller *r, const obb_record *record, obb_file file, obb_text_kind kind,
                            obb_fingerprint then, obb_fingerprint now)
{
    for (unsigned i = 0; i < OBB_RECENT_CHANGES && i < r->next; i++)
        if (r->recent[i].file == file && r->recent[i].kind == kind &&
            r->recent[i].asked_noted == record->asked_noted &&
            obb_fingerprint_same(r->recent[i].then, then) && obb_fingerprint_same(r->recent[i].now, now))
            return r->recent[i].alike;
    unsigned at = r->next++ % OBB_RECENT_CHANGES;
    r->recent[at].file = file;
    r->recent[at].kind = kind;
    r->recent[at].asked_noted = record->asked_noted;
    r->recent[at].then = then;
    r->recent[at].now = now;
    r->recent[at].alike = obb_scans_are_alike(r->state, r->files, file, kind, record->asked_noted, then, now);
    return r->recent[at].alike;
}

static bool recall_from_record(void *self, const obb_action *a, const obb_dependencies *d,
                               obb_recalled_scan *recalled)
{
    obb_recaller *r = self;
    const obb_record *record = obb_state_record(r->state, a->output);
    if (obb_state_folders_moved(r->state) || !record || !record->inputs.count ||
        !obb_fingerprint_same(record->command, a->command) || !obb_fingerprint_same(record->scan, d->scan))
        return false;
    for (size_t i = 0; i < record->inputs.count; i++) {
        obb_fingerprint fingerprint;
        const obb_seen *seen = &record->inputs.at[i];
        if (obb_fingerprint_same(seen->fingerprint, OBB_SEEN_THERE) &&
            obb_files_is_file(r->files, seen->file))
            continue;
        if (obb_files_fingerprint(r->files, seen->file, &fingerprint))
            return false;
        if (!obb_fingerprint_same(fingerprint, seen->fingerprint) &&
            (record->text_matters ||
             !scans_are_alike(r, record, seen->file, obb_text_kind_of(d), seen->fingerprint, fingerprint)))
            return false;
    }
    for (size_t i = 0; i < record->absent.count; i++)
        if (obb_files_is_file(r->files, record->absent.at[i]))
            return false;
    for (size_t i = 0; i < record->inputs.count; i++)
        obb_vec_push(&recalled->files, record->inputs.at[i].file);
    for (size_t i = 0; i < record->absent.count; i++)
        obb_vec_push(&recalled->absent, record->absent.at[i]);
    recalled->assembled = record->assembled;
    recalled->text_matters = record->text_matters;
    recalled->asked_noted = record->asked_noted;
    recalled->untold = record->untold;
    return true;
}

static void note_asked(void *self, obb_scanner *scanner)
{
    obb_recaller *r = self;
    obb_macro_names names = {0};
    obb_scanner_take_asked(scanner, &names);
    obb_state_note_asked(r->state, names.at, names.count);
    obb_vec_free(&names);
}

obb_scan_memory obb_scan_records(obb_recaller *r, bool recall)
{
    return (obb_scan_memory){recall ? recall_from_record : NULL, note_asked, r};
}
