"""What the lanes beside CAN mean: register maps, sentences, bursts, words and packets, as the library has them."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from ..core.layouts.model import (
    Applies,
    Axis,
    Carried,
    Complement,
    Computed,
    Counter,
    Coverage,
    CurvePoint,
    ElementCase,
    Elements,
    Expression,
    Field,
    Group,
    Labels,
    Layout,
    Packed,
    RawSet,
    RegisterMap,
    Repeat,
    Reserved,
    Rule,
    Run,
    Selected,
    Space,
    Sum,
    TextLine,
    Xor,
)
from ..core.layouts.places import parse_places
from .layouts import make_field, stable_id


def link_layouts() -> list[Layout]:
    """Return the layouts of all lanes that are not CAN."""
    return [*_shore(), *_deck(), _bilge(), *_winch(), *_compass(), _pendant(), _bridge(), _sounder(), _beacon()]


class _Maker:
    """Makes fields of one layout with ids that are the same each time the demo is made."""

    def __init__(self, layout: str) -> None:
        self.layout = layout

    def id(self, name: str) -> Any:
        return stable_id(self.layout, name)

    def field(self, name: str, places: str = "", kind: str = "unsigned", step: str = "1", **settings: Any) -> Field:
        return make_field(name, places, kind, step, message=self.layout, **settings)

    def make(self, applies: Applies, size: int, fields: list[Field], **settings: Any) -> Layout:
        return Layout(id=stable_id(self.layout), name=self.layout, applies=applies, size=size, fields=tuple(fields),
                      **settings)  # fmt: skip


def _modbus(lane: str) -> Applies:
    return Applies(protocol="modbus", lanes=(lane,))


def _shore() -> list[Layout]:
    meter, energy, states, asked = (_Maker(name) for name in
                                    ("Shore meter", "Shore energy", "Shore states", "Registers asked for"))  # fmt: skip
    volts = [meter.field(f"voltage {n + 1}", f"R{n}", step="1/10", unit="V", limits=(207, 253)) for n in range(3)]
    amps = [meter.field(f"current {n + 1}", f"R{n + 3}", step="1/100", unit="A", limits=(0, 32)) for n in range(3)]
    power = Computed(
        id=meter.id("power"), name="power", unit="VA", high=Fraction(20_000),
        expression=Expression(
            "`voltage 1` * `current 1` + `voltage 2` * `current 2` + `voltage 3` * `current 3`"
        ),
    )  # fmt: skip
    switches = {0: "main switch", 1: "charging", 2: "earth good", 3: "phase turned", 4: "overload", 9: "door open"}
    flags = [states.field(name, f"B{n // 8}[{n % 8}]", "flag") for n, name in switches.items()]
    return [
        meter.make(_modbus("shore"), 12, [*volts, *amps], computed=(power,), sender="shore meter",
                   registers=RegisterMap(device=1, space=Space.INPUT, first=1, count=6)),
        energy.make(_modbus("shore"), 4, [energy.field("energy", "R100 R101", unit="Wh")], sender="shore meter",
                    registers=RegisterMap(device=1, space=Space.HOLDING, first=1, count=120)),
        states.make(_modbus("shore"), 2, flags, sender="shore meter",
                    registers=RegisterMap(device=1, space=Space.DISCRETE, first=1, count=10)),
        asked.make(Applies(protocol="modbus", way="request", sizes=RawSet.of(2)), 2,
                   [asked.field("count", "B0 B1", limits=(1, 2000))],
                   note="what a request to read carries: how many registers, from the one in its address"),
    ]  # fmt: skip


def _deck() -> list[Layout]:
    island, valves = _Maker("Valve island"), _Maker("Deck valves")
    measured = [
        island.field("pressure", "R10", step="1/10", unit="bar", limits=(0, 210)),
        island.field("oil flow", "R11", step="1/10", unit="l/min", limits=(0, 120)),
        island.field("oil heat", "R12", step="1/10", unit="°C", limits=(-20, 80)),
    ]
    names = ("winch brake", "hook latch", "gob wire", "capstan", "fire monitor", "bilge valve", "foam", "bilge pump")
    coils = [valves.field("open", "B0[7..0]", "bits", names=dict(enumerate(names)))]
    return [
        island.make(_modbus("deck"), 6, measured, sender="valve island",
                    registers=RegisterMap(device=17, space=Space.INPUT, count=16)),
        valves.make(_modbus("deck"), 1, coils, sender="bridge panel",
                    registers=RegisterMap(device=17, space=Space.COILS, count=8)),
    ]  # fmt: skip


def _bilge() -> Layout:
    make = _Maker("Bilge sensor")
    corners = ((0, -5), (200, 4), (364, 12), (600, 21), (1000, 40))
    fields = [
        make.field("level", "B16 B17", unit="mm", limits=(0, 900)),
        make.field("water heat", "B18 B19", unit="°C", table=tuple(CurvePoint(Fraction(x), Fraction(y))
                                                                   for x, y in corners)),
        make.field("damping", "B24", unit="s"),
        make.field("low alarm", "B25", step="10", unit="mm"),
        make.field("high alarm", "B26", step="10", unit="mm"),
    ]  # fmt: skip
    registers = RegisterMap(device=0x5A, space=Space.BYTES, count=0x1B)
    return make.make(Applies(protocol="registers", lanes=("bilge",)), 4, fields, registers=registers,
                     sender="level sensor", note="the heat follows the probe's own table")  # fmt: skip


def _winch() -> list[Layout]:
    order, answer = _Maker("Load cell command"), _Maker("Load cell")
    command = order.field("command", "B0", "names", names={0x21: "read load", 0x30: "zero", 0x44: "sleep"})
    fields = [
        answer.field("ready", "B0[7]", "flag"),
        answer.field("sequence", "B0[3..0]"),
        answer.field("load", "B1..B3", "signed", "1/8000", unit="kN", limits=(-20, 600)),
    ]
    counter = Counter(id=answer.id("sequence check"), name="sequence", field=fields[1].id)
    spare = Reserved(id=answer.id("spare"), name="spare bits", places=parse_places("B0[6..4]"))
    return [
        order.make(Applies(protocol="spi", address=0, lanes=("winch",)), 4, [command]),
        answer.make(Applies(protocol="spi", address=1, lanes=("winch",)), 4, fields, checks=(counter, spare),
                    sender="load cell"),
    ]  # fmt: skip


def _compass() -> list[Layout]:
    heading = _sentence(
        "Heading sentence", "YZHDG",
        lambda make: (
            make.field("heading", unit="deg", limits=(0, 360)),
            make.field("reference", kind="names", names={84: "true", 77: "magnetic"}),
        ),
    )  # fmt: skip
    turn = _sentence(
        "Turn sentence", "YZROT",
        lambda make: (
            make.field("rate of turn", unit="deg/s", limits=(-10, 10)),
            make.field("state", kind="names", names={65: "valid", 86: "not valid"}),
        ),
    )  # fmt: skip
    return [heading, turn]


def _sentence(name: str, head: str, columns: Any) -> Layout:
    make = _Maker(name)
    line = TextLine(
        id=make.id("line"), name="line", begins="$", ends="*",
        columns=(make.field("sentence", kind="text"), *columns(make)),
    )  # fmt: skip
    check = make.field("check", base=16, digits=2)
    tail = TextLine(id=make.id("tail"), name="behind the star", columns=(check,))
    over = Coverage(first=Expression("1"), end=Expression("size - 3"))
    agrees = Xor(id=make.id("agrees"), name="exclusive or", field=check.id, coverage=over)
    applies = Applies(protocol="sentence", address=int.from_bytes(head.encode(), "big"))
    return make.make(applies, 0, [], parts=(line, tail), checks=(agrees,), sender="compass")


def _pendant() -> Layout:
    make = _Maker("Hook pendant")
    buttons = {6: "release", 9: "arm"}
    fields = [
        make.field("pendant", "B0 B1 B2[7..4]", note="each pendant has its own number"),
        make.field("button", "B2[3..0]", "names", names=buttons),
        make.field("battery good", "B3[7]", "flag"),
    ]
    spare = Reserved(id=make.id("spare"), name="last bit", places=parse_places("B3[6]"))
    applies = Applies(protocol="bursts", address=26, lanes=("pendant",))
    return make.make(applies, 4, fields, checks=(spare,), sender="hook pendant")


def _bridge() -> Layout:
    make = _Maker("Climate remote")
    fields = [
        make.field("device", "B0"),
        make.field("device turned", "B1"),
        make.field("set heat", "B2", unit="°C", limits=(16, 30)),
        make.field("mode", "B3[7..4]", "names", names={1: "cool", 2: "dry", 5: "automatic"}),
        make.field("fan", "B3[3..0]", "names", names={0: "low", 1: "middle", 2: "high"}),
        make.field("swing", "B4[1]", "flag"),
        make.field("power", "B4[0]", "flag"),
        make.field("sum", "B5"),
    ]
    over = Coverage(places=parse_places("B0..B4"))
    check = Sum(id=make.id("sum check"), name="sum", field=fields[-1].id, coverage=over)
    turned = Complement(id=make.id("turned"), name="device twice", field=fields[1].id, of=fields[0].id)
    return make.make(Applies(protocol="bursts", address=48, lanes=("bridge",), pattern="5A A5"), 6, fields,
                     checks=(check, turned), sender="climate remote")  # fmt: skip


def _sounder() -> Layout:
    make = _Maker("Echo sounder")
    fields = [
        make.field("ping", "B1"),
        make.field("depth", "B2 B3", step="1/100", unit="m", limits=(0.5, 200)),
        make.field("quality", "B5", unit="%", limits=(0, 100)),
    ]
    counter = Counter(id=make.id("pings"), name="ping", field=fields[0].id)
    return make.make(Applies(protocol="words", lanes=("sounder",), pattern="A5"), 6, fields, checks=(counter,),
                     sender="echo sounder")  # fmt: skip


def _beacon() -> Layout:
    make = _Maker("Beacon packet")
    fields = [
        make.field("name", "B0..B2", "text"),
        make.field("number", "B3"),
        make.field("north", "B4..B7", "signed", "1/100", unit="m"),
        make.field("east", "B8..B11", "signed", "1/100", unit="m"),
        make.field("drift speed", "B12 B13", "signed", "1/100", unit="kn"),
        make.field("battery", "B14 B15", step="1/1000", unit="V", limits=(3.3, 4.3)),
        make.field("has swell", "B16[7]", "flag"),
        make.field("swell points", "B16[6..0]"),
        make.field("step", "B17", step="1/10", unit="s"),
    ]
    has_swell = fields[6]
    swell = Group(
        id=make.id("swell"), name="swell", size=1, repeat=Repeat.COUNT, amount=Expression("`swell points`"),
        selected=Selected(has_swell.id, RawSet.of(1)),
        fields=(make.field("height", "B0", "signed", "1/50", unit="m", limits=(-2.5, 2.5)),),
        axis=Axis("time", Expression("0"), Expression("step"), "s"),
    )  # fmt: skip
    counter = Counter(id=make.id("count"), name="number", field=fields[1].id)
    count = Rule(id=make.id("rule"), name="swell count", expression=Expression("`has swell` == (`swell points` > 0)"))
    applies = Applies(protocol="hdlc", lanes=("beacon",), pattern="59 5A 37")
    return make.make(applies, 18, fields, parts=(swell, _extras(make)), checks=(counter, count), sender="beacon")


def _extras(make: _Maker) -> Elements:
    """Return what a beacon adds when it has something to say: a list of type, length and value."""
    heat = make.field("heat", "B0", "signed", "1/2", unit="°C", limits=(-20, 60))
    lamp = make.field("lamp", "B1", "names", names={0: "off", 1: "steady", 2: "flashing"})
    note = make.field("note", kind="text")
    relayed = stable_id("Heading sentence")
    kinds = {1: "state", 2: "note", 3: "relayed", 4: "self test", 5: "mooring"}
    return Elements(
        id=make.id("extras"), name="extras", head=2, type=make.field("extra", "B0", "names", names=kinds),
        length=make.field("extra length", "B1"),
        cases=(
            ElementCase(id=make.id("state"), name="state", types=RawSet.of(1), fields=(heat, lamp)),
            ElementCase(id=make.id("note case"), name="note", types=RawSet.of(2),
                        parts=(Run(id=make.id("note run"), name="text", field=note),)),
            ElementCase(id=make.id("relayed"), name="relayed", types=RawSet.of(3),
                        parts=(Carried(id=make.id("carried"), name="sentence", layout=relayed),)),
            _self_test(make),
            _mooring(make),
        ),
    )  # fmt: skip


def _mooring(make: _Maker) -> ElementCase:
    """Return what the beacon says while it is moored: to what, how the chain pulled, which lines were cast off."""
    berth = Labels(id=make.id("berth name"), name="berth name", field=make.field("berth", kind="text"))
    depth = Run(id=make.id("depth digits"), name="depth digits", length=Expression("3"),
                field=make.field("chain depth", step="1/10", unit="m", base=16, digits=3))  # fmt: skip
    cast_off = Group(id=make.id("cast off"), name="cast off", size=2, repeat=Repeat.UNTIL, end="FFFF",
                     fields=(make.field("line", "B0"), make.field("minutes ago", "B1", unit="min")))  # fmt: skip
    pulls = Packed(id=make.id("chain pulls"), name="chain pulls", bits=12,
                   field=make.field("chain pull", step="1/100", unit="kN"))  # fmt: skip
    return ElementCase(
        id=make.id("mooring"), name="mooring", types=RawSet.of(5), parts=(berth, depth, cast_off, pulls)
    )  # fmt: skip


def _self_test(make: _Maker) -> ElementCase:
    """Return what the beacon says of itself: each part in the code its maker chose."""
    fields = (
        make.field("serial", "B0 B1", "bcd"),
        make.field("software", "B2 B3", "bcd-bytes", "1/10"),
        make.field("tilt", "B4", "sign-magnitude", unit="°"),
        make.field("trim", "B5", "ones-complement", unit="°"),
        make.field("wind vane", "B6", "gray", "45/2", unit="°"),
        make.field("antenna", "B7", unit="V", polynomial=(Fraction(1, 10), Fraction(1, 20), Fraction(1, 10_000))),
        make.field("lamp hours", "B8", inverted=True, unit="h"),
        make.field("probe", "B9", unit="°C", errors=RawSet.of(255), unavailable=(254,)),
        make.field("fault bytes", "B10"),
        make.field("place bytes", "B11"),
        make.field("signature", "B12 B13", "bytes"),
    )
    faults = Group(id=make.id("faults"), name="faults", size=2, repeat=Repeat.BYTES, amount=Expression("`fault bytes`"),
                   fields=(make.field("fault", "B0"), make.field("times", "B1")))  # fmt: skip
    stamp = Group(id=make.id("stamp"), name="last test", size=2, align=2,
                  fields=(make.field("since then", "B0 B1", unit="min"),))  # fmt: skip
    cells = Group(id=make.id("cells"), name="cells", size=1, repeat=Repeat.TO_END,
                  fields=(make.field("cell", "B0", step="1/10", unit="V"),))  # fmt: skip
    return ElementCase(
        id=make.id("self test"), name="self test", types=RawSet.of(4), fields=fields,
        parts=(
            Run(id=make.id("keeper run"), name="keeper", end="00", field=make.field("keeper", kind="text")),
            faults,
            Run(id=make.id("place run"), name="place", length=Expression("`place bytes`"),
                field=make.field("place", kind="text")),
            stamp,
            cells,
        ),
    )  # fmt: skip
