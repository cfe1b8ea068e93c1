# Red Kettle: make demo and make test do all set-up. See README.md.
PREFIX ?= /usr/local
CMAKE_BUILD = cmake --build

.PHONY: all setup demo test prove bench size install lint debug sanitize fuzz format clean

all: setup
	@cmake --preset release >/dev/null
	@$(CMAKE_BUILD) build

setup:
	@tools/setup.sh

demo: all
	@build/redkettle demo

test: all sanitize
	@ctest --test-dir build --output-on-failure -j 2
	@CK_EXCLUDE_TAGS="statistics processes" ctest --test-dir build-sanitize --output-on-failure -j 2 -LE slow

PROVE_SCANS ?= 50000
# Each controller type, each anti-windup way, each process: in full what `make test` does in short.
prove: all
	@CK_DEFAULT_TIMEOUT=600 RK_PROVE_SCANS=$(PROVE_SCANS) build/tests/test-prove

bench: all
	@build/redkettle-bench build/redkettle
	@tools/count_instructions.sh build/redkettle-bench
	@build/redkettle-statistics

# Code and RAM of each block on small machines.
size: setup
	@tools/size.sh

install: all
	@cmake --install build --prefix $(PREFIX)

debug: setup
	@cmake --preset debug >/dev/null
	@$(CMAKE_BUILD) build-debug

sanitize: setup
	@cmake --preset sanitize >/dev/null
	@$(CMAKE_BUILD) build-sanitize

# A minute of libFuzzer over the record reader, and one over the stand-in PLC.
FUZZ_SECONDS ?= 60
FUZZ = -max_total_time=$(FUZZ_SECONDS) -max_len=8192 -timeout=10 -print_final_stats=1 -verbosity=0 \
    -artifact_prefix=build-fuzz/
fuzz:
	@tools/setup.sh clang
	@tools/setup.sh libclang-rt-$$(clang -dumpversion | cut -d. -f1)-dev
	@cmake --preset fuzz >/dev/null
	@$(CMAKE_BUILD) build-fuzz --target fuzz-record fuzz-text
	@mkdir -p build-fuzz/records build-fuzz/texts
	@build-fuzz/fuzz-record $(FUZZ) -dict=tests/fuzz/record.dict build-fuzz/records data/records
	@build-fuzz/fuzz-text $(FUZZ) -dict=tests/fuzz/text.dict build-fuzz/texts tests/cases/texts

lint: all
	@tools/lint.sh

format:
	@tools/check_format.sh --fix

clean:
	@rm -rf build build-debug build-sanitize build-clang build-fuzz
