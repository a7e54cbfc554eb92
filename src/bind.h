// What the bindings share: the border between R and the kernel.
//
// A type that is not the one that was meant is refused, never coerced. Whatever R allocates
// while objects of C++ live is allocated through `allocate()`, so that R's way of leaving a
// function (a jump) becomes an exception, which their destructors see.
//
// An exact integer is the 16 bytes of an element of a complex vector, so that `[` and the
// garbage collector know it.
#pragma once

#define RCPP_NO_RNG_SCOPE
#include <Rcpp.h>

#include <chrono>
#include <string>
#include <utility>
#include <vector>

#include "kernel/base.hpp"
#include "kernel/pages.hpp"

namespace bind {

static_assert(sizeof(Rcomplex) == sizeof(eggcrate::i128), "an exact integer fills a complex");
static_assert(sizeof(SEXP) == sizeof(std::uint64_t), "a text's handle is its address");

// Types -----------------------------------------------------------------------

inline SEXP checked(SEXP x, int type, const char* what) {
  if (TYPEOF(x) != type)
    throw Rcpp::exception((std::string("`") + what + "` must be of type " + Rf_type2char(type) +
                           ", not " + Rf_type2char(TYPEOF(x))).c_str(), false);
  return x;
}

inline const int* whole(SEXP x, const char* what) { return INTEGER_RO(checked(x, INTSXP, what)); }
inline const double* real(SEXP x, const char* what) { return REAL_RO(checked(x, REALSXP, what)); }
inline const int* flags(SEXP x, const char* what) { return LOGICAL_RO(checked(x, LGLSXP, what)); }
inline const SEXP* texts(SEXP x, const char* what) {
  return STRING_PTR_RO(checked(x, STRSXP, what));
}
inline const eggcrate::stored_i128* exact(SEXP x, const char* what) {
  return reinterpret_cast<const eggcrate::stored_i128*>(COMPLEX_RO(checked(x, CPLXSXP, what)));
}

inline void same_length(SEXP x, R_xlen_t n, const char* what) {
  if (Rf_xlength(x) != n)
    throw Rcpp::exception((std::string("`") + what + "` has another length").c_str(), false);
}

inline int one_whole(SEXP x, const char* what) {
  same_length(x, 1, what);
  return whole(x, what)[0];
}
inline double one_real(SEXP x, const char* what) {
  same_length(x, 1, what);
  return real(x, what)[0];
}
inline bool one_flag(SEXP x, const char* what) {
  same_length(x, 1, what);
  const int value = flags(x, what)[0];
  if (value == NA_LOGICAL) throw Rcpp::exception("a flag is missing", false);
  return value != 0;
}
inline std::string one_text(SEXP x, const char* what) {
  same_length(x, 1, what);
  return R_CHAR(STRING_ELT(checked(x, STRSXP, what), 0));
}

// Numbers of groups, from 1 to `most`.
inline const int* groups(SEXP x, int most, const char* what) {
  const int* g = whole(x, what);
  for (R_xlen_t i = 0, n = Rf_xlength(x); i < n; ++i)
    if (g[i] < 1 || g[i] > most)
      throw Rcpp::exception((std::string("`") + what + "` is outside its groups").c_str(), false);
  return g;
}

// An element of a list by its name; R_NilValue where there is none.
inline SEXP element(SEXP list, const char* name) {
  SEXP names = Rf_getAttrib(checked(list, VECSXP, "a list"), R_NamesSymbol);
  for (R_xlen_t i = 0; i < Rf_xlength(names); ++i)
    if (!std::strcmp(R_CHAR(STRING_ELT(names, i)), name)) return VECTOR_ELT(list, i);
  return R_NilValue;
}

// Allocation --------------------------------------------------------------------

inline SEXP allocate(int type, R_xlen_t n) {
  return Rcpp::unwindProtect([type, n] { return Rf_allocVector(static_cast<SEXPTYPE>(type), n); });
}
typedef Rcpp::Shield<SEXP> Held;

// A list with names, made of values that the caller holds.
inline SEXP named(std::initializer_list<std::pair<const char*, SEXP>> parts) {
  const R_xlen_t n = static_cast<R_xlen_t>(parts.size());
  const Held list(allocate(VECSXP, n)), names(allocate(STRSXP, n));
  R_xlen_t i = 0;
  for (const auto& part : parts) {
    SET_VECTOR_ELT(list, i, part.second);
    const char* name = part.first;
    SET_STRING_ELT(names, i, Rcpp::unwindProtect([name] { return Rf_mkChar(name); }));
    ++i;
  }
  Rf_setAttrib(list, R_NamesSymbol, names);
  return list;
}

inline SEXP one(double x) {
  SEXP out = allocate(REALSXP, 1);
  REAL(out)[0] = x;
  return out;
}
inline SEXP one(int x) {
  SEXP out = allocate(INTSXP, 1);
  INTEGER(out)[0] = x;
  return out;
}
inline SEXP one(bool x) {
  SEXP out = allocate(LGLSXP, 1);
  LOGICAL(out)[0] = x;
  return out;
}

inline SEXP new_exact(R_xlen_t n) { return allocate(CPLXSXP, n); }
inline eggcrate::stored_i128* to_fill(SEXP x) {
  return reinterpret_cast<eggcrate::stored_i128*>(COMPLEX(x));
}

// R looks at each text that is put into a vector; texts lie anywhere in memory, so
// they are asked for ahead of time. `text` says which one stands at a place; `also`
// may look at it while it is at hand.
template <class Text, class Also>
SEXP gathered(R_xlen_t n, Text text, Also also) {
  constexpr R_xlen_t ahead = 16;
  const Held out(allocate(STRSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i + ahead < n) eggcrate::prefetch(text(i + ahead));
    SET_STRING_ELT(out, i, text(i));
    also(i);
  }
  return out;
}

// Status --------------------------------------------------------------------------

// An interrupt goes on as R's own; anything else is for R to word.
inline SEXP status(const eggcrate::Status& s) {
  if (s.code == eggcrate::Code::stopped) throw Rcpp::internal::InterruptedException();
  const Held code(one(static_cast<int>(s.code))), row(one(static_cast<double>(s.row) + 1)),
      column(one(s.column >= 0 ? s.column + 1 : s.column));
  return named({{"code", code}, {"row", row}, {"column", column}});
}

// Has the user asked to stop? R's own answer would jump over the kernel.
inline bool interrupted() {
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

// Long work: hears when it is to stop, and says now and then how far it is, to a function of the
// part done that answers whether to go on, or to nobody (NULL).
class Watch {
 public:
  explicit Watch(SEXP report) : report_(report), next_(Clock::now() + patience()) {}

  // For the kernel; it lives as long as this.
  eggcrate::Poll poll() {
    return eggcrate::Poll{[](void* watch, double part) { return static_cast<Watch*>(watch)->stops(part); }, this};
  }

 private:
  using Clock = std::chrono::steady_clock;
  static constexpr std::chrono::milliseconds kEvery{150};

  // Shorter work reports no progress; the option is in seconds.
  static std::chrono::milliseconds patience() {
    SEXP seconds = Rf_GetOption1(Rf_install("eggcrate.patience"));
    return std::chrono::milliseconds(Rf_isNumeric(seconds) ? static_cast<int>(1000 * Rf_asReal(seconds)) : 400);
  }

  bool stops(double part) {
    if (interrupted()) return true;
    if (report_ == R_NilValue || Clock::now() < next_) return false;
    next_ = Clock::now() + kEvery;
    // An error or a jump of the function ends here, and the work with it.
    const Rcpp::Shield<SEXP> value(Rf_ScalarReal(part)), call(Rf_lang2(report_, value));
    int failed = 0;
    SEXP answer = R_tryEvalSilent(call, R_BaseEnv, &failed);
    return failed || Rf_asLogical(answer) != TRUE;
  }

  SEXP report_;
  Clock::time_point next_;
};

}  // namespace bind
