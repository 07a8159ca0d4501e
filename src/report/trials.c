/* Results of tests in open forms: TAP version 14 (testanything.org, the specification of that
 * version), JUnit XML (as its readers agree on: testsuites, testsuite, testcase, failure, skipped),
 * and JSON. */
#include <stdio.h>
#include <string.h>

#include "report/report.h"

static const char *const outcomes[] = {"passed", "failed", "skipped", "not-run"};

/* --- TAP ---------------------------------------------------------------------------- */

/* A text as a block of a YAML document, each line with its blanks in front. */
static void yaml_block(obb_text *text, const char *key, const char *value)
{
    if (!value || !*value)
        return;
    obb_text_format(text, "  %s: |2\n", key);
    while (*value) {
        size_t n = strcspn(value, "\n");
        obb_text_string(text, "    ");
        for (size_t i = 0; i < n; i++)
            obb_text_char(text, (unsigned char)value[i] < ' ' && value[i] != '\t' ? '?' : value[i]);
        obb_text_char(text, '\n');
        value += n + (value[n] == '\n');
    }
}

/* A description: `#` would begin a directive (TAP 14, Escaping). */
static void tap_text(obb_text *text, const char *value)
{
    for (; *value; value++) {
        if (*value == '#' || *value == '\\')
            obb_text_char(text, '\\');
        obb_text_char(text, (unsigned char)*value < ' ' ? ' ' : *value);
    }
}

static void tap_name(const obb_test_run *t, obb_text *text)
{
    tap_text(text, t->target->name);
    if (t->case_name) {
        obb_text_string(text, ": ");
        tap_text(text, t->case_name);
    }
    obb_text_format(text, " (%s)", t->variant->name);
    if (t->number)
        obb_text_format(text, " run %u", t->number);
}

/* The cases of a test, as a subtest in front of it. */
static void tap_cases(const obb_test_run *t, obb_text *text)
{
    if (!t->cases.count)
        return;
    obb_text_format(text, "# Subtest: %s (%s)\n    1..%zu\n", t->target->name, t->variant->name,
                    t->cases.count);
    for (size_t i = 0; i < t->cases.count; i++) {
        const obb_test_case *c = &t->cases.at[i];
        obb_text_format(text, "    %sok %zu - ", c->outcome == OBB_FAILED ? "not " : "", i + 1);
        tap_text(text, c->name);
        if (c->reason) {
            obb_text_string(text, c->outcome == OBB_SKIPPED ? " # SKIP " : " # TODO ");
            tap_text(text, c->reason);
        }
        obb_text_char(text, '\n');
    }
}

void obb_report_tap(const obb_test_run *trials, size_t count, obb_text *text)
{
    obb_text_format(text, "TAP version 14\n1..%zu\n", count);
    for (size_t i = 0; i < count; i++) {
        const obb_test_run *t = &trials[i];
        bool skipped = t->outcome == OBB_SKIPPED || t->outcome == OBB_NOT_RUN;
        tap_cases(t, text);
        obb_text_format(text, "%sok %zu - ", t->outcome == OBB_FAILED ? "not " : "", i + 1);
        tap_name(t, text);
        if (skipped)
            obb_text_format(text, " # SKIP %s", t->reason ? t->reason : "it was not run");
        obb_text_char(text, '\n');
        if (skipped)
            continue;
        obb_text_format(text, "  ---\n  duration_ms: %llu\n", (unsigned long long)t->milliseconds);
        yaml_block(text, t->outcome == OBB_FAILED ? "message" : "remark", t->reason);
        if (t->outcome == OBB_FAILED) {
            yaml_block(text, "printed", t->output);
            yaml_block(text, "errors", t->errors);
            yaml_block(text, "difference", t->difference);
        }
        obb_text_string(text, "  ...\n");
    }
}

/* --- JUnit -------------------------------------------------------------------------- */

/* XML 1.0, section 2.2: most control characters cannot stand in a document at all. */
static void xml(obb_text *text, const char *value)
{
    for (; *value; value++)
        switch (*value) {
        case '<': obb_text_string(text, "&lt;"); break;
        case '>': obb_text_string(text, "&gt;"); break;
        case '&': obb_text_string(text, "&amp;"); break;
        case '"': obb_text_string(text, "&quot;"); break;
        case '\n': obb_text_string(text, "&#10;"); break;
        default: obb_text_char(text, (unsigned char)*value < ' ' && *value != '\t' ? '?' : *value);
        }
}

static void xml_element(obb_text *text, const char *name, const char *value)
{
    if (!value || !*value)
        return;
    obb_text_format(text, "      <%s>", name);
    xml(text, value);
    obb_text_format(text, "</%s>\n", name);
}

/* The cases that a test told of, each as one of its own; their times are not known. */
static void junit_cases(const obb_test_run *t, obb_text *text)
{
    for (size_t i = 0; i < t->cases.count; i++) {
        const obb_test_case *c = &t->cases.at[i];
        obb_text_string(text, "    <testcase classname=\"");
        xml(text, t->variant->name);
        obb_text_char(text, '.');
        xml(text, t->target->name);
        obb_text_string(text, "\" name=\"");
        xml(text, c->name);
        obb_text_string(text, "\"");
        if (c->outcome == OBB_PASSED) {
            obb_text_string(text, "/>\n");
            continue;
        }
        obb_text_string(text, c->outcome == OBB_SKIPPED ? "><skipped message=\"" : "><failure message=\"");
        xml(text, c->reason ? c->reason : "not ok");
        obb_text_string(text, "\"/></testcase>\n");
    }
}

static void junit_case(const obb_test_run *t, obb_text *text)
{
    junit_cases(t, text);
    obb_text_string(text, "    <testcase classname=\"");
    xml(text, t->variant->name);
    if (t->case_name) {
        obb_text_char(text, '.');
        xml(text, t->target->name);
    }
    obb_text_string(text, "\" name=\"");
    xml(text, t->case_name ? t->case_name : t->target->name);
    if (t->number)
        obb_text_format(text, " run %u", t->number);
    obb_text_format(text, "\" time=\"%.3f\">\n", (double)t->milliseconds / 1000);
    if (t->outcome == OBB_FAILED) {
        obb_text_string(text, "      <failure message=\"");
        xml(text, t->reason);
        obb_text_string(text, "\">");
        xml(text, t->difference ? t->difference : "");
        obb_text_string(text, "</failure>\n");
    } else if (t->outcome != OBB_PASSED) {
        obb_text_string(text, "      <skipped message=\"");
        xml(text, t->reason ? t->reason : "it was not run");
        obb_text_string(text, "\"/>\n");
    }
    xml_element(text, "system-out", t->output);
    xml_element(text, "system-err", t->errors);
    obb_text_string(text, "    </testcase>\n");
}

static void junit_counts(const obb_test_run *trials, size_t count, obb_text *text)
{
    size_t all = count, failed = 0, skipped = 0;
    for (size_t i = 0; i < count; i++) {
        failed += trials[i].outcome == OBB_FAILED;
        skipped += trials[i].outcome == OBB_SKIPPED || trials[i].outcome == OBB_NOT_RUN;
        all += trials[i].cases.count;
        for (size_t k = 0; k < trials[i].cases.count; k++) {
            failed += trials[i].cases.at[k].outcome == OBB_FAILED;
            skipped += trials[i].cases.at[k].outcome == OBB_SKIPPED;
        }
    }
    obb_text_format(text, " tests=\"%zu\" failures=\"%zu\" errors=\"0\" skipped=\"%zu\"", all, failed,
                    skipped);
}

void obb_report_junit(const char *project, const obb_test_run *trials, size_t count, uint64_t milliseconds,
                      obb_text *text)
{
    obb_text_string(text, "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites>\n  <testsuite name=\"");
    xml(text, project);
    obb_text_char(text, '"');
    junit_counts(trials, count, text);
    obb_text_format(text, " time=\"%.3f\">\n", (double)milliseconds / 1000);
    for (size_t i = 0; i < count; i++)
        junit_case(&trials[i], text);
    obb_text_string(text, "  </testsuite>\n</testsuites>\n");
}

/* --- JSON --------------------------------------------------------------------------- */

static json_t *json_cases(const obb_test_run *t)
{
    json_t *list = json_array();
    for (size_t i = 0; i < t->cases.count; i++) {
        const obb_test_case *c = &t->cases.at[i];
        json_t *o = json_object();
        json_object_set_new(o, "case", obb_report_text(c->name));
        json_object_set_new(o, "outcome", json_string(outcomes[c->outcome]));
        json_object_set_new(o, "because", c->reason ? obb_report_text(c->reason) : json_null());
        json_array_append_new(list, o);
    }
    return list;
}

static json_t *json_name_and_outcome(const obb_test_run *t)
{
    json_t *o = json_object();
    json_object_set_new(o, "test", obb_report_text(t->target->name));
    json_object_set_new(o, "case", t->case_name ? obb_report_text(t->case_name) : json_null());
    json_object_set_new(o, "variant", obb_report_text(t->variant->name));
    json_object_set_new(o, "run", json_integer(t->number ? t->number : 1));
    json_object_set_new(o, "outcome", json_string(outcomes[t->outcome]));
    json_object_set_new(o, "because", t->reason ? obb_report_text(t->reason) : json_null());
    json_object_set_new(o, "milliseconds", json_integer((json_int_t)t->milliseconds));
    return o;
}

json_t *obb_report_test_times(const obb_test_run *trials, size_t count)
{
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++)
        json_array_append_new(list, json_name_and_outcome(&trials[i]));
    return list;
}

json_t *obb_report_test_runs(const obb_test_run *trials, size_t count)
{
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        const obb_test_run *t = &trials[i];
        json_t *o = json_name_and_outcome(t), *words = json_array();
        for (size_t k = 0; k < t->argv.count; k++)
            json_array_append_new(words, obb_report_text(t->argv.at[k]));
        json_object_set_new(o, "attempts", json_integer(t->attempts));
        json_object_set_new(o, "status", json_integer(t->signal ? 128 + t->signal : t->status));
        json_object_set_new(o, "command", words);
        json_object_set_new(o, "printed", obb_report_text(t->output));
        json_object_set_new(o, "errors", obb_report_text(t->errors));
        json_object_set_new(o, "cases", json_cases(t));
        json_object_set_new(o, "difference", t->difference ? obb_report_text(t->difference) : json_null());
        json_array_append_new(list, o);
    }
    return list;
}
