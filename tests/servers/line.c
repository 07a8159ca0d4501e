/* A line between a client and a server of this machine, as long and as thin as one says: for tests of what
 * crosses a network.
 *
 *     line PORT-FILE TO [LATENCY-MS [KILOBITS-PER-SECOND]]     TO: a port of 127.0.0.1, or `nowhere`: then it
 * takes connections and never answers
 *
 * It listens on a port of 127.0.0.1 that it writes into the file, and ends after two minutes. The rate is
 * shared by all connections, for each direction; latency is added in each direction. */
#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

enum { MOST = 200, CHUNK = 4096, MOST_CHUNKS = 64, LIFE = 120 };

typedef struct chunk {
    double when;
    size_t length, sent;
    char bytes[CHUNK];
} chunk;

/* One direction of one connection. */
typedef struct flow {
    int from, to;
    chunk *chunks; /* a ring */
    size_t first, count;
    int ended;
} flow;

static flow flows[MOST];
static size_t flow_count;
static double latency, rate, line_free[2]; /* seconds, bytes a second (0: no limit) */

static double now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec / 1e9;
}

static int listener(const char *port_file)
{
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof here;
    int fd = socket(AF_INET, SOCK_STREAM, 0);
    if (fd < 0 || bind(fd, (struct sockaddr *)&here, sizeof here) || listen(fd, 64) ||
        getsockname(fd, (struct sockaddr *)&here, &size))
        return -1;
    char name[4096];
    snprintf(name, sizeof name, "%s.part", port_file);
    FILE *file = fopen(name, "w");
    if (!file || fprintf(file, "%d\n", ntohs(here.sin_port)) < 0 || fclose(file) || rename(name, port_file))
        return -1;
    return fd;
}

static void keep_ready(int fd)
{
    int one = 1;
    fcntl(fd, F_SETFL, O_NONBLOCK);
    setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
}

static void meet(int listening, int port)
{
    struct sockaddr_in there = {.sin_family = AF_INET,
                                .sin_addr.s_addr = htonl(INADDR_LOOPBACK),
                                .sin_port = htons((unsigned short)port)};
    int client = accept(listening, NULL, NULL);
    if (client < 0 || !port || flow_count + 2 > MOST)
        return;
    int server = socket(AF_INET, SOCK_STREAM, 0);
    if (server < 0 || connect(server, (struct sockaddr *)&there, sizeof there)) {
        close(client);
        return;
    }
    keep_ready(client);
    keep_ready(server);
    for (int way = 0; way < 2; way++)
        flows[flow_count++] = (flow){.from = way ? server : client,
                                     .to = way ? client : server,
                                     .chunks = malloc(MOST_CHUNKS * sizeof(chunk))};
}

static void take(flow *f, int way)
{
    chunk *c = &f->chunks[(f->first + f->count) % MOST_CHUNKS];
    ssize_t n = read(f->from, c->bytes, CHUNK);
    if (n < 0 && (errno == EAGAIN || errno == EINTR))
        return;
    double at = now();
    line_free[way] = (line_free[way] > at ? line_free[way] : at) + (rate > 0 && n > 0 ? (double)n / rate : 0);
    c->when = line_free[way] + latency;
    c->length = n > 0 ? (size_t)n : 0; /* 0: the end, which travels like the rest */
    c->sent = 0;
    f->count++;
    f->ended = n <= 0;
}

static void give(flow *f)
{
    while (f->count && f->chunks[f->first].when <= now()) {
        chunk *c = &f->chunks[f->first];
        ssize_t n = c->length ? write(f->to, c->bytes + c->sent, c->length - c->sent) : 0;
        if (n < 0 && errno == EAGAIN)
            return;
        if (!c->length)
            shutdown(f->to, SHUT_WR);
        c->sent = n < 0 ? c->length : c->sent + (size_t)n;
        if (c->sent < c->length)
            return;
        f->first = (f->first + 1) % MOST_CHUNKS;
        f->count--;
    }
}

static void drop_ended(void)
{
    for (size_t i = 0; i + 1 < flow_count; i += 2) {
        flow *a = &flows[i], *b = &flows[i + 1];
        if (!a->ended || !b->ended || a->count || b->count)
            continue;
        close(a->from);
        close(b->from);
        free(a->chunks);
        free(b->chunks);
        a[0] = flows[flow_count - 2];
        a[1] = flows[flow_count - 1];
        flow_count -= 2;
        i -= 2;
    }
}

static void once(int listening, int port)
{
    struct pollfd ends[MOST + 1] = {{.fd = listening, .events = POLLIN}};
    double next = now() + 1;
    for (size_t i = 0; i < flow_count; i++) {
        flow *f = &flows[i];
        double due = f->count ? f->chunks[f->first].when : next;
        next = due < next ? due : next;
        ends[i + 1] = (struct pollfd){.fd = !f->ended && f->count < MOST_CHUNKS ? f->from : -1,
                                      .events = POLLIN};
    }
    double wait = (next - now()) * 1000;
    size_t flows_then = flow_count;
    int ready = poll(ends, (nfds_t)flows_then + 1, wait > 0 ? (int)wait + 1 : 0);
    for (size_t i = 0; i < flows_then; i++) {
        if (ready > 0 && ends[i + 1].fd >= 0 && ends[i + 1].revents)
            take(&flows[i], (int)(i % 2));
        give(&flows[i]);
    }
    if (ready > 0 && ends[0].revents)
        meet(listening, port);
    drop_ended();
}

int main(int argc, char **argv)
{
    if (argc < 3) {
        fputs("usage: line PORT-FILE TO|nowhere [LATENCY-MS [KILOBITS-PER-SECOND]]\n", stderr);
        return 2;
    }
    signal(SIGPIPE, SIG_IGN);
    latency = argc > 3 ? strtod(argv[3], NULL) / 1000 : 0;
    rate = argc > 4 ? strtod(argv[4], NULL) * 1000 / 8 : 0;
    int port = strcmp(argv[2], "nowhere") == 0 ? 0 : atoi(argv[2]), listening = listener(argv[1]);
    if (listening < 0) {
        perror("line");
        return 1;
    }
    for (double until = now() + LIFE; now() < until;)
        once(listening, port);
    return 0;
}
