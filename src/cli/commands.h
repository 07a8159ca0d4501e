/* The commands, one function each: from a session to an exit code. */
#ifndef OBB_CLI_COMMANDS_H
#define OBB_CLI_COMMANDS_H

#include "cli/session.h"

int command_build(session *s);
int command_watch(session *s);
int command_test(session *s);
int command_load(session *s);
int command_debug(session *s);

/* A part of `export` (cmd_debug.c). */
int export_debug(session *s, obb_text *text);
int command_probe(session *s);

/* Parts of `show` (cmd_show_running.c). */
int show_tests(session *s);
int show_launches(session *s);
int show_devices(session *s);
int show_thirdparty(session *s);
int show_store(session *s);

/* A part of `show` (cmd_worker.c). */
int show_farm(session *s);

/* A part of `show` (cmd_deliver.c). */
int show_deliveries(session *s);
int command_install(session *s);
int command_uninstall(session *s);
int command_pack(session *s);
int command_reproduce(session *s);
int command_run(session *s);
int command_clean(session *s);
int command_show(session *s);
int command_validate(session *s);
int command_scan(session *s);
int command_why(session *s);
int command_impact(session *s);
int command_size(session *s);
int command_compare(session *s);
int command_export(session *s);
int command_report(session *s);

/* What `report` shows and `export report-data` writes, as the options choose (cmd_report.c); released by the
 * caller. */
int report_data(session *s, json_t **document);

int command_fetch(session *s);
int command_patch(session *s);
int command_draft(session *s);
int command_format(session *s);
int command_keys(session *s);
int command_language_server(session *s);
int command_worker(session *s);
int command_help(session *s);

/* Parts of `help` (manuals.c, completion.c); and what completes the words of a command line. */
int write_manuals(session *s, const char *folder);
int print_language(void);
int print_completion(session *s, const char *shell);
int command_complete(session *s);

#endif
