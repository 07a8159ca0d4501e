/* One delivery while its entries are collected: what the parts of src/delivery that find them share. */
#ifndef OBB_DELIVERY_COLLECTOR_H
#define OBB_DELIVERY_COLLECTOR_H

#include "base/map.h"
#include "delivery/entry.h"

typedef struct obb_collector {
    const obb_contents_input *in;
    const obb_delivery *delivery;
    bool firmware;      /* for a machine without an operating system */
    bool *brought;      /* by action: the shared library is delivered, or a needed delivery does that */
    bool *wanted;       /* by action: what the bill of materials is about */
    obb_map *foreign;   /* by place: shared libraries that nothing here links */
    bool *others;       /* by third-party project: it is in what is delivered */
    obb_entries entries;
} obb_collector;

/* collector.c: an entry with this place; `like` says the rest. The same file for the same place is one. */
void obb_collect_file(obb_collector *collector, const char *path, const char *source, const obb_entry *like);
void obb_collect_link(obb_collector *collector, const char *path, const char *target, obb_place place,
                      const char *what);
void obb_collect_bytes(obb_collector *collector, const char *path, const char *bytes, size_t length,
                       obb_place place, const char *what);

/* Notes the third-party projects whose code the output of an action has in it. */
void obb_collect_thirdparty(obb_collector *collector, const obb_action *action);

/* contents.c: a shared library with what it needs itself, unless it is brought already. `item` asks for it.
 */
void obb_collect_library(obb_collector *collector, const obb_action *action, const obb_delivery_item *item);

/* developer_files.c: the archive, the headers that users of the library include, and its metadata file. */
void obb_collect_for_developers(obb_collector *collector, const obb_delivery_item *item);

#endif
