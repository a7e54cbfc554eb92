#include "bind.h"
#include "kernel/sheet.hpp"

// Looks through a part of a workbook that comes from `blocks`, a function that
// returns the next bytes, none at the end.
// [[Rcpp::export(rng = false)]]
SEXP scan_sheet_(SEXP blocks) {
  const Rcpp::Function more(blocks);
  eggcrate::SheetScanner scanner;
  while (scanner.flaw() == eggcrate::SheetFlaw::none) {
    const bind::Held block(more());
    const R_xlen_t n = Rf_xlength(bind::checked(block, RAWSXP, "a block"));
    if (n == 0) break;
    scanner.feed(reinterpret_cast<const char*>(RAW(block)), static_cast<std::size_t>(n));
  }
  const std::string& text = scanner.where();
  const bind::Held flaw(bind::one(static_cast<int>(scanner.flaw()))),
      rows(bind::one(static_cast<double>(scanner.rows()))),
      columns(bind::one(static_cast<double>(scanner.columns()))),
      where(Rcpp::unwindProtect([&text] { return Rf_mkString(text.c_str()); }));
  return bind::named({{"flaw", flaw}, {"where", where}, {"rows", rows}, {"columns", columns}});
}
