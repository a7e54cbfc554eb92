// Unpacks gzip to its end, into a file or past the scanner.
#include "bind-gzip.h"
#include "bind-scan.h"

namespace {

using bind::Unpacking;

// How it ended, in a word or in the system's.
SEXP ending(const Unpacking& z, bool too_large) {
  if (z.state() == Unpacking::State::error) return bind::said(z.error());
  const char* word = too_large ? "large" : z.state() == Unpacking::State::cut ? "cut" : z.state() == Unpacking::State::damaged ? "damaged" : "";
  return Rcpp::unwindProtect([word] { return Rf_mkString(word); });
}

// Points where threads may begin to unpack, one before each cut.
class Points {
 public:
  Points() : window_(bind::kWindow) {}

  // The last one that was come by may become one.
  void pass(Unpacking& z, std::uint64_t out) { last_ = z.point(out, window_.data()); }
  void keep() {
    if (!kept_.empty() && kept_.back().out == last_.out) return;
    kept_.push_back(last_);
    windows_.insert(windows_.end(), window_.begin(), window_.begin() + last_.length);
  }

  SEXP value() const {
    const auto n = static_cast<R_xlen_t>(kept_.size());
    const bind::Held in(bind::allocate(REALSXP, n)), out(bind::allocate(REALSXP, n)), bits(bind::allocate(INTSXP, n)),
        length(bind::allocate(INTSXP, n)), windows(bind::allocate(RAWSXP, static_cast<R_xlen_t>(windows_.size())));
    for (R_xlen_t i = 0; i < n; ++i) {
      const bind::PackedPoint& p = kept_[static_cast<std::size_t>(i)];
      REAL(in)[i] = static_cast<double>(p.in);
      REAL(out)[i] = static_cast<double>(p.out);
      INTEGER(bits)[i] = p.bits;
      INTEGER(length)[i] = static_cast<int>(p.length);
    }
    std::copy(windows_.begin(), windows_.end(), RAW(windows));
    return bind::named({{"in", in}, {"out", out}, {"bits", bits}, {"length", length}, {"windows", windows}});
  }

 private:
  bind::PackedPoint last_;
  std::vector<unsigned char> window_, windows_;
  std::vector<bind::PackedPoint> kept_;
};

}  // namespace

// The answer is "", "cut", "damaged", "large", or what went wrong in the system's words.
// [[Rcpp::export(rng = false)]]
SEXP unpack_gzip_(SEXP from, SEXP to, SEXP limit) {
  const double most = bind::one_real(limit, "limit");
  Unpacking z(bind::one_text(from, "from"));
  bind::Writer out(bind::one_text(to, "to"), O_CREAT | O_EXCL);
  std::vector<char> piece(std::size_t(1) << 18);
  double total = 0;
  while (const std::size_t n = out.error() ? 0 : z.next(piece.data(), piece.size())) {
    if ((total += static_cast<double>(n)) > most) break;
    out.add(piece.data(), n);
    Rcpp::checkUserInterrupt();
  }
  const int failed = out.done();
  return failed ? bind::said(failed) : ending(z, total > most);
}

// Looks through what is packed, as `scan_delimited_()` does, and keeps its first block in the file
// `head`. `ending`: as from `unpack_gzip_()`; `size`: of all bytes; `points`: where threads may begin.
// [[Rcpp::export(rng = false)]]
SEXP scan_gzip_(SEXP path, SEXP head, SEXP separator, SEXP check_utf8, SEXP block, SEXP limit, SEXP progress) {
  const double most = bind::one_real(limit, "limit");
  const std::string file = bind::one_text(path, "path");
  eggcrate::Scanner scanner = bind::new_scanner(separator, check_utf8, block);
  Unpacking z(file);
  bind::Writer first(bind::one_text(head, "head"), O_CREAT | O_EXCL);
  Points points;
  bind::Watch watch(progress);
  const eggcrate::Poll poll = watch.poll();
  struct stat info;
  const double packed = stat(file.c_str(), &info) ? 1 : static_cast<double>(info.st_size);
  std::vector<char> piece(std::size_t(1) << 18);
  std::uint64_t at = 0;
  std::size_t cuts = 0;
  while (const std::size_t n = first.error() ? 0 : z.next(piece.data(), piece.size())) {
    if (static_cast<double>(at + n) > most) break;
    // Behind a flaw only its end is looked for.
    if (!scanner.spoilt()) {
      scanner.feed(piece.data(), n);
      const std::vector<eggcrate::Cut>& now = scanner.cuts();
      if (cuts < 2) first.add(piece.data(), now.size() < 2 ? n : static_cast<std::size_t>(now[1].offset - at));
      if (now.size() > cuts) points.keep();
      cuts = now.size();
    }
    at += n;
    if (z.at_point()) points.pass(z, at);
    if (poll.stops(std::min(1.0, static_cast<double>(z.taken()) / packed))) throw Rcpp::internal::InterruptedException();
  }
  const int failed = first.done();
  const bind::Held ended(failed ? bind::said(failed) : ending(z, z.state() == Unpacking::State::more)), scan(bind::described(scanner.finish())),
      size(bind::one(static_cast<double>(at))), kept(points.value());
  return bind::named({{"ending", ended}, {"scan", scan}, {"size", size}, {"points", kept}});
}
