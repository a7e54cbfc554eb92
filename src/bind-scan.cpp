#include <fstream>

#include "bind-scan.h"

// Looks through a whole file, which can be parted every `block` bytes.
// [[Rcpp::export(rng = false)]]
SEXP scan_delimited_(SEXP path, SEXP separator, SEXP check_utf8, SEXP block, SEXP threads, SEXP progress) {
  eggcrate::FileToScan f;
  f.path = bind::one_text(path, "path");
  const std::string mark = bind::one_text(separator, "separator");
  f.separator = mark.empty() ? '\0' : mark[0];
  f.check_utf8 = bind::one_flag(check_utf8, "check_utf8");
  f.cut_every = static_cast<std::size_t>(bind::one_real(block, "block"));
  f.piece = std::min(f.piece, std::max<std::size_t>(f.cut_every, 64));
  f.threads = bind::one_whole(threads, "threads");
  if (!std::ifstream(f.path)) throw Rcpp::exception("cannot open the file", false);
  bind::Watch watch(progress);
  f.poll = watch.poll();
  eggcrate::Scan found;
  // Small blocks are for tests, which want parts of small files too.
  if (!eggcrate::scan_file(f, found, std::min<std::uint64_t>(std::uint64_t(4) * f.cut_every, std::uint64_t(1) << 24)))
    throw Rcpp::internal::InterruptedException();
  return bind::described(found);
}
