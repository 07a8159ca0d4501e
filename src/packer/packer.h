/* obbligato-pack: the program that writes archives for obbligato, and nothing else. It is a program of its
 * own so that builds do not load the libraries for it (docs/design.md).
 *
 * It reads one JSON document (RFC 8259) from standard input, and writes the archive to a new file:
 *
 *     {"format": FORMAT, "to": PATH, "time": SECONDS, "folders": BOOL,
 *      "entries": [{"path": PATH, "source": FILE | "link": TARGET, "mode": MODE}...]}
 *
 * FORMAT is tar.gz, tar.xz, tar.zst (pax, restricted to what ustar cannot say: IEEE Std 1003.1, pax), zip,
 * ar, or gz (of one entry alone: RFC 1952). The same request gives the same bytes: times, owners (root) and
 * modes are those of the request alone. Exit status 0; else 1, with the reason on standard error. */
#ifndef OBB_PACKER_PACKER_H
#define OBB_PACKER_PACKER_H

#include <jansson.h>

/* NULL, or why it could not be done; the text lives until the next call. */
const char *write_archive(const json_t *request);

#endif
