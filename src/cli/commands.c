/* The table of commands, and help.
 *
 * Each command has one row: name, operands, summary, help and function. `help` prints from this table alone,
 * so a command without help cannot exist. */
#include "cli/commands.h"
#include "cli/terminal.h"

#include <stdio.h>
#include <string.h>

const command commands[] = {
    {"build", command_build, "[TARGET...]", "bring targets up to date, in one or several variants",
     "Without names, the project's default targets are built; without a choice of variants, its\n"
     "default variants, or host.debug.\n\n"
     "  obbligato build\n"
     "  obbligato build tower-sim -c debug -c release\n"
     "  obbligato build --lineup nightly   all variants of a lineup, in one build\n"
     "  obbligato build -p striker-m3 --set telemetry=full\n"
     "  obbligato build -n                 show what would be made, and why\n"
     "  obbligato build --strict           fail steps that read files they do not declare\n"
     "  obbligato build -v -j 4            show the commands, run four at a time\n",
     COMMAND_MAKES},
    {"watch", command_watch, "[TARGET...]", "build, then build again after each change, until interrupted",
     "The file system reports what changed, so an edit triggers only what it affects, however large\n"
     "the project is. -v shows how soon the first command started.\n\n"
     "  obbligato watch\n"
     "  obbligato watch tower-sim -c debug -c release\n",
     COMMAND_MAKES},
    {"run", command_run, "PROGRAM|IMAGE|LAUNCH [-- ARGUMENTS]", "bring a program up to date, then run it",
     "The program runs in the current folder, and its exit code is passed on. Output of the build\n"
     "goes to standard error.\n\n"
     "  obbligato run tower-sim -- --tune vespers\n"
     "  obbligato run recital               a launch: program, arguments, environment, folder\n"
     "  obbligato run striker --timeout 10s -p striker-m3\n",
     COMMAND_MAKES},
    {"test", command_test, "[TEST|PATTERN...]", "build tests and run them, side by side",
     "Without names, runs all tests that are not optional. Tests for other machines run in the\n"
     "emulators that their platforms name; one that cannot run here is skipped, with the reason.\n"
     "The output of failing tests is shown in full; -v shows that of passing ones as well.\n\n"
     "  obbligato test\n"
     "  obbligato test 'tune-*' --variant host.debug --variant tower-a64.release\n"
     "  obbligato test --failed            only those that failed the last time\n"
     "  obbligato test --affected          only those whose program or files changed since they passed\n"
     "  obbligato test --repeat 20 --first-failure\n"
     "  obbligato test --retry 2           run failing tests up to twice more; says which needed it\n"
     "  obbligato test --tap results.tap --junit results.xml\n"
     "  obbligato test --coverage          build with coverage=on; show the lines that ran, by file\n",
     COMMAND_MAKES},
    {"debug", command_debug, "PROGRAM|TEST|IMAGE|LAUNCH [-- ARGUMENTS]",
     "bring a program up to date, then start a debugger on it",
     "A program for another machine runs in the emulator of its platform, which waits for the\n"
     "debugger (the runner's `debug`). --order gives the debugger commands to start with; with\n"
     "--batch it exits after them.\n\n"
     "  obbligato debug tower-sim -- tunes/vespers.tune\n"
     "  obbligato debug striker --variant striker-m3.debug\n"
     "  obbligato debug striker -p striker-m3 --order 'break strike_bell' --order continue --order backtrace "
     "--batch\n",
     COMMAND_MAKES},
    {"load", command_load, "IMAGE", "bring an image up to date and put it on a device",
     "The device's own commands write, verify and reset. The address is the lowest one of the image's\n"
     "program, unless --address gives another. If loading fails halfway, the device is recorded as\n"
     "holding an incomplete image.\n\n"
     "  obbligato load striker-image --variant striker-m3.release\n"
     "  obbligato load card --device bench --address 0x0\n",
     COMMAND_MAKES},
    {"probe", command_probe, "[DEVICE]",
     "ask a device what it is, and show what was loaded onto it from here", "  obbligato probe bench\n",
     COMMAND_ASKS},
    {"clean", command_clean, "", "remove what was made, for the chosen variants or all",
     "Removes exactly the files that were made, including those no longer described, and folders\n"
     "that this leaves empty. Other files in the output folder stay.\n\n"
     "  obbligato clean\n"
     "  obbligato clean -c release\n"
     "  obbligato clean --all              the whole output folder, with anything else in it\n",
     COMMAND_ASKS},
    {"fetch", command_fetch, "[NAME...]", "fetch third-party code that is missing, ahead of a build",
     "What `thirdparty` statements name is downloaded, compared with obbligato.lock, unpacked below\n"
     "OUT/thirdparty, and patched. Builds do the same with what is missing. Edited code is never\n"
     "replaced, unless --drop-edits says so; --newest looks where branches point to now.\n\n"
     "  obbligato fetch\n"
     "  obbligato fetch chime\n"
     "  obbligato fetch --locked           fail if obbligato.lock would change\n",
     COMMAND_MAKES},
    {"patch", command_patch, "NAME", "show what was edited in third-party code, as a unified diff",
     "--to writes it to a file, where `patch` of the `thirdparty` statement finds it.\n\n"
     "  obbligato patch chime\n"
     "  obbligato patch chime --to patches/chime/02-louder.patch\n",
     COMMAND_ASKS},
    {"draft", command_draft, "[FOLDER]", "draft a description of a source tree",
     "Compiles each source once, and finds programs, libraries, tests, include folders and libraries of\n"
     "the system from what the objects define and lack. Writes obbligato.score, unless one is there: then\n"
     "it prints what that does not have. What is unsure is a comment with the reason.\n\n"
     "  obbligato draft\n"
     "  obbligato draft ../other-project\n"
     "  obbligato draft -n                 print it, write nothing\n"
     "  obbligato draft --from build/compile_commands.json\n",
     COMMAND_APART},
    {"format", command_format, "[FILE...]", "lay descriptions out in the one form that there is for them",
     "Without names, all descriptions of the project itself. Comments stay, and so do empty lines (one\n"
     "at a time), blocks on one line, and lines that a statement was parted into. - reads standard input\n"
     "and writes standard output. What a description says is never changed.\n\n"
     "  obbligato format\n"
     "  obbligato format boards/boards.score\n"
     "  obbligato format --check           change nothing; exit with 1 if something would change\n"
     "  obbligato format - < draft.score\n",
     COMMAND_APART},
    {"keys", command_keys, "[NAME]", "make a key pair that signs objects for a far store, or list the pairs",
     "Without a name, lists the pairs of this person (~/.config/obbligato/keys). With one, makes a pair and\n"
     "prints what a project states so that its builds take objects that were signed with it. With more\n"
     "than one pair, OBBLIGATO_SIGN_WITH names the one that signs.\n\n"
     "  obbligato keys\n"
     "  obbligato keys ci\n",
     COMMAND_APART},
    {"language-server", command_language_server, "",
     "help an editor with descriptions (Language Server Protocol)",
     "Speaks the protocol over standard input and output, for files named *.score. docs/editors.md tells "
     "how\n"
     "editors are told of it.\n\n"
     "  obbligato language-server\n",
     COMMAND_APART},
    {"worker", command_worker, "", "compile for other machines: lend this one's hand to a farm",
     "Takes jobs from the farm that OBBLIGATO_FARM names, -j at a time, until it is interrupted. Each\n"
     "runs shut in by bubblewrap, with nothing in sight but the files that it was sent with, and without\n"
     "network. Jobs are taken that are signed by a key in OBBLIGATO_TRUST; results are signed with the\n"
     "key of this person (obbligato keys).\n\n"
     "  OBBLIGATO_FARM=rediss://farm.example/0 obbligato worker -j 16\n"
     "  OBBLIGATO_FARM=rediss://farm.example/0 obbligato build     builds with it\n"
     "  OBBLIGATO_FARM=rediss://farm.example/0 obbligato show farm\n",
     COMMAND_APART},
    {"install", command_install, "[DELIVERY...]", "bring what goes out up to date, and install it",
     "Without names, all deliveries of the project, and in any case those that they need. Files go\n"
     "below --prefix (/usr/local); --below FOLDER writes them there as if it were the root of the\n"
     "system. What is there already and is not from a delivery stays, unless --replace is said.\n"
     "--strip takes out what only debuggers need; --debug-files keeps that in lib/debug.\n\n"
     "  obbligato install -c release --prefix ~/tower\n"
     "  obbligato install tower -c release --strip --prefix /usr --below stage\n"
     "  obbligato install -c release -v    names what was there already, too\n",
     COMMAND_MAKES},
    {"uninstall", command_uninstall, "[DELIVERY...]", "remove exactly what was installed",
     "Without names, all that this project has installed in the prefix. Files that were changed since\n"
     "stay, and are listed; so do all others. Folders that an install made go when they are empty.\n\n"
     "  obbligato uninstall --prefix ~/tower\n"
     "  obbligato uninstall tower --prefix /usr --below stage\n",
     COMMAND_ASKS},
    {"pack", command_pack, "[DELIVERY...] --as FORMAT", "bring what goes out up to date, and pack it",
     "FORMAT is tar.gz, tar.xz, tar.zst, zip, deb (a Debian package) or run (a shell script that\n"
     "installs itself), and may be said several times. The files go to OUT/packages, or --to FOLDER.\n"
     "With a lineup or several variants, each is packed. The same input gives the same bytes; times\n"
     "are those of SOURCE_DATE_EPOCH. Each has a bill of materials and the licences in it.\n\n"
     "  obbligato pack -c release --as tar.gz --as run\n"
     "  obbligato pack tower --lineup systems --as deb --to ~/packages\n",
     COMMAND_MAKES},
    {"show", command_show,
     "[targets|variants|platforms|toolchains|axes|checks|settings T|sources "
     "T|tests|launches|devices|thirdparty|deliveries|machine|store|farm]",
     "show what the description says and what was found",
     "platforms and toolchains show what was found here and what is missing.\n\n"
     "  obbligato show targets\n"
     "  obbligato show settings tower-sim -c release    each value, and where it comes from\n"
     "  obbligato show sources tune --json\n"
     "  obbligato show platforms\n"
     "  obbligato show lineups\n"
     "  obbligato show deliveries                       every file that goes out, and where to\n"
     "  obbligato show thirdparty                       code of others: where it is, and its targets\n"
     "  obbligato show thirdparty --why chime           who asks for it, and for which version\n"
     "  obbligato show store                            objects kept here, brought from afar, and sent\n"
     "  obbligato show farm                             who lends a hand, and what waits\n"
     "  obbligato show checks -p host -p tower-a64      what each platform has, and why not\n"
     "  obbligato show axes -p striker-m3               each axis, its value, and where that was set\n",
     COMMAND_ASKS},
    {"validate", command_validate, "", "read and resolve everything for every variant, build nothing",
     "Tools and system libraries are checked as well.\n\n"
     "  obbligato validate\n",
     COMMAND_ASKS},
    {"scan", command_scan, "[SOURCE|TARGET...]", "list the files that sources include",
     "Reads the sources as the compiler would, before anything is compiled. --tree draws who includes\n"
     "whom; -v adds what system headers include.\n\n"
     "  obbligato scan src/sim/main.cpp           every file it includes\n"
     "  obbligato scan --tree src/sim/main.cpp    who includes whom, at which line\n"
     "  obbligato scan                            all sources of the default targets\n"
     "Questions about the headers of what is scanned:\n"
     "  obbligato scan --who tune.h               what includes it, directly and indirectly\n"
     "  obbligato scan --chain stroke.h apps/sim/main.cpp    the shortest chain to it\n"
     "  obbligato scan --costs                    headers by the lines they bring in\n"
     "  obbligato scan --circles                  files that include themselves, directly or not\n"
     "  obbligato scan --ambiguous                names found in several folders, and which one is read\n"
     "  obbligato scan --never                    headers of the project that nothing includes\n"
     "  obbligato scan --missing                  includes that are not found anywhere\n"
     "  obbligato scan --differences              where compilers reported something other than the scan\n",
     COMMAND_ASKS},
    {"why", command_why, "FILE|TARGET...", "show why something was made, and why it would be made now",
     "  obbligato why src/tune/tune.c\n"
     "  obbligato why tower-sim -c release\n",
     COMMAND_ASKS},
    {"impact", command_impact, "FILE...", "show what would be made again if files changed",
     "Changes and builds nothing. Lists the actions that read a file and those that depend on them,\n"
     "with targets and variants, and the tests affected.\n\n"
     "  obbligato impact strike/include/strike/detail/fade.h --lineup season\n",
     COMMAND_ASKS},
    {"size", command_size, "PROGRAM|IMAGE...", "show how full memory is, by region, section, source, symbol",
     "Brings the program up to date first. Sources and symbols are listed largest first, eight of\n"
     "each; -v shows all. A path in place of a name is an ELF file. Exceeded budgets are reported; a\n"
     "fatal one makes the exit code 1. --against compares with another variant, an ELF file, or an\n"
     "account saved with --json. In several variants, a table with a row for each is shown, unless -v\n"
     "asks for more. Of an image, its parts and gaps are shown, where they lie in the whole.\n\n"
     "  obbligato size striker -p striker-m3 -c release\n"
     "  obbligato size striker --lineup boards\n"
     "  obbligato size striker-image -p striker-m3\n"
     "  obbligato size striker -p striker-m3 --json > yesterday.json\n"
     "  obbligato size striker -p striker-m3 --against yesterday.json\n"
     "  obbligato size striker -p striker-m3 --against striker-m3.release\n",
     COMMAND_MAKES},
    {"compare", command_compare, "VARIANT VARIANT [TARGET|SOURCE...]", "compare two variants",
     "Shows axes and settings that differ, with where they come from; targets that only one has; sizes\n"
     "and times; for a source, how its commands differ.\n\n"
     "  obbligato compare host.debug host.release\n"
     "  obbligato compare striker-m3.release striker-rv.release striker\n"
     "  obbligato compare host.debug host.release src/tune/tune.c\n",
     COMMAND_ASKS},
    {"reproduce", command_reproduce, "[TARGET...]",
     "build the same elsewhere from nothing, and compare byte for byte",
     "Copies the project to a temporary folder and builds it there, one command at a time. Each\n"
     "product that differs is listed, with the first differing byte and its section; the exit code is\n"
     "then 1, and the other build is kept.\n\n"
     "  obbligato reproduce\n"
     "  obbligato reproduce striker -p striker-m3 -c release\n",
     COMMAND_MAKES},
    {"export", command_export,
     "compilation-database|shell-script|debug|plan|sbom|report-data|graph WHAT [TARGET...]",
     "write the plan in an open format",
     "compilation-database   what editors read; also written to compile_commands.json in the\n"
     "                       folder of each variant\n"
     "shell-script           builds the project where there is no obbligato; `sh SCRIPT install PREFIX`\n"
     "                       installs it as well\n"
     "debug                  how to debug each program and launch, as JSON, for editors\n"
     "plan                   every action with its command, inputs and outputs, as JSON\n"
     "sbom                   what third-party code is in each program, as SPDX 2.3 in JSON\n"
     "report-data            what the page of `report` shows, as JSON\n"
     "graph targets|headers|actions   a drawing in DOT, for Graphviz; -v adds system headers\n\n"
     "  obbligato export graph headers tower-sim | dot -Tsvg > headers.svg\n"
     "  obbligato export compilation-database -c release > compile_commands.json\n"
     "  obbligato export shell-script > build-it.sh\n",
     COMMAND_ASKS},
    {"report", command_report, "[TARGET...]", "write a page for a browser: builds, headers, memory, tests",
     "The page needs nothing else and asks nothing of the network. It shows the last 50 builds as time\n"
     "lines with the longest way, what took longest and why it was made, what headers cost, what takes\n"
     "memory, where things are in images, and how tests ended. Nothing is built. Without a choice of\n"
     "variants it is about those of the last builds, and without names about their targets. It is\n"
     "report.html in the output folder, or --to FILE.\n"
     "--against compares memory with what `size --json` or `export report-data` wrote earlier.\n\n"
     "  obbligato report\n"
     "  obbligato report striker -p striker-m3 -c release\n"
     "  obbligato report --to /tmp/monday.html --against last-week.json\n",
     COMMAND_ASKS},
    {"help", command_help, "[COMMAND|language]", "show this, or more about one command",
     "--manuals writes a manual page for each command, and one for the language, into a folder.\n"
     "--completion bash|zsh|fish prints what that shell needs to complete commands, options, targets,\n"
     "tests, variants, axes and their values; it asks this program while you type.\n\n"
     "  obbligato help build\n"
     "  obbligato help language | less\n"
     "  . <(obbligato help --completion bash)\n"
     "  obbligato help --manuals ~/.local/share/man\n",
     COMMAND_APART},
    {"complete", command_complete, "-- WORD...", "what may stand in place of the last word, for shells",
     "A line for each, with what it is behind a tab; the line `:files` stands for names of files.\n"
     "The scripts of `help --completion` ask it.\n\n"
     "  obbligato complete -- obbligato build tow\n",
     COMMAND_APART},
    {NULL, NULL, NULL, NULL, NULL, COMMAND_ASKS}};

enum { COMMANDS = sizeof commands / sizeof *commands };

const command *command_find(const char *name)
{
    for (const command *c = commands; c->name; c++)
        if (strcmp(c->name, name) == 0)
            return c;
    return NULL;
}

const char *const *command_names(void)
{
    static const char *names[COMMANDS];
    for (size_t i = 0; i < COMMANDS; i++)
        names[i] = commands[i].name;
    return names;
}

const char options_text[] =
    "Choosing variants (each may be repeated; platforms and configurations multiply):\n"
    "  -p, --platform NAME        -c, --configuration NAME      --variant PLATFORM.CONFIGURATION\n"
    "      --lineup NAME              --set AXIS=VALUE (for all that are chosen)\n"
    "Options:\n"
    "  -C, --directory FOLDER     work as if started there\n"
    "  -o, --out FOLDER           the output folder (default: out beside the description;\n"
    "                             OBBLIGATO_OUT)\n"
    "  -j, --jobs N               commands side by side (default: the processors that this\n"
    "                             process may use; OBBLIGATO_JOBS)\n"
    "      --memory SIZE          start no command beside others when, by what it needed before,\n"
    "                             they would need more (default: what is free; OBBLIGATO_MEMORY)\n"
    "      --farm-check SHARE     make so many of the objects that the farm makes here as well, and\n"
    "                             compare: --farm-check 1%\n"
    "  -k, --keep-going           after a failure, still make what does not depend on it\n"
    "  -n, --dry-run              only show what would be made, and why\n"
    "  -v, --verbose              show commands, and what the scan left to the compiler\n"
    "  -q, --quiet                only errors, and the output of failed commands\n"
    "      --json                 one JSON document (docs/commands.md, \"JSON\", has its members)\n"
    "      --wide                 do not fit tables to the terminal\n"
    "      --offline              fetch nothing (OBBLIGATO_OFFLINE=1)\n"
    "      --locked               fail if obbligato.lock would change\n"
    "      --prefer system|own    third-party code that both have: the system's, or its own sources\n"
    "      --color WHEN           auto, always, never (NO_COLOR is honoured)\n"
    "      --progress WHEN        auto, always, never\n"
    "      --help, --version\n";

const char exit_codes_text[] =
    "Exit codes: 0 done; 1 an action failed; 2 wrong use; 3 the description is wrong;\n"
    "4 something outside is missing; 130 interrupted.\n";

void help_all(void)
{
    terminal_say(stdout, "obbligato " OBB_VERSION
                         " builds C, C++ and assembly for several machines and configurations.\n\n"
                         "  obbligato COMMAND [options] [NAMES]\n\n");
    for (const command *c = commands; c->name; c++)
        terminal_say(stdout, "  %-9s %s\n", c->name, c->summary);
    terminal_say(stdout, "\n%s\n", options_text);
    terminal_say(stdout, "The shortest description, in a file named " OBB_SCORE_NAME ":\n\n"
           "  project bells { version 0.1.0 }\n"
           "  program ring  { sources src/*.c }\n\n"
           "%s", exit_codes_text);
}

void help_command(const command *c)
{
    terminal_say(stdout, "obbligato %s%s%s\n\n%s.\n\n%s\n%s", c->name, *c->operands ? " " : "", c->operands,
                 c->summary, c->help, options_text);
}

int command_help(session *s)
{
    if (s->options->manuals)
        return write_manuals(s, s->options->manuals);
    if (s->options->completion)
        return print_completion(s, s->options->completion);
    if (s->options->request.names.count && strcmp(s->options->request.names.at[0], "language") == 0)
        return print_language();
    if (!s->options->request.names.count) {
        help_all();
        return 0;
    }
    const command *c = command_find(s->options->request.names.at[0]);
    if (c) {
        help_command(c);
        return 0;
    }
    obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no command `%s`",
                            s->options->request.names.at[0]);
    obb_hint_nearest(s->w->diags, d, s->options->request.names.at[0], command_names());
    return obb_workspace_tell(s->w);
}
