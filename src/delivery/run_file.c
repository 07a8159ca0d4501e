/* A script with its payload behind it (pack.h): POSIX shell, with `tail`, `tar` and `gzip`, which every
 * system has, and one of three programs for the sum. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "base/sha256.h"
#include "delivery/pack.h"

/* Behind it come lines that set title, sum, bytes and files. */
static const char usage[] =
    "usage() {\n"
    "    cat << END\n"
    "$title\n"
    "\n"
    "    sh $0 [--prefix FOLDER]            installs below FOLDER (/usr/local)\n"
    "    sh $0 --uninstall [--prefix FOLDER]  removes what it installed and nobody changed\n"
    "    sh $0 --list                       lists the files\n"
    "    sh $0 --check                      only checks that this file is whole\n"
    "    sh $0 --unpack FOLDER              writes the files into a new folder\n"
    "END\n"
    "}\n";

static const char functions[] =
    "fail() { echo \"$0: $*\" >&2; exit 1; }\n"
    "payload() { tail -c \"$bytes\" \"$0\"; }\n"
    "sum_of() {\n"
    "    if command -v sha256sum > /dev/null; then sha256sum\n"
    "    elif command -v shasum > /dev/null; then shasum -a 256\n"
    "    else openssl dgst -sha256 -r\n"
    "    fi | { read -r digest rest; echo \"$digest\"; }\n"
    "}\n"
    "check() {\n"
    "    is=$(payload | sum_of)\n"
    "    test \"$is\" = \"$sum\" || fail \"this file is damaged: its sum is $is, and must be $sum\"\n"
    "}\n"
    "unpack() { payload | gzip -dc | tar -xf - -C \"$1\" || fail \"cannot unpack into $1\"; }\n"
    "is_there() { test -L \"$1\" || test -e \"$1\"; }\n"
    "# As the list has it: the sum of a file, or the word link.\n"
    "kind_of() { if test -L \"$1\"; then echo link; else sum_of < \"$1\"; fi; }\n"
    "install_all() {\n"
    "    check\n"
    "    work=$prefix/.unpacking-$$\n"
    "    mkdir -p \"$work\" || fail \"cannot write to $prefix\"\n"
    "    trap 'rm -rf \"$work\"' EXIT\n"
    "    unpack \"$work\"\n"
    "    if test -f \"$prefix/$list\"; then remove_all \"$work/$list\"; fi\n"
    "    while IFS= read -r line; do\n"
    "        file=${line#* }\n"
    "        if is_there \"$prefix/$file\" && test \"$file\" != \"$list\"; then\n"
    "            test \"$(kind_of \"$prefix/$file\")\" = \"${line%% *}\" || test \"$replace\" = yes ||\n"
    "                fail \"$prefix/$file is there already, and is another one; --replace overwrites it\"\n"
    "        fi\n"
    "    done < \"$work/$list\"\n"
    "    ( cd \"$work\" && find . -type d ) | while IFS= read -r folder; do\n"
    "        test -d \"$prefix/$folder\" || { mkdir \"$prefix/$folder\" && chmod 755 \"$prefix/$folder\"; } "
    "|| exit 1\n"
    "    done || fail \"cannot make the folders\"\n"
    "    ( cd \"$work\" && find . ! -type d ) | while IFS= read -r file; do\n"
    "        mv -f \"$work/$file\" \"$prefix/$file\" || exit 1\n"
    "    done || fail \"cannot install all files\"\n"
    "    echo \"$files files installed in $prefix\"\n"
    "}\n"
    "# All files of the list that is there, but those that the new list ($1, or none) has with the same "
    "sum.\n"
    "remove_all() {\n"
    "    while IFS= read -r line; do\n"
    "        file=${line#* }\n"
    "        test -n \"$1\" && grep -qxF \"$line\" \"$1\" && continue\n"
    "        is_there \"$prefix/$file\" || continue\n"
    "        if test \"$(kind_of \"$prefix/$file\")\" = \"${line%% *}\"; then rm -f \"$prefix/$file\"\n"
    "        else echo \"$prefix/$file stays: it was changed\"; continue\n"
    "        fi\n"
    "        folder=${file%/*}\n"
    "        while test \"$folder\" != \"$file\" && rmdir \"$prefix/$folder\" 2> /dev/null; do\n"
    "            file=$folder folder=${folder%/*}\n"
    "        done\n"
    "    done < \"$prefix/$list\"\n"
    "    if test -z \"$1\"; then rm -f \"$prefix/$list\"; rmdir \"$prefix/${list%/*}\" \"$prefix/share\" 2> "
    "/dev/null; fi\n"
    "}\n";

static const char body[] =
    "prefix=/usr/local what=install replace=no to=\n"
    "while test $# -gt 0; do\n"
    "    case $1 in\n"
    "    --prefix) test $# -gt 1 || fail \"--prefix needs a folder\"; prefix=$2; shift ;;\n"
    "    --unpack) test $# -gt 1 || fail \"--unpack needs a folder\"; what=unpack to=$2; shift ;;\n"
    "    --list | --check | --uninstall) what=${1#--} ;;\n"
    "    --replace) replace=yes ;;\n"
    "    --help | -h) usage; exit 0 ;;\n"
    "    *) usage >&2; fail \"unknown word: $1\" ;;\n"
    "    esac\n"
    "    shift\n"
    "done\n"
    "case $what in\n"
    "install) install_all ;;\n"
    "uninstall)\n"
    "    test -f \"$prefix/$list\" || fail \"it is not installed in $prefix\"\n"
    "    remove_all ''\n"
    "    echo \"removed from $prefix\" ;;\n"
    "list) check; payload | gzip -dc | tar -tf - | grep -v '/$' ;;\n"
    "check) check; echo \"this file is whole\" ;;\n"
    "unpack) check; mkdir -p \"$to\" && unpack \"$to\" ;;\n"
    "esac\n"
    "exit 0\n";

/* "SUM PATH" of every file, and "link PATH". */
static bool add_list(const obb_packing *p, const char *list, obb_members *members)
{
    obb_text text = {0};
    char sum[OBB_SHA256_TEXT];
    bool plain = true;
    for (size_t i = 0; i < members->count; i++) {
        const obb_member *m = &members->at[i];
        plain = plain && !strpbrk(m->path, "\n\t");
        if (m->link)
            obb_text_format(&text, "link %s\n", m->path);
        else if (!obb_sha256_of_file(m->source, sum))
            obb_text_format(&text, "%s %s\n", sum, m->path);
    }
    if (!plain)
        obb_pack_failed(p, "cannot pack", p->name, "a name of a file in it has a newline or a tab");
    bool done = plain && obb_pack_text(p, members, list, &text);
    obb_text_free(&text);
    return done;
}

const char *obb_pack_run(const obb_packing *p)
{
    const obb_project *project = p->input->plan->project;
    const char *list = obb_arena_format(p->arena, "share/obbligato/%s.%s.run", project->name,
                                        p->delivery->name);
    const char *name = obb_arena_format(p->arena, "%s.run", p->name);
    char sum[OBB_SHA256_TEXT];
    obb_members members = {0};
    obb_text text = {0}, payload = {0};
    if (!obb_pack_members(p, "", &members) || !add_list(p, list, &members))
        return NULL;
    const char *made = obb_pack_archive(p, "tar.gz", "payload.tar.gz", true, &members);
    if (!made || obb_file_read(made, &payload))
        return NULL;
    obb_sha256(obb_text_bytes(&payload), payload.length, sum);
    obb_text_string(&text, "#!/bin/sh\n# Installs itself: sh FILE --help. The files are behind the last "
                           "line.\nset -u\numask 022\n");
    obb_text_string(&text, "title=");
    obb_text_shell_line(&text, &p->name, 1);
    obb_text_string(&text, " list=");
    obb_text_shell_line(&text, &list, 1);
    obb_text_format(&text, "\nsum=%s bytes=%zu files=%zu\n", sum, payload.length, p->entries->count);
    obb_text_string(&text, usage);
    obb_text_string(&text, functions);
    obb_text_string(&text, body);
    obb_text_add(&text, payload.bytes, payload.length);
    const char *path = obb_path_join(p->arena, p->work, "packed.run");
    int failed = obb_file_write(path, text.bytes, text.length, NULL);
    obb_text_free(&text);
    obb_text_free(&payload);
    if (failed)
        obb_pack_failed(p, "cannot write", path, strerror(failed));
    const char *finished = failed ? NULL : obb_pack_finish(p, path, name);
    if (finished)
        chmod(finished, 0755);
    return finished;
}
