#include <fstream>

#include "bind.h"
#include "kernel/scan.hpp"

using namespace cpp11::literals;

[[cpp11::register]] SEXP scan_delimited_(std::string path, std::string separator, bool check_utf8,
                                         SEXP progress) {
  std::ifstream in(path, std::ios::binary);
  if (!in) cpp11::stop("cannot open the file");
  eggcrate::Scanner scanner(separator.empty() ? '\0' : separator[0], check_utf8);
  std::vector<char> buffer(1 << 20);
  constexpr std::size_t report_every = 64;  // buffers: what is shorter than that is read at once
  for (std::size_t i = 1; in; ++i) {
    in.read(buffer.data(), static_cast<std::streamsize>(buffer.size()));
    scanner.feed(buffer.data(), static_cast<std::size_t>(in.gcount()));
    cpp11::check_user_interrupt();
    if (progress != R_NilValue && i % report_every == 0) {
      const cpp11::function show(progress);
      show(static_cast<double>(i) * static_cast<double>(buffer.size()));
    }
  }
  const eggcrate::Scan& s = scanner.finish();
  cpp11::writable::strings header;
  for (const std::string& name : s.header) header.push_back(cpp11::r_string(name));
  const auto numbers = [](const std::vector<std::uint64_t>& x) {
    cpp11::writable::doubles out;
    for (const auto n : x) out.push_back(static_cast<double>(n));
    return out;
  };
  return cpp11::writable::list(
      {"separator"_nm = std::string(1, s.separator), "header"_nm = header,
       "padded"_nm = numbers(s.padded), "blank"_nm = numbers(s.blank),
       "padded_row"_nm = numbers(s.padded_row), "blank_row"_nm = numbers(s.blank_row),
       "rows"_nm = static_cast<double>(s.rows),
       "blank_lines"_nm = static_cast<double>(s.blank_lines),
       "doubled_quotes"_nm = s.doubled_quotes, "flaw"_nm = static_cast<int>(s.flaw),
       "flaw_row"_nm = static_cast<double>(s.flaw_row),
       "flaw_fields"_nm = static_cast<double>(s.flaw_fields)});
}
