/* Facts of carillon in the variant host.debug; written by obbligato. */
#ifndef CARILLON_VARIANT_H
#define CARILLON_VARIANT_H
#define CARILLON_VERSION "1.3.0"
#define CARILLON_VERSION_MAJOR 1
#define CARILLON_VERSION_MINOR 3
#define CARILLON_VERSION_PATCH 0
#define CARILLON_VARIANT "host.debug"
#define TELEMETRY_BASIC 1
#define BOARD_REV_B 1
#define HAVE_NANOSLEEP 1
#define HAVE_UNISTD_H 1
#define HAVE_DLFCN_H 1
#define SIZEOF_TIME_T 8
#endif
