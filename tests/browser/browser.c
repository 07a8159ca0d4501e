/* Drives a real browser (Chromium, headless, by its own driver) with the commands on its standard input:
 *
 *     open FILE              loads a file
 *     size WIDTH HEIGHT      of the window, in pixels
 *     eval EXPRESSION        prints the value of a JavaScript expression, as JSON in one line; {file:NAME} in it is what is
 *                            in a file
 *     click SELECTOR         clicks on the first element that a CSS selector means
 *     keys SELECTOR KEYS     types into it; {Enter}, {Right}, {Left}, {Down}, {Up}, {Escape} are such keys
 *     scheme dark|light      what the user is said to prefer
 *     media print|screen
 *     picture FILE           the window as a PNG
 *     console                prints what the page reported, a line each, and `console: N messages`
 *     requests               prints what was loaded besides the file, a line each, and `requests: N`
 *
 * The protocol is WebDriver (W3C Recommendation, 2018), with the driver's `cdp/execute` for the last four. Any error
 * ends it with status 1.
 */
#include <curl/curl.h>
#include <jansson.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum { LONGEST = 1 << 16 };

static CURL *curl;
static pid_t driver;
static char base[256], session[400], profile[] = "/tmp/browser-XXXXXX";
static char opened[LONGEST];

static void end(int status)
{
    char command[64];
    if (driver > 0) {
        kill(driver, SIGTERM);
        waitpid(driver, NULL, 0);
    }
    snprintf(command, sizeof command, "rm -rf %s 2>/dev/null", profile);
    for (int i = 0; i < 50 && !strstr(profile, "XXXXXX") && system(command); i++)
        nanosleep(&(struct timespec){.tv_nsec = 100000000}, NULL); /* the browser may still write there */
    exit(status);
}

static void fail(const char *format, ...)
{
    va_list rest;
    va_start(rest, format);
    fflush(stdout);
    fputs("browser: ", stderr);
    vfprintf(stderr, format, rest);
    fputc('\n', stderr);
    va_end(rest);
    end(1);
}

typedef struct answer {
    char *bytes;
    size_t length;
} answer;

static size_t take(char *bytes, size_t size, size_t count, void *self)
{
    answer *a = self;
    a->bytes = realloc(a->bytes, a->length + size * count + 1);
    if (!a->bytes)
        return 0;
    memcpy(a->bytes + a->length, bytes, size * count);
    a->length += size * count;
    a->bytes[a->length] = 0;
    return size * count;
}

/* One command of the protocol: POST, or, without a body, DELETE. Takes `body` over. Gives `value` of the answer; the caller releases the document. */
static json_t *ask(const char *url, const char *path, json_t *body, json_t **value)
{
    char whole[1000], *text = json_dumps(body, JSON_COMPACT);
    answer a = {0};
    snprintf(whole, sizeof whole, "%s%s", url, path);
    struct curl_slist *headers = curl_slist_append(NULL, "Content-Type: application/json");
    curl_easy_reset(curl);
    curl_easy_setopt(curl, CURLOPT_URL, whole);
    curl_easy_setopt(curl, CURLOPT_NOPROXY, "*");
    curl_easy_setopt(curl, CURLOPT_HTTPHEADER, headers);
    if (body)
        curl_easy_setopt(curl, CURLOPT_POSTFIELDS, text);
    else
        curl_easy_setopt(curl, CURLOPT_CUSTOMREQUEST, "DELETE");
    curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, take);
    curl_easy_setopt(curl, CURLOPT_WRITEDATA, &a);
    curl_easy_setopt(curl, CURLOPT_TIMEOUT, 60L);
    CURLcode code = curl_easy_perform(curl);
    if (code)
        fail("%s: %s", whole, curl_easy_strerror(code));
    json_t *document = json_loads(a.bytes ? a.bytes : "", 0, NULL);
    *value = json_object_get(document, "value");
    const char *error = json_string_value(json_object_get(*value, "error"));
    if (!document || error)
        fail("%s: %s", path, error ? json_string_value(json_object_get(*value, "message")) : "no JSON");
    curl_slist_free_all(headers);
    free(text);
    free(a.bytes);
    json_decref(body);
    return document;
}

static void tell(const char *path, json_t *body)
{
    json_t *value;
    json_decref(ask(session, path, body, &value));
}

/* Starts the driver; gives its port. 0: it has ended, since somebody took the port that it had found. */
static unsigned start_driver(void)
{
    int ends[2];
    unsigned port = 0;
    if (pipe(ends) || (driver = fork()) < 0)
        fail("cannot start a process");
    if (!driver) {
        dup2(ends[1], 1);
        close(ends[0]);
        close(ends[1]);
        setenv("HOME", profile, 1);
        execlp("chromedriver", "chromedriver", "--port=0", (char *)NULL);
        _exit(127);
    }
    close(ends[1]);
    FILE *said = fdopen(ends[0], "r"); /* stays open: the driver goes on writing */
    for (char line[400]; said && !port && fgets(line, sizeof line, said);) {
        const char *at = strstr(line, "on port ");
        if (at && strstr(line, "started successfully"))
            sscanf(at, "on port %u", &port);
    }
    if (!port) {
        waitpid(driver, NULL, 0);
        driver = 0;
    }
    return port;
}

static void start(void)
{
    unsigned port = 0;
    if (!mkdtemp(profile))
        fail("cannot make a folder");
    for (int i = 0; i < 5 && !port; i++)
        port = start_driver();
    if (!port)
        fail("chromedriver does not start");
    snprintf(base, sizeof base, "http://127.0.0.1:%u", port);
    char folder[100];
    snprintf(folder, sizeof folder, "--user-data-dir=%s/profile", profile);
    json_t *value, *arguments = json_pack("[s, s, s, s, s, s, s]", "--headless", "--disable-gpu", "--hide-scrollbars",
                                          "--force-device-scale-factor=1", "--no-first-run", "--lang=en-GB", folder);
    if (geteuid() == 0) /* its sandbox needs another user */
        json_array_append_new(arguments, json_string("--no-sandbox"));
    json_t *made = ask(base, "/session",
                       json_pack("{s:{s:{s:{s:o}, s:{s:s, s:s}}}}", "capabilities", "alwaysMatch",
                                 "goog:chromeOptions", "args", arguments, "goog:loggingPrefs", "browser", "ALL",
                                 "performance", "ALL"),
                       &value);
    const char *id = json_string_value(json_object_get(value, "sessionId"));
    if (!id)
        fail("no session");
    snprintf(session, sizeof session, "%s/session/%s", base, id);
    json_decref(made);
    tell("/url", json_pack("{s:s}", "url", "about:blank")); /* in place of the browser's own first page */
}

/* The entries of one of the driver's logs. */
static json_t *entries(const char *type, json_t **value)
{
    return ask(session, "/se/log", json_pack("{s:s}", "type", type), value);
}

static void put_file(FILE *to, const char *name, size_t length)
{
    char path[4096];
    snprintf(path, sizeof path, "%.*s", (int)length, name);
    FILE *file = fopen(path, "r");
    if (!file)
        fail("%s: no such file", path);
    for (int c; (c = getc(file)) != EOF;)
        putc(c, to);
    fclose(file);
}

static void evaluate(const char *expression)
{
    char *script = NULL;
    size_t length;
    json_t *value;
    FILE *to = open_memstream(&script, &length);
    if (!to)
        fail("no memory");
    fputs("return (", to);
    while (*expression) {
        const char *name = expression + strlen("{file:"), *end = strchr(expression, '}');
        if (strncmp(expression, "{file:", strlen("{file:")) == 0 && end) {
            put_file(to, name, (size_t)(end - name));
            expression = end + 1;
        } else
            putc(*expression++, to);
    }
    fputs(");", to);
    fclose(to);
    json_t *document = ask(session, "/execute/sync", json_pack("{s:s, s:[]}", "script", script, "args"), &value);
    char *text = json_dumps(value, JSON_ENCODE_ANY | JSON_COMPACT);
    puts(text ? text : "null");
    free(text);
    free(script);
    json_decref(document);
}

/* The path of an element's command. */
static char *element(const char *selector, const char *command)
{
    static char path[300];
    json_t *value, *document = ask(session, "/element", json_pack("{s:s, s:s}", "using", "css selector", "value", selector), &value);
    const char *id = json_string_value(json_object_get(value, "element-6066-11e4-a52e-4f735466cecf"));
    if (!id)
        fail("%s: no such element", selector);
    snprintf(path, sizeof path, "/element/%s/%s", id, command);
    json_decref(document);
    return path;
}

/* Keys by the code points that the protocol gives them (17.4.2). */
static void type(const char *selector, const char *keys)
{
    static const struct { const char *name, *code;
    } named[] = {{"{Enter}", "\xee\x80\x87"}, {"{Left}", "\xee\x80\x92"}, {"{Up}", "\xee\x80\x93"},
                 {"{Right}", "\xee\x80\x94"}, {"{Down}", "\xee\x80\x95"}, {"{Escape}", "\xee\x80\x8c"}};
    char text[4096] = "";
    while (*keys && strlen(text) + 8 < sizeof text) {
        size_t i = 0;
        while (i < sizeof named / sizeof *named && strncmp(keys, named[i].name, strlen(named[i].name)) != 0)
            i++;
        if (i < sizeof named / sizeof *named) {
            strcat(text, named[i].code);
            keys += strlen(named[i].name);
        } else
            strncat(text, keys++, 1);
    }
    tell(element(selector, "value"), json_pack("{s:s}", "text", text));
}

static void device(const char *command, json_t *parameters)
{
    tell("/goog/cdp/execute", json_pack("{s:s, s:o}", "cmd", command, "params", parameters));
}

static void take_picture(const char *path)
{
    static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    json_t *value, *document = ask(session, "/goog/cdp/execute",
                                   json_pack("{s:s, s:{}}", "cmd", "Page.captureScreenshot", "params"), &value);
    const char *text = json_string_value(json_object_get(value, "data"));
    FILE *file = fopen(path, "wb");
    unsigned held = 0, bits = 0;
    for (; file && text && *text && *text != '='; text++) { /* base64 (RFC 4648) */
        held = held << 6 | (unsigned)(strchr(digits, *text) - digits);
        bits += 6;
        if (bits >= 8) {
            bits -= 8;
            fputc((int)(held >> bits & 255), file);
        }
    }
    if (!file || fclose(file))
        fail("cannot write %s", path);
    json_decref(document);
}

static void show_console(void)
{
    json_t *value, *entry, *document = entries("browser", &value);
    size_t i;
    json_array_foreach(value, i, entry)
        printf("%s %s\n", json_string_value(json_object_get(entry, "level")), json_string_value(json_object_get(entry, "message")));
    printf("console: %zu messages\n", json_array_size(value));
    json_decref(document);
}

static void show_requests(void)
{
    json_t *value, *entry, *document = entries("performance", &value);
    size_t i, count = 0;
    json_array_foreach(value, i, entry) {
        json_t *event = json_loads(json_string_value(json_object_get(entry, "message")), 0, NULL);
        json_t *message = json_object_get(event, "message");
        const char *method = json_string_value(json_object_get(message, "method"));
        const char *url = json_string_value(json_object_get(json_object_get(json_object_get(message, "params"), "request"), "url"));
        if (method && url && strcmp(method, "Network.requestWillBeSent") == 0 && strcmp(url, opened) != 0 &&
            strncmp(url, "data:", 5) != 0) {
            puts(url);
            count++;
        }
        json_decref(event);
    }
    printf("requests: %zu\n", count);
    json_decref(document);
}

static void carry_out(char *line)
{
    char *rest = line + strcspn(line, " "), whole[4096];
    if (*rest)
        *rest++ = 0;
    if (strcmp(line, "open") == 0) {
        if (!realpath(rest, whole))
            fail("%s: no such file", rest);
        snprintf(opened, sizeof opened, "file://%s", whole);
        json_t *value;
        json_decref(entries("performance", &value)); /* what was loaded before it */
        tell("/url", json_pack("{s:s}", "url", opened));
    } else if (strcmp(line, "size") == 0) {
        int width = 1280, height = 800;
        sscanf(rest, "%d %d", &width, &height);
        device("Emulation.setDeviceMetricsOverride", json_pack("{s:i, s:i, s:i, s:b}", "width", width, "height", height,
                                                               "deviceScaleFactor", 1, "mobile", 0));
    } else if (strcmp(line, "eval") == 0)
        evaluate(rest);
    else if (strcmp(line, "click") == 0)
        tell(element(rest, "click"), json_object());
    else if (strcmp(line, "keys") == 0) {
        char *keys = rest + strcspn(rest, " ");
        if (*keys)
            *keys++ = 0;
        type(rest, keys);
    } else if (strcmp(line, "scheme") == 0)
        device("Emulation.setEmulatedMedia", json_pack("{s:[{s:s, s:s}]}", "features", "name", "prefers-color-scheme", "value", rest));
    else if (strcmp(line, "media") == 0)
        device("Emulation.setEmulatedMedia", json_pack("{s:s}", "media", rest));
    else if (strcmp(line, "picture") == 0)
        take_picture(rest);
    else if (strcmp(line, "console") == 0)
        show_console();
    else if (strcmp(line, "requests") == 0)
        show_requests();
    else
        fail("%s: no such command", line);
}

int main(void)
{
    static char line[LONGEST];
    curl_global_init(CURL_GLOBAL_DEFAULT);
    curl = curl_easy_init();
    if (!curl)
        fail("no libcurl");
    alarm(240); /* a browser that hangs ends nothing */
    start();
    while (fgets(line, sizeof line, stdin)) {
        line[strcspn(line, "\n")] = 0;
        if (*line && *line != '#')
            carry_out(line);
        fflush(stdout);
    }
    tell("", NULL); /* ends the session, and the browser */
    curl_easy_cleanup(curl);
    end(0);
}
