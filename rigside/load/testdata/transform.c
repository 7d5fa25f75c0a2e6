/* Real transforms forth and back by a general transform library, to measure the load's against: argv[1] is how many numbers, argv[2] how
 * often. Prints the rate in GFLOP/s of each line that it reads, by the usual count. */
#include <fftw3.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}

int main(int argc, char **argv) {
  if (argc != 3) return 2;
  int n = atoi(argv[1]), times = atoi(argv[2]);
  double *x = fftw_alloc_real(n), *z = fftw_alloc_real(n); /* x is kept, so that nothing grows without end */
  fftw_complex *y = fftw_alloc_complex(n / 2 + 1);
  fftw_plan forth = fftw_plan_dft_r2c_1d(n, x, y, FFTW_MEASURE), back = fftw_plan_dft_c2r_1d(n, y, z, FFTW_MEASURE);
  for (int i = 0; i < n; i++) x[i] = i % 7 - 3;
  for (char line[64]; fgets(line, sizeof line, stdin);) {
    double started = now();
    for (int i = 0; i < times; i++) {
      fftw_execute(forth);
      fftw_execute(back);
    }
    printf("%f %g\n", 5.0 * n * log2(n) * times / (now() - started) / 1e9, z[0]);
    fflush(stdout);
  }
  return 0;
}
