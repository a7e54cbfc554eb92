// Unpacks gzip to its end: each stream has its own end and checksum, and nothing may follow.
#include <zlib.h>

#include "bind-writer.h"

namespace {

class Inflater {
 public:
  Inflater() { good_ = inflateInit2(&z_, 31) == Z_OK; }
  ~Inflater() { inflateEnd(&z_); }
  Inflater(const Inflater&) = delete;
  Inflater& operator=(const Inflater&) = delete;

  // Takes a block. False: the stream is damaged, or more comes out than `limit` bytes.
  bool take(unsigned char* block, std::size_t n, bind::Writer& out, double limit) {
    z_.next_in = block;
    z_.avail_in = static_cast<unsigned>(n);
    while (good_ && z_.avail_in && !out.error()) {
      if (ended_) {  // files may be put one after the other
        if (*z_.next_in == 0) { padding_ = true; ++z_.next_in; --z_.avail_in; continue; }
        good_ = !padding_ && inflateReset(&z_) == Z_OK;
        ended_ = false;
        if (!good_) break;
      }
      do {
        z_.next_out = made_.data();
        z_.avail_out = static_cast<unsigned>(made_.size());
        const int status = inflate(&z_, Z_NO_FLUSH);
        good_ = status == Z_OK || status == Z_STREAM_END || status == Z_BUF_ERROR;
        ended_ = status == Z_STREAM_END;
        const std::size_t m = made_.size() - z_.avail_out;
        out.add(reinterpret_cast<const char*>(made_.data()), m);
        total_ += static_cast<double>(m);
      } while (good_ && !ended_ && z_.avail_out == 0 && total_ <= limit);
      if (total_ > limit) return false;
    }
    return good_;
  }
  bool ended() const noexcept { return ended_; }
  bool too_large(double limit) const noexcept { return total_ > limit; }

 private:
  z_stream z_ = z_stream();
  bool good_ = false, ended_ = false, padding_ = false;
  double total_ = 0;
  std::vector<unsigned char> made_ = std::vector<unsigned char>(1 << 18);
};

}  // namespace

// The answer is "", "cut", "damaged", "large", or what went wrong in the system's words.
// [[Rcpp::export(rng = false)]]
SEXP unpack_gzip_(SEXP from, SEXP to, SEXP limit) {
  const double most = bind::one_real(limit, "limit");
  const auto word = [](const char* x) { return Rcpp::unwindProtect([x] { return Rf_mkString(x); }); };
  const int in = open(bind::one_text(from, "from").c_str(), O_RDONLY | bind::kAsIs);
  if (in < 0) return bind::said(errno);
  const struct Closing {
    int fd;
    ~Closing() { close(fd); }
  } closing{in};
  bind::Writer out(bind::one_text(to, "to"), O_CREAT | O_EXCL);
  Inflater z;
  std::vector<unsigned char> block(1 << 18);
  for (;;) {
    const auto n = read(in, block.data(), static_cast<unsigned>(block.size()));
    if (n < 0) return bind::said(errno);
    if (n == 0 || out.error()) break;
    if (!z.take(block.data(), static_cast<std::size_t>(n), out, most))
      return word(z.too_large(most) ? "large" : "damaged");
    Rcpp::checkUserInterrupt();
  }
  const int failed = out.done();
  if (failed) return bind::said(failed);
  return word(z.ended() ? "" : "cut");
}
