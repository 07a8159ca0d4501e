/* The command `report`: the last builds, headers, memory and tests as one page for a browser. Nothing is
 * built. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/json.h"
#include "base/path.h"
#include "build/planning.h"
#include "build/report_data.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/page.h"
#include "report/report.h"

#include <obbligato-resources.h>

#define PAGE_NAME "report.html"

/* The document that --against names, in *against; NULL without one. 0, or an exit code with the message
 * shown. */
static int read_against(session *s, json_t **against)
{
    const char *named = s->options->against;
    json_error_t error;
    if (!named)
        return 0;
    *against = obb_json_read(obb_workspace_path(s->w, named), &error);
    if (json_is_array(json_object_get(*against, "programs")))
        return 0;
    json_decref(*against);
    return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`%s` holds no accounts of programs", named,
                              "--against takes what `size --json` or `export report-data` wrote");
}

/* Without a choice of variants, those of the last builds; and without names, their targets. */
static int choose(session *s)
{
    obb_request *r = &s->options->request;
    bool chosen = r->platforms.count || r->configurations.count || r->variants.count || r->lineups.count;
    int code = s->w->project ? 0 : obb_workspace_read_project(s->w);
    if (!code && !chosen)
        obb_report_choice(s->w, &r->variants, r->names.count ? NULL : &r->names);
    return code;
}

int report_data(session *s, json_t **document)
{
    json_t *against = NULL;
    int code = read_against(s, &against);
    if (!code)
        code = choose(s);
    if (!code)
        code = obb_plan_request(s->w);
    if (!code)
        code = obb_report_data(s->w, against, document);
    json_decref(against);
    return code;
}

static void make_page(const json_t *document, obb_text *html)
{
    static const unsigned char *const scripts[] = {model_js,  builds_js, time_js, lists_js,
                                                   memory_js, images_js, page_js};
    obb_text ours = {0};
    for (size_t i = 0; i < sizeof scripts / sizeof *scripts; i++)
        obb_text_string(&ours, (const char *)scripts[i]);
    const obb_page_texts texts = {.body = (const char *)report_html,
                                  .style = (const char *)report_css,
                                  .charts = (const char *)d3_min_js,
                                  .scripts = obb_text_bytes(&ours)};
    obb_report_page(document, &texts, html);
    obb_text_free(&ours);
}

/* In the output folder, unless --to says where. With -n it is not written. */
static int write_page(session *s, const obb_text *html, const char **path)
{
    const char *to = s->options->to;
    *path = to ? obb_workspace_typed_path(s->w, to) : obb_path_join(s->w->arena, s->w->out, PAGE_NAME);
    if (s->options->request.dry_run)
        return 0;
    int failed = to ? obb_path_make_folders(*path) : obb_below_make_folders(s->w->out, *path);
    failed = failed ? failed : obb_file_replace(*path, obb_text_bytes(html), html->length, 0666);
    if (failed)
        obb_workspace_cannot_write(s->w, *path, failed);
    return obb_workspace_tell(s->w);
}

static void tell(session *s, const json_t *document, const char *path, size_t bytes)
{
    char builds[40], programs[40], tests[40];
    size_t count = json_array_size(json_object_get(document, "builds")),
           runs = json_array_size(json_object_get(document, "tests")),
           accounts = json_array_size(json_object_get(document, "programs"));
    if (s->options->json)
        json_print(json_pack("{s:o, s:I, s:I, s:I, s:I}", "page", obb_report_text(path), "bytes",
                             (json_int_t)bytes, "builds", (json_int_t)count, "programs", (json_int_t)accounts,
                             "test-runs", (json_int_t)runs),
                   "report");
    else if (!s->options->quiet)
        terminal_say(stdout, "%s %s %s, memory of %s, %s; %zu KiB, to be opened in a browser\n", path,
                     s->options->request.dry_run ? "would have" : "has",
                     counted(builds, sizeof builds, count, "build", "builds"),
                     counted(programs, sizeof programs, accounts, "program", "programs"),
                     counted(tests, sizeof tests, runs, "test run", "test runs"), (bytes + 1023) / 1024);
}

int command_report(session *s)
{
    json_t *document = NULL;
    obb_text html = {0};
    const char *path;
    if (!s->options->to && access(obb_path_join(s->w->arena, s->w->out, ".obbligato"), F_OK))
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "nothing has been built in %s yet", s->w->out,
                                  "obbligato build; then this tells what that did");
    int code = report_data(s, &document);
    terminal_progress("");
    if (code)
        return code;
    make_page(document, &html);
    code = write_page(s, &html, &path);
    if (!code)
        tell(s, document, path, html.length);
    obb_text_free(&html);
    json_decref(document);
    return code;
}
