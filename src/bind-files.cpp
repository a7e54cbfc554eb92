// Files and streams as the system has them: what R's connections do not tell, such as that a
// write failed, who owns a file, and whether a name is taken at the moment it is wanted.
#include <cerrno>
#include <csignal>
#include <cstring>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "bind.h"

namespace {

#ifdef _WIN32
constexpr int kAsIs = O_BINARY;
#else
constexpr int kAsIs = 0;
#endif

// What went wrong, in the system's words; nothing if nothing did.
SEXP said(int error) {
  const std::string text = error ? std::strerror(error) : "";
  const bind::Held out(bind::allocate(STRSXP, 1));
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

void stop_if_asked() {
  if (bind::interrupted(nullptr)) throw Rcpp::internal::InterruptedException();
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

SEXP write_all(SEXP lines, Writer& to) {
  const R_xlen_t n = Rf_xlength(bind::checked(lines, STRSXP, "lines"));
  for (R_xlen_t i = 0; i < n && !to.error(); ++i) {
    SEXP line = STRING_ELT(lines, i);
    to.add(R_CHAR(line), static_cast<std::size_t>(Rf_xlength(line)));
    to.add("\n", 1);
  }
  return said(to.done());
}

}  // namespace

// What stands at a path, links followed: "none", "file", "folder", or "stream" for a pipe, a
// device, a socket.
// [[Rcpp::export(rng = false)]]
SEXP file_kind_(SEXP path) {
  struct stat s;
  const char* kind = "none";
  if (stat(bind::one_text(path, "path").c_str(), &s) == 0)
    kind = S_ISREG(s.st_mode) ? "file" : S_ISDIR(s.st_mode) ? "folder" : "stream";
  return Rcpp::unwindProtect([kind] { return Rf_mkString(kind); });
}

// Lines in UTF-8 to standard output; the answer is what went wrong, or "".
// [[Rcpp::export(rng = false)]]
SEXP write_out_(SEXP lines) {
  Writer to(1);
  return write_all(lines, to);
}

// The same to a file that must be new.
// [[Rcpp::export(rng = false)]]
SEXP write_new_(SEXP lines, SEXP path) {
  Writer to(bind::one_text(path, "path"), O_CREAT | O_EXCL);
  return write_all(lines, to);
}

// The bytes of a file into another: a pipe, a device, a file of somebody else, a new one.
// [[Rcpp::export(rng = false)]]
SEXP copy_into_(SEXP from, SEXP to) {
  const int in = open(bind::one_text(from, "from").c_str(), O_RDONLY | kAsIs);
  if (in < 0) return said(errno);
  Writer out(bind::one_text(to, "to"), O_CREAT | O_TRUNC);
  std::vector<char> block(1 << 16);
  for (;;) {
    const auto n = read(in, block.data(), static_cast<unsigned>(block.size()));
    if (n <= 0 || out.error()) break;
    out.add(block.data(), static_cast<std::size_t>(n));
  }
  close(in);
  return said(out.done());
}

// Gives a new file the mode and the owner of the one that it is to replace. Is the owner kept?
// [[Rcpp::export(rng = false)]]
SEXP take_after_(SEXP path, SEXP old) {
  bool kept = true;
#ifndef _WIN32
  struct stat s, mine;
  const std::string name = bind::one_text(path, "path");
  if (stat(bind::one_text(old, "old").c_str(), &s) == 0 && stat(name.c_str(), &mine) == 0) {
    if (s.st_uid != mine.st_uid || s.st_gid != mine.st_gid)
      kept = chown(name.c_str(), s.st_uid, s.st_gid) == 0;
    kept = chmod(name.c_str(), s.st_mode & 07777) == 0 && kept;
  }
#endif
  return bind::one(kept);
}

// Moves a whole file to its place in one step; where nothing may be replaced, only if the name
// is free at that moment. The answer is what went wrong, or "".
// [[Rcpp::export(rng = false)]]
SEXP place_file_(SEXP from, SEXP to, SEXP replace) {
  const std::string a = bind::one_text(from, "from"), b = bind::one_text(to, "to");
  if (bind::one_flag(replace, "replace")) return said(rename(a.c_str(), b.c_str()) ? errno : 0);
#ifndef _WIN32
  if (link(a.c_str(), b.c_str()) == 0) return said(0);
  if (errno != EPERM && errno != ENOTSUP && errno != ENOSYS && errno != EMLINK) return said(errno);
#endif
  // No links here: the name is taken first, then what stands under it is replaced.
  const int fd = open(b.c_str(), O_WRONLY | O_CREAT | O_EXCL, 0666);
  if (fd < 0) return said(errno);
  close(fd);
  return said(rename(a.c_str(), b.c_str()) ? errno : 0);
}

// Is a process of this number there? One of somebody else is.
// [[Rcpp::export(rng = false)]]
SEXP process_lives_(SEXP pid) {
#ifdef _WIN32
  return bind::one(true);
#else
  return bind::one(kill(static_cast<pid_t>(bind::one_whole(pid, "pid")), 0) == 0 || errno != ESRCH);
#endif
}
