#include <stdio.h>

#include <strike/strike.h>

static int failed;

static void check(int holds, const char *what)
{
    printf("%s  %s\n", holds ? "well " : "WRONG", what);
    failed += !holds;
}

int main(void)
{
    const stroke hard = {0, 1, 9}, soft = {0, 1, 2};
    const unsigned loud[] = {4000, 4000, 4000};
    check(strike_loudness(&hard, 0) > strike_loudness(&soft, 0), "a harder stroke is louder");
    check(strike_loudness(&hard, 0) <= 1000, "no bell is louder than 1000");
    check(strike_loudness(&hard, 500) < strike_loudness(&hard, 0), "a bell fades");
    check(strike_loudness(&hard, 60000) == 0, "after a minute it is silent");
    check(strike_total(loud, 3) == 9999, "the sum is held at 9999");
    check(strike_total(loud, 0) == 0, "no bells are silent");
    return failed != 0;
}
