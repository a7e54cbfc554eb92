// Calls in forked processes: a library that crashes on a damaged file ends only its process.
#include "bind.h"

#include <vector>

#ifndef _WIN32
#include <cerrno>
#include <csignal>
#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>
#endif

#ifndef _WIN32
namespace {

// R's signal handlers would delete the temporary folder of the session, which the parent still uses.
[[noreturn]] void run_and_exit(SEXP call) {
  for (int s : {SIGSEGV, SIGBUS, SIGILL, SIGFPE, SIGABRT, SIGINT, SIGTERM}) std::signal(s, SIG_DFL);
  const int null = open("/dev/null", O_RDWR);
  if (null >= 0) {
    dup2(null, STDOUT_FILENO);
    dup2(null, STDERR_FILENO);
  }
  int failed = 0;
  R_tryEval(call, R_GlobalEnv, &failed);
  _exit(failed);
}

// Kills the running processes if the caller is interrupted.
class Children {
 public:
  ~Children() {
    for (pid_t pid : running_) kill(pid, SIGKILL);
    for (pid_t pid : running_) waitpid(pid, nullptr, 0);
  }
  bool start(SEXP call) {
    const pid_t pid = fork();
    if (pid == 0) run_and_exit(call);
    if (pid > 0) running_.push_back(pid);
    return pid > 0;
  }
  void wait() {
    while (!running_.empty()) {
      // ECHILD: another library has waited for the process, so it has ended.
      errno = 0;
      if (waitpid(running_.back(), nullptr, WNOHANG) != 0 && errno != EINTR) {
        running_.pop_back();
        continue;
      }
      usleep(1000);
      Rcpp::checkUserInterrupt();
    }
  }

 private:
  std::vector<pid_t> running_;
};

}  // namespace
#endif

// Evaluates each call in a forked process and waits for all. Returns FALSE, and evaluates nothing, on systems without fork.
// [[Rcpp::export(rng = false)]]
bool run_apart_(Rcpp::List calls) {
#ifdef _WIN32
  return false;
#else
  Children children;
  for (R_xlen_t i = 0; i < calls.size(); ++i)
    if (!children.start(calls[i])) Rcpp::stop("A process could not be started.");
  children.wait();
  return true;
#endif
}
