"""Messages over CAN in the real window: measured, tried, put to use, on a lane of their own."""

import pytest

from tests.links.test_over_can import FLOW, segmented
from tests.recipes.test_messages import log_of


@pytest.fixture
def diagnosis(empty, tmp_path):
    """Return hands on Intake with a log that carries messages in segments."""
    frames = []
    for n in range(60):
        frames += [(0x7E0, frame, False) for frame in segmented(bytes([0x22, n, 1]))]
        answer = segmented(bytes([0x62, n, *range(30)]))
        frames += [(0x7E8, answer[0], False), (0x7E0, FLOW, False), *((0x7E8, one, False) for one in answer[1:])]
    empty.session.trials.begin(tmp_path / "trial")
    empty.settle()
    empty.session.trials.open_paths([log_of(tmp_path / "engine.log", frames)])
    empty.settle()
    empty.window.show_desk("Intake")
    empty.settle()
    return empty


def test_what_was_measured_is_shown_and_put_to_use(diagnosis):
    pilot, bench = diagnosis, diagnosis.window.intake.bench
    assert bench.recipe.framing.identifiers == "7E0, 7E8" and len(bench.outcome.result.frames) == 120
    assert [lane.name for lane in pilot.session.capture.lanes] == ["can0"]
    bench.use()
    pilot.settle()
    assert [(lane.name, lane.protocol) for lane in pilot.session.capture.lanes] == [
        ("can0", "can"), ("can0 messages", "iso15765"),
    ]  # fmt: skip
    kinds = [pilot.session.kinds.address(kind) for kind in range(len(pilot.session.capture.kinds.keys))]
    assert kinds == ["0x7E0", "0x7E8", "0x7E0", "0x7E8"]
