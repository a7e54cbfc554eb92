#include <climits>
#include <cstring>

#include "bind-reading.h"
#include "kernel/lookups.hpp"
#include "kernel/tally.hpp"

using eggcrate::Kind;

namespace {

// Texts are R's cached strings: the handle is their address.
bool blank_text(std::uint64_t handle) {
  SEXP s = reinterpret_cast<SEXP>(handle);
  return s == NA_STRING || eggcrate::is_blank(R_CHAR(s), static_cast<std::size_t>(LENGTH(s)));
}

std::string in_utf8(SEXP s) {
  std::string out;
  const bool latin1 = Rf_getCharCE(s) == CE_LATIN1;
  for (const auto* c = reinterpret_cast<const unsigned char*>(R_CHAR(s)); *c; ++c) {
    if (latin1 && *c >= 0x80) {
      out += static_cast<char>(0xC0 | (*c >> 6));
      out += static_cast<char>(0x80 | (*c & 0x3F));
    } else {
      out += static_cast<char>(*c);
    }
  }
  return out;
}

// Threads ask this, so nothing of R's that allocates may be called.
std::uint8_t same_text(std::uint64_t a, std::uint64_t b) {
  if (blank_text(a) || blank_text(b)) return eggcrate::unknown;
  if (a == b) return eggcrate::yes;
  SEXP x = reinterpret_cast<SEXP>(a), y = reinterpret_cast<SEXP>(b);
  // R keeps a text once for each encoding.
  if (Rf_getCharCE(x) == Rf_getCharCE(y)) return eggcrate::no;
  return in_utf8(x) == in_utf8(y) ? eggcrate::yes : eggcrate::no;
}

// Does a text need a second look? Blank ones do, and those with letters beyond
// ASCII, which may stand in several encodings.
bool odd_text(SEXP s) {
  if (s == NA_STRING || blank_text(reinterpret_cast<std::uint64_t>(s))) return true;
  for (const char* c = R_CHAR(s); *c; ++c)
    if (static_cast<signed char>(*c) < 0) return true;
  return false;
}

// Texts of files: the handle is the address of one that is kept once.
bool blank_of_file(std::uint64_t handle) {
  const eggcrate::Text* t = eggcrate::Text::of(handle);
  return eggcrate::is_blank(t->data(), t->length);
}

std::uint8_t same_of_file(std::uint64_t a, std::uint64_t b) {
  if (blank_of_file(a) || blank_of_file(b)) return eggcrate::unknown;
  // Two columns, each with its own list.
  const eggcrate::Text* t = eggcrate::Text::of(a);
  return eggcrate::Text::of(b)->is(t->data(), t->length) ? eggcrate::yes : eggcrate::no;
}

// What questions may know of their columns.
struct Columns {
  std::vector<int> types;                    // R's
  const bind::FilesToRead* files = nullptr;  // none: in memory

  std::size_t place(SEXP x, const char* name) const {
    const int at = bind::one_whole(bind::element(x, name), name);
    if (at < 1 || static_cast<std::size_t>(at) > types.size()) throw Rcpp::exception("a column that is not there", false);
    return static_cast<std::size_t>(at) - 1;
  }
};

bool fits(const int* code, R_xlen_t n, int levels) {
  const unsigned last = static_cast<unsigned>(levels);
  bool outside = false;
  // Below 1 and above the levels at once: 0 - 1 is the greatest unsigned number.
  for (R_xlen_t i = 0; i < n; ++i)
    outside |= code[i] != NA_INTEGER && static_cast<unsigned>(code[i]) - 1u >= last;
  return !outside;
}

// The columns of a question, each of `n` rows; whoever calls has checked that factors have no
// codes outside their levels.
std::vector<eggcrate::Column> columns_of(SEXP list, R_xlen_t n) {
  bind::checked(list, VECSXP, "columns");
  std::vector<eggcrate::Column> out;
  for (R_xlen_t k = 0; k < Rf_xlength(list); ++k) {
    SEXP x = VECTOR_ELT(list, k);
    bind::same_length(x, n, "a column");
    eggcrate::Column c;
    switch (TYPEOF(x)) {
      case REALSXP: c.kind = Kind::real; c.data = REAL_RO(x); break;
      case INTSXP: c.kind = Kind::whole; c.data = INTEGER_RO(x); break;
      case LGLSXP: c.kind = Kind::whole; c.data = LOGICAL_RO(x); break;
      case STRSXP: c.kind = Kind::text; c.data = STRING_PTR_RO(x); break;
      default: throw Rcpp::exception("a column of another type reached the kernel", false);
    }
    out.push_back(c);
  }
  return out;
}

eggcrate::Program program(SEXP x, const Columns& columns) {
  eggcrate::Program p;
  SEXP op = bind::element(x, "op");
  const R_xlen_t n = Rf_xlength(op);
  const int *ops = bind::whole(op, "op"), *a = bind::whole(bind::element(x, "a"), "a"),
            *b = bind::whole(bind::element(x, "b"), "b"),
            *col = bind::whole(bind::element(x, "column"), "column"),
            *set = bind::whole(bind::element(x, "set"), "set");
  const double* number = bind::real(bind::element(x, "number"), "number");
  for (const char* field : {"a", "b", "column", "set", "number"})
    bind::same_length(bind::element(x, field), n, field);
  for (R_xlen_t i = 0; i < n; ++i) {
    eggcrate::Instr in;
    in.op = static_cast<eggcrate::Op>(ops[i]);
    in.a = a[i] - 1;
    in.b = b[i] - 1;
    in.column = col[i] - 1;
    in.set = set[i] - 1;
    in.number = number[i];
    p.code.push_back(in);
  }
  p.same_text = columns.files ? same_of_file : same_text;
  p.places.assign(p.code.size(), 0);
  SEXP sets = bind::element(x, "sets"), tables = bind::element(x, "tables");
  for (R_xlen_t k = 0; k < Rf_xlength(sets); ++k) {
    SEXP one = VECTOR_ELT(sets, k), members = bind::element(one, "members");
    const SEXP* m = bind::texts(members, "members");
    eggcrate::TextSet t;
    for (R_xlen_t i = 0; i < Rf_xlength(members); ++i) {
      if (!columns.files) t.members.push_back(reinterpret_cast<std::uint64_t>(m[i]));
      else
        for (const eggcrate::Instr& in : p.code)  // each column has its own texts
          if (in.op == eggcrate::Op::text_test && in.set == k) {
            const std::string text = in_utf8(m[i]);
            t.members.push_back(columns.files->texts.at(static_cast<std::size_t>(in.column))->asked(text.data(), text.size()));
          }
    }
    t.missing_is_yes = bind::one_flag(bind::element(one, "missing_is_yes"), "missing_is_yes");
    t.blank = columns.files ? blank_of_file : blank_text;
    p.sets.push_back(t);
  }
  for (R_xlen_t k = 0; k < Rf_xlength(tables); ++k) {
    SEXP one = VECTOR_ELT(tables, k);
    const int* truth = bind::whole(one, "a table");
    p.tables.emplace_back(truth, truth + Rf_xlength(one));
  }
  return p;
}

eggcrate::Key key(SEXP x, const Columns& columns, eggcrate::Question& q) {
  eggcrate::Key k;
  SEXP made = bind::element(x, "program");
  if (made != R_NilValue) {
    q.key_programs.push_back(program(made, columns));
    k.program = static_cast<int>(q.key_programs.size()) - 1;
    return k;
  }
  k.column = columns.place(x, "column");
  k.codes = static_cast<std::size_t>(bind::one_whole(bind::element(x, "codes"), "codes"));
  return k;
}

// Words as R holds them, in a vector of the type `type`; `odd` gets the positions of
// odd texts: they are near at hand just now.
template <class Word>
SEXP word_values(R_xlen_t n, Word word, int type, bool of_files, std::vector<int>& odd) {
  if (type == STRSXP && of_files) {
    const bind::Held out(bind::allocate(STRSXP, n));
    Rcpp::unwindProtect([&] {
      for (R_xlen_t i = 0; i < n; ++i) {
        SET_STRING_ELT(out, i, bind::new_text(eggcrate::Text::of(word(i))));
        if (odd_text(STRING_ELT(out, i))) odd.push_back(static_cast<int>(i) + 1);
      }
      return R_NilValue;
    });
    return out;
  }
  const auto text = [&](R_xlen_t i) { return reinterpret_cast<SEXP>(word(i)); };
  if (type == STRSXP)
    return bind::gathered(n, text, [&](R_xlen_t i) {
      if (odd_text(text(i))) odd.push_back(static_cast<int>(i) + 1);
    });
  SEXP out = bind::allocate(type, n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const std::uint64_t w = word(i);
    switch (type) {
      case REALSXP: std::memcpy(&REAL(out)[i], &w, sizeof w); break;
      case LGLSXP: LOGICAL(out)[i] = static_cast<int>(static_cast<std::int64_t>(w)); break;
      default: INTEGER(out)[i] = static_cast<int>(static_cast<std::int64_t>(w)); break;
    }
  }
  return out;
}

// The values of a key, item by item; or, `coded`, the number of each one's value and the
// different values.
SEXP key_values(const eggcrate::Tally& t, std::size_t k, std::size_t width, int type, bool of_files, bool coded,
                std::vector<int>& odd) {
  if (!coded)
    return word_values(
        static_cast<R_xlen_t>(t.items),
        [&](R_xlen_t i) { return t.words[static_cast<std::size_t>(i) * width + k]; }, type, of_files, odd);
  eggcrate::TupleGroups different(1);  // slots of eight bytes: values are many, rows of each few
  std::vector<std::uint64_t> words(eggcrate::kChunk);
  std::vector<std::uint32_t> ids(eggcrate::kChunk);
  const bind::Held code(bind::allocate(INTSXP, static_cast<R_xlen_t>(t.items)));
  int* c = INTEGER(code);
  for (std::size_t from = 0; from < t.items; from += eggcrate::kChunk) {
    const std::size_t n = std::min(eggcrate::kChunk, t.items - from);
    for (std::size_t i = 0; i < n; ++i) words[i] = t.words[(from + i) * width + k];
    different.locate(words.data(), n, ids.data(), eggcrate::Lanes());
    for (std::size_t i = 0; i < n; ++i) c[from + i] = static_cast<int>(ids[i]) + 1;
  }
  const bind::Held values(word_values(
      static_cast<R_xlen_t>(different.size()),
      [&](R_xlen_t i) { return different.words()[static_cast<std::size_t>(i)]; }, type, of_files, odd));
  return bind::named({{"code", code}, {"values", values}});
}

// Counted from 1; missing where there is none.
double row_number(std::size_t row) {
  return row == eggcrate::kNoRow ? NA_REAL : static_cast<double>(row) + 1;
}

SEXP counts(const std::vector<std::uint32_t>& x) {
  if (x.empty()) return R_NilValue;
  SEXP out = bind::allocate(REALSXP, static_cast<R_xlen_t>(x.size()));
  for (std::size_t i = 0; i < x.size(); ++i) REAL(out)[i] = x[i];
  return out;
}

SEXP numbers(const std::vector<double>& x) {
  SEXP out = bind::allocate(REALSXP, static_cast<R_xlen_t>(x.size()));
  std::copy(x.begin(), x.end(), REAL(out));
  return out;
}

SEXP sum_result(const eggcrate::SumResult& r, const eggcrate::Sum& s, int decimals) {
  const bind::Held total(bind::new_exact(static_cast<R_xlen_t>(r.total.size())));
  if (!r.total.empty())
    std::memcpy(COMPLEX(total), r.total.data(), r.total.size() * sizeof(eggcrate::i128));
  const bind::Held places(bind::one(decimals == eggcrate::kNotDecimal ? NA_INTEGER : decimals)),
      lowest(bind::one(s.lowest)), missing(counts(r.missing)), skipped(counts(r.skipped)),
      rounded(counts(r.rounded)),
      all_missing(bind::one(static_cast<double>(r.all_missing))),
      first_missing(bind::one(row_number(r.first_missing)));
  return bind::named({{"total", total}, {"places", places}, {"lowest", lowest},
                      {"missing", missing}, {"skipped", skipped}, {"rounded", rounded},
                      {"all_missing", all_missing}, {"first_missing", first_missing}});
}

eggcrate::Sum sum_of(SEXP x, const Columns& columns, eggcrate::Question& q) {
  eggcrate::Sum sum;
  sum.measure = static_cast<eggcrate::Measure>(bind::one_whole(bind::element(x, "measure"), "measure"));
  const int n = static_cast<int>(q.program.code.size());
  sum.value = bind::one_whole(bind::element(x, "value"), "value") - 1;
  sum.when = bind::one_whole(bind::element(x, "when"), "when") - 1;
  if (sum.value < 0 || sum.value >= n || sum.when >= n)
    throw Rcpp::exception("a sum of no register", false);
  SEXP of = bind::element(x, "of");
  if (of != R_NilValue) sum.of = key(of, columns, q);
  return sum;
}

// What the kernel found, as R's lists.
SEXP answer(const eggcrate::Tally& t, const eggcrate::Question& q, const Columns& columns) {
  const R_xlen_t width = static_cast<R_xlen_t>(q.keys.size());
  const bind::Held key_list(bind::allocate(VECSXP, width)), odd_list(bind::allocate(VECSXP, width)),
      sum_list(bind::allocate(VECSXP, static_cast<R_xlen_t>(t.sums.size())));
  for (R_xlen_t k = 0; k < width; ++k) {
    const auto at = static_cast<std::size_t>(k);
    const int type = q.keys[at].program >= 0 ? INTSXP : columns.types.at(q.keys[at].column);
    std::vector<int> odd;
    SET_VECTOR_ELT(key_list, k, key_values(t, at, q.keys.size(), type, columns.files, q.apart, odd));
    const bind::Held places(bind::allocate(INTSXP, static_cast<R_xlen_t>(odd.size())));
    std::copy(odd.begin(), odd.end(), INTEGER(places));
    SET_VECTOR_ELT(odd_list, k, places);
  }
  for (std::size_t i = 0; i < t.sums.size(); ++i)
    SET_VECTOR_ELT(sum_list, static_cast<R_xlen_t>(i), sum_result(t.sums[i], q.sums[i], q.places_of(q.sums[i])));
  std::vector<double> refused, unsure, first;
  for (const eggcrate::Gate& g : q.gates) {
    refused.push_back(static_cast<double>(g.refused));
    unsure.push_back(static_cast<double>(g.unsure));
    first.push_back(row_number(g.first));
  }
  const bind::Held rows(bind::allocate(REALSXP, static_cast<R_xlen_t>(t.items))),
      refused_(numbers(refused)), unsure_(numbers(unsure)), first_(numbers(first)),
      used(bind::one(static_cast<double>(t.used)));
  for (std::size_t i = 0; i < t.items; ++i) REAL(rows)[i] = static_cast<double>(t.rows[i]);
  return bind::named({{"keys", key_list}, {"odd", odd_list}, {"rows", rows},
                      {"sums", sum_list}, {"refused", refused_}, {"unsure", unsure_},
                      {"first", first_}, {"used", used}});
}

eggcrate::Question question(SEXP x, const Columns& columns) {
  eggcrate::Question q;
  SEXP gates = bind::element(x, "gates"), keys = bind::element(x, "keys"), sums = bind::element(x, "sums");
  if (Rf_xlength(keys) == 0) throw Rcpp::exception("a tally needs a key", false);
  q.apart = bind::one_flag(bind::element(x, "apart"), "apart");
  for (R_xlen_t i = 0; i < Rf_xlength(gates); ++i)
    q.gates.push_back({program(VECTOR_ELT(gates, i), columns), 0, 0, eggcrate::kNoRow});
  for (R_xlen_t i = 0; i < Rf_xlength(keys); ++i) q.keys.push_back(key(VECTOR_ELT(keys, i), columns, q));
  q.program = program(bind::element(x, "values"), columns);
  for (R_xlen_t i = 0; i < Rf_xlength(sums); ++i) q.sums.push_back(sum_of(VECTOR_ELT(sums, i), columns, q));
  return q;
}

// `status` for all questions of one pass, and where it is well `answers` along them.
SEXP answer_all(SEXP questions, const Columns& columns, eggcrate::Supply& supply, SEXP progress) {
  std::vector<eggcrate::Question> all;
  for (R_xlen_t i = 0; i < Rf_xlength(bind::checked(questions, VECSXP, "questions")); ++i)
    all.push_back(question(VECTOR_ELT(questions, i), columns));
  std::vector<eggcrate::Tally> tallies;
  bind::Watch watch(progress);
  const eggcrate::Status s = eggcrate::tally(all, supply, tallies, watch.poll());
  const bind::Held status(bind::status(s)), answers(bind::allocate(VECSXP, s.ok() ? Rf_xlength(questions) : 0));
  for (R_xlen_t i = 0; i < Rf_xlength(answers); ++i) {
    eggcrate::Tally& t = tallies[static_cast<std::size_t>(i)];
    SET_VECTOR_ELT(answers, i, answer(t, all[static_cast<std::size_t>(i)], columns));
    t = eggcrate::Tally();  // it is R's now
  }
  return bind::named({{"status", status}, {"answers", answers}});
}

}  // namespace

// The first row of each of `most` codes, from 1; 0 for a code without rows.
// [[Rcpp::export(rng = false)]]
SEXP first_rows_(SEXP code, SEXP most) {
  const R_xlen_t n = Rf_xlength(code), k = bind::one_whole(most, "most");
  const int* x = bind::whole(code, "code");
  const bind::Held out(bind::allocate(INTSXP, k));
  int* first = INTEGER(out);
  std::fill(first, first + k, 0);
  for (R_xlen_t i = 0; i < n; ++i)
    if (x[i] > 0 && x[i] <= k && first[x[i] - 1] == 0) first[x[i] - 1] = static_cast<int>(i) + 1;
  return out;
}

// Are all codes of a factor within its levels, or missing?
// [[Rcpp::export(rng = false)]]
SEXP codes_fit_(SEXP code, SEXP levels) {
  return bind::one(fits(bind::whole(code, "code"), Rf_xlength(code), bind::one_whole(levels, "levels")));
}

// Tables that are looked up beside files. Each is a list of `keys` (places of columns, from 1), `theirs`
// (the same of the table, in UTF-8, as texts) and `columns` (vectors, no text in another encoding).
struct TablesToRead {
  std::vector<eggcrate::Table> all;
  std::vector<std::unique_ptr<std::vector<std::uint64_t>>> handles;  // of columns of texts

  TablesToRead(SEXP tables, bind::FilesToRead& files, Columns& known) {
    for (R_xlen_t i = 0; i < Rf_xlength(bind::checked(tables, VECSXP, "tables")); ++i) all.push_back(table(VECTOR_ELT(tables, i), files, known));
  }

 private:
  eggcrate::Table table(SEXP x, bind::FilesToRead& files, Columns& known) {
    SEXP places = bind::element(x, "keys"), theirs = bind::element(x, "theirs"), columns = bind::element(x, "columns");
    std::vector<std::size_t> keys;
    for (R_xlen_t k = 0; k < Rf_xlength(places); ++k) {
      keys.push_back(static_cast<std::size_t>(bind::whole(places, "keys")[k]) - 1);
      if (known.types.at(keys.back()) != STRSXP) throw Rcpp::exception("a key that is no text", false);
    }
    bind::same_length(bind::checked(theirs, VECSXP, "theirs"), Rf_xlength(places), "theirs");
    const R_xlen_t rows = Rf_xlength(VECTOR_ELT(theirs, 0));
    std::vector<eggcrate::Column> added = columns_of(columns, rows);
    for (std::size_t c = 0; c < added.size(); ++c) {
      files.texts.emplace_back(new eggcrate::Texts());  // also beside numbers, to be in step
      known.types.push_back(TYPEOF(VECTOR_ELT(columns, static_cast<R_xlen_t>(c))));
      if (added[c].kind == Kind::text) added[c].data = texts_of(VECTOR_ELT(columns, static_cast<R_xlen_t>(c)), *files.texts.back());
    }
    eggcrate::Table out(std::move(keys), std::move(added), blank_.asked("", 0));
    for (R_xlen_t row = 0; row < rows; ++row)
      if (std::vector<std::string> key; has_key(theirs, row, key)) out.add(key, static_cast<std::int32_t>(row));
    return out;
  }

  static bool has_key(SEXP theirs, R_xlen_t row, std::vector<std::string>& key) {
    for (R_xlen_t k = 0; k < Rf_xlength(theirs); ++k) {
      SEXP s = bind::texts(VECTOR_ELT(theirs, k), "theirs")[row];
      if (s == NA_STRING) return false;
      key.emplace_back(R_CHAR(s), static_cast<std::size_t>(LENGTH(s)));
    }
    return true;
  }

  const void* texts_of(SEXP x, eggcrate::Texts& texts) {
    handles.emplace_back(new std::vector<std::uint64_t>());
    const SEXP* s = bind::texts(x, "a column");
    for (R_xlen_t i = 0; i < Rf_xlength(x); ++i) {
      const bool missing = s[i] == NA_STRING;
      handles.back()->push_back(texts.asked(missing ? "" : R_CHAR(s[i]), missing ? 0 : static_cast<std::size_t>(LENGTH(s[i]))));
    }
    return handles.back()->data();
  }

  eggcrate::Texts blank_;
};

SEXP unmatched(const eggcrate::Unmatched& u) {
  const bind::Held rows(bind::one(static_cast<double>(u.rows))), key(bind::allocate(STRSXP, static_cast<R_xlen_t>(u.key.size())));
  Rcpp::unwindProtect([&] {
    for (std::size_t k = 0; k < u.key.size(); ++k) SET_STRING_ELT(key, static_cast<R_xlen_t>(k), bind::new_text(eggcrate::Text::of(u.key[k])));
    return R_NilValue;
  });
  return bind::named({{"rows", rows}, {"key", key}});
}

// Questions of columns in memory, in one pass. Each is a list of `gates`, `keys`, `values`, `sums`
// and `apart`; their columns are places among `columns`, from 1.
// [[Rcpp::export(rng = false)]]
SEXP tally_(SEXP columns, SEXP n, SEXP questions, SEXP threads, SEXP progress) {
  const double rows = bind::one_real(n, "n");
  Columns all;
  bind::checked(columns, VECSXP, "columns");
  for (R_xlen_t i = 0; i < Rf_xlength(columns); ++i) all.types.push_back(TYPEOF(VECTOR_ELT(columns, i)));
  eggcrate::InMemory supply(columns_of(columns, static_cast<R_xlen_t>(rows)), static_cast<std::size_t>(rows), bind::one_whole(threads, "threads"));
  return answer_all(questions, all, supply, progress);
}

// The same of files that have been scanned (bind-reading.h says how they are named), whose columns
// are never all in memory. `told`: of which columns all different texts are given back, as `texts`.
// The columns of tables that are looked up stand behind those of the files; `unmatched` says of how many
// rows one does not have the key, and what the first is. `outcome` and `odd` say whether the files were
// read, and which column was not.
// [[Rcpp::export(rng = false)]]
SEXP tally_files_(SEXP files, SEXP kinds, SEXP trims, SEXP told, SEXP tables, SEXP questions, SEXP threads, SEXP progress) {
  bind::FilesToRead f(files, kinds, trims, threads);
  Columns all;
  all.files = &f;
  for (const eggcrate::Cell kind : f.reading.kinds)
    all.types.push_back(kind == eggcrate::Cell::text ? STRSXP : kind == eggcrate::Cell::real ? REALSXP : INTSXP);
  const std::size_t own = all.types.size();
  const TablesToRead t(tables, f, all);
  eggcrate::FromFiles supply(f.reading);
  eggcrate::WithTables with_tables(supply, own, supply.kRows, t.all);
  const bind::Held found(answer_all(questions, all, t.all.empty() ? static_cast<eggcrate::Supply&>(supply) : with_tables, progress)),
      without(bind::allocate(VECSXP, static_cast<R_xlen_t>(t.all.size())));
  for (std::size_t i = 0; i < t.all.size(); ++i) SET_VECTOR_ELT(without, static_cast<R_xlen_t>(i), unmatched(with_tables.unmatched(i)));
  const bind::Held texts(bind::allocate(VECSXP, Rf_xlength(kinds))), lettered(bind::allocate(LGLSXP, Rf_xlength(kinds)));
  for (R_xlen_t i = 0; i < Rf_xlength(kinds); ++i) {
    LOGICAL(lettered)[i] = FALSE;
    if (bind::flags(told, "told")[i] == TRUE) SET_VECTOR_ELT(texts, i, bind::texts_to_classify(*f.texts[static_cast<std::size_t>(i)], &LOGICAL(lettered)[i]));
  }
  const bind::Held outcome(bind::one(static_cast<int>(supply.result().outcome))), odd(bind::one(supply.result().odd_column + 1));
  return bind::named({{"outcome", outcome}, {"odd", odd}, {"texts", texts}, {"lettered", lettered}, {"unmatched", without}, {"status", bind::element(found, "status")},
                      {"answers", bind::element(found, "answers")}});
}

// x[at], for positions that exist.
// [[Rcpp::export(rng = false)]]
SEXP texts_at_(SEXP x, SEXP at) {
  const SEXP* s = bind::texts(x, "x");
  const R_xlen_t n = Rf_xlength(x);
  const int* i = bind::groups(at, n > INT_MAX ? INT_MAX : static_cast<int>(n), "at");
  return bind::gathered(Rf_xlength(at), [&](R_xlen_t k) { return s[i[k] - 1]; }, [](R_xlen_t) {});
}

// [[Rcpp::export(rng = false)]]
SEXP blank_texts_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const SEXP* s = bind::texts(x, "x");
  const bind::Held out(bind::allocate(LGLSXP, n));
  int* o = LOGICAL(out);
  for (R_xlen_t i = 0; i < n; ++i) o[i] = blank_text(reinterpret_cast<std::uint64_t>(s[i]));
  return out;
}

// 64-bit integers, which lie in the bits of doubles, as doubles; NULL where one is too large to be
// one exactly.
// [[Rcpp::export(rng = false)]]
SEXP whole_64_(SEXP x) {
  const double* from = bind::real(x, "x");
  const R_xlen_t n = Rf_xlength(x);
  const bind::Held out(bind::allocate(REALSXP, n));
  constexpr std::int64_t limit = std::int64_t(1) << 53;
  for (R_xlen_t i = 0; i < n; ++i) {
    std::int64_t v;
    std::memcpy(&v, from + i, sizeof v);
    const bool missing = v == std::numeric_limits<std::int64_t>::min();
    if (!missing && (v > limit || v < -limit)) return R_NilValue;
    REAL(out)[i] = missing ? NA_REAL : static_cast<double>(v);
  }
  return out;
}

// The same as texts.
// [[Rcpp::export(rng = false)]]
SEXP texts_64_(SEXP x) {
  const double* from = bind::real(x, "x");
  const R_xlen_t n = Rf_xlength(x);
  const bind::Held out(bind::allocate(STRSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    std::int64_t v;
    std::memcpy(&v, from + i, sizeof v);
    const std::string text = std::to_string(v);
    SET_STRING_ELT(out, i, v == std::numeric_limits<std::int64_t>::min()
                               ? NA_STRING
                               : Rcpp::unwindProtect([&text] { return Rf_mkChar(text.c_str()); }));
  }
  return out;
}

// Data that a result can go back to as long as it lives here: R writes nothing of a
// weak reference to a file.
// [[Rcpp::export(rng = false)]]
SEXP hold_(SEXP key, SEXP value) {
  return R_MakeWeakRef(bind::checked(key, ENVSXP, "key"), value, R_NilValue, FALSE);
}
// [[Rcpp::export(rng = false)]]
SEXP held_(SEXP reference) { return R_WeakRefValue(bind::checked(reference, WEAKREFSXP, "reference")); }

// For each row the number of the first row equal to it, counted among firsts. A text in two
// encodings is two: keys are in UTF-8.
// [[Rcpp::export(rng = false)]]
SEXP number_rows_(SEXP columns, SEXP rows) {
  const R_xlen_t n = bind::one_whole(rows, "rows");
  const std::vector<eggcrate::Column> all = columns_of(columns, n);
  const std::size_t width = all.size();
  // Only numbers are wanted. With many rows, slots without counts and sums save half of the memory.
  std::unique_ptr<eggcrate::Groups> groups;
  if (n > 1000000) groups = std::make_unique<eggcrate::TupleGroups>(width);
  else groups = eggcrate::make_groups(std::vector<eggcrate::Key>(width), false);
  std::vector<std::uint64_t> words(eggcrate::kChunk * width);
  const bind::Held out(bind::allocate(INTSXP, n));
  auto* ids = reinterpret_cast<std::uint32_t*>(INTEGER(out));
  for (std::size_t from = 0; from < static_cast<std::size_t>(n); from += eggcrate::kChunk) {
    const std::size_t m = std::min(eggcrate::kChunk, static_cast<std::size_t>(n) - from);
    for (std::size_t k = 0; k < width; ++k)
      for (std::size_t i = 0; i < m; ++i)
        words[i * width + k] = eggcrate::detail::word_at(all[k], from + i);
    groups->locate(words.data(), m, ids + from, eggcrate::Lanes());
    for (std::size_t i = 0; i < m; ++i) ++ids[from + i];
  }
  return out;
}
