#include "bind-reading.h"

// Columns of files that have been scanned: what the arguments are stands in bind-reading.h.
// [[Rcpp::export(rng = false)]]
SEXP read_fields_(SEXP files, SEXP kinds, SEXP trims, SEXP threads, SEXP progress) {
  const bind::FilesToRead f(files, kinds, trims, threads);
  std::size_t rows = 0;
  for (const auto& file : f.reading.files) rows += static_cast<std::size_t>(file.rows);
  const R_xlen_t k = Rf_xlength(kinds), n = static_cast<R_xlen_t>(rows);

  const bind::Held values(bind::allocate(VECSXP, k));
  std::vector<eggcrate::Place> places(static_cast<std::size_t>(k));
  for (R_xlen_t i = 0; i < k; ++i) {
    const auto at = static_cast<std::size_t>(i);
    const eggcrate::Cell kind = f.reading.kinds[at];
    if (kind == eggcrate::Cell::real) {
      SET_VECTOR_ELT(values, i, bind::allocate(REALSXP, n));
      places[at].real = REAL(VECTOR_ELT(values, i));
    } else {
      SET_VECTOR_ELT(values, i, bind::allocate(INTSXP, n));
      places[at].whole = INTEGER(VECTOR_ELT(values, i));
    }
  }

  bind::Watch watch(progress);
  const eggcrate::ReadResult found = eggcrate::read_fields(f.reading, places, watch.poll());
  if (found.outcome == eggcrate::Read::stopped) throw Rcpp::internal::InterruptedException();
  for (R_xlen_t i = 0; i < k && found.outcome == eggcrate::Read::done; ++i) {
    const auto at = static_cast<std::size_t>(i);
    if (f.reading.kinds[at] != eggcrate::Cell::text) continue;
    bind::make_factor(VECTOR_ELT(values, i), *f.texts[at], rows);
  }
  const bind::Held outcome(bind::one(static_cast<int>(found.outcome))), odd(bind::one(found.odd_column + 1));
  return bind::named({{"outcome", outcome}, {"odd", odd}, {"values", values}});
}
