#include <iomanip>
#include <iostream>
#include <string>
#include <vector>

#include <tune/tune.h>

#include "carillon-variant.h"
#include "tower.hpp"

#ifdef HAVE_NANOSLEEP
#include <ctime>

static void wait_for(unsigned milliseconds)
{
    timespec time{};
    time.tv_sec = milliseconds / 1000;
    time.tv_nsec = milliseconds % 1000 * 1000000L;
    nanosleep(&time, nullptr);
}
#else
static void wait_for(unsigned) {}
#endif

int main(int argc, char **argv)
{
    bool live = argc == 3 && std::string(argv[1]) == "--live"; /* at the pace of the tune, where a program can wait */
    argc -= live;
    argv += live;
    std::vector<stroke> strokes(static_cast<std::size_t>(tune_room()));
    int line = 0;
    int n = argc == 2 ? tune_read(argv[1], strokes.data(), tune_room(), &line) : -1;
    if (n < 0) {
        std::cerr << (argc == 2 ? argv[1] : "tower-sim TUNE") << ':' << line << ": not a tune\n";
        return 1;
    }
    Tower tower;
    std::cout << "carillon " CARILLON_VERSION ", " << TUNE_BELLS << " bells\n";
    unsigned before = 0;
    for (int i = 0; i < n; i++) {
        tower.strike(strokes[static_cast<std::size_t>(i)]);
        unsigned now = strokes[static_cast<std::size_t>(i)].at;
        if (live)
            wait_for(now - before);
        before = now;
        std::cout << std::setw(6) << now << " ms " << tower.picture(now) << std::endl;
    }
    return 0;
}
