#include "bind-reading.h"

#include <atomic>

#include "kernel/parquet.hpp"
#include "kernel/threads.hpp"

namespace {

Rcpp::exception damaged_file() { return Rcpp::exception("Its contents are damaged.", false); }

struct ParquetColumn {
  std::size_t rows;
  eggcrate::ParquetType type;
  bool optional;
  std::vector<eggcrate::ParquetChunk> chunks;
  std::vector<std::size_t> first;  // row of each chunk
  std::int32_t* whole = nullptr;
  double* real = nullptr;
  std::unique_ptr<eggcrate::Texts> texts;
  std::atomic<bool> left{false}, damaged{false};

  ParquetColumn(SEXP x, std::size_t n_rows)
      : rows(n_rows), type(static_cast<eggcrate::ParquetType>(bind::one_whole(bind::element(x, "type"), "type"))),
        optional(bind::one_flag(bind::element(x, "optional"), "optional")) {
    SEXP offset = bind::element(x, "offset"), size = bind::element(x, "size"), values = bind::element(x, "values"),
         packed = bind::element(x, "packed");
    const R_xlen_t n = Rf_xlength(offset);
    for (SEXP other : {size, values, packed}) bind::same_length(other, n, "chunks");
    std::size_t all = 0;
    for (R_xlen_t i = 0; i < n; ++i) {
      const auto count = [i](SEXP from) {
        const double d = bind::real(from, "chunks")[i];
        if (!(d >= 0 && d < 9007199254740992.0)) throw damaged_file();
        return static_cast<std::uint64_t>(d);
      };
      chunks.push_back({count(offset), count(size), count(values), bind::flags(packed, "packed")[i] == TRUE});
      first.push_back(all);
      all += static_cast<std::size_t>(chunks.back().values);
      if (chunks.back().values > rows) throw damaged_file();
    }
    if (all != rows) throw damaged_file();
    if (type == eggcrate::ParquetType::text) texts.reset(new eggcrate::Texts());
  }
};

// Reads chunks of one column after the other, in a thread.
class ParquetWorker {
 public:
  ParquetWorker(const std::string& path, std::vector<std::unique_ptr<ParquetColumn>>& columns) : path_(path), met_(columns.size()) {}

  void read(ParquetColumn& column, std::size_t at, std::size_t chunk) {
    try {
      eggcrate::load_chunk(path_, column.chunks[chunk], data_);
      if (column.type == eggcrate::ParquetType::text) {
        if (!met_[at]) met_[at].reset(new eggcrate::ParquetTexts(*column.texts));
        fill(column, chunk, *met_[at], column.whole);
      } else if (column.type == eggcrate::ParquetType::real) {
        eggcrate::ParquetNumbers<double> numbers(NA_REAL);
        fill(column, chunk, numbers, column.real);
      } else {
        eggcrate::ParquetNumbers<std::int32_t> numbers(NA_INTEGER);
        fill(column, chunk, numbers, column.whole);
      }
    } catch (const eggcrate::LeftToOthers&) {
      column.left = true;
    } catch (...) {
      column.damaged = true;
    }
  }

 private:
  template <class Form, class Out>
  void fill(ParquetColumn& column, std::size_t chunk, Form& form, Out* out) {
    form.begin(out + column.first[chunk]);
    eggcrate::read_chunk(data_.data(), column.chunks[chunk], column.optional, form);
  }

  const std::string& path_;
  std::vector<unsigned char> data_;
  std::vector<std::unique_ptr<eggcrate::ParquetTexts>> met_;
};

// Counts the codes of texts from 1, and returns the texts.
SEXP texts_of_column(ParquetColumn& column) {
  const auto order = eggcrate::in_row_order(*column.texts, column.whole, column.rows);
  const bind::Held texts(bind::as_texts(order, order.size()));
  for (std::size_t i = 0; i < column.rows; ++i)
    if (column.whole[i] != NA_INTEGER) ++column.whole[i];
  return texts;
}

}  // namespace

// Columns of a Parquet file. `columns`: each a list of `type` (0 whole, 1 real, 2 text), `optional`, and along the groups of rows
// `offset`, `size`, `values` and `packed`. Returns numbers; texts as a factor; NULL for a column in a form that is not read here.
// [[Rcpp::export(rng = false)]]
SEXP read_parquet_(SEXP path, SEXP rows, SEXP columns, SEXP threads) {
  const std::string from = bind::one_text(path, "path");
  const R_xlen_t n = static_cast<R_xlen_t>(bind::one_real(rows, "rows")), k = Rf_xlength(bind::checked(columns, VECSXP, "columns"));
  const bind::Held values(bind::allocate(VECSXP, k));
  std::vector<std::unique_ptr<ParquetColumn>> all;
  std::vector<std::pair<std::size_t, std::size_t>> tasks;
  for (R_xlen_t i = 0; i < k; ++i) {
    all.emplace_back(new ParquetColumn(VECTOR_ELT(columns, i), static_cast<std::size_t>(n)));
    ParquetColumn& one = *all.back();
    for (std::size_t j = 0; j < one.chunks.size(); ++j) tasks.emplace_back(i, j);
    const bool real = one.type == eggcrate::ParquetType::real;
    SET_VECTOR_ELT(values, i, bind::allocate(real ? REALSXP : INTSXP, n));
    if (real) one.real = REAL(VECTOR_ELT(values, i));
    else one.whole = INTEGER(VECTOR_ELT(values, i));
  }
  std::atomic<std::size_t> next{0};
  eggcrate::run_with_threads(std::max(1, bind::one_whole(threads, "threads")), [&](int) {
    ParquetWorker worker(from, all);
    for (std::size_t i; (i = next++) < tasks.size();) {
      ParquetColumn& column = *all[tasks[i].first];
      if (!column.left && !column.damaged) worker.read(column, tasks[i].first, tasks[i].second);
    }
  });
  for (R_xlen_t i = 0; i < k; ++i) {
    ParquetColumn& one = *all[static_cast<std::size_t>(i)];
    if (one.damaged) throw damaged_file();
    if (one.left) {
      SET_VECTOR_ELT(values, i, R_NilValue);
    } else if (one.texts) {
      SEXP column = VECTOR_ELT(values, i);
      const bind::Held texts(texts_of_column(one)), factor(Rcpp::unwindProtect([] { return Rf_mkString("factor"); }));
      Rf_setAttrib(column, R_LevelsSymbol, texts);
      Rf_setAttrib(column, R_ClassSymbol, factor);
    }
  }
  return values;
}

// The facts of a Parquet file: `names`, `rows`, `nested`, and `columns` as `read_parquet_()` takes them, also with `date`. `footer`: the
// place of the footer and its size.
// [[Rcpp::export(rng = false)]]
SEXP parquet_facts_(SEXP path, SEXP footer) {
  bind::same_length(footer, 2, "footer");
  const double* place = bind::real(footer, "footer");
  std::vector<unsigned char> data;
  eggcrate::ParquetFacts facts;
  try {
    eggcrate::load_chunk(bind::one_text(path, "path"), {static_cast<std::uint64_t>(place[0]), static_cast<std::uint64_t>(place[1]), 0, false}, data);
    facts = eggcrate::read_footer(data.data(), data.size());
  } catch (const eggcrate::DamagedFile&) {
    throw damaged_file();
  } catch (const eggcrate::LeftToOthers&) {
    throw damaged_file();
  }
  const R_xlen_t k = static_cast<R_xlen_t>(facts.columns.size());
  const bind::Held names(bind::allocate(STRSXP, k)), columns(bind::allocate(VECSXP, k));
  for (R_xlen_t i = 0; i < k; ++i) {
    const eggcrate::ParquetColumnFacts& one = facts.columns[static_cast<std::size_t>(i)];
    SET_STRING_ELT(names, i, Rcpp::unwindProtect([&one] {
      return Rf_mkCharLenCE(one.name.data(), static_cast<int>(one.name.size()), CE_UTF8);
    }));
    const R_xlen_t n = static_cast<R_xlen_t>(one.chunks.size());
    const bind::Held type(bind::one(static_cast<int>(one.type))), optional(bind::one(one.optional)), date(bind::one(one.date)),
        offset(bind::allocate(REALSXP, n)), size(bind::allocate(REALSXP, n)), values(bind::allocate(REALSXP, n)), packed(bind::allocate(LGLSXP, n));
    for (R_xlen_t j = 0; j < n; ++j) {
      const eggcrate::ParquetChunk& chunk = one.chunks[static_cast<std::size_t>(j)];
      REAL(offset)[j] = static_cast<double>(chunk.offset);
      REAL(size)[j] = static_cast<double>(chunk.size);
      REAL(values)[j] = static_cast<double>(chunk.values);
      LOGICAL(packed)[j] = chunk.packed;
    }
    SET_VECTOR_ELT(columns, i, bind::named({{"type", type}, {"optional", optional}, {"date", date}, {"offset", offset}, {"size", size},
                                            {"values", values}, {"packed", packed}}));
  }
  const bind::Held rows(bind::one(static_cast<double>(facts.rows))), nested(bind::one(facts.nested));
  return bind::named({{"names", names}, {"rows", rows}, {"nested", nested}, {"columns", columns}});
}
