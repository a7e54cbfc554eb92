#include <fstream>

#include "bind.h"
#include "kernel/scan-file.hpp"

namespace {

SEXP numbers(const std::vector<std::uint64_t>& x) {
  SEXP out = bind::allocate(REALSXP, static_cast<R_xlen_t>(x.size()));
  for (std::size_t i = 0; i < x.size(); ++i) REAL(out)[i] = static_cast<double>(x[i]);
  return out;
}

SEXP strings(const std::vector<std::string>& x) {
  const bind::Held out(bind::allocate(STRSXP, static_cast<R_xlen_t>(x.size())));
  for (std::size_t i = 0; i < x.size(); ++i) {
    const std::string& text = x[i];
    SET_STRING_ELT(out, static_cast<R_xlen_t>(i), Rcpp::unwindProtect([&text] {
      return Rf_mkCharLen(text.data(), static_cast<int>(text.size()));
    }));
  }
  return out;
}

SEXP described(const eggcrate::Scan& s) {
  const bind::Held separator(strings({std::string(1, s.separator)})), header(strings(s.header)),
      padded(numbers(s.padded)), blank(numbers(s.blank)), padded_row(numbers(s.padded_row)),
      blank_row(numbers(s.blank_row)), rows(bind::one(static_cast<double>(s.rows))),
      blank_lines(bind::one(static_cast<double>(s.blank_lines))),
      doubled(bind::one(static_cast<bool>(s.doubled_quotes))),
      flaw(bind::one(static_cast<int>(s.flaw))),
      flaw_row(bind::one(static_cast<double>(s.flaw_row))),
      flaw_fields(bind::one(static_cast<double>(s.flaw_fields))),
      cuts(bind::allocate(REALSXP, static_cast<R_xlen_t>(2 * s.cuts.size())));
  for (std::size_t i = 0; i < s.cuts.size(); ++i) {
    REAL(cuts)[2 * i] = static_cast<double>(s.cuts[i].offset);
    REAL(cuts)[2 * i + 1] = static_cast<double>(s.cuts[i].rows);
  }
  return bind::named({{"separator", separator}, {"header", header}, {"padded", padded},
                      {"blank", blank}, {"padded_row", padded_row}, {"blank_row", blank_row},
                      {"rows", rows}, {"blank_lines", blank_lines}, {"doubled_quotes", doubled},
                      {"flaw", flaw}, {"flaw_row", flaw_row}, {"flaw_fields", flaw_fields},
                      {"cuts", cuts}});
}

}  // namespace

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
  return described(found);
}
