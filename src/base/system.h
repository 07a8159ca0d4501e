/* What POSIX.1-2008 leaves open and each system does in its own way. All of it is here; no other file asks
 * which system it is built for. Known: Linux, macOS, the BSDs; others get what POSIX has. */
#ifndef OBB_BASE_SYSTEM_H
#define OBB_BASE_SYSTEM_H

#include <dirent.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <sys/stat.h>
#include <uv.h>

#include "base/arena.h"

/* When a file was modified and when its inode changed, in nanoseconds since 1970. */
int64_t obb_modified_at(const struct stat *s);
int64_t obb_changed_at(const struct stat *s);

/* The file type (S_IFREG, S_IFDIR; see stat(2)) of an entry of a folder, where the folder itself tells that
 * it is one of these two. 0: it does not, or the entry is of another type. */
mode_t obb_entry_type(const struct dirent *entry);

/* A lock on an open file, shared with the processes that inherit the descriptor, gone with the last of them
 * (flock(2)). False with errno: not to be had, or held by another while `wait` is false. */
bool obb_lock_descriptor(int fd, bool wait);

/* renameat(2); a file that has the new name is gone afterwards, and at no time is there none. Where the
 * system can, the two change places first: a journalling file system writes a file out at once that is
 * renamed onto another (ext4(5), auto_da_alloc), which takes longer than all the rest. */
int obb_rename_at(int from_folder, const char *from, int to_folder, const char *to);

/* Opens a folder by its path in one call that follows no symbolic link on the way (openat2(2) of Linux). -1
 * with errno; ENOSYS: the system cannot, so go part by part. */
int obb_open_without_links(const char *path);

/* From here on this process takes the processor in short pieces, where the system lets it ask for that
 * (sched_setattr(2) of Linux 6.12 and later): so it goes on as soon as something has ended for which it
 * waits, in place of when a compiler's turn is over, and no processor is left idle for that time. It does not
 * get more of the processor by that. Its children are not concerned. */
void obb_ask_for_short_turns(void);

/* A process that inherited the file as its descriptor 3 (as commands do, base/commands.h), described by
 * command and number; false: there is none, or the system cannot say. */
bool obb_find_holder(const struct stat *file, char *name, size_t room);

/* The name of this start of the machine: another one after each boot; "" where the system has none. */
const char *obb_boot_name(obb_arena *arena);

/* waitpid(2) with WNOHANG, and the peak resident size in bytes of the largest of the process and those that
 * it waited for (wait4(2), ru_maxrss); 0: the system cannot say. */
pid_t obb_ended_child(pid_t child, int *status, uint64_t *memory);

/* Bytes of memory that programs may take without others being pushed out, by the system's estimate and the
 * limit of this process's control group; 0: not known. */
uint64_t obb_memory_at_hand(void);

/* Begins a thread that works beside this one for milliseconds, on another processor at once. False: there is
 * none to be had. It is waited for with uv_thread_join. */
bool obb_thread_begin(uv_thread_t *thread, void (*work)(void *self), void *self);

#endif
