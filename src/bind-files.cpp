// Files and streams as the system has them: what R's connections do not tell, such as that a
// write failed, who owns a file, and whether a name is taken at the moment it is wanted.
#include "bind-writer.h"

#include <cstring>
#include <cstdio>
#include <string>

#ifdef __linux__
#include <sys/syscall.h>
#endif

using bind::said;
using bind::Writer;

namespace {

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
SEXP path_kind_(SEXP path) {
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

// Copies the bytes of a file into another: a pipe, a device, an existing file, a new one. With a limit of `most` bytes (-1: none)
// a NUL byte ends it too, unless the first bytes are those of a packed table. Returns an error message, or "".
// [[Rcpp::export(rng = false)]]
SEXP copy_into_(SEXP from, SEXP to, SEXP most) {
  const double limit = bind::one_real(most, "most");
  double copied = 0;
  bool table = false;
  const int in = open(bind::one_text(from, "from").c_str(), O_RDONLY | bind::kAsIs);
  if (in < 0) return said(errno);
  Writer out(bind::one_text(to, "to"), O_CREAT | O_TRUNC);
  std::vector<char> block(1 << 16);
  for (;;) {
    const auto n = read(in, block.data(), static_cast<unsigned>(block.size()));
    if (n <= 0 || out.error()) break;
    if (limit >= 0) {
      if (copied == 0) table = n >= 4 && (!std::memcmp(block.data(), "PAR1", 4) || !std::memcmp(block.data(), "PK\3\4", 4) || !std::memcmp(block.data(), "\x1f\x8b", 2));
      copied += static_cast<double>(n);
      const bool nul = !table && std::memchr(block.data(), 0, static_cast<std::size_t>(n));
      if (nul || copied > limit) {
        close(in);
        out.done();
        return Rcpp::unwindProtect([nul] { return Rf_mkString(nul ? "NUL" : "too large"); });
      }
    }
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

// Exchanges two folders, in one step where the system can. Without that, the folder at `to` first gets
// a name of which clear_litter() can restore it. Returns the error, or "".
// [[Rcpp::export(rng = false)]]
SEXP swap_folders_(SEXP from, SEXP to) {
  const std::string a = bind::one_text(from, "from"), b = bind::one_text(to, "to");
#if defined(__linux__) && defined(SYS_renameat2)
  if (syscall(SYS_renameat2, AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), 2u /* exchange */) == 0) return said(0);
  if (errno != ENOSYS && errno != EINVAL) return said(errno);
#endif
  const std::string aside = a + ".old-" + b.substr(b.find_last_of('/') + 1);
  if (rename(b.c_str(), aside.c_str())) return said(errno);
  if (rename(a.c_str(), b.c_str())) {
    const int why = errno;
    rename(aside.c_str(), b.c_str());
    return said(why);
  }
  return said(rename(aside.c_str(), a.c_str()) ? errno : 0);
}

// A file that is cut while its pages are looked at ends the process: with a word, as one that is
// terminated, and without a dump. Only for a process of our own.
// [[Rcpp::export(rng = false)]]
SEXP word_on_cut_file_() {
#ifdef SIGBUS
  struct sigaction cut;
  cut.sa_handler = [](int) {
    const char text[] = "eggcrate: the file was cut while it was read. Ask again when nobody writes to it.\n";
    if (write(2, text, sizeof text - 1) >= 0) std::signal(SIGTERM, SIG_DFL);
    std::raise(SIGTERM);
  };
  cut.sa_flags = 0;
  sigemptyset(&cut.sa_mask);
  sigaction(SIGBUS, &cut, nullptr);
#endif
  return R_NilValue;
}

// Is a process of this number there? One of somebody else is.
// [[Rcpp::export(rng = false)]]
SEXP process_lives_(SEXP pid) {
#ifdef _WIN32
  return bind::one(true);
#else
  const long id = static_cast<long>(bind::one_whole(pid, "pid"));
  if (kill(static_cast<pid_t>(id), 0) != 0 && errno == ESRCH) return bind::one(false);
#ifdef __linux__
  // What has ended and is waited for by nobody does nothing more.
  if (std::FILE* stat = std::fopen(("/proc/" + std::to_string(id) + "/stat").c_str(), "r")) {
    char state = ' ';
    const bool ended = std::fscanf(stat, "%*d (%*[^)]) %c", &state) == 1 && state == 'Z';
    std::fclose(stat);
    if (ended) return bind::one(false);
  }
#endif
  return bind::one(true);
#endif
}
