#include <strike/strike.h>

#include "board.h"
#include "carillon-variant.h"
#include "port.h"
#include "report.h"
#include "tunes.h"

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
    port_write("carillon " CARILLON_VERSION " striker, board ");
    port_write(board_name());
    port_write("\n");
    port_start_timer();
    for (int i = 0; i < tune_call_count; i++) {
        while (port_now < tune_call[i].at)
            port_wait();
        strike_bell(&tune_call[i]);
    }
#ifdef TELEMETRY_FULL
    for (unsigned bell = 0; bell < TUNE_BELLS; bell++)
        if (last[bell].force)
            report("rested", last[bell].at, board_line(bell), loudness[bell]);
#endif
    uint32_t end = tune_call[tune_call_count - 1].at + 1000;
    report("done", end, (unsigned)tune_call_count, total_loudness(end));
    return 0;
}
