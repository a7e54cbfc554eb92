#include "bind-reading.h"

#include <atomic>

#include "kernel/parquet.hpp"
#include "kernel/threads.hpp"

namespace {

Rcpp::exception damaged_file() { return Rcpp::exception("Its contents are damaged.", false); }

// `footer`: its position and its size.
eggcrate::ParquetFacts facts_of(const std::string& path, SEXP footer) {
  bind::same_length(footer, 2, "footer");
  const double* place = bind::real(footer, "footer");
  std::vector<unsigned char> data;
  try {
    eggcrate::load_bytes(path, static_cast<std::uint64_t>(place[0]), static_cast<std::uint64_t>(place[1]), data);
    return eggcrate::read_footer(data.data(), data.size());
  } catch (const eggcrate::DamagedFile&) {
    throw damaged_file();
  } catch (const eggcrate::LeftToOthers&) {
    throw damaged_file();
  }
}

// A column while threads fill it.
struct ParquetColumn {
  const eggcrate::ParquetColumnFacts& facts;
  std::vector<std::size_t> first;  // the first row of each chunk
  std::int32_t* whole = nullptr;
  double* real = nullptr;
  eggcrate::Texts texts;
  std::atomic<bool> left{false}, damaged{false};

  explicit ParquetColumn(const eggcrate::ParquetColumnFacts& f) : facts(f) {
    std::size_t row = 0;
    for (const eggcrate::ParquetChunk& chunk : facts.chunks) {
      first.push_back(row);
      row += static_cast<std::size_t>(chunk.values);
    }
  }
};

// Reads chunks in one thread.
class ParquetWorker {
 public:
  ParquetWorker(const std::string& path, std::size_t columns) : path_(path), met_(columns) {}

  void read(ParquetColumn& column, std::size_t at, std::size_t chunk) {
    try {
      const eggcrate::ParquetChunk& c = column.facts.chunks[chunk];
      eggcrate::load_bytes(path_, c.offset, c.size, data_);
      if (column.facts.type == eggcrate::ParquetType::text) {
        if (!met_[at]) met_[at].reset(new eggcrate::ParquetTexts(column.texts));
        fill(column, chunk, *met_[at], column.whole);
      } else if (column.facts.type == eggcrate::ParquetType::real) {
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
    eggcrate::read_chunk(data_.data(), column.facts.chunks[chunk], column.facts.optional, form);
  }

  const std::string& path_;
  std::vector<unsigned char> data_;
  std::vector<std::unique_ptr<eggcrate::ParquetTexts>> met_;
};

}  // namespace

// The names of the columns of a Parquet file, the number of rows, and whether a column is nested. `footer`: its position and its size.
// [[Rcpp::export(rng = false)]]
SEXP parquet_facts_(SEXP path, SEXP footer) {
  const eggcrate::ParquetFacts facts = facts_of(bind::one_text(path, "path"), footer);
  const R_xlen_t k = static_cast<R_xlen_t>(facts.columns.size());
  const bind::Held names(bind::allocate(STRSXP, k));
  Rcpp::unwindProtect([&] {
    for (R_xlen_t i = 0; i < k; ++i) {
      const std::string& name = facts.columns[static_cast<std::size_t>(i)].name;
      SET_STRING_ELT(names, i, Rf_mkCharLenCE(name.data(), static_cast<int>(name.size()), CE_UTF8));
    }
    return R_NilValue;
  });
  const bind::Held rows(bind::one(static_cast<double>(facts.rows))), nested(bind::one(facts.nested));
  return bind::named({{"names", names}, {"rows", rows}, {"nested", nested}});
}

// Columns of a Parquet file. `at`: their numbers, from 1. Returns numbers and days; texts as a factor; NULL for a column in a form that
// this reader does not support.
// [[Rcpp::export(rng = false)]]
SEXP read_parquet_(SEXP path, SEXP footer, SEXP at, SEXP threads) {
  const std::string from = bind::one_text(path, "path");
  const eggcrate::ParquetFacts facts = facts_of(from, footer);
  const int* number = bind::groups(at, static_cast<int>(facts.columns.size()), "at");
  const R_xlen_t n = static_cast<R_xlen_t>(facts.rows), k = Rf_xlength(at);
  const bind::Held values(bind::allocate(VECSXP, k));
  std::vector<std::unique_ptr<ParquetColumn>> all;
  std::vector<std::pair<std::size_t, std::size_t>> tasks;
  for (R_xlen_t i = 0; i < k; ++i) {
    all.emplace_back(new ParquetColumn(facts.columns[static_cast<std::size_t>(number[i] - 1)]));
    ParquetColumn& one = *all.back();
    one.left = one.facts.type == eggcrate::ParquetType::other;
    if (one.left) continue;
    const bool real = one.facts.type == eggcrate::ParquetType::real;
    SET_VECTOR_ELT(values, i, bind::allocate(real ? REALSXP : INTSXP, n));
    if (real) one.real = REAL(VECTOR_ELT(values, i));
    else one.whole = INTEGER(VECTOR_ELT(values, i));
    for (std::size_t j = 0; j < one.first.size(); ++j) tasks.emplace_back(i, j);
  }
  std::atomic<std::size_t> next{0};
  eggcrate::run_with_threads(std::max(1, bind::one_whole(threads, "threads")), [&](int) {
    ParquetWorker worker(from, all.size());
    for (std::size_t i; (i = next++) < tasks.size();) {
      ParquetColumn& column = *all[tasks[i].first];
      if (!column.left && !column.damaged) worker.read(column, tasks[i].first, tasks[i].second);
    }
  });
  for (R_xlen_t i = 0; i < k; ++i) {
    const ParquetColumn& one = *all[static_cast<std::size_t>(i)];
    if (one.damaged) throw damaged_file();
    if (one.left) SET_VECTOR_ELT(values, i, R_NilValue);
    else if (one.facts.type == eggcrate::ParquetType::text) bind::make_factor(VECTOR_ELT(values, i), one.texts, static_cast<std::size_t>(n));
    else if (one.facts.date) bind::set_class(VECTOR_ELT(values, i), "Date");
  }
  return values;
}
