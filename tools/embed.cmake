# Writes files as C arrays: cmake -DOUT=FILE.c -DFROM=DIR -DHEADER=FILE.h -DFILES=name=file,name=file -P embed.cmake
set(text "/* SPDX-License-Identifier: MIT */\n#include \"${HEADER}\"\n")
string(REPLACE "," ";" pairs "${FILES}")
foreach(pair ${pairs})
    string(REPLACE "=" ";" pair ${pair})
    list(GET pair 0 name)
    list(GET pair 1 file)
    file(READ ${FROM}/${file} bytes HEX)
    string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
    string(APPEND text "\nconst unsigned char ${name}[] = {${bytes}};\n"
        "const size_t ${name}_length = sizeof ${name};\n")
endforeach()
file(WRITE ${OUT} "${text}")
