#pragma once

#include <array>
#include <string>

#include <strike/strike.h>

/* All bells of the tower, each with the stroke that sounds. */
class Tower {
public:
    void strike(const stroke &s);
    std::string picture(unsigned now) const;

private:
    std::array<stroke, TUNE_BELLS> last{};
    std::array<bool, TUNE_BELLS> sounds{};
};
