#include <fstream>

#include "bind.h"
#include "kernel/scan.hpp"

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

// Looks through a whole file, which can be parted every `block` bytes. `progress` is a function of the bytes read so far, or NULL.
// [[Rcpp::export(rng = false)]]
SEXP scan_delimited_(SEXP path, SEXP separator, SEXP check_utf8, SEXP block, SEXP progress) {
  const std::string name = bind::one_text(path, "path"), mark = bind::one_text(separator, "separator");
  std::ifstream in(name, std::ios::binary);
  if (!in) throw Rcpp::exception("cannot open the file", false);
  eggcrate::Scanner scanner(mark.empty() ? '\0' : mark[0], bind::one_flag(check_utf8, "check_utf8"),
                            static_cast<std::size_t>(bind::one_real(block, "block")));
  std::vector<char> buffer(1 << 20);
  constexpr std::size_t report_every = 64;  // buffers: what is shorter than that is read at once
  for (std::size_t i = 1; in && !scanner.spoilt(); ++i) {
    in.read(buffer.data(), static_cast<std::streamsize>(buffer.size()));
    scanner.feed(buffer.data(), static_cast<std::size_t>(in.gcount()));
    Rcpp::checkUserInterrupt();
    if (progress != R_NilValue && i % report_every == 0) {
      const Rcpp::Function show(progress);
      show(static_cast<double>(i) * static_cast<double>(buffer.size()));
    }
  }
  return described(scanner.finish());
}
