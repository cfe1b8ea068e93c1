# Writes the demo's files as C arrays: cmake -DOUT=demo_data.c -DFROM=data -P embed.cmake
set(text "/* SPDX-License-Identifier: MIT */\n#include \"demo_data.h\"\n")
foreach(pair demo_record=blend-brix.csv demo_loop=blend-brix.loop
        demo_physics=syrup-heating.loop)
    string(REPLACE "=" ";" pair ${pair})
    list(GET pair 0 name)
    list(GET pair 1 file)
    file(READ ${FROM}/${file} bytes HEX)
    string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
    string(APPEND text "\nconst unsigned char ${name}[] = {${bytes}};\n"
        "const size_t ${name}_length = sizeof ${name};\n")
endforeach()
file(WRITE ${OUT} "${text}")
