/* obbligato-fetch: the program that downloads and unpacks third-party code for obbligato, and nothing else.
 * It is a program of its own so that what strangers wrote is parsed in another process than the build, and so
 * that the libraries for it are not loaded by each build (docs/design.md).
 *
 * It reads one JSON document (RFC 8259) from standard input and writes one document a line to standard
 * output:
 *
 *     {"downloads": [{"places": [URL...], "to": PATH}...]}
 *         {"number": N, "got": BYTES, "total": BYTES}       so much is there; total 0: not known
 *         {"number": N, "place": I, "failed": TEXT}         that place did not give it
 *         {"number": N, "done": I, "resumed": BOOL}         it is whole, from place I
 *         {"number": N, "done": null}                       no place gave it
 *     {"unpack": PATH, "to": FOLDER, "most-bytes": BYTES, "most-entries": COUNT}
 *         {"entries": COUNT}                                all of it is unpacked
 *         {"failed": TEXT, "entry": NAME, "here": BOOL}     or not: that entry is refused, or ("") the
 * archive is none; or this machine cannot. The folder is left for the caller
 *
 * What a download is broken off at stays in PATH.part, with what the server says of its version in PATH.tag.
 * OBBLIGATO_FETCH_TIMEOUT: after so many seconds without data a download is given up (30).
 */
#ifndef OBB_FETCHER_FETCHER_H
#define OBB_FETCHER_FETCHER_H

#include <jansson.h>

/* One line of the answer; takes the document over. */
void tell(json_t *line);

/* Each is the whole of such a request: the exit status. */
int download(const json_t *downloads);
int unpack(const json_t *request);

#endif
