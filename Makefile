# make demo   installs what is missing, builds, and runs the main job on the demo data
# make desk   opens the desk on the demo data
# make test   the same, then the kernel's tests, the package's tests and R CMD check
# make test-newest  the package's tests against the newest CRAN versions of all it uses
# make cross  a sample of all combinations of options, beyond the pairs in the tests
# make mutate swaps operators in the core, one at a time, and counts what the tests notice
# make fuzz   random questions, options, files and calls for SECONDS (1200)
# make sanitize  the kernel's tests and a while of fuzz under the sanitizers of the compiler
# make same   the fixed set of questions, asked of an earlier commit too: make same BASE=COMMIT
# make sheets  the workbook of the example study, as LibreOffice reads it
# make bench  side by side with other general packages, equal results checked first

SHELL = /bin/sh
LIB = $(CURDIR)/.lib
export R_LIBS := $(LIB)$(if $(R_LIBS),:$(R_LIBS))
SOURCES = DESCRIPTION NAMESPACE $(wildcard R/*.R src/*.cpp src/*.h src/Makevars src/kernel/*.hpp \
  inst/extdata/* inst/studies/* inst/desk/* exec/* man/*)

.PHONY: all demo desk test test-newest kernel-test cross mutate fuzz sanitize same sheets bench document setup setup-test setup-bench clean

all: build/installed

build/setup: tools/setup DESCRIPTION
	@mkdir -p build $(LIB)
	@tools/setup run
	@touch $@

build/setup-test: build/setup
	@tools/setup test
	@touch $@

build/setup-bench: build/setup
	@tools/setup bench
	@touch $@

build/installed: build/setup $(SOURCES)
	@echo "Building eggcrate into .lib ..."
	@MAKEFLAGS=-j2 R CMD INSTALL --no-test-load --library=$(LIB) . >build/install.log 2>&1 || { cat build/install.log; exit 1; }
	@touch $@

build/articles: build/installed tools/vignettes $(wildcard vignettes/*.Rmd)
	@echo "Weaving the articles ..."
	@tools/vignettes $(LIB) >build/articles.log 2>&1 || { cat build/articles.log; exit 1; }
	@touch $@

demo: build/articles
	@tools/demo build/demo

desk: build/installed
	@mkdir -p build
	@[ -d build/desk ] || .lib/eggcrate/exec/eggcrate demo --out build/desk
	@.lib/eggcrate/exec/eggcrate desk build/desk/orders.csv --layout build/desk/region-tiles.csv

test: build/installed build/setup-test
	@tools/test

test-newest: build/setup-test
	@tools/test-newest

kernel-test: build/setup-test
	@tools/kernel-test

cross: build/installed build/setup-test
	@tools/cross $(TIMES)

mutate: build/installed build/setup-test
	@tools/mutate $(TIMES)

fuzz: build/installed build/setup-test
	@tools/fuzz $(SECONDS) $(SEED)

sanitize: build/setup-test
	@tools/sanitize $(SECONDS)

same: build/installed
	@tools/same-answers $(BASE)

sheets: build/installed
	@tools/sheets

bench: build/installed build/setup-bench
	@Rscript bench/ranking.R
	@Rscript bench/language.R
	@Rscript bench/groups.R
	@Rscript bench/comparisons.R
	@Rscript bench/multiples.R
	@Rscript bench/edges.R
	@Rscript bench/firmness.R
	@Rscript bench/files.R
	@Rscript bench/databases.R postgresql 2
	@Rscript bench/groupings.R sqlite 1
	@Rscript bench/study.R
	@Rscript bench/desk.R
	@Rscript bench/cold-start.R

document: build/setup-test
	@tools/document

clean:
	rm -rf build .lib .lib-newest src/*.o src/*.so
