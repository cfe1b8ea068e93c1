# SPDX-License-Identifier: MIT
"""A Modbus TCP device by pymodbus: PV input 0 reads 11800, OUT is holding 0, enable coil 0 and pv-good
discrete 0 read 1. Usage: their_device.py PORT"""
import sys

from pymodbus.datastore import ModbusSequentialDataBlock, ModbusServerContext, ModbusSlaveContext
from pymodbus.server import StartTcpServer

device = ModbusSlaveContext(
    di=ModbusSequentialDataBlock(0, [1] * 8),
    co=ModbusSequentialDataBlock(0, [1] * 8),
    hr=ModbusSequentialDataBlock(0, [4200, 0, 0, 0, 0, 0, 0, 0]),
    ir=ModbusSequentialDataBlock(0, [11800, 4200, 0, 0, 0, 0, 0, 0]),
    zero_mode=True,
)
StartTcpServer(
    context=ModbusServerContext(slaves=device, single=True),
    address=("127.0.0.1", int(sys.argv[1])),
)
