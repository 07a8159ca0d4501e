/* Reads the request and carries it out (fetcher.h). */
#include "fetcher/fetcher.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "project/project.h"

void tell(json_t *line)
{
    char *text = json_dumps(line, JSON_COMPACT);
    if (text && puts(text) < 0)
        exit(1);
    if (fflush(stdout))
        exit(1); /* nobody listens any more */
    free(text);
    json_decref(line);
}

int main(int argc, char **argv)
{
    json_error_t wrong;
    if (argc == 2 && strcmp(argv[1], "--version") == 0) {
        puts("obbligato-fetch " OBB_VERSION);
        return 0;
    }
    if (argc > 1) {
        fputs("obbligato-fetch is started by obbligato, which tells it on standard input what to do\n",
              stderr);
        return 2;
    }
    signal(SIGPIPE, SIG_IGN);
    json_t *request = json_loadf(stdin, 0, &wrong);
    const json_t *downloads = json_object_get(request, "downloads");
    int status = 2;
    if (json_is_array(downloads))
        status = download(downloads);
    else if (json_object_get(request, "unpack"))
        status = unpack(request);
    else
        fprintf(stderr, "obbligato-fetch: this is no request: %s\n", request ? "unknown kind" : wrong.text);
    json_decref(request);
    return status;
}
