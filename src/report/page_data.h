/* The data of a report as its page has them (src/page/model.js): small, and bounded in size. */
#ifndef OBB_REPORT_PAGE_DATA_H
#define OBB_REPORT_PAGE_DATA_H

#include <jansson.h>

/* Released by the caller. */
json_t *obb_page_data(const json_t *document);

#endif
