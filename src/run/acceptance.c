/* What a command that has ended leaves behind (run/scheduler.h): its report, its output, its record, and its
 * object for others. */
#include "run/scheduler.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "plan/differences.h"
#include "run/caching.h"
#include "scan/linker_script.h"

enum { MOST_UNCOMMITTED = 64 };

/* What linker scripts include that were made just now: no planning could know it, and linkers do not report
 * it. */
static void add_script_includes(obb_scheduler *r, const obb_action *a, obb_words *files)
{
    obb_words folders = {0};
    obb_arena_push(r->arena, &folders, ".");
    for (size_t i = 0; a->kind == OBB_LINK_PROGRAM && i + 1 < a->argv.count; i++) {
        const char *word = a->argv.at[i], *script = a->argv.at[i + 1];
        if (obb_starts(word, "-L") && word[2])
            obb_arena_push(r->arena, &folders, word + 2);
        if (strcmp(word, "-T") != 0 || !obb_path_is_output(script, r->plan->out))
            continue;
        obb_script_scan scan = {0};
        obb_scan_linker_script(r->plan->files, r->plan->arena, script, &folders, &scan);
        for (size_t k = 1; k < scan.files.count; k++)
            obb_arena_push(r->arena, files, obb_files_path(r->plan->files, scan.files.at[k]));
    }
}

/* Takes the tool's report of what it read, and compares. What the scan had not found is an
 * input from now on. Without a report, only what made scripts include is added. */
static void take_report(obb_scheduler *r, obb_child *c)
{
    const obb_action *a = c->action;
    obb_dependencies *d = obb_dependencies_of(r->table, a);
    obb_text text = {0};
    obb_words files = {0};
    obb_differences differences = {0};
    const obb_invocation *invocation = &c->invocation;
    const obb_text *report = invocation->report_stays ? &invocation->told : &text;
    if (!invocation->report_stays && invocation->report && obb_file_read(invocation->report, &text))
        text.length = 0;
    bool told = report->length;
    if (told) {
        r->result.reports++;
        bool linked = a->kind == OBB_LINK_PROGRAM || a->kind == OBB_LINK_LIBRARY;
        (linked ? obb_read_link_rule : obb_read_rule)(r->plan->files, r->scratch, r->plan->root,
                                                      report->bytes, &files);
    }
    add_script_includes(r, a, &files);
    if (told || files.count) {
        obb_differences_find(r->table, a, &files, r->plan->arena, &differences);
        for (size_t i = 0; !told && i < differences.count;) /* nobody said what was not read */
            if (differences.at[i].missed)
                i++;
            else
                differences.at[i] = differences.at[--differences.count];
        obb_differences_remember(r->plan->toolchains->memo, r->plan, a, &differences);
        d->inputs.count = d->found_inputs;
    }
    for (size_t i = 0; i < differences.count; i++)
        if (differences.at[i].missed)
            obb_arena_push(r->plan->arena, &d->inputs,
                           obb_files_number(r->plan->files, differences.at[i].path));
    r->result.differences += differences.count;
    obb_text_free(&text);
    obb_arena_reset(r->scratch);
}

/* What was recorded with the same command was noted when it was; in this run, each input is noted once for
 * those who read it alike. */
static bool noted_before(obb_scheduler *r, const obb_record *before, size_t input, obb_seen seen,
                         unsigned reading)
{
    const obb_file file = seen.file;
    if (before && input < before->inputs.count && before->inputs.at[input].file == file &&
        obb_fingerprint_same(before->inputs.at[input].fingerprint, seen.fingerprint))
        return true;
    while (r->noted.count <= file)
        obb_vec_push(&r->noted, 0);
    bool known = r->noted.at[file] >> reading & 1;
    r->noted.at[file] |= (uint32_t)1 << reading;
    return known;
}

static void record(obb_scheduler *r, obb_child *c, const obb_record *before, obb_fingerprint output)
{
    const obb_action *a = c->action;
    const obb_dependencies *d = obb_dependencies_of(r->table, a);
    obb_record rec = {.command = a->command,
                      .tools = a->tools,
                      .output = output,
                      .cost = c->cost,
                      .reason = c->cause,
                      .argv = a->argv,
                      .scan = d->scan,
                      .assembled = d->assembled,
                      .text_matters = d->text_matters,
                      .asked_noted = d->asked_noted,
                      .untold = d->untold};
    rec.absent.at = d->absent.at;
    rec.absent.count = d->absent.count;
    rec.also.at = a->also.at;
    rec.also.count = a->also.count;
    if (before && (!obb_fingerprint_same(before->command, a->command) ||
                   !obb_fingerprint_same(before->tools, a->tools)))
        before = NULL;
    const unsigned reading = a->options ? obb_text_reading(r->table, a) : 0;
    for (size_t i = 0; i < d->inputs.count; i++) {
        obb_seen seen = {d->inputs.at[i], OBB_NO_FINGERPRINT};
        obb_input_fingerprint(r->table, a, i, &seen.fingerprint);
        obb_arena_push(r->arena, &rec.inputs, seen);
        if (reading && !noted_before(r, before, i, seen, reading))
            obb_note_text(r->state, r->table, seen.file, a);
    }
    obb_state_put_record(r->state, a->output, &rec);
    if (++r->uncommitted >= MOST_UNCOMMITTED)
        obb_commit_records(r);
}

void obb_commit_records(obb_scheduler *r)
{
    int failed = r->uncommitted ? obb_state_commit(r->state) : 0;
    if (failed && !r->result.store_failed)
        r->result.store_failed = failed;
    r->uncommitted = r->ticks = 0;
}

/* Renames; where a part of the output folder lies on another file system, copies. The temporary is gone then.
 */
static int put_in_place(obb_scheduler *r, const char *temporary, const char *path)
{
    int failed = obb_below_rename(r->plan->out, temporary, path);
    obb_text text = {0};
    obb_stamp stamp;
    if (failed != EXDEV)
        return failed;
    failed = obb_stamp_of(temporary, &stamp) ? obb_file_read(temporary, &text) : errno;
    if (!failed)
        failed = obb_below_make_folders(r->plan->out, path);
    if (!failed)
        failed = obb_file_replace(path, obb_text_bytes(&text), text.length, stamp.executable ? 0777 : 0666);
    if (!failed)
        unlink(temporary);
    obb_text_free(&text);
    return failed;
}

/* The other names of an output: symbolic links beside it, each put in place at once. */
static int make_links(obb_scheduler *r, const obb_action *a)
{
    const char *name = obb_path_name(obb_files_path(r->plan->files, a->output));
    int failed = 0;
    for (size_t i = a->also.count - a->links; i < a->also.count && !failed; i++) {
        const char *path = obb_files_path(r->plan->files, a->also.at[i]);
        const char *temporary = obb_work_file(r->plan, a, r->arena, "name");
        unlink(temporary);
        failed = symlink(name, temporary) ? errno : obb_below_rename(r->plan->out, temporary, path);
        unlink(temporary);
        if (failed == EXDEV) { /* a part of the output folder lies on another file system */
            failed = obb_below_remove(r->plan->out, path);
            failed = (!failed || failed == ENOENT) && symlink(name, path) ? errno : 0;
        }
    }
    return failed;
}

/* With what the farm has made of the same. */
static void compare(obb_scheduler *r, const obb_child *c)
{
    enum { MOST_NAMES = 10 };
    const char *path = obb_files_path(r->plan->files, c->action->output);
    bool same;
    if (!*c->key.text || !obb_caching_same(r->options->cache, &c->key, r->plan, c->action, &same))
        return;
    r->result.compared++;
    r->result.unlike += !same;
    if (!same && r->result.unlike <= MOST_NAMES)
        r->result.unlike_names = obb_arena_format(r->plan->arena, "%s\n  %s",
                                                  r->result.unlike_names ? r->result.unlike_names : "", path);
}

/* Into the object cache, and from there into the far store. */
static void keep_for_others(obb_scheduler *r, const obb_child *c, obb_fingerprint output)
{
    const obb_object_cache_item item = {.cost = c->cost, .printed = c->command.output};
    bool known = *c->key.text && !c->cached &&
                 obb_dependencies_of(r->table, c->action)->inputs.count == c->inputs;
    if (known && obb_caching_put(r->options->cache, &c->key, r->table, c->action, &item, output) && r->far)
        obb_far_send(r->far, &c->key);
}

/* Puts the output in its place and writes the record. NULL, or what went wrong. */
const char *obb_accept_output(obb_scheduler *r, obb_child *c)
{
    obb_files *files = r->plan->files;
    const obb_action *a = c->action;
    const char *path = obb_files_path(files, a->output);
    const obb_record *before = obb_state_record(r->state, a->output);
    obb_fingerprint then = before ? before->output : OBB_NO_FINGERPRINT, fingerprint;
    int misplaced = c->invocation.temporary ? put_in_place(r, c->invocation.temporary, path) : 0;
    if (misplaced)
        return misplaced == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                   : obb_arena_format(r->arena, "cannot put %s in its place: %s", path,
                                                      obb_below_error(misplaced));
    int unlinked = make_links(r, a);
    if (unlinked)
        return obb_arena_format(r->arena, "cannot link other names to %s: %s", path,
                                obb_below_error(unlinked));
    obb_file missing;
    obb_files_forget(files, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        obb_files_forget(files, a->also.at[i]);
    int failed = obb_outputs_fingerprint(files, a, &fingerprint, &missing);
    path = obb_files_path(files, missing);
    if (failed)
        return failed == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                : obb_arena_format(r->arena, "cannot read %s: %s", path, strerror(failed));
    if (c->invocation.report || a->kind == OBB_LINK_PROGRAM)
        take_report(r, c);
    if (!c->cached)
        c->cost.milliseconds = c->took;
    record(r, c, before, fingerprint);
    obb_arena_push(r->plan->arena, &r->result.parts,
                   ((obb_made_part){.action = a,
                                    .began = c->started - r->commands.began,
                                    .milliseconds = c->took,
                                    .slot = c->slot,
                                    .cause = obb_arena_string(r->plan->arena, c->cause),
                                    .taken = c->cached}));
    r->result.made++;
    r->result.hits += c->cached;
    r->result.far_hits += c->cached && c->far;
    if (c->compares)
        compare(r, c);
    keep_for_others(r, c, fingerprint);
    r->result.same += obb_fingerprint_same(then, fingerprint);
    obb_arena_push(r->arena, &r->made, c->action);
    return NULL;
}

static void drop_files(const obb_plan *plan, const obb_file_list *list)
{
    for (size_t i = 0; i < list->count; i++)
        obb_below_remove(plan->out, obb_files_path(plan->files, list->at[i]));
}

/* The report of a step may be one of its outputs. */
static bool is_output(const obb_files *files, const obb_action *a, const char *path)
{
    bool is = strcmp(obb_files_path(files, a->output), path) == 0;
    for (size_t i = 0; i < a->also.count && !is; i++)
        is = strcmp(obb_files_path(files, a->also.at[i]), path) == 0;
    return is;
}

void obb_drop_report(obb_child *c)
{
    obb_invocation *i = &c->invocation;
    const char *report = c->action->step ? c->action->step->reports_reads : i->report;
    bool others = i->report_stays && c->command.status == 0 && c->command.signal == 0;
    obb_text_free(&i->told);
    if (!report || others || is_output(c->run->plan->files, c->action, report))
        return;
    unlink(report);
    if (i->report_stays) /* what it left running may add to this one still */
        c->run->slots.at[c->slot].report = NULL;
}

void obb_drop_leftovers(obb_child *c, bool succeeded)
{
    const obb_plan *plan = c->run->plan;
    const obb_files *files = plan->files;
    const obb_invocation *i = &c->invocation;
    if (i->temporary && !succeeded)
        unlink(i->temporary);
    else if (!succeeded)
        obb_below_remove(plan->out, obb_files_path(files, c->action->output));
    if (!succeeded) {
        drop_files(plan, &c->action->also);
        drop_files(plan, &c->action->byproducts);
    }
    if (i->words_file)
        unlink(i->words_file);
    obb_drop_report(c);
}

/* The command wrote under a temporary name: messages show the final one. */
void obb_name_output(const obb_scheduler *r, obb_child *c)
{
    const char *text = obb_text_bytes(&c->command.output),
               *path = obb_files_path(r->plan->files, c->action->output), *found;
    obb_text told = {0};
    const char *temporary = c->invocation.temporary;
    size_t n = temporary ? strlen(temporary) : 0;
    if (!n || !strstr(text, temporary))
        return;
    for (; (found = strstr(text, temporary)); text = found + n) {
        obb_text_add(&told, text, (size_t)(found - text));
        obb_text_string(&told, path);
    }
    obb_text_add(&told, text, c->command.output.length - (size_t)(text - c->command.output.bytes));
    obb_text_free(&c->command.output);
    c->command.output = told;
}
