"""A register map for tests: three stretches with holes between them."""

from __future__ import annotations

from zesty_abacus.core.layouts.model import Applies, RegisterMap, Space, new_layout
from zesty_abacus.demo.layouts import make_field


def holding_map(count=120, device=None):
    fields = [
        make_field("level", "R2", "signed", "0.1", unit="m", limits=(-100, 100)),
        make_field("energy", "R3 R4", unit="Wh"),
        make_field("state", "R20", "names", names={0: "off", 1: "on", 7: "fault"}),
        make_field("name", "R100..R103", "text"),
    ]
    registers = RegisterMap(device=device, space=Space.HOLDING, count=count)
    return new_layout("Pump", Applies(protocol="modbus", lanes=("deck",)), 2 * count, fields, registers=registers)


def coil_map():
    fields = [make_field(f"valve {n}", f"B{n // 8}[{n % 8}]", "flag") for n in (0, 3, 9, 18)]
    registers = RegisterMap(space=Space.COILS, count=19)
    return new_layout("Valves", Applies(protocol="modbus"), 3, fields, registers=registers)


def byte_map(**more):
    fields = [make_field("level", "B16 B17", unit="mm"), make_field("damping", "B24", unit="s")]
    registers = RegisterMap(device=0x5A, space=Space.BYTES, count=0x1B, **more)
    return new_layout("Level sensor", Applies(protocol="registers", lanes=("bilge",)), 4, fields, registers=registers)
