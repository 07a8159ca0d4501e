/* Reads the request and carries it out (packer.h). */
#include "packer/packer.h"

#include <locale.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "project/project.h"

int main(int argc, char **argv)
{
    json_error_t wrong;
    if (argc == 2 && strcmp(argv[1], "--version") == 0) {
        puts("obbligato-pack " OBB_VERSION);
        return 0;
    }
    if (argc > 1) {
        fputs("obbligato-pack is started by obbligato, which tells it on standard input what to do\n",
              stderr);
        return 2;
    }
    setenv("TZ", "UTC", 1); /* zip archives have local times */
    tzset();
    if (!setlocale(LC_CTYPE, "C.UTF-8")) /* names of files are UTF-8, whatever the user's language */
        setlocale(LC_CTYPE, "en_US.UTF-8");
    json_t *request = json_loadf(stdin, 0, &wrong);
    const char *why = request ? write_archive(request) : wrong.text;
    if (why)
        fprintf(stderr, "%s\n", why);
    json_decref(request);
    return why ? 1 : 0;
}
