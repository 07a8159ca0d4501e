/* Completing the words of a command line: for shells, which ask while somebody types, so also in a project
 * that has errors, and outside of any. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "delivery/pack.h"

/* --- scripts ------------------------------------------------------------------------ */

/* Bash breaks words at = and :, so what stands in front of the last of these is taken away from the answers.
 */
static const char bash_script[] =
    "_obbligato() {\n"
    "    local line word cur=${COMP_LINE:0:COMP_POINT} words=() IFS=$' \\t\\n'\n"
    "    read -ra words <<< \"$cur\"\n"
    "    case $cur in *[[:space:]]) words+=('') ;; esac\n"
    "    word=${words[${#words[@]}-1]}\n"
    "    COMPREPLY=()\n"
    "    while IFS= read -r line; do\n"
    "        line=${line%%$'\\t'*}\n"
    "        if [ \"$line\" = :files ]; then\n"
    "            while IFS= read -r line; do COMPREPLY+=(\"$line\"); done < <(compgen -f -- \"$word\")\n"
    "            compopt -o filenames 2> /dev/null\n"
    "            continue\n"
    "        fi\n"
    "        case $line in *=) compopt -o nospace 2> /dev/null ;; esac\n"
    "        case $word in *[=:]*) line=${line#\"${word%\"${word##*[=:]}\"}\"} ;; esac\n"
    "        COMPREPLY+=(\"$line\")\n"
    "    done < <(obbligato complete -- \"${words[@]}\" 2> /dev/null)\n"
    "}\n"
    "complete -F _obbligato obbligato\n";

static const char zsh_script[] =
    "#compdef obbligato\n"
    "_obbligato() {\n"
    "    local line\n"
    "    local -a plain open\n"
    "    while IFS= read -r line; do\n"
    "        if [[ $line == :files ]]; then _files; continue; fi\n"
    "        line=${line%%$'\\t'*}\n"
    "        if [[ $line == *= ]]; then open+=(\"$line\"); else plain+=(\"$line\"); fi\n"
    "    done < <(obbligato complete -- \"${(@)words[1,CURRENT]}\" 2> /dev/null)\n"
    "    (( $#plain )) && compadd -- \"${plain[@]}\"\n"
    "    (( $#open )) && compadd -S '' -- \"${open[@]}\"\n"
    "}\n"
    "if [[ $zsh_eval_context[-1] == loadautofunc ]]; then _obbligato \"$@\"; else compdef _obbligato "
    "obbligato; fi\n";

static const char fish_script[] =
    "function __obbligato_words\n"
    "    for line in (obbligato complete -- (commandline -opc) (commandline -ct) 2> /dev/null)\n"
    "        if test \"$line\" = :files\n"
    "            __fish_complete_path (commandline -ct)\n"
    "        else\n"
    "            echo $line\n"
    "        end\n"
    "    end\n"
    "end\n"
    "complete -c obbligato -f -a '(__obbligato_words)'\n";

int print_completion(session *s, const char *shell)
{
    static const struct { const char *name, *script;
    } known[] = {{"bash", bash_script}, {"zsh", zsh_script}, {"fish", fish_script}};
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strcmp(known[i].name, shell) == 0)
            return fputs(known[i].script, stdout) < 0 ? (int)OBB_FAULT_OUTSIDE : 0;
    return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "there is nothing to complete words in `%s`", shell,
                              "one of bash, zsh, fish");
}

/* --- what may stand there ------------------------------------------------------------ */

typedef struct completer {
    obb_workspace *w;          /* NULL: there is no project here */
    const obb_project *project; /* as far as it could be read; or NULL */
    const char *word;          /* that is completed */
} completer;

static void offer(const completer *c, const char *word, const char *what)
{
    if (!obb_starts(word, c->word))
        return;
    if (what && *what)
        printf("%s\t%.*s\n", word, (int)strcspn(what, "\n\t"), what);
    else
        printf("%s\n", word);
}

static void offer_words(const completer *c, const char *const *words)
{
    for (; *words; words++)
        offer(c, *words, NULL);
}

static void offer_files(void)
{
    puts(":files");
}

/* Targets of these kinds, as bits; those of third-party code by their whole names. */
static void offer_targets(const completer *c, unsigned kinds)
{
    for (size_t i = 0; c->project && i < c->project->targets.count; i++) {
        const obb_target *t = c->project->targets.at[i];
        if (kinds >> t->kind & 1 && !t->owner)
            offer(c, t->name, t->summary);
    }
}

enum {
    PROGRAMS = 1 << OBB_PROGRAM,
    IMAGES = 1 << OBB_IMAGE,
    TESTS = 1 << OBB_TEST,
    BUILT = PROGRAMS | IMAGES | TESTS | 1 << OBB_LIBRARY | 1 << OBB_GROUP | 1 << OBB_STEP
};

static void offer_definitions(const completer *c, obb_definition_kind kind)
{
    for (size_t i = 0; c->project && i < c->project->definitions[kind].count; i++)
        offer(c, c->project->definitions[kind].at[i]->name, c->project->definitions[kind].at[i]->summary);
}

static void offer_variants(const completer *c)
{
    const obb_definitions *platforms = c->project ? &c->project->definitions[OBB_PLATFORM_DEFINITION] : NULL;
    for (size_t p = 0; platforms && p < platforms->count; p++) {
        const obb_definitions *all = &c->project->definitions[OBB_CONFIGURATION_DEFINITION];
        for (size_t i = 0; i < all->count; i++)
            offer(c, obb_arena_format(c->w->arena, "%s.%s", platforms->at[p]->name, all->at[i]->name),
                  all->at[i]->summary);
    }
}

/* AXIS= first, then AXIS=VALUE. */
static void offer_axes(const completer *c)
{
    for (size_t i = 0; c->project && i < c->project->axes.count; i++) {
        const obb_axis *a = c->project->axes.at[i];
        const char *begin = obb_arena_format(c->w->arena, "%s=", a->name);
        if (!obb_starts(c->word, begin)) {
            offer(c, begin, a->summary);
            continue;
        }
        for (size_t k = 0; k < a->values.count; k++)
            offer(c, obb_arena_format(c->w->arena, "%s%s", begin, a->values.at[k]), NULL);
    }
}

static void offer_launches(const completer *c)
{
    for (size_t i = 0; c->project && i < c->project->launches.count; i++)
        offer(c, c->project->launches.at[i]->name, c->project->launches.at[i]->summary);
}

static void offer_deliveries(const completer *c)
{
    for (size_t i = 0; c->project && i < c->project->deliveries.count; i++)
        offer(c, c->project->deliveries.at[i]->name, c->project->deliveries.at[i]->summary);
}

static void offer_others(const completer *c)
{
    for (size_t i = 0; c->project && i < c->project->thirdparty.count; i++)
        offer(c, c->project->thirdparty.at[i]->name, c->project->thirdparty.at[i]->version);
}

static void offer_devices(const completer *c)
{
    for (size_t i = 0; c->project && i < c->project->devices.count; i++)
        offer(c, c->project->devices.at[i]->name, c->project->devices.at[i]->summary);
}

static void offer_commands(const completer *c)
{
    for (const command *k = commands; k->name; k++)
        if (k->run != command_complete)
            offer(c, k->name, k->summary);
}

/* Behind an option that takes a value. False: the option takes none. */
static bool offer_value(const completer *c, const char *option)
{
    static const char *const times[] = {"auto", "always", "never", NULL},
                             *const who[] = {"system", "own", NULL},
                             *const shells[] = {"bash", "zsh", "fish", NULL};
    static const char *const with_files[] = {"-C",        "--directory", "-o",      "--out",   "--to",
                                             "--prefix",  "--below",     "--tap",   "--junit", "--against",
                                             "--manuals", "--who",       "--chain", "--from",  NULL};
    static const char *const with_words[] = {"-j",      "--jobs",    "--memory", "--farm-check", "--repeat",
                                             "--retry", "--timeout", "--order",  "--address",    NULL};
    if (strcmp(option, "-p") == 0 || strcmp(option, "--platform") == 0)
        offer_definitions(c, OBB_PLATFORM_DEFINITION);
    else if (strcmp(option, "-c") == 0 || strcmp(option, "--configuration") == 0)
        offer_definitions(c, OBB_CONFIGURATION_DEFINITION);
    else if (strcmp(option, "--variant") == 0)
        offer_variants(c);
    else if (strcmp(option, "--set") == 0)
        offer_axes(c);
    else if (strcmp(option, "--lineup") == 0)
        for (size_t i = 0; c->project && i < c->project->lineups.count; i++)
            offer(c, c->project->lineups.at[i]->name, NULL);
    else if (strcmp(option, "--as") == 0)
        offer_words(c, obb_pack_formats);
    else if (strcmp(option, "--color") == 0 || strcmp(option, "--progress") == 0)
        offer_words(c, times);
    else if (strcmp(option, "--prefer") == 0)
        offer_words(c, who);
    else if (strcmp(option, "--completion") == 0)
        offer_words(c, shells);
    else if (strcmp(option, "--device") == 0)
        offer_devices(c);
    else if (strcmp(option, "--why") == 0)
        offer_others(c);
    else {
        for (const char *const *o = with_files; *o; o++)
            if (strcmp(*o, option) == 0)
                return offer_files(), true;
        for (const char *const *o = with_words; *o; o++)
            if (strcmp(*o, option) == 0)
                return true;
        return false;
    }
    return true;
}

/* The words between bars that a command's operands begin with: "[targets|variants|settings T...]". */
static void offer_kinds(const completer *c, const char *operands)
{
    for (const char *at = operands + strspn(operands, "["); *at && *at != ' ' && *at != ']';) {
        size_t n = strcspn(at, "| ]");
        char *word = strndup(at, n);
        if (word && *word >= 'a' && *word <= 'z')
            offer(c, word, NULL);
        free(word);
        at += n;
        if (*at == ' ')
            at += strcspn(at, "|]");
        at += *at == '|';
    }
}

static void offer_operands(const completer *c, const command *k, const char *first)
{
    static const struct { const char *name; unsigned kinds; bool files;
    } takes[] = {{"build", BUILT, false},
                 {"watch", BUILT, false},
                 {"reproduce", BUILT, false},
                 {"run", PROGRAMS | IMAGES, false},
                 {"debug", PROGRAMS | IMAGES | TESTS, false},
                 {"test", TESTS, false},
                 {"load", IMAGES, false},
                 {"size", PROGRAMS | IMAGES, false},
                 {"compare", BUILT, false},
                 {"why", BUILT, true},
                 {"scan", BUILT, true},
                 {"impact", 0, true}};
    for (size_t i = 0; i < sizeof takes / sizeof *takes; i++)
        if (strcmp(takes[i].name, k->name) == 0) {
            offer_targets(c, takes[i].kinds);
            if (takes[i].files)
                offer_files();
        }
    if (strcmp(k->name, "run") == 0 || strcmp(k->name, "debug") == 0)
        offer_launches(c);
    else if (strcmp(k->name, "install") == 0 || strcmp(k->name, "uninstall") == 0 ||
             strcmp(k->name, "pack") == 0)
        offer_deliveries(c);
    else if (strcmp(k->name, "fetch") == 0 || strcmp(k->name, "patch") == 0)
        offer_others(c);
    else if (strcmp(k->name, "probe") == 0)
        offer_devices(c);
    else if (strcmp(k->name, "help") == 0) {
        offer_commands(c);
        offer(c, "language", "how projects are described");
    } else if ((strcmp(k->name, "show") == 0 || strcmp(k->name, "export") == 0) && !first)
        offer_kinds(c, k->operands);
    else if (strcmp(k->name, "show") == 0 && strcmp(first, "deliveries") == 0)
        offer_deliveries(c);
    else if (strcmp(k->name, "show") == 0 || strcmp(k->name, "export") == 0)
        offer_targets(c, BUILT);
}

static void offer_options(const completer *c)
{
    for (const char *const *name = option_names(); *name; name++)
        offer(c, obb_arena_format(c->w->arena, "--%s", *name), NULL);
}

static void complete(const completer *c, const obb_words *words)
{
    const command *k = NULL;
    const char *first = NULL, *before = words->count > 2 ? words->at[words->count - 2] : "";
    for (size_t i = 1; i + 1 < words->count; i++) {
        const char *word = words->at[i];
        bool value = i > 1 && option_takes_value(words->at[i - 1]);
        if (*word == '-' || value)
            continue;
        if (!k)
            k = command_find(word);
        else if (!first)
            first = word;
    }
    if (*before == '-' && offer_value(c, before))
        return;
    if (*c->word == '-')
        offer_options(c);
    else if (!k)
        offer_commands(c);
    else
        offer_operands(c, k, first);
}

int command_complete(session *s)
{
    const obb_words *words = &s->options->arguments;
    static const obb_build_observer nobody;
    obb_request request = {.folder = NULL};
    if (!words->count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`complete` takes the words of a command line%s", "",
                                  "obbligato complete -- obbligato build tow");
    for (size_t i = 1; i + 2 < words->count; i++)
        if (strcmp(words->at[i], "-C") == 0 || strcmp(words->at[i], "--directory") == 0)
            request.folder = words->at[i + 1];
    obb_workspace *w = obb_workspace_new(&request, &nobody);
    completer c = {.w = w, .word = words->at[words->count - 1]};
    if (!obb_workspace_enter(w)) {
        obb_workspace_read_descriptions(w);
        c.project = w->project;
    }
    complete(&c, words);
    obb_workspace_free(w);
    return 0;
}
