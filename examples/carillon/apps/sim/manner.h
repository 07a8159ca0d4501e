/* A manner to strike the bells in: a plug-in, loaded by its name when the simulated tower starts. */
#ifndef MANNER_H
#define MANNER_H

#ifdef __cplusplus
extern "C" {
#endif

/* How hard a bell is struck, 1..9, when the tune says `force`. */
unsigned manner(unsigned force);

#ifdef __cplusplus
}
#endif

#endif
