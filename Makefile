# make           builds the package for daily use, see bin/eggcrate
# make demo      installs what is missing, builds, and runs the main job on the demo data
# make desk      opens the desk on the demo data
# make articles  weaves the articles
# make test      the tests for each commit: at most 6 minutes on two cores
# make test-all  make test, and every long test: STAGES='mariadb cluster' runs only these
# make mutate    swaps operators, one at a time, and counts the swaps that make test notices
# make fuzz      random questions, options, files and calls for SECONDS (1200)
# make cross     a sample of all combinations of options, more than the pairs in the tests
# make same      the fixed set of questions, compared with an earlier commit: make same BASE=COMMIT
# make sheets    the workbook of the example study, as LibreOffice reads it
# make bench     comparisons with other general packages, equal results checked first
# make document  writes the generated files: NAMESPACE, man/, RcppExports

SHELL = /bin/sh
LIB = $(CURDIR)/.lib
export R_LIBS := $(LIB)$(if $(R_LIBS),:$(R_LIBS))
SOURCES = DESCRIPTION NAMESPACE $(wildcard R/*.R src/*.cpp src/*.h src/Makevars src/kernel/*.hpp \
  inst/extdata/* inst/studies/* inst/desk/* inst/style/* exec/* man/*)

.PHONY: all demo desk articles test test-all kernel-test cross mutate fuzz same sheets bench document clean

all:
	@$(MAKE) -s -j3 build/bytecode build/compiled build/setup-run
	@$(MAKE) -s build/installed

build/setup-build: tools/setup DESCRIPTION
	@mkdir -p build $(LIB)
	@tools/setup build
	@touch $@

STAGES_OF_SETUP = build/setup-run build/setup-more build/setup-test build/setup-long build/setup-document build/setup-bench
$(STAGES_OF_SETUP): build/setup-%: build/setup-build
	@tools/setup $*
	@touch $@

build/setup-more: build/setup-run
build/setup-test build/setup-bench: build/setup-more
build/setup-long build/setup-document: build/setup-test

build/makevars: tools/makevars build/setup-build
	@tools/makevars >$@

# Compiled code and R code are built side by side, and while other packages are still being installed.
build/compiled: build/makevars $(wildcard src/*.cpp src/*.h src/Makevars src/kernel/*.hpp)
	@echo "Compiling ..."
	@tools/build compiled

build/code: build/setup-build $(filter-out src/%,$(SOURCES))
	@echo "Installing the R code into .lib ..."
	@tools/build code

# Compiled to byte code, which takes half a minute and makes each command a third of a second quicker.
build/bytecode: build/setup-build $(filter-out src/%,$(SOURCES))
	@echo "Compiling the R code into .lib ..."
	@tools/build bytecode

build/installed: build/compiled build/code
	@tools/build whole
	@touch $@

build/articles: build/installed build/setup-more tools/vignettes $(wildcard vignettes/*.Rmd)
	@echo "Weaving the articles ..."
	@tools/vignettes $(LIB) >build/articles.log 2>&1 || { cat build/articles.log; exit 1; }
	@touch $@

articles: build/articles

demo:
	@$(MAKE) -s -j3 build/installed build/setup-run
	@tools/demo build/demo

desk: build/installed build/setup-more
	@mkdir -p build
	@[ -d build/desk ] || .lib/eggcrate/exec/eggcrate demo --out build/desk
	@.lib/eggcrate/exec/eggcrate desk build/desk/orders.csv --layout build/desk/region-tiles.csv

test:
	@$(MAKE) -s -j3 build/installed build/setup-test
	@tools/test

test-all:
	@$(MAKE) -s -j3 build/installed build/setup-long
	@tools/test-all $(STAGES)

kernel-test: build/setup-test
	@tools/kernel-test

cross: build/installed build/setup-test
	@tools/cross $(TIMES)

mutate: build/installed build/setup-test
	@tools/mutate $(TIMES) $(SEED)

fuzz: build/installed build/setup-test
	@tools/fuzz $(SECONDS) $(SEED)

same: build/installed build/setup-run
	@tools/same-answers $(BASE)

sheets: build/installed build/setup-run
	@tools/sheets

bench: all build/setup-bench
	@Rscript bench/ranking.R
	@Rscript bench/language.R
	@Rscript bench/groups.R
	@Rscript bench/comparisons.R
	@Rscript bench/multiples.R
	@Rscript bench/sweep.R
	@Rscript bench/edges.R
	@Rscript bench/intervals.R
	@Rscript bench/files.R
	@Rscript bench/databases.R postgresql 2
	@Rscript bench/groupings.R sqlite 1
	@Rscript bench/study.R
	@Rscript bench/desk.R
	@Rscript bench/cold-start.R

document: build/setup-test build/setup-document
	@tools/document

clean:
	rm -rf build .lib .lib-newest .lib-sanitize src/*.o src/*.so
