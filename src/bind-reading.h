// Files to be read, as R names them.
#pragma once

#include "bind-gzip.h"
#include "bind.h"
#include "kernel/reader.hpp"

namespace bind {

// A reading with the texts of its columns.
struct FilesToRead {
  eggcrate::Reading reading;
  std::vector<std::unique_ptr<eggcrate::Texts>> texts;
  std::vector<std::unique_ptr<std::vector<PackedPoint>>> points;  // of files that are packed

  // `files`: each a list of `path`, `separator`, `width` (how many columns it has), `columns` (which
  // of them are wanted, from 1), `cuts` (pairs of an offset and the rows before it), `size` and
  // `rows`, and `points` of what is packed, from `scan_gzip_()`. `kinds`, along the wanted ones: 0 text, 1 whole, 2 real, 3 date. `trims`: are blanks at
  // the ends of its texts left out?
  FilesToRead(SEXP files, SEXP kinds, SEXP trims, SEXP threads) {
    const R_xlen_t k = Rf_xlength(kinds);
    same_length(trims, k, "trims");
    for (R_xlen_t i = 0; i < k; ++i) {
      reading.kinds.push_back(static_cast<eggcrate::Cell>(whole(kinds, "kinds")[i]));
      texts.emplace_back(new eggcrate::Texts(flags(trims, "trims")[i] == TRUE));
    }
    reading.texts = &texts;
    reading.threads = std::max(1, one_whole(threads, "threads"));
    for (R_xlen_t i = 0; i < Rf_xlength(checked(files, VECSXP, "files")); ++i) reading.files.push_back(file(VECTOR_ELT(files, i), k));
  }

 private:
  // Windows stay where R has them.
  const std::vector<PackedPoint>& points_of(SEXP x) {
    SEXP in = element(x, "in"), out = element(x, "out"), bits = element(x, "bits"), length = element(x, "length");
    for (SEXP other : {out, bits, length}) same_length(other, Rf_xlength(in), "points");
    const unsigned char* window = RAW(checked(element(x, "windows"), RAWSXP, "windows"));
    points.emplace_back(new std::vector<PackedPoint>());
    for (R_xlen_t i = 0; i < Rf_xlength(in); ++i) {
      points.back()->push_back({static_cast<std::uint64_t>(real(in, "in")[i]), static_cast<std::uint64_t>(real(out, "out")[i]), whole(bits, "bits")[i],
                                window, static_cast<unsigned>(whole(length, "length")[i])});
      window += whole(length, "length")[i];
    }
    return *points.back();
  }

  eggcrate::CheckedFile file(SEXP x, R_xlen_t wanted) {
    eggcrate::CheckedFile f;
    f.path = one_text(element(x, "path"), "path");
    if (element(x, "points") != R_NilValue) {
      const std::vector<PackedPoint>& all = points_of(element(x, "points"));
      const std::string path = f.path;
      f.packed = [path, &all] { return std::unique_ptr<eggcrate::FileBytes>(new PackedBytes(path, all)); };
    }
    f.separator = one_text(element(x, "separator"), "separator").at(0);
    f.columns = static_cast<std::size_t>(one_whole(element(x, "width"), "width"));
    f.size = static_cast<std::uint64_t>(one_real(element(x, "size"), "size"));
    f.rows = static_cast<std::uint64_t>(one_real(element(x, "rows"), "rows"));
    SEXP cuts = element(x, "cuts"), columns = element(x, "columns");
    const double* cut = real(cuts, "cuts");
    for (R_xlen_t i = 0; i + 1 < Rf_xlength(cuts); i += 2)
      f.cuts.push_back({static_cast<std::uint64_t>(cut[i]), static_cast<std::uint64_t>(cut[i + 1])});
    same_length(columns, wanted, "columns");
    for (R_xlen_t i = 0; i < wanted; ++i)
      f.fields.push_back({static_cast<std::size_t>(whole(columns, "columns")[i]) - 1, static_cast<std::size_t>(i)});
    std::sort(f.fields.begin(), f.fields.end(), [](const eggcrate::Field& a, const eggcrate::Field& b) { return a.column < b.column; });
    return f;
  }
};

// Within R's protection.
inline SEXP new_text(const eggcrate::Text* t) {
  return Rf_mkCharLenCE(t->data(), static_cast<int>(t->length), CE_UTF8);
}

inline SEXP as_texts(const std::vector<const eggcrate::Text*>& all, std::size_t n) {
  const Held out(allocate(STRSXP, static_cast<R_xlen_t>(n)));
  Rcpp::unwindProtect([&] {
    for (std::size_t i = 0; i < n; ++i) SET_STRING_ELT(out, static_cast<R_xlen_t>(i), new_text(all[i]));
    return R_NilValue;
  });
  return out;
}

// All different texts of a column, in the order of their numbers.
inline SEXP different(const eggcrate::Texts& texts) {
  const auto all = texts.all();
  return as_texts(all, all.size());
}

inline void set_class(SEXP x, const char* name) {
  const Held value(Rcpp::unwindProtect([name] { return Rf_mkString(name); }));
  Rf_setAttrib(x, R_ClassSymbol, value);
}

// Codes from 0 become a factor, with levels in the order of their first rows.
inline void make_factor(SEXP x, const eggcrate::Texts& all, std::size_t rows) {
  const auto order = eggcrate::in_row_order(all, INTEGER(x), rows);
  const Held levels(as_texts(order, order.size()));
  for (std::size_t i = 0; i < rows; ++i)
    if (INTEGER(x)[i] != NA_INTEGER) ++INTEGER(x)[i];
  Rf_setAttrib(x, R_LevelsSymbol, levels);
  set_class(x, "factor");
}

// Does the text have a letter other than the `e` of an exponent?
inline bool has_letter(const eggcrate::Text* t) {
  return std::any_of(t->data(), t->data() + t->length, [](char c) {
    const char lower = static_cast<char>(c | 0x20);
    return lower >= 'a' && lower <= 'z' && lower != 'e';
  });
}

// The texts that decide the type of a column: all different texts, or the first 200 if most of them have letters, so
// that they cannot be amounts.
inline SEXP texts_to_classify(const eggcrate::Texts& texts, int* lettered) {
  const auto all = texts.all();
  const auto with = static_cast<std::size_t>(std::count_if(all.begin(), all.end(), has_letter));
  *lettered = all.size() > 1000 && 2 * with > all.size() + 20;
  return as_texts(all, *lettered ? 200 : all.size());
}

}  // namespace bind
