/* A clock that can be set, for one process: preloaded, it adds to the time of day as many seconds as the file CLOCK_OFFSET begins with, as a binary number. Other clocks go on as they are. */
#define _GNU_SOURCE
#include <fcntl.h>
#include <stdint.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

static volatile int64_t none;
static volatile int64_t *offset = &none;

__attribute__((constructor)) static void begin(void) {
  const char *file = getenv("CLOCK_OFFSET");
  int in = file ? open(file, O_RDONLY) : -1;
  void *at = in < 0 ? MAP_FAILED : mmap(NULL, sizeof none, PROT_READ, MAP_SHARED, in, 0);
  if (at != MAP_FAILED) offset = at;
  if (in >= 0) close(in);
}

int clock_gettime(clockid_t clock, struct timespec *now) {
  int failed = (int)syscall(SYS_clock_gettime, clock, now);
  if (!failed && (clock == CLOCK_REALTIME || clock == CLOCK_REALTIME_COARSE)) now->tv_sec += *offset;
  return failed;
}

int gettimeofday(struct timeval *restrict now, void *restrict zone) {
  struct timespec exact;
  (void)zone;
  clock_gettime(CLOCK_REALTIME, &exact);
  now->tv_sec = exact.tv_sec;
  now->tv_usec = exact.tv_nsec / 1000;
  return 0;
}

time_t time(time_t *now) {
  struct timespec exact;
  clock_gettime(CLOCK_REALTIME, &exact);
  if (now) *now = exact.tv_sec;
  return exact.tv_sec;
}
