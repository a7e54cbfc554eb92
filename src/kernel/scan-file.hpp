// Looks through a whole file, in as many parts as there are threads.
//
// Where a part begins at a line's end it may in truth begin within a quote. That is known when the
// part before it has come to its end: then the rest is looked through from there once more.
#pragma once

#include <algorithm>
#include <atomic>
#include <fstream>

#include "scan.hpp"
#include "threads.hpp"

namespace eggcrate {

struct FileToScan {
  std::string path;
  char separator = 0;  // 0: as the header says
  bool check_utf8 = true;
  std::size_t cut_every = 0;
  std::size_t piece = std::size_t(1) << 20;  // bytes that are read at a time
  int threads = 1;
  Poll poll;
};

namespace detail {

constexpr std::uint64_t kToTheEnd = ~std::uint64_t(0);

// Feeds the bytes from `from` to `to`, piece by piece; `go_on` is told where it is after each.
template <class GoOn>
void feed_file(std::ifstream& in, std::size_t piece, std::uint64_t from, std::uint64_t to, Scanner& scanner, GoOn go_on) {
  std::vector<char> buffer(piece);
  in.clear();
  in.seekg(static_cast<std::streamoff>(from));
  while (from < to && in && !scanner.spoilt()) {
    in.read(buffer.data(), static_cast<std::streamsize>(std::min<std::uint64_t>(piece, to - from)));
    const auto n = static_cast<std::size_t>(in.gcount());
    scanner.feed(buffer.data(), n);
    from += n;
    if (n == 0 || !go_on(from)) return;
  }
}

// The next line's beginning from `at` on, or the end.
inline std::uint64_t next_line(std::ifstream& in, std::size_t piece, std::uint64_t at) {
  std::vector<char> buffer(piece);
  in.clear();
  in.seekg(static_cast<std::streamoff>(at));
  while (in) {
    in.read(buffer.data(), static_cast<std::streamsize>(piece));
    const auto n = static_cast<std::size_t>(in.gcount());
    if (const auto* found = static_cast<const char*>(std::memchr(buffer.data(), '\n', n)))
      return at + static_cast<std::uint64_t>(found - buffer.data()) + 1;
    at += n;
    if (n == 0) break;
  }
  return kToTheEnd;
}

}  // namespace detail

// `worth`: files that are shorter are looked through by one thread. False where it was stopped;
// a file that cannot be opened has no header and no flaw.
inline bool scan_file(const FileToScan& f, Scan& out, std::uint64_t worth = std::uint64_t(1) << 24) {
  std::ifstream in(f.path, std::ios::binary | std::ios::ate);
  if (!in) return true;
  const auto size = static_cast<std::uint64_t>(in.tellg());
  Scanner scanner(f.separator, f.check_utf8, f.cut_every);
  bool stopped = false;
  std::uint64_t at = 0;
  const auto said = [&](std::uint64_t now, double parts) {
    at = now;
    const double done = static_cast<double>(at) * parts / static_cast<double>(size);
    if (f.poll.stops(std::min(done, 1.0))) stopped = true;
    return !stopped;
  };
  detail::feed_file(in, f.piece, 0, detail::kToTheEnd, scanner,
                    [&](std::uint64_t now) { return said(now, 1) && (!scanner.in_rows() || f.threads < 2 || size < worth); });
  const auto rest = [&](std::uint64_t from) {
    detail::feed_file(in, f.piece, from, detail::kToTheEnd, scanner, [&](std::uint64_t now) { return said(now, 1); });
  };
  if (!stopped && !scanner.spoilt() && at < size) {
    std::vector<std::uint64_t> begins{at};
    for (int t = 1; t < f.threads; ++t) {
      const std::uint64_t begin = detail::next_line(in, f.piece, at + (size - at) / static_cast<std::uint64_t>(f.threads) * static_cast<std::uint64_t>(t));
      if (begin < size && begin > begins.back()) begins.push_back(begin);
    }
    const auto parts = static_cast<int>(begins.size());
    begins.push_back(detail::kToTheEnd);
    std::vector<Scanner> others;
    for (int t = 1; t < parts; ++t) others.push_back(scanner.part(begins[static_cast<std::size_t>(t)]));
    std::atomic<bool> halt{false};
    const int ran = run_with_threads(parts, [&](int t) {
      const auto i = static_cast<std::size_t>(t);
      if (t == 0) {
        detail::feed_file(in, f.piece, begins[0], begins[1], scanner, [&](std::uint64_t now) { return said(now, parts); });
        if (stopped || scanner.spoilt()) halt = true;
      } else {
        std::ifstream own(f.path, std::ios::binary);
        detail::feed_file(own, f.piece, begins[i], begins[i + 1], others[i - 1], [&](std::uint64_t) { return !halt.load(); });
      }
    });
    for (int t = 1; t < parts && !stopped && !scanner.spoilt(); ++t) {
      if (t < ran && scanner.append(others[static_cast<std::size_t>(t - 1)])) continue;
      rest(begins[static_cast<std::size_t>(t)]);
      break;
    }
  }
  if (!stopped) out = scanner.finish();
  return !stopped;
}

}  // namespace eggcrate
