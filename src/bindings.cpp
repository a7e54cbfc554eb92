// The smaller bindings as one translation unit: they compile in half the time, as Rcpp's headers are read once.
#include "bind-exact.cpp"
#include "bind-files.cpp"
#include "bind-gzip.cpp"
#include "bind-read.cpp"
#include "bind-resample.cpp"
#include "bind-scan.cpp"
#include "bind-sheet.cpp"
#include "bind-text.cpp"
