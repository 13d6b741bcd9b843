/* Loaded before a program: the calls of the C library that touch files below one folder are counted, and the n-th of a kind
   fails, is cut short, or kills the program. What to do is said in the environment:
   KEBLIN_SHIM_FOLDER  the folder
   KEBLIN_SHIM_KIND    open, read, write, sync, rename, unlink, mkdir, stat or chmod
   KEBLIN_SHIM_AT      which of them, from 1
   KEBLIN_SHIM_HOW     fail, full, short or kill
   KEBLIN_SHIM_COUNTS  a file that gets the counts when the program ends */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

enum kind { OPEN, READ, WRITE, SYNC, RENAME, UNLINK, MKDIR, STAT, CHMOD, KINDS };
static const char *const names[KINDS] = {"open", "read", "write", "sync", "rename", "unlink", "mkdir", "stat", "chmod"};
static int counts[KINDS];
static char ours[65536]; /* by file descriptor */

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

static int below(const char *path) {
    const char *folder = getenv("KEBLIN_SHIM_FOLDER");
    return folder && path && strncmp(path, folder, strlen(folder)) == 0;
}

static int tracked(int fd) { return fd >= 0 && fd < (int)sizeof ours && ours[fd]; }

/* What is to be done to this call: nothing, or 'f' for an error, 'n' for no space, 's' for short. */
static char due(enum kind kind) {
    int count = __atomic_add_fetch(&counts[kind], 1, __ATOMIC_SEQ_CST);
    const char *wanted = getenv("KEBLIN_SHIM_KIND"), *at = getenv("KEBLIN_SHIM_AT"), *how = getenv("KEBLIN_SHIM_HOW");
    if (!wanted || !at || !how || strcmp(wanted, names[kind]) != 0 || atoi(at) != count) return 0;
    if (strcmp(how, "kill") == 0) raise(SIGKILL);
    return strcmp(how, "full") == 0 ? 'n' : how[0];
}

static int refused(char what) {
    if (what != 'f' && what != 'n') return 0;
    errno = what == 'n' ? ENOSPC : EIO;
    return 1;
}

static int opened(int fd, const char *path) {
    if (fd >= 0 && fd < (int)sizeof ours) ours[fd] = below(path);
    return fd;
}

#define OPENS(name)                                      \
    int name(const char *path, int flags, ...) {         \
        va_list rest;                                    \
        va_start(rest, flags);                           \
        mode_t mode = va_arg(rest, mode_t);              \
        va_end(rest);                                    \
        if (below(path) && refused(due(OPEN))) return -1; \
        return opened(REAL(name)(path, flags, mode), path); \
    }
OPENS(open)
OPENS(open64)

int close(int fd) {
    if (fd >= 0 && fd < (int)sizeof ours) ours[fd] = 0;
    return REAL(close)(fd);
}

ssize_t read(int fd, void *to, size_t len) {
    if (tracked(fd)) {
        char what = due(READ);
        if (refused(what)) return -1;
        if (what == 's' && len > 1) len /= 2;
    }
    return REAL(read)(fd, to, len);
}

ssize_t write(int fd, const void *from, size_t len) {
    if (tracked(fd)) {
        char what = due(WRITE);
        if (refused(what)) {
            /* A part of it is there, as on a disk that fails in the middle. */
            int why = errno;
            if (REAL(write)(fd, from, len / 2) < 0) return -1;
            errno = why;
            return -1;
        }
        if (what == 's' && len > 1) len /= 2;
    }
    return REAL(write)(fd, from, len);
}

ssize_t writev(int fd, const struct iovec *parts, int count) {
    if (tracked(fd)) {
        char what = due(WRITE);
        if (refused(what)) {
            int why = errno;
            if (REAL(writev)(fd, parts, count / 2) < 0 && count / 2 > 0) return -1;
            errno = why;
            return -1;
        }
        if (what == 's' && count > 0) return REAL(write)(fd, parts[0].iov_base, (parts[0].iov_len + 1) / 2);
    }
    return REAL(writev)(fd, parts, count);
}

int fsync(int fd) { return tracked(fd) && refused(due(SYNC)) ? -1 : REAL(fsync)(fd); }
int fdatasync(int fd) { return tracked(fd) && refused(due(SYNC)) ? -1 : REAL(fdatasync)(fd); }

int rename(const char *from, const char *to) {
    return below(from) && refused(due(RENAME)) ? -1 : REAL(rename)(from, to);
}

int unlink(const char *path) { return below(path) && refused(due(UNLINK)) ? -1 : REAL(unlink)(path); }

int mkdir(const char *path, mode_t mode) {
    return below(path) && refused(due(MKDIR)) ? -1 : REAL(mkdir)(path, mode);
}

int chmod(const char *path, mode_t mode) {
    return below(path) && refused(due(CHMOD)) ? -1 : REAL(chmod)(path, mode);
}

int statx(int at, const char *restrict path, int flags, unsigned mask, struct statx *restrict found) {
    return below(path) && refused(due(STAT)) ? -1 : REAL(statx)(at, path, flags, mask, found);
}

__attribute__((destructor)) static void tell(void) {
    const char *path = getenv("KEBLIN_SHIM_COUNTS");
    FILE *file = path ? fopen(path, "w") : NULL;
    if (!file) return;
    for (int kind = 0; kind < KINDS; kind++) fprintf(file, "%s %d\n", names[kind], counts[kind]);
    fclose(file);
}
