#include "bind.h"
#include "kernel/reader.hpp"

namespace {

// The texts of all readers as one vector, and the codes made those of it.
SEXP one_list(eggcrate::ReadResult& found, std::size_t field, const eggcrate::Reading& r) {
  std::size_t most = 0;
  for (const auto& reader : found.readers) most += reader->words()[field].size();
  const bind::Held texts(bind::allocate(STRSXP, static_cast<R_xlen_t>(most)));
  std::vector<std::size_t> first;
  R_xlen_t at = 0;
  for (const auto& reader : found.readers) {
    const eggcrate::Words& words = reader->words()[field];
    first.push_back(static_cast<std::size_t>(at));
    Rcpp::unwindProtect([&] {
      for (std::size_t i = 0; i < words.size(); ++i)
        SET_STRING_ELT(texts, at++, Rf_mkCharLenCE(words.data(i), static_cast<int>(words.length(i)), CE_UTF8));
      return R_NilValue;
    });
  }
  for (std::size_t b = 0; b < r.cuts.size(); ++b) {
    const auto shift = static_cast<std::int32_t>(first[static_cast<std::size_t>(found.reader_of[b])]);
    const std::uint64_t end = b + 1 < r.cuts.size() ? r.cuts[b + 1].rows : r.rows;
    for (std::uint64_t row = r.cuts[b].rows; shift && row < end; ++row) r.fields[field].whole[row] += shift;
  }
  return texts;
}

}  // namespace

// Columns of a file that has been scanned. `columns` count from 1 and grow; `kinds`: 0 text, 1
// whole, 2 real, 3 date; `cuts`: pairs of an offset and the rows before it.
// [[Rcpp::export(rng = false)]]
SEXP read_fields_(SEXP path, SEXP separator, SEXP width, SEXP columns, SEXP kinds, SEXP cuts, SEXP size,
                  SEXP rows, SEXP threads, SEXP progress) {
  eggcrate::Reading r;
  r.path = bind::one_text(path, "path");
  r.separator = bind::one_text(separator, "separator").at(0);
  r.columns = static_cast<std::size_t>(bind::one_whole(width, "width"));
  r.size = static_cast<std::uint64_t>(bind::one_real(size, "size"));
  r.rows = static_cast<std::uint64_t>(bind::one_real(rows, "rows"));
  r.threads = bind::one_whole(threads, "threads");
  const double* cut = bind::real(cuts, "cuts");
  for (R_xlen_t i = 0; i + 1 < Rf_xlength(cuts); i += 2)
    r.cuts.push_back({static_cast<std::uint64_t>(cut[i]), static_cast<std::uint64_t>(cut[i + 1])});
  const R_xlen_t k = Rf_xlength(columns), n = static_cast<R_xlen_t>(r.rows);
  bind::same_length(kinds, k, "kinds");
  bind::Watch watch(progress);
  r.stop = bind::Watch::stop;
  r.stop_with = &watch;

  const bind::Held values(bind::allocate(VECSXP, k));
  std::vector<std::vector<std::int32_t>> codes(static_cast<std::size_t>(k));
  for (R_xlen_t i = 0; i < k; ++i) {
    eggcrate::Field f;
    f.column = static_cast<std::size_t>(bind::whole(columns, "columns")[i]) - 1;
    f.kind = static_cast<eggcrate::Cell>(bind::whole(kinds, "kinds")[i]);
    if (f.kind == eggcrate::Cell::text) {
      codes[static_cast<std::size_t>(i)].resize(r.rows);
      f.whole = codes[static_cast<std::size_t>(i)].data();
    } else if (f.kind == eggcrate::Cell::real) {
      SET_VECTOR_ELT(values, i, bind::allocate(REALSXP, n));
      f.real = REAL(VECTOR_ELT(values, i));
    } else {
      SET_VECTOR_ELT(values, i, bind::allocate(INTSXP, n));
      f.whole = INTEGER(VECTOR_ELT(values, i));
    }
    r.fields.push_back(f);
  }

  eggcrate::ReadResult found = eggcrate::read_fields(r);
  if (found.outcome == eggcrate::Read::stopped) throw Rcpp::internal::InterruptedException();
  for (R_xlen_t i = 0; i < k && found.outcome == eggcrate::Read::done; ++i) {
    const auto at = static_cast<std::size_t>(i);
    if (r.fields[at].kind != eggcrate::Cell::text) continue;
    const bind::Held texts(one_list(found, at, r));
    const SEXP* text = bind::texts(texts, "texts");
    const std::int32_t* code = codes[at].data();
    SET_VECTOR_ELT(values, i, bind::gathered(n, [&](R_xlen_t row) { return text[code[row]]; }, [](R_xlen_t) {}));
    std::vector<std::int32_t>().swap(codes[at]);
  }
  const bind::Held outcome(bind::one(static_cast<int>(found.outcome))), field(bind::one(found.field + 1));
  return bind::named({{"outcome", outcome}, {"field", field}, {"values", values}});
}
