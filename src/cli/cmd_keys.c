/* `keys`: the key pairs with which objects for a far store are signed. */
#include "build/keys.h"
#include "cli/commands.h"
#include "cli/terminal.h"

static int list_keys(session *s)
{
    table t = {.name = "keys"};
    obb_key_pairs pairs = {0};
    const char *folder;
    int code = obb_list_key_pairs(s->w, &pairs, &folder);
    if (code)
        return code;
    table_row(&t, "pair", "public key");
    for (size_t i = 0; i < pairs.count; i++)
        table_row(&t, pairs.at[i].name, pairs.at[i].public_key);
    if (pairs.count || s->options->json) {
        table_print(&t, s->options->json);
        return 0;
    }
    table_drop(&t);
    terminal_say(stdout, "there are no key pairs in %s; `obbligato keys NAME` makes one\n", folder);
    return 0;
}

static int make_keys(session *s, const char *name)
{
    obb_key_pair made;
    int code = obb_make_key_pair(s->w, name, &made);
    if (code)
        return code;
    if (s->options->json) {
        json_t *document = json_object();
        json_object_set_new(document, "pair", json_string(made.name));
        json_object_set_new(document, "public-key", json_string(made.public_key));
        json_print(document, "keys");
        return 0;
    }
    terminal_say(stdout,
                 "made the key pair %s: what is built here is signed with it\n"
                 "projects that are to take such objects state:\n"
                 "  trust %s\n",
                 made.name, made.public_key);
    return 0;
}

int command_keys(session *s)
{
    const obb_words *names = &s->options->request.names;
    if (names->count > 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`keys` takes one name, not also `%s`", names->at[1],
                                  "obbligato keys NAME");
    return names->count ? make_keys(s, names->at[0]) : list_keys(s);
}
