#include "tower.hpp"

void Tower::strike(const stroke &s)
{
    last[s.bell - 1] = s;
    sounds[s.bell - 1] = true;
}

std::string Tower::picture(unsigned now) const
{
    static const char levels[] = " .:oO@";
    std::array<unsigned, TUNE_BELLS> loudness{};
    std::string line = "|";
    for (unsigned i = 0; i < TUNE_BELLS; i++) {
        loudness[i] = sounds[i] ? strike_loudness(&last[i], now - last[i].at) : 0;
        line += levels[loudness[i] * 5 / 1000];
    }
    return line + "| " + std::to_string(strike_total(loudness.data(), TUNE_BELLS));
}
