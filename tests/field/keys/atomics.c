int f(_Atomic int *p) { return __atomic_fetch_add(p, 1, __ATOMIC_SEQ_CST); }
