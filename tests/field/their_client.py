# SPDX-License-Identifier: MIT
"""Asks our device by pymodbus: PV float32 at input 0, low word first; OUT int32 at holding 0; enable coil 0.
Usage: their_client.py PORT TIMES"""
import struct
import sys

from pymodbus.client import ModbusTcpClient

client = ModbusTcpClient("127.0.0.1", port=int(sys.argv[1]))
assert client.connect()


def value(words, kind):
    return struct.unpack(kind, struct.pack(">HH", words[1], words[0]))[0]


for n in range(int(sys.argv[2])):
    pv = value(client.read_input_registers(0, 2, slave=1).registers, ">f")
    assert 11.7 < pv < 11.9, pv
    out = -300000 if n % 2 else 300000
    high, low = struct.unpack(">HH", struct.pack(">i", out))
    assert not client.write_registers(0, [low, high], slave=1).isError()
    assert value(client.read_holding_registers(0, 2, slave=1).registers, ">i") == out
    assert not client.write_coil(0, n % 2 == 0, slave=1).isError()
    assert client.read_coils(0, 1, slave=1).bits[0] == (n % 2 == 0)
    assert client.read_holding_registers(9, 1, slave=1).isError()
print("all as it should be")
