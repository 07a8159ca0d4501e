#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "score/score.h"
#include "unit/suites.h"

/* The text parsed and printed again; the errors behind it, one a line. */
static char *printed(const char *text)
{
    obb_arena *arena = obb_arena_new();
    obb_diags *diags = obb_diags_new();
    obb_text out = {0};
    obb_score *score = obb_score_parse(arena, &(obb_score_origin){.file = "t"}, text, strlen(text), diags);
    obb_score_print(score, &out);
    for (size_t i = 0; i < diags->list.count; i++)
        obb_text_format(&out, "! %d:%d %s\n", diags->list.at[i]->place.line,
                        diags->list.at[i]->place.column, diags->list.at[i]->message);
    char *copy = strdup(obb_text_bytes(&out));
    obb_text_free(&out);
    obb_diags_free(diags);
    obb_arena_free(arena);
    return copy;
}

static void check_printed(const char *text, const char *wanted, int line)
{
    char *got = printed(text);
    harness_same_text(got, wanted, __FILE__, line);
    free(got);
}
#define PRINTED(text, wanted) check_printed(text, wanted, __LINE__)

static void reads_statements(void)
{
    PRINTED("a b c\nd\n", "a b c\nd\n");
    PRINTED("a b # remark\n# more\n\n  c#d e\n", "a b\nc#d e\n");
    PRINTED("a b; c d ;e", "a b\nc d\ne\n");
    PRINTED("a b \\\n  c\r\nd\r\n", "a b c\nd\n");
    PRINTED("\xEF\xBB\xBF" "a\n", "a\n");
    PRINTED("", "");
}

static void reads_blocks(void)
{
    PRINTED("a b { c d\n e { f } g }\nh", "a b {\n    c d\n    e {\n        f\n    }\n    g\n}\nh\n");
    PRINTED("x {\n}\n", "x {\n}\n");
    PRINTED("choose b { p|q { r } s { t } }",
            "choose b {\n    p|q {\n        r\n    }\n    s {\n        t\n    }\n}\n");
}

static void reads_values(void)
{
    PRINTED("a \"b c\" {name} {{x}} a{b}c", "a \"b c\" {name} {{x}} a{b}c\n");
    PRINTED("a \"q\\\"\\\\\\n\\t\"", "a \"q\\\"\\\\\\n\\t\"\n");
    PRINTED("a \"\" \"{\"", "a \"\" \"{\"\n");
    PRINTED("glocke größe=ü", "glocke größe=ü\n");
}

/* The text laid out; "!" when it cannot be read. */
static char *laid_out(const char *text)
{
    obb_arena *arena = obb_arena_new();
    obb_diags *diags = obb_diags_new();
    obb_text out = {0};
    bool ok = obb_score_format(arena, &(obb_score_origin){.file = "t"}, text, strlen(text), diags, &out);
    char *copy = strdup(ok ? obb_text_bytes(&out) : "!");
    obb_text_free(&out);
    obb_diags_free(diags);
    obb_arena_free(arena);
    return copy;
}

static void check_laid_out(const char *text, const char *wanted, int line)
{
    char *got = laid_out(text), *again = laid_out(got);
    harness_same_text(got, wanted, __FILE__, line);
    if (strcmp(got, "!") != 0)
        harness_same_text(again, wanted, __FILE__, line);
    free(got);
    free(again);
}
#define LAID_OUT(text, wanted) check_laid_out(text, wanted, __LINE__)

static void lays_descriptions_out(void)
{
    LAID_OUT("", "");
    LAID_OUT("\n\n  a   b\r\n\n\n\nc\n\n", "a b\n\nc\n");
    LAID_OUT("program x {\n sources  a.c   b.c\n  uses y\n\n only os=linux\n}\n",
             "program x {\n    sources  a.c b.c\n    uses     y\n\n    only  os=linux\n}\n");
    LAID_OUT("program x { sources a.c ; uses y }", "program x { sources a.c; uses y }\n");
    LAID_OUT("x { }\ny {}\nz {\n}\n", "x {}\ny {}\nz {\n}\n");
    LAID_OUT("x {\nyes; choose c { a { b } d { e } }\nlonger word\n}",
             "x {\n    yes\n    choose c { a { b }; d { e } }\n    longer  word\n}\n");
    LAID_OUT("a b;c d", "a b\nc d\n");
    LAID_OUT("x {\nsources a.c \\\n  b.c \\\n c.c\nin d\n}",
             "x {\n    sources  a.c \\\n             b.c \\\n             c.c\n    in       d\n}\n");
    LAID_OUT("a \\\n b\n", "a \\\n  b\n");
    LAID_OUT("#one\n\n\n  # two   \nx { # three\n # four\n a b #five\n cc dd # six\n\n # seven\n} # eight\ny "
             "# nine",
             "#one\n\n# two\nx {  # three\n    # four\n    a   b   #five\n    cc  dd  # six\n\n    # "
             "seven\n}  # eight\n"
             "y  # nine\n");
    LAID_OUT("x y { a }\nlonger { b c }\n\nz { d }\n", "x y    { a }\nlonger { b c }\n\nz { d }\n");
    LAID_OUT("x { a } # one\ny # two\n", "x { a }  # one\ny        # two\n");
    LAID_OUT("a \"b\\n\\\"c\" \"d\" back\\slash", "a \"b\\n\\\"c\" \"d\" back\\slash\n");
    LAID_OUT("x {\ngröße a\nb c\n}", "x {\n    größe  a\n    b      c\n}\n");
    LAID_OUT("\xEF\xBB\xBFx", "x\n");
    LAID_OUT("x {\n", "!");
    LAID_OUT("a\"b", "!");
}

/* Random texts of what descriptions are made of: those that can be read mean the same afterwards, have all
 * their comments, and are not changed once more. */
static void laying_out_changes_no_meaning(void)
{
    static const char *const parts[] = {"a",      "word", "{",      "}",     "{\n",   "}\n",  "\n",
                                        "\n\n\n", "#c\n", "# d \n", " \\\n", "\"q\"", "\"\"", "{}",
                                        ";",      "\t",   "x=y",    "\r\n",  "{n}",   "a\\b", "\"\\n#\""};
    unsigned lot = 7, read = 0;
    for (int round = 0; round < 20000; round++) {
        char text[400] = "";
        for (int i = 0; i < 14; i++) {
            lot = lot * 1103515245 + 12345;
            strcat(text, parts[lot / 65536 % (sizeof parts / sizeof *parts)]);
            strcat(text, lot & 256 ? " " : "");
        }
        char *once = laid_out(text);
        if (strcmp(once, "!") != 0) {
            char *twice = laid_out(once), *before = printed(text), *after = printed(once);
            size_t comments = 0;
            for (const char *c = text; (c = strpbrk(c, "#\"")); c++) /* a comment, or none in a string */
                if (*c == '#')
                    comments++, c += strcspn(c, "\n") - 1;
                else
                    c = strchr(c + 1, '"');
            for (const char *c = once; (c = strpbrk(c, "#\"")); c++)
                if (*c == '#')
                    comments--, c += strcspn(c, "\n") - 1;
                else
                    c = strchr(c + 1, '"');
            read++;
            CHECK(strcmp(once, twice) == 0);
            CHECK(strcmp(before, after) == 0);
            CHECK_NUMBER(comments, 0);
            if (strcmp(once, twice) != 0 || strcmp(before, after) != 0 || comments)
                fprintf(stderr, "of:\n%s\n--- once:\n%s\n--- twice:\n%s\n---\n", text, once, twice),
                    round = 20000;
            free(twice);
            free(before);
            free(after);
        }
        free(once);
    }
    CHECK(read > 500);
}

static void printing_and_reading_again_is_the_same(void)
{
    const char *text = "project p { version \"1;0\"; define \"A=\\\"b\\\"\" }\nlet x \"#\" \"a b\" c\n"
                       "program q { share { uses r } }\n";
    char *once = printed(text), *twice = printed(once);
    CHECK_TEXT(twice, once);
    free(once);
    free(twice);
}

static void tells_errors_with_their_places(void)
{
    PRINTED("a \"b\nc", "a \"b\"\nc\n! 1:3 the string does not end\n");
}

static void tells_every_error(void)
{
    char *got = printed("a \"b\nx{ y\n}\nc \"\\q\"\n{ d }\ne {\n");
    CHECK(strstr(got, "! 1:3 the string does not end\n") != NULL);
    CHECK(strstr(got, "! 2:1 a brace stands as a word of its own\n") != NULL);
    CHECK(strstr(got, "! 3:1 this `}` closes nothing\n") != NULL);
    CHECK(strstr(got, "! 4:4 unknown escape in a string\n") != NULL);
    CHECK(strstr(got, "! 5:1 a block without a statement before it\n") != NULL);
    CHECK(strstr(got, "! 6:3 this block is never closed\n") != NULL);
    free(got);
    got = printed("a b\"c\" \x01 \xC0\x80 \xED\xA0\x80\n");
    CHECK(strstr(got, "! 1:4 a quote inside a bare word\n") != NULL);
    CHECK(strstr(got, "! 1:8 byte 0x01 is not text\n") != NULL);
    CHECK(strstr(got, "! 1:10 byte 0xC0 is not text\n") != NULL);
    CHECK(strstr(got, "! 1:13 byte 0xED is not text\n") != NULL);
    free(got);
}

static void survives_any_bytes(void)
{
    obb_diags *diags = obb_diags_new();
    unsigned seed = harness_seed(1);
    for (int round = 0, rounds = harness_rounds(2000); round < rounds; round++) {
        static const char likely[] = "ab {}\"\\\n;# \xC3\xA4\0\r";
        char text[64];
        size_t n = 0;
        while (n < sizeof text - 1) {
            seed = seed * 1103515245 + 12345;
            text[n++] = seed >> 28 ? likely[(seed >> 16) % (sizeof likely - 1)] : (char)(seed >> 16);
        }
        text[n] = 0;
        obb_arena *arena = obb_arena_new();
        CHECK(obb_score_parse(arena, &(obb_score_origin){.file = "t"}, text, n, diags) != NULL);
        obb_arena_free(arena);
        if (round % 100 == 0) {
            obb_diags_free(diags);
            diags = obb_diags_new();
        }
    }
    obb_diags_free(diags);
    obb_text nest = {0};
    for (int i = 0; i < 100000; i++)
        obb_text_string(&nest, "a { ");
    char *got = printed(nest.bytes);
    CHECK(strstr(got, "nested more than 100 deep") != NULL);
    free(got);
    obb_text_free(&nest);
}

void suite_score(void)
{
    harness_test("lays descriptions out", lays_descriptions_out);
    harness_test("laying out changes no meaning", laying_out_changes_no_meaning);
    harness_test("reads statements", reads_statements);
    harness_test("reads blocks", reads_blocks);
    harness_test("reads values", reads_values);
    harness_test("printing and reading again is the same", printing_and_reading_again_is_the_same);
    harness_test("tells errors with their places", tells_errors_with_their_places);
    harness_test("tells every error", tells_every_error);
    harness_test("survives any bytes", survives_any_bytes);
}
