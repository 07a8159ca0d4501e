#include <cstdint>
#include <iomanip>
#include <iostream>
#include <string>
#include <vector>

#include <tune/tune.h>

#include "carillon-variant.h"
#include "manner.h"
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

#ifdef HAVE_DLFCN_H
#include <dlfcn.h>

using manner_function = decltype(&manner);

/* Found beside the program, wherever that is: the folder of plug-ins is on its run path. */
static manner_function find_manner(const std::string &name)
{
    void *plug_in = dlopen((name + ".so").c_str(), RTLD_NOW);
    return plug_in ? reinterpret_cast<manner_function>(dlsym(plug_in, "manner")) : nullptr;
}
#else
using manner_function = unsigned (*)(unsigned);

static manner_function find_manner(const std::string &) { return nullptr; }
#endif

static int unknown_manner(const char *name)
{
    std::cerr << "tower-sim: there is no manner " << name << '\n';
    return 1;
}

int main(int argc, char **argv)
{
    bool live = argc >= 3 && std::string(argv[1]) == "--live"; /* at the pace of the tune, where a program can wait */
    argc -= live;
    argv += live;
    manner_function how = nullptr;
    if (argc >= 4 && std::string(argv[1]) == "--manner") {
        how = find_manner(argv[2]);
        if (!how)
            return unknown_manner(argv[2]);
        argc -= 2;
        argv += 2;
    }
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
        stroke &s = strokes[static_cast<std::size_t>(i)];
        if (how)
            s.force = static_cast<std::uint8_t>(how(s.force));
        tower.strike(s);
        unsigned now = s.at;
        if (live)
            wait_for(now - before);
        before = now;
        std::cout << std::setw(6) << now << " ms " << tower.picture(now) << std::endl;
    }
    return 0;
}
