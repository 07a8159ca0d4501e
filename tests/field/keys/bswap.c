unsigned f(unsigned x) { return __builtin_bswap32(x); }
