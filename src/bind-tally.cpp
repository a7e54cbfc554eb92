#include "bind.h"
#include "kernel/tally.hpp"

using namespace cpp11::literals;
using eggcrate::Kind;

namespace {

// Texts are R's cached strings: the handle is their address.
bool blank_text(std::uint64_t handle) {
  SEXP s = reinterpret_cast<SEXP>(handle);
  if (s == NA_STRING) return true;
  const auto* c = reinterpret_cast<const unsigned char*>(R_CHAR(s));
  for (; *c; ++c) {
    if (*c == ' ' || (*c >= '\t' && *c <= '\r')) continue;
    if (c[0] == 0xC2 && c[1] == 0xA0) { ++c; continue; }  // no-break space
    return false;
  }
  return true;
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

eggcrate::Column column(SEXP x) {
  eggcrate::Column c;
  switch (TYPEOF(x)) {
    case REALSXP: c.kind = Kind::real; c.data = REAL_RO(x); break;
    case INTSXP: c.kind = Kind::whole; c.data = INTEGER_RO(x); break;
    case LGLSXP: c.kind = Kind::whole; c.data = LOGICAL_RO(x); break;
    case STRSXP: c.kind = Kind::text; c.data = STRING_PTR_RO(x); break;
    default: cpp11::stop("a column of type %s reached the kernel", Rf_type2char(TYPEOF(x)));
  }
  return c;
}

eggcrate::Program program(const cpp11::list& x) {
  eggcrate::Program p;
  cpp11::integers op(x["op"]), a(x["a"]), b(x["b"]), col(x["column"]), set(x["set"]);
  cpp11::doubles number(x["number"]);
  for (R_xlen_t i = 0; i < op.size(); ++i) {
    eggcrate::Instr in;
    in.op = static_cast<eggcrate::Op>(static_cast<int>(op[i]));
    in.a = a[i] - 1;
    in.b = b[i] - 1;
    in.column = col[i] - 1;
    in.set = set[i] - 1;
    in.number = number[i];
    p.code.push_back(in);
  }
  p.same_text = same_text;
  p.places.assign(p.code.size(), 0);
  for (SEXP s : cpp11::list(x["sets"])) {
    cpp11::list one(s);
    eggcrate::TextSet t;
    SEXP members = one["members"];
    for (R_xlen_t i = 0; i < Rf_xlength(members); ++i)
      t.members.push_back(reinterpret_cast<std::uint64_t>(STRING_ELT(members, i)));
    t.missing_is_yes = cpp11::as_cpp<bool>(one["missing_is_yes"]);
    t.blank = blank_text;
    p.sets.push_back(t);
  }
  for (SEXP s : cpp11::list(x["tables"])) {
    cpp11::integers one(s);
    p.tables.emplace_back(one.begin(), one.end());
  }
  return p;
}

eggcrate::Key key(const cpp11::list& x, const std::vector<eggcrate::Column>& columns,
                  eggcrate::Question& q) {
  eggcrate::Key k;
  SEXP made = x["program"];
  if (made != R_NilValue) {
    q.key_programs.push_back(program(cpp11::list(made)));
    k.program = static_cast<int>(q.key_programs.size()) - 1;
    return k;
  }
  k.column = columns[static_cast<std::size_t>(cpp11::as_cpp<int>(x["column"]) - 1)];
  k.codes = static_cast<std::size_t>(cpp11::as_cpp<int>(x["codes"]));
  return k;
}

// Words as R holds them, in a vector of the type of `like`; `odd` gets the positions of
// odd texts: they are near at hand just now.
template <class Word>
cpp11::sexp word_values(R_xlen_t n, Word word, SEXP like, cpp11::writable::integers& odd) {
  const auto text = [&](R_xlen_t i) { return reinterpret_cast<SEXP>(word(i)); };
  if (TYPEOF(like) == STRSXP)
    return bind::texts(n, text, [&](R_xlen_t i) {
      if (odd_text(text(i))) odd.push_back(static_cast<int>(i) + 1);
    });
  cpp11::sexp out(Rf_allocVector(TYPEOF(like), n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const std::uint64_t w = word(i);
    switch (TYPEOF(like)) {
      case REALSXP: std::memcpy(&REAL(out)[i], &w, sizeof w); break;
      case LGLSXP: LOGICAL(out)[i] = static_cast<int>(static_cast<std::int64_t>(w)); break;
      default: INTEGER(out)[i] = static_cast<int>(static_cast<std::int64_t>(w)); break;
    }
  }
  return out;
}

// The values of a key, item by item; or, `coded`, the number of each one's value and the
// different values.
cpp11::sexp key_values(const eggcrate::Tally& t, std::size_t k, std::size_t width, SEXP like,
                       bool coded, cpp11::writable::integers& odd) {
  if (!coded)
    return word_values(
        static_cast<R_xlen_t>(t.items),
        [&](R_xlen_t i) { return t.words[static_cast<std::size_t>(i) * width + k]; }, like, odd);
  eggcrate::TupleGroups different(1);  // slots of eight bytes: values are many, rows of each few
  std::vector<std::uint64_t> words(eggcrate::kChunk);
  std::vector<std::uint32_t> ids(eggcrate::kChunk);
  cpp11::sexp code(Rf_allocVector(INTSXP, static_cast<R_xlen_t>(t.items)));
  for (std::size_t from = 0; from < t.items; from += eggcrate::kChunk) {
    const std::size_t n = std::min(eggcrate::kChunk, t.items - from);
    for (std::size_t i = 0; i < n; ++i) words[i] = t.words[(from + i) * width + k];
    different.locate(words.data(), n, ids.data(), eggcrate::Lanes());
    for (std::size_t i = 0; i < n; ++i) INTEGER(code)[from + i] = static_cast<int>(ids[i]) + 1;
  }
  const cpp11::sexp values = word_values(
      static_cast<R_xlen_t>(different.size()),
      [&](R_xlen_t i) { return different.words()[static_cast<std::size_t>(i)]; }, like, odd);
  return cpp11::sexp(cpp11::writable::list({"code"_nm = code, "values"_nm = values}));
}

// Counted from 1; missing where there is none.
double row_number(std::size_t row) {
  return row == eggcrate::kNoRow ? NA_REAL : static_cast<double>(row) + 1;
}

cpp11::sexp counts(const std::vector<std::uint32_t>& x) {
  if (x.empty()) return cpp11::sexp(R_NilValue);
  cpp11::writable::doubles out(static_cast<R_xlen_t>(x.size()));
  for (std::size_t i = 0; i < x.size(); ++i) out[static_cast<R_xlen_t>(i)] = x[i];
  return cpp11::sexp(out);
}

cpp11::sexp sum_result(const eggcrate::SumResult& r, const eggcrate::Sum& s) {
  cpp11::sexp total(Rf_allocVector(CPLXSXP, static_cast<R_xlen_t>(r.total.size())));
  if (!r.total.empty())
    std::memcpy(COMPLEX(total), r.total.data(), r.total.size() * sizeof(eggcrate::i128));
  const int places = s.value.places.back();
  return cpp11::sexp(cpp11::writable::list({"total"_nm = total,
                                "places"_nm = places == eggcrate::kNotDecimal ? NA_INTEGER : places,
                                "lowest"_nm = s.lowest,
                                "missing"_nm = counts(r.missing),
                                "skipped"_nm = counts(r.skipped),
                                "all_missing"_nm = static_cast<double>(r.all_missing),
                                "first_missing"_nm = row_number(r.first_missing)}));
}

}  // namespace

[[cpp11::register]] SEXP tally_(cpp11::list columns, double n, cpp11::list gates, cpp11::list keys,
                                cpp11::list sums, bool apart, int threads) {
  std::vector<eggcrate::Column> all;
  for (SEXP x : columns) all.push_back(column(x));

  if (keys.size() == 0) cpp11::stop("a tally needs a key");

  eggcrate::Question q;
  q.columns = all.data();
  q.n = static_cast<std::size_t>(n);
  q.apart = apart;
  q.threads = threads;
  q.stop = bind::interrupted;
  for (SEXP g : gates) q.gates.push_back({program(cpp11::list(g)), 0, 0, eggcrate::kNoRow});
  for (SEXP k : keys) q.keys.push_back(key(cpp11::list(k), all, q));
  for (SEXP s : sums) {
    cpp11::list one(s);
    eggcrate::Sum sum;
    sum.measure = static_cast<eggcrate::Measure>(cpp11::as_cpp<int>(one["measure"]));
    sum.value = program(cpp11::list(one["value"]));
    SEXP of = one["of"];
    if (of != R_NilValue) sum.of = key(cpp11::list(of), all, q);
    SEXP when = one["when"];
    sum.has_when = when != R_NilValue;
    if (sum.has_when) sum.when = program(cpp11::list(when));
    q.sums.push_back(sum);
  }

  eggcrate::Tally t;
  const eggcrate::Status s = eggcrate::tally(q, t);
  if (s.code != eggcrate::Code::ok) return cpp11::writable::list({"status"_nm = bind::status(s)});

  cpp11::writable::list key_list, sum_list, odd_list;
  for (std::size_t k = 0; k < q.keys.size(); ++k) {
    cpp11::list one(keys[static_cast<R_xlen_t>(k)]);
    const bool made = q.keys[k].program >= 0;
    const cpp11::sexp whole(Rf_allocVector(INTSXP, 0));
    SEXP like = made ? SEXP(whole) : columns[cpp11::as_cpp<int>(one["column"]) - 1];
    cpp11::writable::integers odd;
    key_list.push_back(key_values(t, k, q.keys.size(), like, apart, odd));
    odd_list.push_back(odd);
  }
  for (std::size_t i = 0; i < t.sums.size(); ++i)
    sum_list.push_back(sum_result(t.sums[i], q.sums[i]));
  cpp11::writable::doubles rows(static_cast<R_xlen_t>(t.items)), refused, unsure, first;
  for (std::size_t i = 0; i < t.items; ++i)
    rows[static_cast<R_xlen_t>(i)] = static_cast<double>(t.rows[i]);
  for (const eggcrate::Gate& g : q.gates) {
    refused.push_back(static_cast<double>(g.refused));
    unsure.push_back(static_cast<double>(g.unsure));
    first.push_back(row_number(g.first));
  }
  return cpp11::writable::list({"status"_nm = bind::status(s), "keys"_nm = key_list,
                                "odd"_nm = odd_list, "rows"_nm = rows, "sums"_nm = sum_list,
                                "refused"_nm = refused, "unsure"_nm = unsure, "first"_nm = first,
                                "used"_nm = static_cast<double>(t.used)});
}

// x[at], for positions that exist.
[[cpp11::register]] SEXP texts_at_(SEXP x, SEXP at) {
  const SEXP* s = STRING_PTR_RO(x);
  const int* i = INTEGER_RO(at);
  return bind::texts(Rf_xlength(at), [&](R_xlen_t k) { return s[i[k] - 1]; }, [](R_xlen_t) {});
}

[[cpp11::register]] SEXP blank_texts_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out(Rf_allocVector(LGLSXP, n));
  for (R_xlen_t i = 0; i < n; ++i)
    LOGICAL(out)[i] = blank_text(reinterpret_cast<std::uint64_t>(STRING_ELT(x, i)));
  return out;
}

// Data that a result can go back to as long as it lives here: R writes nothing of a
// weak reference to a file.
[[cpp11::register]] SEXP hold_(SEXP key, SEXP value) {
  return R_MakeWeakRef(key, value, R_NilValue, FALSE);
}
[[cpp11::register]] SEXP held_(SEXP reference) { return R_WeakRefValue(reference); }
