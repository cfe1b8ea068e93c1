/* SPDX-License-Identifier: MIT */
/* Whatever a line sends to our device, nothing is touched but its registers: a libFuzzer target. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <ports/modbus/modbus.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static rk_modbus_device *device(void)
{
    static rk_modbus_device *made;
    static const rk_modbus_line line = {.name = "127.0.0.1", .service = "15031", .unit = 1};
    rk_modbus_map map;

    if (made != NULL) return made;
    memset(&map, 0, sizeof map);
    map.point[RK_MODBUS_PV] =
        (rk_modbus_point){true, RK_MODBUS_INPUT, 0, RK_MODBUS_UINT16, {0, 10000}, {0, 20}};
    map.point[RK_MODBUS_OUT] =
        (rk_modbus_point){true, RK_MODBUS_HOLDING, 0, RK_MODBUS_FLOAT32, {0, 1}, {0, 100}};
    map.point[RK_MODBUS_ENABLE] =
        (rk_modbus_point){true, RK_MODBUS_COIL, 2, RK_MODBUS_UINT16, {0, 1}, {0, 1}};
    if (rk_modbus_device_create(&line, &map, &made) != RK_OK) abort();
    rk_modbus_device_set(made, RK_MODBUS_PV, 10);
    return made;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    int pair[2];

    if (socketpair(AF_UNIX, SOCK_STREAM, 0, pair) != 0) return 0;
    if (send(pair[0], data, size, MSG_NOSIGNAL) == (ssize_t)size) {
        (void)shutdown(pair[0], SHUT_WR);
        rk_modbus_device_serve(device(), pair[1]);
    }
    (void)close(pair[0]);
    (void)close(pair[1]);
    if (rk_modbus_device_get(device(), RK_MODBUS_PV) != 10) abort();
    return 0;
}
