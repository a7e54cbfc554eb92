// Writing to where the system tells what went wrong.
#pragma once

#include <cerrno>
#include <csignal>
#include <cstring>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "bind.h"

namespace bind {

#ifdef _WIN32
constexpr int kAsIs = O_BINARY;
#else
constexpr int kAsIs = 0;
#endif

// What went wrong, in the system's words; nothing if nothing did. What is asked for by name has
// one that no locale changes.
inline SEXP said(int error) {
  const std::string text = error == 0        ? ""
                           : error == EEXIST ? "exists"
                           : error == EPIPE  ? "closed"
                                             : std::strerror(error);
  const Held out(allocate(STRSXP, 1));
  SET_STRING_ELT(out, 0, Rcpp::unwindProtect([&text] { return Rf_mkChar(text.c_str()); }));
  return out;
}

// While something is waited for: a reader that has had enough is an error to be told, not a
// signal, and an interrupt ends the waiting instead of being kept for later.
class Waiting {
#ifdef _WIN32
};
#else
 public:
  Waiting() {
    struct sigaction now;
    now.sa_handler = SIG_IGN;
    now.sa_flags = 0;
    sigemptyset(&now.sa_mask);
    sigaction(SIGPIPE, &now, &pipe_);
    sigaction(SIGINT, nullptr, &interrupt_);
    now = interrupt_;
    now.sa_flags &= ~SA_RESTART;
    sigaction(SIGINT, &now, nullptr);
  }
  ~Waiting() {
    sigaction(SIGPIPE, &pipe_, nullptr);
    sigaction(SIGINT, &interrupt_, nullptr);
  }

 private:
  struct sigaction pipe_, interrupt_;
};
#endif

inline void stop_if_asked() {
  if (interrupted()) throw Rcpp::internal::InterruptedException();
}

// A descriptor that is closed on every way out, and bytes gathered for it.
class Writer {
 public:
  explicit Writer(int fd) : fd_(fd), mine_(false) {}
  Writer(const std::string& path, int flags) : fd_(-1), mine_(true) {
    const Waiting waiting;  // a pipe is open when somebody reads it
    while ((fd_ = open(path.c_str(), O_WRONLY | kAsIs | flags, 0666)) < 0 && errno == EINTR)
      stop_if_asked();
    if (fd_ < 0) error_ = errno;
  }
  ~Writer() {
    if (mine_ && fd_ >= 0) close(fd_);
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  void add(const char* x, std::size_t n) {
    pending_.append(x, n);
    if (pending_.size() >= (1u << 16)) flush();
  }
  void flush() {
    const Waiting waiting;
    const char* at = pending_.data();
    std::size_t left = pending_.size();
    while (!error_ && left) {
      const auto wrote = write(fd_, at, static_cast<unsigned>(left));
      if (wrote >= 0) {
        at += wrote;
        left -= static_cast<std::size_t>(wrote);
      } else if (errno == EINTR) {
        stop_if_asked();
      } else {
        error_ = errno;
      }
    }
    pending_.clear();
  }
  // All of it, on the disk where there is one: some systems tell of a full one only then.
  int done() {
    flush();
#ifndef _WIN32
    if (!error_ && mine_ && fsync(fd_) != 0 && errno != EINVAL && errno != EROFS) error_ = errno;
#endif
    if (mine_ && fd_ >= 0 && close(fd_) != 0 && !error_) error_ = errno;
    if (mine_) fd_ = -1;
    return error_;
  }
  int error() const noexcept { return error_; }

 private:
  int fd_;
  bool mine_;
  int error_ = 0;
  std::string pending_;
};

}  // namespace bind
