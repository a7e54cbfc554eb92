// gzip: its bytes from the beginning to the end, or from points on the way that were kept. Threads use
// it, so nothing here is R's.
#pragma once

#include <zlib.h>

#include <cerrno>
#include <string>
#include <vector>

#include <fcntl.h>
#include <unistd.h>

#include "bind-writer.h"
#include "kernel/reader.hpp"

namespace bind {

// Where unpacking can begin: between two blocks of the stream, with the bytes that the next one may
// refer to.
struct PackedPoint {
  std::uint64_t in = 0, out = 0;  // bytes of the file, and of what is packed in it, that are before
  int bits = -1;                  // of the byte before, that are still to come; -1: the file's beginning
  const unsigned char* window = nullptr;
  unsigned length = 0;
};
constexpr std::size_t kWindow = 32768;

// Each stream has its own end and checksum; several may stand one after the other, and zeros at the end.
class Unpacking {
 public:
  enum class State { more, end, cut, damaged, error };

  explicit Unpacking(const std::string& path) : fd_(open(path.c_str(), O_RDONLY | kAsIs)), in_(std::size_t(1) << 18) {
    if (fd_ < 0) fail(State::error);
    else if (inflateInit2(&z_, kGzip) != Z_OK) fail(State::damaged);
    else ready_ = true;
  }
  ~Unpacking() {
    if (ready_) inflateEnd(&z_);
    if (fd_ >= 0) close(fd_);
  }
  Unpacking(const Unpacking&) = delete;
  Unpacking& operator=(const Unpacking&) = delete;

  State state() const noexcept { return state_; }
  int error() const noexcept { return error_; }
  std::uint64_t taken() const noexcept { return read_ - z_.avail_in; }  // bytes of the file

  // The next bytes, no more than `n` and none beyond the end of a block; 0 when there is an end of any kind.
  std::size_t next(char* to, std::size_t n) {
    z_.next_out = reinterpret_cast<unsigned char*>(to);
    z_.avail_out = static_cast<unsigned>(n);
    while (state_ == State::more && z_.avail_out == n) {
      if (!z_.avail_in && !fill()) break;
      if (ended_ && !next_stream()) continue;
      const int status = inflate(&z_, Z_BLOCK);
      if (status == Z_STREAM_END) {
        ended_ = true;
        to_skip_ = raw_ ? 8 : 0;  // its length and checksum
      } else if (status != Z_OK && status != Z_BUF_ERROR) {
        fail(State::damaged);
      }
    }
    return n - z_.avail_out;
  }

  // Is here a point where unpacking can begin?
  bool at_point() const noexcept { return !ended_ && (z_.data_type & 128) && !(z_.data_type & 64); }
  // It, with `window` of kWindow bytes to keep what is needed; `out`: the bytes before.
  PackedPoint point(std::uint64_t out, unsigned char* window) {
    PackedPoint p;
    p.in = taken();
    p.out = out;
    p.bits = z_.data_type & 7;
    p.window = window;
    inflateGetDictionary(&z_, window, &p.length);
    return p;
  }

  bool begin_at(const PackedPoint& p) {
    if (!ready_) return false;
    const std::uint64_t from = p.in - (p.bits > 0);
    if (lseek(fd_, static_cast<off_t>(from), SEEK_SET) < 0) return fail(State::error);
    z_.avail_in = 0;
    read_ = from;
    state_ = State::more;
    ended_ = padding_ = false;
    raw_ = p.bits >= 0;
    if (inflateReset2(&z_, raw_ ? -15 : kGzip) != Z_OK) return fail(State::damaged);
    if (p.bits > 0) {
      if (!fill()) return false;
      inflatePrime(&z_, p.bits, *z_.next_in >> (8 - p.bits));
      ++z_.next_in;
      --z_.avail_in;
    }
    return !raw_ || !p.length || inflateSetDictionary(&z_, p.window, p.length) == Z_OK;
  }

 private:
  static constexpr int kGzip = 31;

  bool fail(State state) noexcept {
    state_ = state;
    error_ = errno;
    return false;
  }

  bool fill() {
    const auto n = read(fd_, in_.data(), static_cast<unsigned>(in_.size()));
    if (n <= 0) return fail(n < 0 ? State::error : ended_ && !to_skip_ ? State::end : State::cut);
    z_.next_in = in_.data();
    z_.avail_in = static_cast<unsigned>(n);
    read_ += static_cast<std::uint64_t>(n);
    return true;
  }

  // Past what is between two streams. False: not yet.
  bool next_stream() noexcept {
    if (to_skip_ || *z_.next_in == 0) {
      if (to_skip_) --to_skip_;
      else padding_ = true;
      ++z_.next_in;
      --z_.avail_in;
      return false;
    }
    if (padding_ || inflateReset2(&z_, kGzip) != Z_OK) return fail(State::damaged);
    return !(ended_ = raw_ = false);
  }

  int fd_;
  std::vector<unsigned char> in_;
  z_stream z_ = z_stream();
  State state_ = State::more;
  std::uint64_t read_ = 0;
  unsigned to_skip_ = 0;
  int error_ = 0;
  bool ready_ = false, ended_ = false, padding_ = false, raw_ = false;
};

// What is packed in a file, from any place.
class PackedBytes final : public eggcrate::FileBytes {
 public:
  PackedBytes(const std::string& path, const std::vector<PackedPoint>& points) : file_(path), points_(points) {}

  bool read(std::uint64_t from, char* to, std::size_t n) override {
    if (!go_to(from)) return false;
    for (std::size_t done = 0; done < n;) {
      const std::size_t m = file_.next(to + done, n - done);
      if (!m) return false;
      done += m;
      at_ += m;
    }
    return true;
  }

 private:
  bool go_to(std::uint64_t from) {
    std::size_t i = points_.size();
    while (i > 1 && points_[i - 1].out > from) --i;
    const PackedPoint& p = points_.at(i - 1);
    if (!began_ || at_ > from || p.out > at_) {
      if (!file_.begin_at(p)) return false;
      began_ = true;
      at_ = p.out;
    }
    std::vector<char> past(at_ < from ? std::size_t(1) << 16 : 0);
    while (at_ < from) {
      const std::size_t m = file_.next(past.data(), static_cast<std::size_t>(std::min<std::uint64_t>(past.size(), from - at_)));
      if (!m) return false;
      at_ += m;
    }
    return true;
  }

  Unpacking file_;
  const std::vector<PackedPoint>& points_;
  std::uint64_t at_ = 0;
  bool began_ = false;
};

}  // namespace bind
