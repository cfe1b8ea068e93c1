# Red Kettle: make demo and make test do all set-up. See README.md.
PREFIX ?= /usr/local
CMAKE_BUILD = cmake --build
SETUP = tools/setup.sh

.PHONY: all demo report test everything prove soak bench size install lint debug sanitize fuzz fresh format clean

# The tool and the libraries alone. A build directory that has the tests keeps them.
all:
	@$(SETUP) tool
	@[ -e build/build.ninja ] || cmake --preset tool >/dev/null
	@$(CMAKE_BUILD) build --target redkettle-cli redkettle-device-float

demo: all
	@build/redkettle demo

# The tool with the workbench in its reports: the core compiled for the browser.
report:
	@$(SETUP) tool report
	@[ -e build/build.ninja ] && cmake build >/dev/null || cmake --preset tool >/dev/null
	@$(CMAKE_BUILD) build --target redkettle-cli redkettle-device-float

# Both builds' tests in one go, and three more at a time than there are processors: some wait for a clock.
test: everything sanitize
	@mkdir -p build/tests-of-both
	@echo 'subdirs("$(CURDIR)/build" "$(CURDIR)/build-sanitize")' >build/tests-of-both/CTestTestfile.cmake
	@ctest --test-dir build/tests-of-both --output-on-failure -j $$(($$(nproc) + 3))

everything:
	@$(SETUP) tool report tests
	@cmake --preset release >/dev/null
	@$(CMAKE_BUILD) build

PROVE_SCANS ?= 1000000
# Each controller, each program, each number type: in full what `make test` does in short (a quarter of an hour).
prove: everything
	@CK_DEFAULT_TIMEOUT=3600 RK_PROVE_SCANS=$(PROVE_SCANS) build/tests/test-prove

SOAK_SCANS ?= 10000
SOAK_FRAMES ?= 1000000
# What a port, a device and a signal must stand, at length: bad devices for 10^4 scans each, 10^6 frames under the
# sanitizers, 200 signals of each kind (ten minutes).
soak: everything sanitize
	@CK_INCLUDE_TAGS=statistics CK_DEFAULT_TIMEOUT=3600 build/tests/test-design
	@RK_PORT_SCANS=$(SOAK_SCANS) CK_DEFAULT_TIMEOUT=3600 build/tests/test-ports
	@RK_PORT_FRAMES=$(SOAK_FRAMES) CK_FORK=no CK_RUN_CASE=device build-sanitize/tests/test-ports
	@CK_FORK=no valgrind --quiet --error-exitcode=99 --leak-check=full --errors-for-leak-kinds=definite,indirect \
	    build/tests/test-inside
	@RK_FIELD_SIGNALS=200 RK_FIELD_SCANS=$(SOAK_SCANS) CK_DEFAULT_TIMEOUT=3600 build/tests/test-field

bench: everything
	@build/redkettle-bench build/redkettle
	@build/redkettle-field
	@build/redkettle-page
	@tools/count_instructions.sh build/redkettle-bench
	@build/redkettle-statistics

# Code and RAM of each block on small machines, and of the emitted C.
size: all
	@$(SETUP) tool gcc-arm-none-eabi gcc-riscv64-unknown-elf
	@tools/size.sh

install: all
	@cmake --install build --prefix "$(PREFIX)"

debug:
	@$(SETUP) tool tests
	@cmake --preset debug >/dev/null
	@$(CMAKE_BUILD) build-debug

sanitize:
	@$(SETUP) tool tests
	@cmake --preset sanitize >/dev/null
	@$(CMAKE_BUILD) build-sanitize

# A minute of libFuzzer over the record reader, one over the stand-in PLC, and one over the Modbus device.
FUZZ_SECONDS ?= 60
FUZZ = -max_total_time=$(FUZZ_SECONDS) -max_len=8192 -timeout=10 -print_final_stats=1 -verbosity=0 \
    -artifact_prefix=build-fuzz/
fuzz:
	@$(SETUP) tool clang
	@$(SETUP) libclang-rt-$$(clang -dumpversion | cut -d. -f1)-dev
	@cmake --preset fuzz >/dev/null
	@$(CMAKE_BUILD) build-fuzz --target fuzz-record fuzz-text fuzz-device
	@mkdir -p build-fuzz/records build-fuzz/texts build-fuzz/frames
	@build-fuzz/fuzz-record $(FUZZ) -dict=tests/fuzz/record.dict build-fuzz/records data/records
	@build-fuzz/fuzz-text $(FUZZ) -dict=tests/fuzz/text.dict build-fuzz/texts tests/cases/texts
	@build-fuzz/fuzz-device $(FUZZ) -dict=tests/fuzz/frames.dict build-fuzz/frames

lint: everything
	@$(SETUP) clang clang-tidy cppcheck
	@tools/lint.sh

# Both commands and the library's use on a machine that has nothing yet. As root.
fresh:
	@tools/fresh.sh

format:
	@tools/check_format.sh --fix

clean:
	@rm -rf build build-debug build-sanitize build-clang build-fuzz
