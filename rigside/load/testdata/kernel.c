/* The multiply-add kernel as one would write it by hand in C, to measure the load against: C (12 x 96) += A (12 x 24) *
   B (24 x 96), 512 bits wide, without any verification. Prints the rate in GFLOP/s of each line that it reads. */
#include <immintrin.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

enum { ROWS = 12, DEPTH = 24, COLS = 96 };

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}

static __attribute__((noinline)) void kernel(const double *a, const double *b, double *c, int passes) {
  for (int i = 0; i < ROWS; i += 6)
    for (int j = 0; j < COLS; j += 32) {
      __m512d acc[6][4];
      for (int r = 0; r < 6; r++)
        for (int v = 0; v < 4; v++) acc[r][v] = _mm512_load_pd(c + (i + r) * COLS + j + 8 * v);
      for (int p = 0; p < passes; p++)
        for (int k = 0; k < DEPTH; k++) {
          const double *row = b + k * COLS + j;
          __m512d b0 = _mm512_load_pd(row), b1 = _mm512_load_pd(row + 8), b2 = _mm512_load_pd(row + 16), b3 = _mm512_load_pd(row + 24);
#pragma GCC unroll 6
          for (int r = 0; r < 6; r++) {
            __m512d f = _mm512_set1_pd(a[(i + r) * DEPTH + k]);
            acc[r][0] = _mm512_fmadd_pd(b0, f, acc[r][0]);
            acc[r][1] = _mm512_fmadd_pd(b1, f, acc[r][1]);
            acc[r][2] = _mm512_fmadd_pd(b2, f, acc[r][2]);
            acc[r][3] = _mm512_fmadd_pd(b3, f, acc[r][3]);
          }
        }
      for (int r = 0; r < 6; r++)
        for (int v = 0; v < 4; v++) _mm512_store_pd(c + (i + r) * COLS + j + 8 * v, acc[r][v]);
    }
}

int main(void) {
  double *a = aligned_alloc(64, 8 * ROWS * DEPTH), *b = aligned_alloc(64, 8 * DEPTH * COLS), *c = aligned_alloc(64, 8 * ROWS * COLS);
  for (int i = 0; i < ROWS * DEPTH; i++) a[i] = 0.3 + i * 0.001;
  for (int i = 0; i < DEPTH * COLS; i++) b[i] = 0.4 - i * 0.0003;
  for (char line[64]; fgets(line, sizeof line, stdin);) {
    for (int i = 0; i < ROWS * COLS; i++) c[i] = 0;
    double started = now();
    for (int n = 0; n < 400; n++) kernel(a, b, c, 100);
    double rate = 2.0 * ROWS * DEPTH * COLS * 40000 / (now() - started) / 1e9;
    printf("%f %g\n", rate, c[0]);
    fflush(stdout);
  }
  return 0;
}
