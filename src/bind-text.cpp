#include "bind.h"

#include <charconv>
#include <cmath>
#include <cstdio>

#include <R_ext/Utils.h>

namespace {

// As printf("%.*g"), and faster where the standard library can.
void write_digits(char* text, std::size_t size, int digits, double value) {
#if defined(__cpp_lib_to_chars) && __cpp_lib_to_chars >= 201611L
  *std::to_chars(text, text + size - 1, value, std::chars_format::general, digits).ptr = 0;
#else
  std::snprintf(text, size, "%.*g", digits, value);
#endif
}

}  // namespace

// Doubles as text with all of their digits and no more: 15 where they are enough, else 17, as R
// reads them back. Missing ones stay missing.
// [[Rcpp::export(rng = false)]]
SEXP number_texts_(SEXP x) {
  const R_xlen_t n = Rf_xlength(bind::checked(x, REALSXP, "x"));
  const double* value = REAL(x);
  const bind::Held out(Rcpp::unwindProtect([n] { return Rf_allocVector(STRSXP, n); }));
  SEXP texts = out;
  Rcpp::unwindProtect([n, value, texts] {
    char text[32];
    for (R_xlen_t i = 0; i < n; ++i) {
      // Adding 0 turns -0 into 0.
      const double v = value[i] + 0.0;
      if (std::isnan(v)) {
        SET_STRING_ELT(texts, i, NA_STRING);
        continue;
      }
      if (std::isinf(v)) {
        SET_STRING_ELT(texts, i, Rf_mkChar(v > 0 ? "Inf" : "-Inf"));
        continue;
      }
      write_digits(text, sizeof text, 15, v);
      if (R_strtod(text, nullptr) != v) write_digits(text, sizeof text, 17, v);
      SET_STRING_ELT(texts, i, Rf_mkChar(text));
    }
    return R_NilValue;
  });
  return out;
}
