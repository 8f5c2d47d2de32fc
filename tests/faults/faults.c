// Loaded before the C library: lets one call that changes the file system fail, or ends the process there.
//   AVRENK_FAULT=fail:N   the N-th call returns ENOSPC
//   AVRENK_FAULT=kill:N   the process is killed before the N-th call
//   AVRENK_FAULT=count    says on the standard error stream, at the end, how many there are
// Calls on streams 0 to 2 do not count.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

static atomic_int calls;

static int fault(void) {
  const char* const what = getenv("AVRENK_FAULT");
  const int now = atomic_fetch_add(&calls, 1) + 1;
  if (what == NULL || strlen(what) < 6 || atoi(what + 5) != now) return 0;
  if (strncmp(what, "kill:", 5) == 0) kill(getpid(), SIGKILL);
  if (strncmp(what, "fail:", 5) != 0) return 0;
  errno = ENOSPC;
  return 1;
}

__attribute__((destructor)) static void tell(void) {
  const char* const what = getenv("AVRENK_FAULT");
  if (what != NULL && strcmp(what, "count") == 0) fprintf(stderr, "calls: %d\n", atomic_load(&calls));
}

#define NEXT(name) __typeof__(&name) next = (__typeof__(&name))dlsym(RTLD_NEXT, #name)

// The program leaves by this one, past what runs at its end.
void _Exit(int status) {
  NEXT(_Exit);
  tell();
  next(status);
  __builtin_unreachable();
}

ssize_t write(int file, const void* data, size_t size) {
  NEXT(write);
  return file > 2 && fault() ? -1 : next(file, data, size);
}
ssize_t writev(int file, const struct iovec* parts, int count) {
  NEXT(writev);
  return file > 2 && fault() ? -1 : next(file, parts, count);
}
ssize_t pwrite64(int file, const void* data, size_t size, off64_t at) {
  NEXT(pwrite64);
  return fault() ? -1 : next(file, data, size, at);
}
ssize_t pwrite(int file, const void* data, size_t size, off_t at) {
  NEXT(pwrite);
  return fault() ? -1 : next(file, data, size, at);
}
int rename(const char* from, const char* to) {
  NEXT(rename);
  return fault() ? -1 : next(from, to);
}
int renameat2(int from_in, const char* from, int to_in, const char* to, unsigned flags) {
  NEXT(renameat2);
  return fault() ? -1 : next(from_in, from, to_in, to, flags);
}
int mkdir(const char* path, mode_t mode) {
  NEXT(mkdir);
  return fault() ? -1 : next(path, mode);
}
int unlink(const char* path) {
  NEXT(unlink);
  return fault() ? -1 : next(path);
}
int rmdir(const char* path) {
  NEXT(rmdir);
  return fault() ? -1 : next(path);
}
int remove(const char* path) {
  NEXT(remove);
  return fault() ? -1 : next(path);
}
int ftruncate64(int file, off64_t size) {
  NEXT(ftruncate64);
  return fault() ? -1 : next(file, size);
}
int open64(const char* path, int flags, ...) {
  NEXT(open64);
  va_list rest;
  va_start(rest, flags);
  const mode_t mode = (flags & O_CREAT) != 0 ? va_arg(rest, mode_t) : 0;
  va_end(rest);
  return (flags & O_CREAT) != 0 && fault() ? -1 : next(path, flags, mode);
}
FILE* fopen64(const char* path, const char* mode) {
  NEXT(fopen64);
  return mode[0] != 'r' && fault() ? NULL : next(path, mode);
}
