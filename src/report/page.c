/* Writes the page of a report (report/page.h). */
#include "report/page.h"

#include <nettle/base64.h>
#include <nettle/sha2.h>
#include <stdlib.h>
#include <string.h>

#include "report/page_data.h"

/* 'sha256-...' as policies name a text (CSP 3, 2.3.1). */
static void add_digest(obb_text *html, const char *text)
{
    struct sha256_ctx sha;
    uint8_t digest[SHA256_DIGEST_SIZE];
    char encoded[BASE64_ENCODE_RAW_LENGTH(SHA256_DIGEST_SIZE) + 1] = {0};
    sha256_init(&sha);
    sha256_update(&sha, strlen(text), (const uint8_t *)text);
    sha256_digest(&sha, sizeof digest, digest);
    base64_encode_raw(encoded, sizeof digest, digest);
    obb_text_format(html, " 'sha256-%s'", encoded);
}

/* A text between an element's tags that no text can end. */
static void add_data(obb_text *html, const json_t *data)
{
    char *text = json_dumps(data, JSON_COMPACT);
    for (const char *at = text; at && *at;) {
        size_t plain = strcspn(at, "<");
        obb_text_add(html, at, plain);
        at += plain;
        if (*at == '<') {
            obb_text_string(html, "\\u003c");
            at++;
        }
    }
    free(text);
}

void obb_report_page(const json_t *document, const obb_page_texts *texts, obb_text *html)
{
    json_t *data = obb_page_data(document);
    obb_text_string(html,
                    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                    "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src");
    add_digest(html, texts->style);
    obb_text_string(html, "; script-src");
    add_digest(html, texts->charts);
    add_digest(html, texts->scripts);
    obb_text_string(html, "; base-uri 'none'; form-action 'none'\">\n"
                          "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
                          "<title>build report</title>\n<style>");
    obb_text_string(html, texts->style);
    obb_text_string(html, "</style>\n</head>\n<body>\n");
    obb_text_string(html, texts->body);
    obb_text_string(html, "<script type=\"application/json\" id=\"data\">");
    add_data(html, data);
    obb_text_string(html, "</script>\n<script>");
    obb_text_string(html, texts->charts);
    obb_text_string(html, "</script>\n<script>");
    obb_text_string(html, texts->scripts);
    obb_text_string(html, "</script>\n</body>\n</html>\n");
    json_decref(data);
}
