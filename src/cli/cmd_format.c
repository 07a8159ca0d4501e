/* `format`: lays descriptions out. */
#include <stdio.h>
#include <string.h>

#include "build/format.h"
#include "cli/commands.h"
#include "cli/terminal.h"

/* From standard input to standard output, for editors. */
static int format_stream(session *s)
{
    obb_text text = {0}, formatted = {0};
    char room[65536];
    for (size_t n; (n = fread(room, 1, sizeof room, stdin)) > 0;)
        obb_text_add(&text, room, n);
    int code = obb_format_text(s->w, "standard input", &text, &formatted);
    if (!code)
        fwrite(obb_text_bytes(&formatted), 1, formatted.length, stdout);
    obb_text_free(&text);
    obb_text_free(&formatted);
    return code;
}

static void print_json(const obb_laid_out_list *list)
{
    json_t *document = json_object(), *rows = json_array();
    for (size_t i = 0; i < list->count; i++)
        json_array_append_new(rows, json_pack("{s:s, s:b}", "file", list->at[i].file, "changed",
                                              list->at[i].changed));
    json_object_set_new(document, "rows", rows);
    json_print(document, "format");
}

int command_format(session *s)
{
    const options *o = s->options;
    const obb_words *names = &o->request.names;
    obb_laid_out_list list = {0};
    size_t changed = 0;
    char room[40];
    bool looks = o->check || o->request.dry_run;
    if (names->count == 1 && strcmp(names->at[0], "-") == 0)
        return format_stream(s);
    int code = obb_format_files(s->w, names, looks, &list);
    for (size_t i = 0; i < list.count; i++)
        changed += list.at[i].changed;
    if (o->json)
        print_json(&list);
    for (size_t i = 0; i < list.count && !o->json && !o->quiet; i++)
        if (list.at[i].changed)
            terminal_say(stdout, looks ? "%s is laid out otherwise\n" : "laid out %s\n", list.at[i].file);
    if (!o->json && !o->quiet && !changed && !code)
        terminal_say(stdout, "nothing to do: %s laid out\n",
                     counted(room, sizeof room, list.count, "file is", "files are"));
    return code ? code : o->check && changed ? OBB_FAULT_ACTION : 0;
}
