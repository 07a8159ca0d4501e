/* Tunes as tables; written by tunec. */
#include "tunes.h"

const stroke tune_call[] = {
    {0, 12, 7},
    {400, 10, 5},
    {800, 8, 5},
    {1200, 12, 6},
    {2000, 5, 9},
    {2400, 7, 6},
    {3600, 1, 9},
};
const int tune_call_count = 7;

const stroke tune_noon[] = {
    {0, 1, 9},
    {500, 13, 3},
    {1000, 1, 9},
    {1500, 13, 3},
    {2000, 1, 9},
    {2500, 14, 3},
    {3000, 1, 9},
    {3500, 14, 3},
    {4000, 1, 9},
    {4500, 15, 3},
    {5000, 1, 9},
    {5500, 16, 4},
};
const int tune_noon_count = 12;

const stroke tune_vespers[] = {
    {0, 12, 7},
    {400, 10, 5},
    {800, 8, 5},
    {1200, 12, 6},
    {2000, 5, 9},
    {2400, 7, 6},
    {2800, 8, 6},
    {3200, 10, 5},
    {4400, 1, 9},
};
const int tune_vespers_count = 9;
