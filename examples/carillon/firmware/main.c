#include <strike/strike.h>
#include <tune/tune.h>

#include "board.h"
#include "carillon-variant.h"
#include "port.h"
#include "report.h"

/* Vespers, in short. */
static const char vespers[] = "0 12 7\n400 10 5\n400 8 5\n400 12 6\n800 5 9\n400 7 6\n1200 1 9\n";

static stroke strokes[64];
static stroke last[TUNE_BELLS];
static unsigned loudness[TUNE_BELLS];

static unsigned total_loudness(uint32_t now)
{
    for (unsigned i = 0; i < TUNE_BELLS; i++)
        loudness[i] = last[i].force ? strike_loudness(&last[i], now - last[i].at) * board_volume / 100 : 0;
    return strike_total(loudness, TUNE_BELLS);
}

static void strike_bell(const stroke *s)
{
    last[s->bell - 1] = *s;
#ifndef TELEMETRY_OFF
    report("strike", s->at, board_line(s->bell - 1u), total_loudness(s->at));
#endif
}

int main(void)
{
    int line, count = tune_parse(vespers, strokes, 64, &line);
    port_write("carillon " CARILLON_VERSION " striker, board ");
    port_write(board_name());
    port_write("\n");
    if (count < 0)
        return 1;
    port_start_timer();
    for (int i = 0; i < count; i++) {
        while (port_now < strokes[i].at)
            port_wait();
        strike_bell(&strokes[i]);
    }
#ifdef TELEMETRY_FULL
    for (unsigned bell = 0; bell < TUNE_BELLS; bell++)
        if (last[bell].force)
            report("rested", last[bell].at, board_line(bell), loudness[bell]);
#endif
    uint32_t end = count ? strokes[count - 1].at + 1000 : 0;
    report("done", end, (unsigned)count, total_loudness(end));
    return 0;
}
