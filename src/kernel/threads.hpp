// Work shared out to threads, with as many as can be had.
#pragma once

#include <system_error>
#include <thread>
#include <utility>
#include <vector>

namespace eggcrate {

struct StartThread {
  template <class Work>
  std::thread operator()(Work work, int t) const { return std::thread(std::move(work), t); }
};

// Runs work(0) here and work(1) ... work(threads - 1) beside it, and waits for all, whatever
// is thrown. A thread that cannot be started is done without. Returns how many ran.
template <class Work, class Start = StartThread>
int run_with_threads(int threads, Work work, Start start = Start()) {
  struct Joined {
    std::vector<std::thread> all;
    ~Joined() {
      for (std::thread& t : all)
        if (t.joinable()) t.join();
    }
  } others;
  if (threads > 1) others.all.reserve(static_cast<std::size_t>(threads - 1));
  for (int t = 1; t < threads; ++t) {
    try {
      others.all.push_back(start(work, t));
    } catch (const std::system_error&) {
      break;  // the system has no more: the rest of the work is done by those that there are
    }
  }
  work(0);
  return 1 + static_cast<int>(others.all.size());
}

}  // namespace eggcrate
