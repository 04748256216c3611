"""What came out of a recipe: measured figures, counts and how a change moved them, votes, registers at the cursor."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, lines
from ...widgets.parts import EDGE, button, clear_layout, label
from ...widgets.theme import figure_font
from ...widgets.words import counted, grouped, number_text, span_text
from .bench import Bench
from .pictures import LengthsView, LevelHistogramView, RegistersView, VotesView
from .setting_rows import SettingRows

_MEASURED_LEVELS = (
    ("above", "above"), ("below", "below"), ("band", "dead_band"), ("carrier", "carrier_hz"), ("high", "high_hz"),
    ("smooth", "smooth_us"),
)  # fmt: skip


class OutcomePart:
    """The lower part of the recipe panel.

    Attributes
    ----------
    foot_box
        What stays in view below the panel: counts and the two buttons.
    """

    def __init__(self, bench: Bench, rows: SettingRows) -> None:
        self._bench = bench
        self._rows = rows
        self.result_box = QVBoxLayout()
        self.foot_box = QVBoxLayout()
        self.foot_box.setContentsMargins(EDGE, 6, EDGE, 8)
        self.foot_box.setSpacing(2)
        self.levels_view = LevelHistogramView()
        self.lengths_view = LengthsView()
        self.votes_view = VotesView()
        self.registers_view = RegistersView()
        self._registers_row = -1

    def begin(self) -> None:
        """Let go of everything shown, before the panel is filled anew; pictures are used again."""
        self._take_out(self.levels_view, self.lengths_view, self.votes_view, self.registers_view)
        clear_layout(self.result_box)
        clear_layout(self.foot_box)
        self.result_box = QVBoxLayout()
        self.result_box.setSpacing(3)

    @staticmethod
    def _take_out(*views: QWidget) -> None:
        for view in views:
            view.setParent(None)

    def show(self) -> None:
        """Show what came out of the recipe in hand."""
        bench = self._bench
        self._take_out(self.lengths_view, self.votes_view, self.registers_view)
        clear_layout(self.result_box)
        clear_layout(self.foot_box)
        self.levels_view.setVisible(False)
        outcome = bench.outcome
        if bench.opened is None:
            return
        if bench.problem:
            self.foot_box.addWidget(label(bench.problem, "wrong", wrap=True, selectable=True))
        if outcome is None:
            return
        self._show_measured(outcome)
        self._show_counts(outcome)
        self._show_votes(outcome)
        self._show_registers()
        self._show_buttons()

    def _section(self, words: str) -> None:
        heading = label(words, "section")
        heading.setContentsMargins(0, 6, 0, 0)
        self.result_box.addWidget(heading)

    def _row(self, words: str, value: str, tone: str = "", note: str = "", box: QVBoxLayout | None = None) -> None:
        row = QHBoxLayout()
        row.addWidget(label(words, "quiet", wrap=True), 1)
        if note:
            row.addWidget(label(note, "chip"))
        shown = label(value, tone, selectable=True)
        shown.setFont(figure_font(12))
        row.addWidget(shown)
        (box if box is not None else self.result_box).addLayout(row)

    def _show_measured(self, outcome: lines.Outcome) -> None:
        for name, line in outcome.lines.items():
            for suffix, attribute in _MEASURED_LEVELS:
                value = getattr(line.setting, attribute)
                entry = self._rows.measured.get(f"{name} {suffix}")
                if isinstance(entry, QLineEdit) and value is not None:
                    entry.setPlaceholderText(number_text(value))
        self.levels_view.show_lines(dict(outcome.lines))
        facts = [(fact.name, fact.words) for fact in outcome.result.facts]
        fields = _words_of_fields(outcome.recipe)
        levels = _level_facts(outcome)
        if facts or levels:
            self._section("measured")
        for name, words in facts:
            shown = fields.get(name, name)
            if len(words) > 26:
                self.result_box.addWidget(label(f"{shown}: {words}", "quiet", wrap=True, selectable=True))
            else:
                self._row(shown, words)
        for name, words in levels:
            self._row(name, words)
        for line in outcome.lines.values():
            if outcome.recipe.protocol in ("bursts", "hdlc") and len(line.edges) > 4:
                self.result_box.addWidget(self.lengths_view)
                self.lengths_view.show_edges(line.edges)
                self.lengths_view.setVisible(True)

    def _show_counts(self, outcome: lines.Outcome) -> None:
        """Say what came out, and how each change of the recipe changed it, where it is always in view."""
        bench = self._bench
        changes = changed_counts(bench)
        counts = {**dict.fromkeys(changes, 0), **outcome.counts()}
        heading = label("result" if bench.is_whole else "result, of what is in view", "section")
        self.foot_box.addWidget(heading)
        for name, count in counts.items():
            change = changes.get(name, 0)
            note = f"{change:+d}".replace("-", "−") if change else ""
            wrong = "wrong" if name not in ("frames", "bytes") and count else ""
            self._row(name, grouped(count), wrong, note, self.foot_box)

    def _show_votes(self, outcome: lines.Outcome) -> None:
        votes = outcome.result.votes
        if not votes:
            return
        # what was cut is a part of a message, and none of its own
        whole = [vote for n, vote in enumerate(votes) if not outcome.result.frames.flags[n] & engine.CUT_SHORT]
        distinct = len({vote.text for vote in whole})
        repeats = sum(len(vote.bursts) for vote in votes)
        self._section(f"{counted(repeats, 'burst')}, {counted(len(votes), 'message')}, {distinct} distinct")
        self.result_box.addWidget(self.votes_view)
        self.votes_view.show_votes(votes)
        self.votes_view.setVisible(True)

    def _show_registers(self) -> None:
        """Show what the registers of the device at the cursor hold there, rebuilt from all reads and writes before."""
        bench = self._bench
        outcome, row = bench.outcome, bench.frames.current()
        self._registers_row = row
        if outcome is None or outcome.recipe.protocol != "registers" or not 0 <= row < len(outcome.result.frames):
            self.registers_view.setVisible(False)
            return
        device = bench.frames.device(row)
        cursor = bench.session.clock.cursor_ns - bench.zero_ns
        state = lines.registers_at(outcome, device, cursor)
        if self.registers_view.parent() is None:
            self._section("registers at the cursor")
            self.result_box.addWidget(self.registers_view)
        self.registers_view.show_state(device, state)
        self.registers_view.setVisible(True)

    def follow_cursor(self) -> None:
        """Show the registers of the device at the cursor, if it is at another frame now."""
        if self._bench.frames.current() != self._registers_row:
            self._show_registers()

    def _show_buttons(self) -> None:
        bench = self._bench
        sources = bench.session.trial.file.sources
        used = sources[bench.number].recipe if bench.number < len(sources) else None
        row = QHBoxLayout()
        use = button("Use these frames", "They become a lane of the capture (Shift U)", main=True)
        use.setEnabled(used != bench.recipe)
        use.clicked.connect(bench.use)
        save = button("Save recipe", "Keep it in the library, to be offered for similar recordings")
        save.clicked.connect(lambda: bench.change.keep(bench.recipe.name) if bench.recipe is not None else None)
        row.addWidget(use)
        row.addWidget(save)
        row.addStretch(1)
        holder = QWidget()
        holder.setLayout(row)
        row.setContentsMargins(0, 6, 0, 0)
        self.foot_box.addWidget(holder)
        if used == bench.recipe:
            use.setText("In use")
            use.setToolTip("These frames are in the capture")


def _words_of_fields(recipe: lines.Recipe) -> dict[str, str]:
    """Return what the settings of a recipe's line code are called, by their names."""
    if recipe.line is None:
        return {}
    return {field.name: field.words for field in lines.fields_of(recipe.line)}


def _level_facts(outcome: lines.Outcome) -> list[tuple[str, str]]:
    facts = [line.facts for line in outcome.lines.values() if line.facts is not None]
    if not facts:
        return []
    highs, lows = max(f.high for f in facts), min(f.low for f in facts)
    found = [("highs / lows", f"{highs:.3g} / {lows:.3g}")]
    rises = [f.rise_ns for f in facts if np.isfinite(f.rise_ns)]
    if rises:
        found.append(("rise time", " / ".join(span_text(rise) for rise in rises)))
    found.append(("edges a second", " / ".join(grouped(round(f.edges_per_s)) for f in facts)))
    return found


def changed_counts(bench: Bench) -> dict[str, int]:
    """Return how each count differs from before the last change; nothing before there was one."""
    if bench.before is None or bench.outcome is None or not bench.is_whole:
        return {}
    now = bench.outcome.counts()
    names = dict.fromkeys([*now, *bench.before])
    return {name: now.get(name, 0) - bench.before.get(name, 0) for name in names}
