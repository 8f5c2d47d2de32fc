/// core/blas_threads.h: while our own threads run, BLAS must not start more.
#pragma once

namespace avrenk {

/// Number of threads that dense and sparse algebra use from now on.
void set_blas_threads(int threads);

/// Holds BLAS to one thread for its lifetime.
class OneBlasThread {
 public:
  OneBlasThread();
  ~OneBlasThread();
  OneBlasThread(const OneBlasThread&) = delete;
  OneBlasThread& operator=(const OneBlasThread&) = delete;

 private:
  int before_;
};

}  // namespace avrenk
