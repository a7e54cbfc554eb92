// What the scanner found, as R's lists.
#pragma once

#include "bind.h"
#include "kernel/scan-file.hpp"

namespace bind {

inline SEXP numbers(const std::vector<std::uint64_t>& x) {
  SEXP out = bind::allocate(REALSXP, static_cast<R_xlen_t>(x.size()));
  for (std::size_t i = 0; i < x.size(); ++i) REAL(out)[i] = static_cast<double>(x[i]);
  return out;
}

inline SEXP strings(const std::vector<std::string>& x) {
  const bind::Held out(bind::allocate(STRSXP, static_cast<R_xlen_t>(x.size())));
  for (std::size_t i = 0; i < x.size(); ++i) {
    const std::string& text = x[i];
    SET_STRING_ELT(out, static_cast<R_xlen_t>(i), Rcpp::unwindProtect([&text] {
      return Rf_mkCharLen(text.data(), static_cast<int>(text.size()));
    }));
  }
  return out;
}

inline SEXP described(const eggcrate::Scan& s) {
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

// `separator`: "" as the header says; `block`: of how many bytes the parts are.
inline eggcrate::Scanner new_scanner(SEXP separator, SEXP check_utf8, SEXP block) {
  const std::string mark = one_text(separator, "separator");
  return eggcrate::Scanner(mark.empty() ? '\0' : mark[0], one_flag(check_utf8, "check_utf8"), static_cast<std::size_t>(one_real(block, "block")));
}

}  // namespace bind
