/* A description in an editor: the Language Server Protocol (3.17), without its transport.
 *
 * Messages come and go as JSON (JSON-RPC 2.0). The project is read again after each change, with the texts
 * that are not saved yet in the places of their files; errors in it end nothing. Positions are UTF-16, as the
 * protocol has them by default; columns inside obbligato count bytes.
 */
#ifndef OBB_EDITOR_EDITOR_H
#define OBB_EDITOR_EDITOR_H

#include <jansson.h>
#include <stdbool.h>

typedef struct obb_editor obb_editor;

/* `manual`: docs/language.md, from which words are explained; or NULL. It must outlive the editor. */
obb_editor *obb_editor_new(const char *manual);
void obb_editor_free(obb_editor *editor);

/* Takes a message. What is to be sent is added to `out`, an array. False: the client has said exit. */
bool obb_editor_take(obb_editor *editor, const json_t *message, json_t *out);

/* What is answered to bytes that are no JSON. */
json_t *obb_editor_refusal(const char *why);

/* After exit: whether the client has said shutdown before, as it should. */
bool obb_editor_was_shut_down(const obb_editor *editor);

#endif
