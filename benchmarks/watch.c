/* A preload that notes every file a process opens to write, and every one it makes, renames, links or removes; and what
   it opens to read below the folder named in WATCH_TRAP. One line each in WATCH_LOG: what, then the path.
   Built by hostile.py with the system's compiler. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <limits.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

static int log_handle = -2;

static void whole(int folder, const char *path, char *out) {
  char here[PATH_MAX], link[64];
  if (path[0] == '/') { snprintf(out, PATH_MAX, "%s", path); return; }
  if (folder == AT_FDCWD) { if (!getcwd(here, sizeof here)) here[0] = 0; }
  else {
    snprintf(link, sizeof link, "/proc/self/fd/%d", folder);
    ssize_t n = readlink(link, here, sizeof here - 1);
    here[n > 0 ? n : 0] = 0;
  }
  snprintf(out, PATH_MAX, "%.2000s/%.2000s", here, path);
}

static void note(const char *what, int folder, const char *path) {
  if (!path) return;
  if (log_handle == -2) {
    const char *name = getenv("WATCH_LOG");
    log_handle = name ? (int)syscall(SYS_openat, AT_FDCWD, name, O_WRONLY | O_APPEND | O_CREAT | O_CLOEXEC, 0600) : -1;
  }
  if (log_handle < 0) return;
  char full[PATH_MAX], line[PATH_MAX + 16];
  whole(folder, path, full);
  if (what[0] == 'r' && what[1] == 'd') {
    const char *trap = getenv("WATCH_TRAP");
    if (!trap || strncmp(full, trap, strlen(trap))) return;
  }
  for (char *c = full; *c; c++) if (*c == '\n') *c = '?';
  int n = snprintf(line, sizeof line, "%s %s\n", what, full);
  if (write(log_handle, line, n) < 0) return;
}

static void opened(int folder, const char *path, int flags) {
  note((flags & O_ACCMODE) == O_RDONLY && !(flags & O_CREAT) ? "rd" : "wr", folder, path);
}

#define REAL(name) static __typeof__(&name) real; if (!real) real = (__typeof__(&name))dlsym(RTLD_NEXT, #name)
#define MODE int mode = 0; if (flags & (O_CREAT | O_TMPFILE)) { va_list a; va_start(a, flags); mode = va_arg(a, int); va_end(a); }

int open(const char *path, int flags, ...) { MODE REAL(open); opened(AT_FDCWD, path, flags); return real(path, flags, mode); }
int open64(const char *path, int flags, ...) { MODE REAL(open64); opened(AT_FDCWD, path, flags); return real(path, flags, mode); }
int openat(int f, const char *path, int flags, ...) { MODE REAL(openat); opened(f, path, flags); return real(f, path, flags, mode); }
int openat64(int f, const char *path, int flags, ...) { MODE REAL(openat64); opened(f, path, flags); return real(f, path, flags, mode); }
static void fopened(const char *path, const char *how) { note(how[0] == 'r' && !strchr(how, '+') ? "rd" : "wr", AT_FDCWD, path); }
FILE *fopen(const char *path, const char *how) { REAL(fopen); fopened(path, how); return real(path, how); }
FILE *fopen64(const char *path, const char *how) { REAL(fopen64); fopened(path, how); return real(path, how); }
int unlink(const char *path) { REAL(unlink); note("rm", AT_FDCWD, path); return real(path); }
int unlinkat(int f, const char *path, int flags) { REAL(unlinkat); note("rm", f, path); return real(f, path, flags); }
int rmdir(const char *path) { REAL(rmdir); note("rm", AT_FDCWD, path); return real(path); }
int mkdir(const char *path, mode_t m) { REAL(mkdir); note("mk", AT_FDCWD, path); return real(path, m); }
int mkdirat(int f, const char *path, mode_t m) { REAL(mkdirat); note("mk", f, path); return real(f, path, m); }
int rename(const char *a, const char *b) { REAL(rename); note("mv", AT_FDCWD, a); note("mv", AT_FDCWD, b); return real(a, b); }
int renameat(int f, const char *a, int g, const char *b) { REAL(renameat); note("mv", f, a); note("mv", g, b); return real(f, a, g, b); }
int renameat2(int f, const char *a, int g, const char *b, unsigned int flags) {
  REAL(renameat2); note("mv", f, a); note("mv", g, b); return real(f, a, g, b, flags);
}
int link(const char *a, const char *b) { REAL(link); note("mv", AT_FDCWD, b); return real(a, b); }
int linkat(int f, const char *a, int g, const char *b, int flags) { REAL(linkat); note("mv", g, b); return real(f, a, g, b, flags); }
int symlink(const char *a, const char *b) { REAL(symlink); note("mv", AT_FDCWD, b); return real(a, b); }
int truncate(const char *path, off_t n) { REAL(truncate); note("wr", AT_FDCWD, path); return real(path, n); }
