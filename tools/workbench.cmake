# The workbench of a report: the core, compiled for the browser from the same sources, and the package that
# draws there. What is missing leaves the workbench out, and a report says so. Sets RK_CORE_GZ, the core packed
# by gzip, and RK_CHART_JS, "" without.
option(RK_WORKBENCH "Build the workbench of a report, if there is what it takes" ON)
set(RK_CORE_GZ "")
set(RK_CHART_JS "")
if(NOT RK_WORKBENCH)
    return()
endif()

find_program(RK_WASM_CC clang)
find_program(RK_WASM_LD wasm-ld)
find_program(RK_GZIP gzip)
find_file(RK_CHART_FILE chart.min.js PATHS /usr/share/javascript/chart.js /usr/share/nodejs/chart.js/dist NO_DEFAULT_PATH)
set(RK_WASM_FLAGS --target=wasm32-wasi -std=c11 -O2 -ffp-contract=off -D_XOPEN_SOURCE=700)
# Is all of it there: compiler, linker, C library and the compiler's own?
file(WRITE ${PROJECT_BINARY_DIR}/wasm/try.c "#include <stdlib.h>\nvoid *probe(size_t n) { return malloc(n); }\n")
set(RK_WASM_TRIED 1)
if(RK_WASM_CC AND RK_WASM_LD AND RK_GZIP AND RK_CHART_FILE)
    execute_process(COMMAND ${RK_WASM_CC} ${RK_WASM_FLAGS} -nostartfiles -Wl,--no-entry -Wl,--export=probe
        -o ${PROJECT_BINARY_DIR}/wasm/try.wasm ${PROJECT_BINARY_DIR}/wasm/try.c
        RESULT_VARIABLE RK_WASM_TRIED OUTPUT_QUIET ERROR_QUIET)
endif()
if(NOT RK_WASM_TRIED EQUAL 0)
    message(STATUS "without the workbench in reports: make report has what it takes")
    return()
endif()

set(RK_CHART_JS ${RK_CHART_FILE})
set(core ${PROJECT_BINARY_DIR}/wasm/core.wasm)
set(RK_CORE_GZ ${core}.gz)
file(GLOB sources CONFIGURE_DEPENDS src/device/*.c src/design/base/*.c src/design/loop/*.c src/design/margins/*.c
    src/design/trial/*.c src/design/tune/*.c src/design/check/gain_limits.c src/workbench/*.c)
list(REMOVE_ITEM sources ${PROJECT_SOURCE_DIR}/src/design/base/parallel.c)
foreach(file trial_case_words)
    list(APPEND sources ${PROJECT_SOURCE_DIR}/src/files/${file}.c)
endforeach()
foreach(file gain_bar html layout parts rows trial tries)
    list(APPEND sources ${PROJECT_SOURCE_DIR}/src/report/${file}.c)
endforeach()
set(objects "")
foreach(source ${sources})
    file(RELATIVE_PATH name ${PROJECT_SOURCE_DIR}/src ${source})
    string(REPLACE "/" "_" name ${name})
    set(object ${PROJECT_BINARY_DIR}/wasm/${name}.o)
    add_custom_command(OUTPUT ${object}
        COMMAND ${RK_WASM_CC} ${RK_WASM_FLAGS} -I${PROJECT_SOURCE_DIR}/include -I${PROJECT_SOURCE_DIR}/src
            -MD -MF ${object}.d -c ${source} -o ${object}
        DEPENDS ${source} DEPFILE ${object}.d COMMENT "Compiling ${name} for the browser")
    list(APPEND objects ${object})
endforeach()
# All that the header declares can be called from a page.
set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS include/redkettle/workbench/workbench.h)
file(STRINGS include/redkettle/workbench/workbench.h lines REGEX "rk_workbench_[a-z_]+\\(")
string(REGEX MATCHALL "rk_workbench_[a-z_]+\\(" calls "${lines}")
list(REMOVE_DUPLICATES calls)
set(exports -Wl,--export=malloc -Wl,--export=free)
foreach(call ${calls})
    string(REPLACE "(" "" call ${call})
    list(APPEND exports -Wl,--export=${call})
endforeach()
add_custom_command(OUTPUT ${RK_CORE_GZ}
    COMMAND ${RK_WASM_CC} --target=wasm32-wasi -nostartfiles -Wl,--no-entry -Wl,--gc-sections -Wl,--strip-all
        -Wl,-z,stack-size=1048576 ${exports} -o ${core} ${objects}
    COMMAND ${RK_GZIP} -9nf ${core}
    DEPENDS ${objects} include/redkettle/workbench/workbench.h COMMENT "Linking the core for the browser")
