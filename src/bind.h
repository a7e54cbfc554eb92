// What the bindings share. An exact integer is the 16 bytes of an element of
// a complex vector, so that `[` and the garbage collector know it.
#pragma once

#include <cpp11.hpp>

#include "kernel/base.hpp"

namespace bind {

inline const eggcrate::stored_i128* exact(SEXP x) {
  return reinterpret_cast<const eggcrate::stored_i128*>(COMPLEX_RO(x));
}
inline eggcrate::stored_i128* exact_to_fill(SEXP x) {
  return reinterpret_cast<eggcrate::stored_i128*>(COMPLEX(x));
}

inline cpp11::writable::list status(const eggcrate::Status& s) {
  using namespace cpp11::literals;
  return cpp11::writable::list({"code"_nm = static_cast<int>(s.code),
                                "row"_nm = static_cast<double>(s.row) + 1,
                                "column"_nm = s.column >= 0 ? s.column + 1 : s.column});
}

}  // namespace bind
