/* Measures on a generated tree, in one run, and prints ratios of medians.
 *
 *     bench PROGRAM FLOOR SOURCES [no-compile | QUICK-COMPILER]
 *
 * With the quick compiler of the tests, the state and the notices of a large tree are measured:
 * what compiling costs does not matter for them.
 *
 * The tree: SOURCES sources in libraries of 100, twice as many headers in six levels; each
 * source includes three headers, each header one or two of the next level, the last level
 * <stdint.h>. */
#define _DEFAULT_SOURCE /* wait4(2) */
#include <jansson.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum { LEVELS = 6, RUNS = 25, IN_LIBRARY = 100 };

static int sources, headers;
static const char *quick; /* a compiler that takes a millisecond; or NULL */
static const char *floor_path;
static long peak; /* kilobytes, of the last command */

static double seconds(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec / 1e9;
}

/* Runs a shell line; how long it took. */
static double timed(const char *line)
{
    double began = seconds();
    pid_t child = fork();
    int status;
    struct rusage use;
    if (child == 0) {
        execl("/bin/sh", "sh", "-c", line, (char *)NULL);
        _exit(127);
    }
    if (wait4(child, &status, 0, &use) < 0 || status != 0) { /* not getrusage: that is the most of all lines so far */
        fprintf(stderr, "bench: failed: %s\n", line);
        exit(1);
    }
    double took = seconds() - began;
    peak = use.ru_maxrss;
    return took;
}

static int by_value(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;
    return x < y ? -1 : x > y;
}

static double median(double *values, int n)
{
    qsort(values, (size_t)n, sizeof *values, by_value);
    return values[n / 2];
}

/* Two lines, measured in pairs: medians of seconds, and of the ratios of pairs with their quartiles. The machine may be twice as
 * fast a minute later, but hardly between the two of a pair. */
typedef struct comparison {
    double one, other, ratio, low, high;
} comparison;

static comparison of_pairs(double *one, double *other, int n)
{
    double *r = calloc((size_t)n, sizeof *r);
    if (!r)
        exit(1);
    for (int i = 0; i < n; i++)
        r[i] = one[i] / other[i];
    double ratio = median(r, n);
    comparison c = {median(one, n), median(other, n), ratio, r[n / 4], r[n - 1 - n / 4]};
    free(r);
    return c;
}

static double timed_after(const char *before, const char *line)
{
    if (*before)
        timed(before);
    return timed(line);
}

/* `before` makes it the same work each time, and is not measured. */
static comparison compare_after(const char *before_one, const char *one, const char *before_other, const char *other, int runs)
{
    double *x = calloc((size_t)runs, sizeof *x), *y = calloc((size_t)runs, sizeof *y);
    if (!x || !y)
        exit(1);
    timed_after(before_one, one);
    timed_after(before_other, other);
    for (int i = 0; i < runs; i++) {
        if (i % 2 == 0)
            x[i] = timed_after(before_one, one);
        y[i] = timed_after(before_other, other);
        if (i % 2 == 1)
            x[i] = timed_after(before_one, one);
    }
    comparison c = of_pairs(x, y, runs);
    free(x);
    free(y);
    return c;
}

static comparison compare(const char *one, const char *other, int runs)
{
    return compare_after("", one, "", other, runs);
}

static FILE *created(const char *path)
{
    FILE *f = fopen(path, "w");
    if (!f) {
        perror(path);
        exit(1);
    }
    return f;
}

static FILE *begun_score(void)
{
    FILE *score = created("obbligato.score");
    fprintf(score, "project bench { version 1; include include; define WIDE=3%s }\n", quick ? "; default quick.debug" : "");
    if (quick)
        fprintf(score, "toolchain quick { family custom; compile c %s compile {source} {object} {defines} {includes}\n"
                "archive %s gather {library} {objects}\nspell include \"-I{path}\" define \"-D{name}={value}\" }\n"
                "platform quick { set os=none cpu=quick; toolchain quick }\n", quick, quick);
    return score;
}

static void generate(void)
{
    char path[100];
    unsigned seed = 1;
    int per_level = headers / LEVELS;
    mkdir("include", 0777);
    for (int l = 0; l < LEVELS; l++) {
        snprintf(path, sizeof path, "include/l%d", l);
        mkdir(path, 0777);
    }
    for (int h = 0; h < per_level * LEVELS; h++) {
        int level = h / per_level;
        snprintf(path, sizeof path, "include/l%d/h%d.h", level, h);
        FILE *f = created(path);
        fprintf(f, "#ifndef H%d\n#define H%d\n", h, h);
        for (int k = 0; k < 1 + h % 2 && level + 1 < LEVELS; k++) {
            seed = seed * 1103515245 + 12345;
            int next = (level + 1) * per_level + (int)((seed >> 8) % (unsigned)per_level);
            fprintf(f, "#include \"l%d/h%d.h\"\n", level + 1, next);
        }
        if (level + 1 == LEVELS && !quick)
            fprintf(f, "#include <stdint.h>\n");
        if (quick)
            fprintf(f, "int f%d(int value);\n#endif\n", h);
        else
            fprintf(f, "#if defined(WIDE) && WIDE > %d\ntypedef long t%d;\n#else\ntypedef int t%d;\n#endif\n"
                    "t%d f%d(t%d value);\n#endif\n", h % 7, h, h, h, h, h);
        fclose(f);
    }
    FILE *score = begun_score();
    for (int s = 0; s < sources; s++) {
        int library = s / IN_LIBRARY;
        if (s % IN_LIBRARY == 0) {
            snprintf(path, sizeof path, "lib%d", library);
            mkdir(path, 0777);
            fprintf(score, "library lib%d { sources lib%d/*.c }\n", library, library);
        }
        snprintf(path, sizeof path, "lib%d/s%d.c", library, s);
        FILE *f = created(path);
        for (int k = 0; k < 3; k++) {
            seed = seed * 1103515245 + 12345;
            fprintf(f, "#include <l0/h%d.h>\n", (int)((seed >> 8) % (unsigned)per_level));
        }
        fprintf(f, "int source_%d(int n) { return n + %d; }\n", s, s);
        fclose(f);
    }
    fclose(score);
}

/* A program for each library: their links read what the compiler and the system bring along. */
static void add_programs(void)
{
    FILE *score = fopen("obbligato.score", "a"), *f = created("program.c");
    if (!score)
        exit(1);
    fprintf(f, "int main(void) { return 0; }\n");
    for (int l = 0; l < (sources + IN_LIBRARY - 1) / IN_LIBRARY; l++)
        fprintf(score, "program program%d { sources program.c; uses lib%d; libs m }\n", l, l);
    fclose(score);
    fclose(f);
}

/* The compiles as lines for xargs, and the sources with -M. */
static void write_commands(const char *database, const char *build, const char *depend)
{
    json_error_t error;
    json_t *all = json_load_file(database, 0, &error), *entry, *word;
    size_t i, k;
    FILE *b = created(build), *d = created(depend);
    json_array_foreach(all, i, entry) {
        json_t *words = json_object_get(entry, "arguments");
        const char *output = json_string_value(json_object_get(entry, "output"));
        json_array_foreach(words, k, word) {
            const char *w = json_string_value(word);
            fprintf(b, "%s\"%s\"", k ? " " : "", w); /* xargs joins lines that end with a blank */
            if (strcmp(w, "-c") != 0 && strcmp(w, "-o") != 0 && strcmp(w, output) != 0)
                fprintf(d, "\"%s\" ", w);
        }
        fprintf(b, "\n");
        fprintf(d, "-M -o /dev/null\n");
    }
    fclose(b);
    fclose(d);
    json_decref(all);
}

static void row(const char *what, double ours, const char *against, double theirs, double ratio, double goal,
                bool at_least)
{
    bool good = at_least ? ratio >= goal : ratio <= goal;
    printf("%-38s %9.1f ms  %-34s %9.1f ms  %6.2f  %s %-5.4g %s\n", what, ours * 1e3, against, theirs * 1e3,
           ratio, at_least ? ">=" : "<=", goal, good ? "reached" : "NOT REACHED");
    fflush(stdout);
}

/* The first takes at most `goal` times as long as the second, or the second at least `goal` times as long as the first. */
static void row_of(const char *what, comparison c, const char *against, double goal, bool at_least)
{
    double ratio = at_least ? 1 / c.ratio : c.ratio;
    bool good = at_least ? ratio >= goal : ratio <= goal;
    printf("%-38s %9.1f ms  %-34s %9.1f ms  %6.2f (half of them %.2f to %.2f)  %s %-5.4g %s\n", what, c.one * 1e3, against,
           c.other * 1e3, ratio, at_least ? 1 / c.high : c.low, at_least ? 1 / c.low : c.high, at_least ? ">=" : "<=", goal,
           good ? "reached" : "NOT REACHED");
    fflush(stdout);
}

/* There is a limit for 100,000 sources. */
static void tell_scan_memory(void)
{
    enum { MOST_MB = 800 };
    double mb = (double)peak / 1024;
    printf("peak memory of a scan %s: %.1f MB", quick ? "after a build" : "from nothing", mb);
    if (sources >= 100000)
        printf("  <= %d MB  %s", MOST_MB, mb <= MOST_MB ? "reached" : "NOT REACHED");
    printf("\n");
}

/* On a tree of its own, so small that it can be built again and again in turn with the same
 * commands. */
static void measure_full_build(const char *program)
{
    char ours[4096], prepare[4096];
    snprintf(prepare, sizeof prepare, "%s build -q; find out/host.debug -type d > folders.txt; %s export compilation-database > db.json; "
             "%s export shell-script | grep '^run_AR' | sed 's/^run_AR/ar/' > archives.txt", program, program, program);
    timed(prepare);
    write_commands("db.json", "commands.txt", "depend.txt");
    snprintf(ours, sizeof ours, "%s build -q -j 2", program);
    row_of("full build, 400 sources",
           compare_after("rm -rf out", ours, "rm -rf out; xargs mkdir -p < folders.txt",
                         "xargs -P 2 -L 1 env < commands.txt && xargs -P 2 -L 1 env < archives.txt 2>/dev/null", 9),
           "the same commands, xargs -P 2", 1.02, false);
}

/* A header of ten users is edited, so that all ten come out anew: against their compiles and the archive
 * alone. */
static void measure_header(const char *program)
{
    char ours[4096], theirs[4096], prepare[4096], path[40];
    mkdir("ten", 0777);
    for (int i = 0; i < 10; i++) {
        snprintf(path, sizeof path, "ten/t%d.c", i);
        FILE *f = created(path);
        fprintf(f, "#include \"ten.h\"\n#include <l0/h%d.h>\nint ten_%d = TEN;\n", i, i);
        fclose(f);
    }
    FILE *score = fopen("obbligato.score", "a");
    if (!score)
        exit(1);
    fprintf(score, "library ten { sources ten/*.c }\n");
    fclose(score);
    snprintf(prepare, sizeof prepare, "echo '#define TEN 1' > ten/ten.h; %s build -q; %s export compilation-database ten > db.json; "
             "%s export shell-script ten | grep '^run_AR' | sed 's/^run_AR/ar/' > archives.txt", program, program, program);
    timed(prepare);
    write_commands("db.json", "all.txt", "depend.txt");
    timed("grep ten/t all.txt | sed 's|out/host.debug|theirs|g' > commands.txt; grep libten archives.txt | sed 's|out/host.debug|theirs|g' "
          "> archive.txt; mkdir -p theirs/obj/ten/ten theirs/lib"); /* not into our output folder: it would be mended */
    snprintf(ours, sizeof ours, "date +'#define TEN 1%%7N' > ten/ten.h; %s build -q -j 2", program);
    snprintf(theirs, sizeof theirs, "date +'#define TEN 1%%7N' > ten/ten.h; xargs -P 2 -L 1 env < commands.txt && xargs -L 1 env < archive.txt");
    row_of("a header of ten users edited", compare(ours, theirs, RUNS), "their compiles and the archive", 1.05, false);
}

/* The store: when everything is in it, and when nothing ever is. */
static void measure_store(const char *program)
{
    char off[4096], stored[4096];
    snprintf(off, sizeof off, "OBBLIGATO_STORE=off %s build -q -j 2", program);
    snprintf(stored, sizeof stored, "OBBLIGATO_STORE=$PWD/store %s build -q -j 2", program);
    row_of("full build, 200 sources, store empty", compare_after("rm -rf out store", stored, "rm -rf out", off, 9), "without a store", 1.05, false);
    row_of("full build, 200 sources, store warm", compare_after("rm -rf out", stored, "rm -rf out", off, 5), "without a store", 5, true);
}

/* The far store, over a line of some length and rate (tests/servers/line.c; BENCH_LINE) to a web server (BENCH_WEB): when
 * nothing is there or it fails, and when everything is there. Both stand for other machines: where they may only delay, they
 * have the processors last. */
static void measure_far(const char *program)
{
    static const struct { const char *name, *to; } lines[] = {
        {"far store dead", "dead"},
        {"far store that hangs", "nowhere"},
        {"far store empty, 200 ms away", "$(cat web/port) 100"},
        {"far store empty, at 1 Mbit/s", "$(cat web/port) 10 1000"}};
    char with[4096], without[4096], prepare[4096], row_name[100];
    const char *line = getenv("BENCH_LINE"), *web = getenv("BENCH_WEB");
    if (!line || !web)
        return;
    snprintf(without, sizeof without, "OBBLIGATO_STORE=$PWD/store OBBLIGATO_FAR_STORE=off %s build -q -j 2", program);
    for (size_t i = 0; i < sizeof lines / sizeof *lines; i++) {
        bool dead = strcmp(lines[i].to, "dead") == 0;
        snprintf(prepare, sizeof prepare, "mkdir -p www/objects; nice -n 19 sh %s start 'location /objects/ { dav_methods PUT; }'; echo 1 > port; "
                 "if %s; then { nice -n 19 %s port %s & } > /dev/null 2>&1; sleep 0.3; fi", web, dead ? "false" : "true", line, lines[i].to);
        timed(prepare);
        /* what was sent is removed, and what is still being sent of the build before is gone */
        snprintf(with, sizeof with, "OBBLIGATO_FAR_LINGER=0 OBBLIGATO_STORE=$PWD/store "
                 "OBBLIGATO_FAR_STORE=http://127.0.0.1:$(cat port)/objects %s build -q -j 2 2> told", program);
        snprintf(row_name, sizeof row_name, "full build, %s", lines[i].name);
        row_of(row_name, compare_after("rm -rf out store www/objects/*", with, "rm -rf out store", without, 11), "without it", 1.03, false);
        timed("sh -c 'kill $(cat web/pid)'; pkill -x line || true");
    }
    snprintf(prepare, sizeof prepare, "sh %s start 'location /objects/ { dav_methods PUT; }'; { %s port $(cat web/port) 5 100000 & } > /dev/null 2>&1; "
             "sleep 0.3; rm -rf out store; OBBLIGATO_STORE=$PWD/store OBBLIGATO_FAR_STORE=$(cat web/url)/objects %s build -q -j 2; sleep 5", web, line, program);
    timed(prepare);
    snprintf(with, sizeof with, "OBBLIGATO_STORE=$PWD/store OBBLIGATO_FAR_STORE=http://127.0.0.1:$(cat port)/objects %s build -q -j 2", program);
    row_of("full build, all in a far store, 10 ms, 100 Mbit/s", compare_after("rm -rf out store", with, "rm -rf out store", without, 5), "without it", 5, true);
    timed("sh -c 'kill $(cat web/pid)'; pkill -x line || true");
}

/* What a variant more costs when there is nothing to do: six against one. */
static void measure_variants(const char *program)
{
    char line[4096], six[4096], one[4096], floor_line[4096];
    FILE *score = fopen("obbligato.score", "a");
    if (!score)
        exit(1);
    fprintf(score, "axis way { values a b c d e f; default a; define WAY }\n"
                   "lineup six { host.debug host.debug+way=b host.debug+way=c host.debug+way=d host.debug+way=e host.debug+way=f }\n");
    fclose(score);
    snprintf(line, sizeof line, "%s build -q --lineup six; %s build -q --lineup six; %s build -q; %s build -q;"
             "find lib* include out -type f > list.txt", program, program, program, program);
    timed(line);
    snprintf(six, sizeof six, "%s build --lineup six > /dev/null", program);
    snprintf(one, sizeof one, "%s build > /dev/null", program);
    snprintf(floor_line, sizeof floor_line, "%s list.txt > /dev/null", floor_path);
    comparison single = compare(six, one, RUNS);
    row_of("nothing to do, 100 sources, 6 variants", compare(six, floor_line, RUNS), "stat of the same files", 3, false);
    printf("one variant: %.2f ms; each further one: %.2f ms (%d actions)\n", single.other * 1e3,
           (single.one - single.other) / 5 * 1e3,
           sources + (sources + IN_LIBRARY - 1) / IN_LIBRARY);
}

/* --- descriptions ------------------------------------------------------------------- */

/* Half of them depend on a condition, and all share one source: it is the plan that is measured. */
static void describe_targets(FILE *f, int count)
{
    fprintf(f, "axis way { values a b; default a }\n");
    for (int i = 0; i < count; i++)
        fprintf(f, "library l%d { sources x.c; when way=b { define B } %s }\n", i, i % 2 ? "; only way=a" : "");
}

/* A chain: each library passes on all that the ones before it pass on, so that the words of its commands
 * grow with the square of its length. */
static void describe_sharing(FILE *f, int count)
{
    for (int i = 0; i < count; i++) {
        fprintf(f, "library l%d { sources x.c; share { define L%d", i, i);
        if (i)
            fprintf(f, "; uses l%d", i - 1);
        fprintf(f, " } }\n");
    }
    fprintf(f, "program p { sources x.c; uses l%d }\n", count - 1);
}

static void describe_like(FILE *f, int count)
{
    fprintf(f, "toolchain t0 { family gcc }\n");
    for (int i = 1; i < count; i++)
        fprintf(f, "toolchain t%d { like t%d }\n", i, i - 1);
    fprintf(f, "library l { sources x.c }\n");
}

static void describe_uses(FILE *f, int count)
{
    for (int i = 0; i < count; i++)
        fprintf(f, "library l%d { sources x.c }\n", i);
    fprintf(f, "program p { sources x.c; uses");
    for (int i = 0; i < count; i++)
        fprintf(f, " l%d", i);
    fprintf(f, " }\n");
}

static void describe(void (*how)(FILE *f, int count), int count)
{
    FILE *f = created("obbligato.score"), *x = created("x.c");
    fprintf(f, "project many { version 1 }\n");
    how(f, count);
    fprintf(x, "int x;\n");
    fclose(f);
    fclose(x);
}

/* From the description to the plan: twice as much of it should cost twice the time. */
static void measure_growth(const char *what, const char *line, void (*how)(FILE *f, int count), int count, double goal)
{
    double half[5], whole[5];
    char room[40];
    for (int i = 0; i < 5; i++) {
        describe(how, count / 2);
        half[i] = timed(line);
        describe(how, count);
        whole[i] = timed(line);
    }
    double a = median(half, 5), b = median(whole, 5);
    snprintf(room, sizeof room, "%d of them", count / 2);
    row(what, b, room, a, b / a, goal, false);
}

static void measure_descriptions(const char *program)
{
    char line[4096];
    snprintf(line, sizeof line, "%s build -n -q --variant host.debug --variant host.debug+way=b --variant host.release "
             "--variant host.release+way=b > /dev/null", program);
    measure_growth("plan, 10000 targets in 4 variants", line, describe_targets, 10000, 2.2);
    printf("peak memory of that: %.1f MB\n", (double)peak / 1024);
    snprintf(line, sizeof line, "%s build -n -q > /dev/null", program);
    measure_growth("plan, 3000 libraries that share", line, describe_sharing, 3000, 4.4);
    measure_growth("plan, 20000 toolchains like another", line, describe_like, 20000, 2.2);
    measure_growth("plan, 30000 uses in one program", line, describe_uses, 30000, 2.2);
}

/* --- a large tree ------------------------------------------------------------------- */

/* Another one each time, from all over the tree: the place where it is looked at is not always the same. */
static void touch_source(int run)
{
    char path[100];
    int s = (int)((long)sources * (run % RUNS) / RUNS);
    snprintf(path, sizeof path, "lib%d/s%d.c", s / IN_LIBRARY, s);
    FILE *f = fopen(path, "a");
    if (!f)
        exit(1);
    fprintf(f, "int more_%d_%ld;\n", run, (long)time(NULL));
    fclose(f);
}

/* Where the quick compiler notes when it was started: said once, so that the lines that are compared are the same. */
static void note_starts(void)
{
    char path[4096];
    if (!getcwd(path, sizeof path - 10))
        exit(1);
    setenv("QUICK_COMPILER_NOTE", strcat(path, "/note"), 1);
}

/* From the start of the program to that of its first command, which notes when that was. */
static double time_to_first_command(const char *line)
{
    char text[100] = "";
    struct timespec t;
    remove("note");
    clock_gettime(CLOCK_REALTIME, &t);
    timed(line);
    FILE *f = fopen("note", "r");
    if (!f || !fgets(text, sizeof text, f)) {
        fprintf(stderr, "bench: no command was started\n");
        exit(1);
    }
    fclose(f);
    return atof(text) - ((double)t.tv_sec + (double)t.tv_nsec / 1e9);
}

static void settle(void)
{
    struct timespec t = {.tv_nsec = 60000000};
    nanosleep(&t, NULL);
}

/* A tree that was written just now is written to the disk during the next half minute, by one of the processors. */
static void let_it_be_written(void)
{
    timed("sync");
}

/* In turn with a build that has nothing to do; a moment of rest before each, since a processor
 * that comes from rest is slower than one that is at work. */
static void measure_touched(const char *program)
{
    enum { TOUCHES = 3 * RUNS }; /* pairs of a few milliseconds differ by a tenth and more */
    char line[4096];
    double first[TOUCHES], idle[TOUCHES];
    snprintf(line, sizeof line, "%s build -q", program);
    note_starts();
    for (int i = 0; i < TOUCHES; i++) {
        touch_source(i);
        settle();
        first[i] = time_to_first_command(line);
        settle();
        timed(line); /* so that the young stamps are settled */
        settle();
        idle[i] = timed(line);
    }
    row_of("one source touched, to its compile", of_pairs(first, idle, TOUCHES), "nothing to do", 1.1, false);
}

static void add_source(int number)
{
    char path[60];
    snprintf(path, sizeof path, "lib1/added%d.c", number);
    FILE *f = created(path);
    fprintf(f, "int added_%d;\n", number);
    fclose(f);
}

static void remove_source(int number)
{
    char path[60];
    snprintf(path, sizeof path, "lib1/added%d.c", number);
    remove(path);
}

/* A file that appears in the folder of a pattern, or vanishes from it, against a build that has nothing to do. The next build
 * has nothing to do, the one behind it keeps the plan again. */
static void measure_moved(const char *program, const char *what, void (*move)(int number))
{
    char line[4096];
    double first[RUNS], idle[RUNS];
    snprintf(line, sizeof line, "%s build -q", program);
    note_starts();
    for (int i = 0; i < RUNS; i++) {
        move(i);
        settle();
        first[i] = time_to_first_command(line);
        settle();
        timed(line);
        settle();
        idle[i] = timed(line);
        touch_source(i);
        settle();
        timed(line);
        settle();
        timed(line);
    }
    row_of(what, of_pairs(first, idle, RUNS), "nothing to do", 1.5, false);
}

/* A target for each source, of which one has another macro. */
static void describe_single_targets(int count, int macro)
{
    FILE *score = begun_score();
    for (int i = 0; i < count; i++)
        fprintf(score, i == count / 2 ? "library t%d { sources lib0/t%d.c; define EDIT=%d }\n" : "library t%d { sources lib0/t%d.c }\n",
                i, i, macro);
    fclose(score);
}

/* The statement of one target is edited: from what was kept, and with all targets planned again. */
static void measure_edited(const char *program)
{
    enum { TARGETS = 10000 };
    char line[4096], whole_line[4200], path[100];
    double some[7], whole[7];
    for (int i = 0; i < TARGETS; i++) {
        snprintf(path, sizeof path, "lib0/t%d.c", i);
        FILE *f = created(path);
        fprintf(f, "int t%d;\n", i);
        fclose(f);
    }
    describe_single_targets(TARGETS, 0);
    snprintf(line, sizeof line, "%s build -q", program);
    snprintf(whole_line, sizeof whole_line, "rm -f out/.obbligato/ready-*; %s", line);
    note_starts();
    timed(line);
    for (int i = 0; i < 7; i++) {
        settle();
        timed(line);
        describe_single_targets(TARGETS, 1 + 2 * i);
        settle();
        some[i] = time_to_first_command(line);
        settle();
        timed(line);
        describe_single_targets(TARGETS, 2 + 2 * i);
        settle();
        whole[i] = time_to_first_command(whole_line);
    }
    row_of("one of 10000 targets edited, to its compile", of_pairs(some, whole, 7), "all targets planned again", 2, true);
}

/* The notices of `watch -v`: how soon the first command starts. */
static void measure_watch(const char *program)
{
    char line[4096];
    double all[5];
    int count = 0;
    snprintf(line, sizeof line, "%s watch -v --progress never > watch.log 2>&1 & echo $! > watch.pid; "
             "while ! grep -q '^watching' watch.log; do sleep 0.05; done", program);
    timed(line);
    for (int i = 0; i < 5; i++) {
        touch_source(100 + i);
        snprintf(line, sizeof line, "while [ $(grep -c ' made' watch.log) -le %d ]; do sleep 0.05; done; sleep 0.5", i);
        timed(line);
    }
    timed("kill $(cat watch.pid); sed -n 's/^first command \\([0-9.]*\\) ms.*/\\1/p' watch.log > times");
    FILE *f = fopen("times", "r");
    while (f && count < 5 && fscanf(f, "%lf", &all[count]) == 1)
        count++;
    if (f)
        fclose(f);
    if (count)
        printf("watch, %d sources: %.1f ms from the notice to the first command (10 ms of them waiting for quiet)\n",
               sources, median(all, count));
}

static void in_a_folder_of_its_own(const char *program, const char *folder, int count, void (*measure)(const char *))
{
    int all = sources;
    const char *only = getenv("BENCH_ONLY"); /* one of them, for who works on it */
    if (only && strcmp(only, folder) != 0)
        return;
    if (mkdir(folder, 0777) || chdir(folder))
        exit(1);
    sources = count;
    headers = sources * 2;
    generate();
    measure(program);
    if (chdir(".."))
        exit(1);
    sources = all;
    headers = sources * 2;
}

/* How much of a floor a build with nothing to do may take: a large tree is shared by threads, the floor is not. */
static double most_of_floor(void)
{
    return sources >= 10000 ? 0.6 : 1.3;
}

/* Ten libraries of 200 sources each; each source reads three of its library's 100 headers. Fetched, each is a
 * third-party project in an archive; otherwise all are in one project. */
enum { OTHERS = 10, OTHER_SOURCES = 200, OTHER_HEADERS = 100 };

static void generate_libraries(bool fetched)
{
    char path[100], folder[20];
    FILE *score = begun_score();
    for (int k = 0; k < OTHERS; k++) {
        snprintf(folder, sizeof folder, "o%d", k);
        mkdir(folder, 0777);
        if (fetched) {
            fprintf(score, "thirdparty o%d { version 1; from archive o%d.tar }\ngroup g%d o%d:o\n", k, k, k, k);
            snprintf(path, sizeof path, "%s/obbligato.score", folder);
            FILE *f = created(path);
            fprintf(f, "project o%d\nlibrary o { sources *.c; include . }\n", k);
            fclose(f);
        } else {
            fprintf(score, "library o%d { sources o%d/*.c; include o%d }\ngroup g%d o%d\n", k, k, k, k, k);
        }
        for (int h = 0; h < OTHER_HEADERS; h++) {
            snprintf(path, sizeof path, "%s/h%d.h", folder, h);
            FILE *f = created(path);
            fprintf(f, "int h%d_%d;\n", k, h);
            fclose(f);
        }
        for (int s = 0; s < OTHER_SOURCES; s++) {
            snprintf(path, sizeof path, "%s/s%d.c", folder, s);
            FILE *f = created(path);
            for (int i = 0; i < 3; i++)
                fprintf(f, "#include \"h%d.h\"\n", (s * 7 + i * 31) % OTHER_HEADERS);
            fprintf(f, "int s%d_%d;\n", k, s);
            fclose(f);
        }
        if (fetched) {
            snprintf(path, sizeof path, "tar cf %s.tar %s; rm -r %s", folder, folder, folder);
            timed(path);
        }
    }
    fprintf(score, "group all");
    for (int k = 0; k < OTHERS; k++)
        fprintf(score, " g%d", k);
    fprintf(score, "\n");
    fclose(score);
    timed("rm -rf lib* include; mkdir include");
}

/* The two trees, each with a file of all that a build of it looks at. */
static void build_libraries(const char *program, const char *folder, bool fetched)
{
    char line[4096];
    if (mkdir(folder, 0777) || chdir(folder))
        exit(1);
    generate_libraries(fetched);
    snprintf(line, sizeof line, "%s build -q all; %s build -q all; find %s out/quick.debug -name '*.[cha]' -o -name '*.o' > list.txt",
             program, program, fetched ? "out/thirdparty" : "o[0-9]");
    timed(line);
    if (chdir(".."))
        exit(1);
}

static void measure_others(const char *program)
{
    char line[4096], path[100];
    double first[RUNS], idle[RUNS];
    build_libraries(program, "fetched", true);
    build_libraries(program, "one", false);
    let_it_be_written();
    double took[4][RUNS], one[RUNS], fetched[RUNS];
    for (int i = -1; i < RUNS; i++) /* before the first, once for nothing */
        for (int k = 0; k < 4; k++) {
            snprintf(line, sizeof line, "cd %s; %s %s > /dev/null", k < 2 ? "one" : "fetched", k % 2 ? floor_path : program,
                     k % 2 ? "list.txt" : "build all");
            took[k][i < 0 ? 0 : i] = timed(line);
        }
    for (int i = 0; i < RUNS; i++) {
        one[i] = took[0][i] / took[1][i];
        fetched[i] = took[2][i] / took[3][i];
    }
    comparison both = of_pairs(fetched, one, RUNS);
    printf("to the stat of the same files: 10 third-party projects %.2f, the same in one project %.2f\n", both.one, both.other);
    both.one = median(took[2], RUNS);
    both.other = median(took[0], RUNS);
    row_of("nothing to do, 10 third-party projects", both, "the same in one project", 1.05,
           false); /* of the ratios to the floor: paths in the output folder are longer, for both */
    if (chdir("fetched"))
        exit(1);
    snprintf(line, sizeof line, "%s build all > /dev/null", program);
    note_starts();
    for (int i = 0; i < RUNS; i++) {
        snprintf(path, sizeof path, "echo 'int more_%d;' >> out/thirdparty/o%d-1/s%d.c", i, i % OTHERS, i * 3 % OTHER_SOURCES);
        timed(path);
        settle();
        first[i] = time_to_first_command(line);
        settle();
        timed(line);
        settle();
        idle[i] = timed(line);
    }
    row_of("one of their sources edited, to its compile", of_pairs(first, idle, RUNS), "nothing to do", 1.1, false);
    if (chdir(".."))
        exit(1);
}

static void measure_large(const char *program)
{
    char line[4096], floor_line[4096];
    double began = seconds();
    snprintf(line, sizeof line, "%s build -q; %s build -q; find lib* include out/quick.debug -type f > list.txt", program, program);
    timed(line);
    printf("%d sources built with the quick compiler: %.1f s, %.2f ms a source\n", sources, seconds() - began,
           (seconds() - began) * 1e3 / sources);
    let_it_be_written();
    snprintf(line, sizeof line, "%s build > /dev/null", program);
    snprintf(floor_line, sizeof floor_line, "%s list.txt > /dev/null", floor_path);
    row_of("nothing to do", compare(line, floor_line, RUNS), "stat of the same files", most_of_floor(), false);
    measure_touched(program);
    measure_moved(program, "one source added, to its compile", add_source);
    measure_moved(program, "one source removed, to the archive", remove_source);
    measure_watch(program);
    if (sources == 1000)
        in_a_folder_of_its_own(program, "others", 100, measure_others);
    if (sources == 10000)
        in_a_folder_of_its_own(program, "edited", 100, measure_edited);
}

int main(int argc, char **argv)
{
    char line[4096], floor_line[4096], folder[] = "/tmp/obbligato-bench-XXXXXX";
    double ours, theirs;
    if (argc < 4) {
        fputs("bench PROGRAM FLOOR SOURCES [no-compile | QUICK-COMPILER]\n", stderr);
        return 2;
    }
    char *program = realpath(argv[1], NULL), *floor_program = realpath(argv[2], NULL);
    bool compile = argc < 5;
    quick = argc == 5 && strcmp(argv[4], "no-compile") != 0 ? realpath(argv[4], NULL) : NULL;
    sources = atoi(argv[3]);
    headers = sources * 2;
    if (!program || !floor_program || !mkdtemp(folder) || chdir(folder)) {
        perror("bench");
        return 2;
    }
    setenv("OBBLIGATO_STORE", "off", 1);
    generate();
    printf("%d sources, %d headers, %ld processors\n", sources, headers / LEVELS * LEVELS, sysconf(_SC_NPROCESSORS_ONLN));
    floor_path = floor_program;
    if (quick) {
        measure_large(program);
    } else {
        snprintf(line, sizeof line, "%s export compilation-database > db.json", program);
        timed(line);
        write_commands("db.json", "commands.txt", "depend.txt");
    }
    snprintf(line, sizeof line, "%s scan > scan.txt", program);
    double scans[5];
    theirs = 0;
    for (int i = 0; i < 5; i++) { /* in turn, so that both see the same machine */
        char part[200];
        scans[i] = timed(line);
        snprintf(part, sizeof part, "sed -n '%d~5p' depend.txt | xargs -P 2 -L 1 env", i + 1);
        if (compile)
            theirs += timed(part);
        if (i == 0)
            tell_scan_memory();
    }
    ours = median(scans, 5);
    if (compile) {
        row("scan from nothing", ours, "-M, a process a source, xargs -P 2", theirs, theirs / ours, 60, true);
    } else {
        printf("scan %s: %.1f ms, %.1f us a source\n", quick ? "after a build" : "from nothing", ours * 1e3, ours * 1e6 / sources);
    }
    if (compile) {
        add_programs();
        snprintf(line, sizeof line, "%s build -q; %s build -q; find lib* include out/host.debug -type f > list.txt", program, program);
        timed(line);
        printf("peak memory of building: %.1f MB\n", (double)peak / 1024);
        snprintf(line, sizeof line, "%s build > /dev/null", program);
        snprintf(floor_line, sizeof floor_line, "%s list.txt > /dev/null", floor_program);
        row_of("nothing to do", compare(line, floor_line, RUNS), "stat of the same files", most_of_floor(), false);
    }
    if (compile) {
        in_a_folder_of_its_own(program, "few", 400, measure_full_build);
        in_a_folder_of_its_own(program, "ten", 200, measure_header);
        in_a_folder_of_its_own(program, "stored", 200, measure_store);
        in_a_folder_of_its_own(program, "far", 100, measure_far);
        in_a_folder_of_its_own(program, "six", 100, measure_variants);
        in_a_folder_of_its_own(program, "many", 6, measure_descriptions);
    }
    snprintf(line, sizeof line, "rm -rf %s", folder);
    timed(line);
    free(program);
    free(floor_program);
    free((void *)(uintptr_t)quick);
    return 0;
}
