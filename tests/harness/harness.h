/* Our own small test harness. A test is a function that checks things; a failed check is
 * told with its place, and the test counts as failed. The last line of a test program is
 * `N passed, N failed, N skipped`. */
#ifndef OBB_TESTS_HARNESS_H
#define OBB_TESTS_HARNESS_H

#include <stdbool.h>
#include <stddef.h>

/* Runs one test and counts it. */
void harness_test(const char *name, void (*run)(void));

/* Counts a test that ran by other means. */
void harness_count(const char *name, bool passed);

/* Says why a test cannot run here, and counts it as skipped: this is for what no set-up can give, such
 * as the right to mount. What can be installed, check.sh installs. */
void harness_skip(const char *name, const char *reason);

/* Prints the last line; the exit code of the program. */
int harness_end(void);

/* Inside a test: false is a failure. Each gives its condition back. */
bool harness_check(bool ok, const char *file, int line, const char *what);
bool harness_same_text(const char *got, const char *wanted, const char *file, int line);
bool harness_same_number(long long got, long long wanted, const char *file, int line);

#define CHECK(condition) harness_check((condition), __FILE__, __LINE__, #condition)
#define CHECK_TEXT(got, wanted) harness_same_text((got), (wanted), __FILE__, __LINE__)
#define CHECK_NUMBER(got, wanted) harness_same_number((long long)(got), (long long)(wanted), __FILE__, __LINE__)

/* A new empty folder below TMPDIR, as a string that the caller frees. */
char *harness_folder(void);
void harness_remove(const char *folder);

/* How often a test with random input is to go round: `usual` times TEST_ROUNDS of the
 * environment. A long hunt is TEST_ROUNDS=1000 TEST_SEED=2, see CONTRIBUTING.md. */
int harness_rounds(int usual);

/* Where its random numbers start: `usual`, and elsewhere with another TEST_SEED. */
unsigned harness_seed(unsigned usual);

/* A random number below n, of a sequence that the state (a seed, at first) decides. */
unsigned harness_pick(unsigned long long *state, unsigned n);

/* Files for tests: whole contents in and out. A missing file reads as NULL. */
void harness_write(const char *path, const char *text);
char *harness_read(const char *path, size_t *length);

/* Runs a command line by sh; what it printed (both streams) goes to *printed, which the
 * caller frees. Its exit status, or 128 + signal. */
int harness_shell(const char *line, char **printed);

#endif
