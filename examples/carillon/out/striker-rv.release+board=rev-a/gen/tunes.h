/* Tunes as tables; written by tunec. */
#include <tune/stroke.h>

extern const stroke tune_call[];
extern const int tune_call_count;
extern const stroke tune_noon[];
extern const int tune_noon_count;
extern const stroke tune_vespers[];
extern const int tune_vespers_count;
