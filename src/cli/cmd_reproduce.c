/* `reproduce`: is what was made here the same as what is made of the same project elsewhere? */
#include "build/reproduce.h"

#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

static void print_json(const obb_reproduction *t)
{
    json_t *document = json_object(), *list = json_array();
    for (size_t i = 0; i < t->unlike.count; i++) {
        const obb_unlike *u = &t->unlike.at[i];
        json_t *o = json_object();
        json_object_set_new(o, "file", obb_report_text(u->path));
        json_object_set_new(o, "offset", json_integer((json_int_t)u->offset));
        json_object_set_new(o, "section", u->section ? obb_report_text(u->section) : json_null());
        json_object_set_new(o, "reason", u->reason ? obb_report_text(u->reason) : json_null());
        json_array_append_new(list, o);
    }
    json_object_set_new(document, "compared", json_integer((json_int_t)t->compared));
    json_object_set_new(document, "different", list);
    json_print(document, "reproduce");
}

static void print_lines(const obb_reproduction *t)
{
    for (size_t i = 0; i < t->unlike.count; i++) {
        const obb_unlike *u = &t->unlike.at[i];
        terminal_say(stdout, "differs   %s  from byte %llu on", u->path, (unsigned long long)u->offset);
        if (u->section)
            terminal_say(stdout, ", in %s", u->section);
        terminal_say(stdout, "%s%s\n", u->reason ? ": " : "", u->reason ? u->reason : "");
    }
    terminal_say(stdout, "%zu products compared with a build in another folder: ", t->compared);
    if (t->unlike.count)
        terminal_ink(stdout, INK_ERROR, "%zu differ", t->unlike.count);
    else
        terminal_say(stdout, "all are the same, byte for byte");
    terminal_say(stdout, "\n");
    if (t->unlike.count)
        terminal_say(stdout, "the other build is kept: %s\n", t->folder);
}

int command_reproduce(session *s)
{
    obb_reproduction result;
    int code = build_and_plan(s);
    if (!code && !s->options->request.dry_run)
        code = obb_scan_changed(s->w); /* what its sources include is copied as well */
    if (code || s->options->request.dry_run)
        return code;
    code = obb_reproduce(s->w, &result);
    if (result.errors)
        fputs(result.errors, stderr);
    if (code && !result.unlike.count)
        return code;
    if (s->options->json)
        print_json(&result);
    else
        print_lines(&result);
    return code;
}
