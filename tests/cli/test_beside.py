"""``beside``: the table, its columns, how sides are named."""

import json

import pytest

from tests.cli.program import run

COLUMNS = (
    "lane,address,flags,words,message,frames,period_ns,matched_by,matched,lag_ns,lag_spread_ns,missing,added,differing,"
    "first_difference_ns,differs,says"
)


@pytest.fixture
def log(tmp_path):
    lines = [f"({n / 10:012.6f}) can0 1A0#{n * 7 % 256:02X}{n % 250:02X}" for n in range(100)]
    lines += [f"({n / 10 + 0.02:012.6f}) can1 1A0#{n * 7 % 256:02X}{n % 250:02X}" for n in range(100) if n != 40]
    path = tmp_path / "deck.log"
    path.write_text("\n".join(sorted(lines)) + "\n")
    return path


def test_two_lanes_beside_each_other(log):
    code, output, _ = run("beside", log, "--at", "can0:0x1A0", "--at", "can1:0x1A0")
    assert code == 0 and output.splitlines()[0] == COLUMNS
    _, output, _ = run("beside", log, "--at", "can0:0x1A0", "--at", "can1:0x1A0", "--to", "jsonl")
    first, second = (json.loads(line) for line in output.splitlines())
    assert (first["lane"], first["frames"], first["lag_ns"], first["says"]) == ("can0", 100, None, None)
    assert (second["lane"], second["matched_by"], second["matched"], second["lag_ns"]) == (
        "can1", "payload", 99, 20_000_000,
    )  # fmt: skip
    assert (second["missing"], second["added"], second["differing"], second["differs"]) == (1, 0, 0, "")
    assert second["says"] == (
        "same rate, every 100 ms; lacks 1; 20 ms later (matched by payload); all that match hold the same."
    )


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ((), "not said what to compare"), (("--at", "can0:0x1A0"), "beside nothing"),
        (("--at", "can9:0x1A0", "--at", "can0:0x1A0"), "was seen on can9"),
        (("--message", "Motion"), "called 'Motion'"),
        (("--at", "x", "--at", "y"), "no lane and address"),
    ],
)  # fmt: skip
def test_wrong_use_is_told(log, given, said):
    code, _, errors = run("beside", log, *given)
    assert code == 2 and said in errors
