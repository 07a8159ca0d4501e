/* A report as one HTML page that needs nothing else: styles, scripts and data are inside, and a content
 * security policy (W3C Content Security Policy Level 3) allows those scripts and styles by their digests and
 * forbids any request. The page is at most about 3 MB: of what is more, the oldest builds, the shortest
 * actions, the smallest symbols and the cheapest headers are left out, and it says so. */
#ifndef OBB_REPORT_PAGE_H
#define OBB_REPORT_PAGE_H

#include <jansson.h>

#include "base/text.h"

/* What the page is made of besides the data: texts. */
typedef struct obb_page_texts {
    const char *body, *style;
    const char *charts;  /* the library that draws (D3, version 5 or later) */
    const char *scripts; /* ours, one behind the other */
} obb_page_texts;

/* `data` is a document obbligato.report-data. */
void obb_report_page(const json_t *data, const obb_page_texts *texts, obb_text *html);

#endif
