/* Facts of carillon in the variant striker-m3.release+libc=newlib-nano+telemetry=full; written by obbligato. */
#ifndef CARILLON_VARIANT_H
#define CARILLON_VARIANT_H
#define CARILLON_VERSION "1.3.0"
#define CARILLON_VERSION_MAJOR 1
#define CARILLON_VERSION_MINOR 3
#define CARILLON_VERSION_PATCH 0
#define CARILLON_VARIANT "striker-m3.release+libc=newlib-nano+telemetry=full"
#define TELEMETRY_FULL 1
#define BOARD_REV_B 1
/* not found: HAVE_NANOSLEEP */
#define HAVE_UNISTD_H 1
#define SIZEOF_TIME_T 8
#endif
