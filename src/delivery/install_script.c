/* Installing by a shell (install_script.h). */
#include "delivery/install_script.h"

#include <string.h>

#include "base/path.h"

const char obb_install_script_begin[] =
    "if [ \"${1-}\" = install ]; then\n"
    "    prefix=${2-/usr/local}\n"
    "    case $prefix in /*) ;; *) prefix=$started/$prefix ;; esac\n"
    "    umask 022\n"
    "    place() { # a file under another name, and then in its place\n"
    "        chmod \"$2\" \"$prefix/$1.new\"\n"
    "        mv -f \"$prefix/$1.new\" \"$prefix/$1\"\n"
    "    }\n"
    "    folder() { mkdir -p \"$prefix/$1\"; }\n";

const char obb_install_script_end[] = "    echo \"installed in $prefix\"\nfi\n";

void obb_install_script(const obb_contents_input *in, const obb_entries *entries, obb_text *text)
{
    const char *last = "";
    for (size_t i = 0; i < entries->count; i++) {
        const obb_entry *e = &entries->at[i];
        const char *folder = obb_path_folder(in->arena, e->path), *mode = e->executable ? "755" : "644";
        const char *fresh = obb_arena_format(in->arena, "%s.new", e->path);
        const char *bytes = e->bytes ? obb_arena_copy(in->arena, e->bytes, e->length) : NULL;
        if (!e->source && !e->link && !bytes)
            continue;
        if (strcmp(folder, last) != 0) {
            obb_text_string(text, "    folder ");
            obb_text_shell_line(text, &folder, 1);
            obb_text_char(text, '\n');
        }
        last = folder;
        obb_text_string(text, e->link ? "    ln -sf " : bytes ? "    printf %s " : "    cp ");
        obb_text_shell_line(text, e->link ? &e->link : bytes ? &bytes : &e->source, 1);
        obb_text_string(text, bytes ? " > \"$prefix\"/" : " \"$prefix\"/");
        obb_text_shell_line(text, e->link ? &e->path : &fresh, 1);
        if (!e->link) {
            obb_text_string(text, "; place ");
            obb_text_shell_line(text, &e->path, 1);
            obb_text_format(text, " %s", mode);
        }
        obb_text_char(text, '\n');
    }
}
