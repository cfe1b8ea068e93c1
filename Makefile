# Red Kettle: make demo and make test do all set-up. See README.md.
PREFIX ?= /usr/local
CMAKE_BUILD = cmake --build

.PHONY: all setup demo test bench install lint debug sanitize format clean

all: setup
	@cmake --preset release >/dev/null
	@$(CMAKE_BUILD) build

setup:
	@tools/setup.sh

demo: all
	@build/redkettle demo

test: all sanitize
	@ctest --test-dir build --output-on-failure -j 2
	@ctest --test-dir build-sanitize --output-on-failure -j 2 -LE slow

bench: all
	@build/redkettle-bench build/redkettle

install: all
	@cmake --install build --prefix $(PREFIX)

debug: setup
	@cmake --preset debug >/dev/null
	@$(CMAKE_BUILD) build-debug

sanitize: setup
	@cmake --preset sanitize >/dev/null
	@$(CMAKE_BUILD) build-sanitize

lint: all
	@tools/lint.sh

format:
	@tools/check_format.sh --fix

clean:
	@rm -rf build build-debug build-sanitize build-clang
