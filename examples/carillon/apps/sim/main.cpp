#include <iomanip>
#include <iostream>
#include <vector>

#include <tune/tune.h>

#include "carillon-variant.h"
#include "tower.hpp"

int main(int argc, char **argv)
{
    std::vector<stroke> strokes(static_cast<std::size_t>(tune_room()));
    int line = 0;
    int n = argc == 2 ? tune_read(argv[1], strokes.data(), tune_room(), &line) : -1;
    if (n < 0) {
        std::cerr << (argc == 2 ? argv[1] : "tower-sim TUNE") << ':' << line << ": not a tune\n";
        return 1;
    }
    Tower tower;
    std::cout << "carillon " CARILLON_VERSION ", " << TUNE_BELLS << " bells\n";
    for (int i = 0; i < n; i++) {
        tower.strike(strokes[static_cast<std::size_t>(i)]);
        unsigned now = strokes[static_cast<std::size_t>(i)].at;
        std::cout << std::setw(6) << now << " ms " << tower.picture(now) << '\n';
    }
    return 0;
}
