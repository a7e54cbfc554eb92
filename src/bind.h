// What the bindings share. An exact integer is the 16 bytes of an element of
// a complex vector, so that `[` and the garbage collector know it.
#pragma once

#include <cpp11.hpp>

#include "kernel/base.hpp"
#include "kernel/pages.hpp"

namespace bind {

inline const eggcrate::stored_i128* exact(SEXP x) {
  return reinterpret_cast<const eggcrate::stored_i128*>(COMPLEX_RO(x));
}
inline eggcrate::stored_i128* exact_to_fill(SEXP x) {
  return reinterpret_cast<eggcrate::stored_i128*>(COMPLEX(x));
}

// R looks at each text that is put into a vector; texts lie anywhere in memory, so
// they are asked for ahead of time. `text` says which one stands at a place; `also`
// may look at it while it is at hand.
template <class Text, class Also>
SEXP texts(R_xlen_t n, Text text, Also also) {
  constexpr R_xlen_t ahead = 16;
  cpp11::sexp out(Rf_allocVector(STRSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i + ahead < n) eggcrate::prefetch(text(i + ahead));
    SET_STRING_ELT(out, i, text(i));
    also(i);
  }
  return out;
}

inline cpp11::writable::list status(const eggcrate::Status& s) {
  using namespace cpp11::literals;
  return cpp11::writable::list({"code"_nm = static_cast<int>(s.code),
                                "row"_nm = static_cast<double>(s.row) + 1,
                                "column"_nm = s.column >= 0 ? s.column + 1 : s.column});
}

// Has the user asked to stop? R's own answer would jump over the kernel.
inline bool interrupted(void*) {
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

}  // namespace bind
