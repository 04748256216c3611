"""The recipe at the right of Intake: offers with their reasons, settings with what was measured, and what changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import msgspec
import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import lines
from ...widgets.parts import EDGE, Panel, button, clear_layout, hairline, label
from ...widgets.theme import figure_font, look, text_font
from ...widgets.words import grouped, number_text, span_text
from .bench import Bench
from .pictures import LengthsView, LevelHistogramView, RegistersView, VotesView
from .setting_rows import SettingRows

_NO = "–"
_MEASURED_LEVELS = (
    ("above", "above"), ("below", "below"), ("band", "dead_band"), ("carrier", "carrier_hz"), ("high", "high_hz"),
    ("smooth", "smooth_us"),
)  # fmt: skip
_LEVEL_KINDS = (("threshold", "threshold"), ("envelope", "keyed carrier"), ("tones", "two tones"))


class RecipePanel(Panel):
    """How the source in hand becomes frames. Every change is tried at once and can be undone."""

    def __init__(self, bench: Bench) -> None:
        super().__init__("Recipe")
        self._bench = bench
        self._rows = SettingRows(self.body, self)
        self._others_shown = False
        self._cleaning_shown = False
        self.body.setSpacing(3)
        self.result_box = QVBoxLayout()
        self.foot_box = QVBoxLayout()
        self.foot_box.setContentsMargins(EDGE, 6, EDGE, 8)
        self.foot_box.setSpacing(2)
        outer = self.layout()
        assert isinstance(outer, QVBoxLayout)
        outer.addWidget(hairline())
        outer.addLayout(self.foot_box)
        self.levels_view = LevelHistogramView()
        self.lengths_view = LengthsView()
        self.votes_view = VotesView()
        self.registers_view = RegistersView()
        self._registers_row = -1
        self.columns_wanted: Callable[[], None] = lambda: None
        bench.source_changed.connect(self.refresh)
        bench.recipe_changed.connect(self.refresh)
        bench.outcome_changed.connect(self._show_outcome)
        bench.session.clock.cursor_changed.connect(self._on_cursor)
        look.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the recipe anew."""
        bench = self._bench
        focus = self.focusWidget()
        # a part that has the focus keeps it; one that only had it last must not take it from the wave
        named = focus.accessibleName() if focus is not None and focus.hasFocus() else ""
        for view in (self.levels_view, self.lengths_view, self.votes_view, self.registers_view):
            view.setParent(None)
        clear_layout(self.result_box)
        self.result_box = QVBoxLayout()
        self.result_box.setSpacing(3)
        self.clear()
        clear_layout(self.foot_box)
        self._rows.measured.clear()
        self.note.setText("")
        if bench.opened is None:
            self.body.addStretch(1)
            return
        self._show_offers()
        if bench.recipe is not None:
            self._show_recipe(bench.recipe)
        elif bench.opened.recording is not None:
            self._rows.row("speaks", self._line_choice(None))
        else:
            self._columns_link()
        self.body.addLayout(self.result_box)
        self.body.addStretch(1)
        self._show_outcome()
        if named:
            again = next((w for w in self.findChildren(QWidget) if w.accessibleName() == named), None)
            if again is not None:
                again.setFocus()

    # offers

    def _show_offers(self) -> None:
        bench = self._bench
        assert bench.opened is not None
        offers = bench.opened.offers
        current = bench.recipe
        chosen = next((offer for offer in offers if current is not None and offer.recipe == current), None)
        if chosen is not None and chosen.origin != "trial":
            self._show_offer(chosen, taken=True)
        others = [offer for offer in offers if offer is not chosen]
        if not others:
            return
        if chosen is None and current is None:
            for offer in others[:3]:
                self._show_offer(offer)
            return
        word = "Hide other readings" if self._others_shown else f"Other readings ({len(others)})"
        more = button(word, "Recipes from the library and by measurement", link=True)
        more.clicked.connect(self._toggle_others)
        self.body.addWidget(more)
        if self._others_shown:
            for offer in others:
                self._show_offer(offer)

    def _toggle_others(self) -> None:
        self._others_shown = not self._others_shown
        self.refresh()

    def _show_offer(self, offer: lines.Offer, *, taken: bool = False) -> None:
        origin = {"measured": f"measured, {offer.score:.0%}", "library": f"library: {offer.recipe.name}",
                  "trial": "in use"}[offer.origin]  # fmt: skip
        row = QHBoxLayout()
        words = label(
            f"Looks like {offer.recipe.speaks}" if offer.origin == "measured" else offer.recipe.speaks, wrap=True
        )
        words.setFont(text_font(bold=True))
        row.addWidget(words, 1)
        row.addWidget(label(origin, "chip"), 0, Qt.AlignmentFlag.AlignTop)
        self.body.addLayout(row)
        for reason in offer.reasons:
            self.body.addWidget(label(reason, "quiet", wrap=True))
        if not taken:
            take = button("Take this", "Work with this recipe; undo brings the one before back")
            take.setAccessibleName(f"take {offer.recipe.speaks} {offer.origin}")
            take.clicked.connect(partial(self._bench.take, offer.recipe))
            holder = QHBoxLayout()
            holder.addWidget(take)
            holder.addStretch(1)
            self.body.addLayout(holder)
        self.body.addWidget(hairline())

    # settings

    def _show_recipe(self, recipe: lines.Recipe) -> None:
        bench = self._bench
        assert bench.opened is not None
        self.note.setText(recipe.name)
        waves = bench.opened.recording is not None
        channels = [channel.name for channel in bench.opened.recording.channels] if bench.opened.recording else []
        self._columns_link()
        if waves:
            self._rows.section("bus")
            self._rows.row("speaks", self._line_choice(recipe))
            if recipe.line is not None:
                for field in self._fields(recipe.line):
                    self._rows.setting(field, getattr(recipe.line, field.name), bench.change.line, channels)
            self._show_levels(recipe)
        gives = self._gives(recipe)
        # of what comes in frames already, only I2C has devices with registers behind it
        if gives in ("bytes", "bits", "packets") or (
            recipe.line is not None and recipe.protocol in ("i2c", "registers")
        ):
            self._rows.section("framing")
            self._rows.row("put together by", self._framing_choice(recipe, gives))
            if recipe.framing is not None:
                for field in self._fields(recipe.framing):
                    self._rows.setting(field, getattr(recipe.framing, field.name), bench.change.framing, channels)
        self._rows.section("lane")
        lane = self._rows.entry("lane", recipe.lane, lambda text: bench.change.rest(lane=text))
        self._rows.row("lane", lane)
        self._show_lane(recipe)

    def _show_lane(self, recipe: lines.Recipe) -> None:
        """Let the lane's clock be moved against the others."""
        bench = self._bench
        name = bench.lane_name
        if not name:
            return
        offset = bench.session.trial.file.lane_entry(name).offset_ns / 1e6
        self._rows.number(
            "lane offset", "offset ms", offset or None, "", lambda ms: bench.offset.set(round((ms or 0) * 1e6)), ""
        )
        if bench.opened is not None and bench.opened.recording is not None:
            self.body.addWidget(label("Ctrl-drag the wave to move this lane against the others.", "quiet", wrap=True))
        if bench.offset.can_estimate():
            align = button("Estimate from two traces", "Two traced fields on Read, one of this lane, tell the offset")
            align.clicked.connect(bench.offset.estimate)
            holder = QHBoxLayout()
            holder.addWidget(align)
            holder.addStretch(1)
            self.body.addLayout(holder)

    def _columns_link(self) -> None:
        opened = self._bench.opened
        if opened is not None and opened.form in ("sample table", "frame table"):
            pick = button("Columns …", "Choose what the columns of the file are", link=True)
            pick.clicked.connect(lambda: self.columns_wanted())
            self.body.addWidget(pick)

    def _gives(self, recipe: lines.Recipe) -> str:
        opened = self._bench.opened
        assert opened is not None
        if recipe.line is not None:
            return lines.decoder_of(recipe.line).gives
        if opened.table is not None:
            return {"timed bytes": "bytes", "frame table": ""}.get(opened.form, "packets")
        return ""

    def _fields(self, settings: Any):  # type: ignore[no-untyped-def]
        return lines.fields_of(settings)

    def _line_choice(self, recipe: lines.Recipe | None) -> QComboBox:
        names = [decoder.name for decoder in lines.decoders()]
        current = lines.decoder_of(recipe.line).name if recipe is not None and recipe.line is not None else _NO
        return self._rows.choice(
            "speaks", [(_NO, "choose"), *((name, name) for name in names)], current, self._take_line
        )

    def _take_line(self, code: str) -> None:
        bench = self._bench
        assert bench.opened is not None and bench.opened.recording is not None
        recipe = bench.recipe
        if recipe is None:
            path = bench.opened.request.path
            name = path.name.split(".")[0]
            pattern = lines.SourcePattern(file=f"{name}*", form=bench.opened.form)
            recipe = lines.new_recipe(name, lane=name, source=pattern)
        made = lines.with_line(recipe, code)
        if made.line is not None and not made.channels():
            # the channels in their order are a first guess, to be put right below
            fields = [field for field in lines.fields_of(made.line) if field.kind == "channel"]
            channels = [channel.name for channel in bench.opened.recording.channels]
            chosen = {field.name: channel for field, channel in zip(fields, channels, strict=False)}
            made = msgspec.structs.replace(made, line=msgspec.structs.replace(made.line, **chosen))
        bench.take(made)

    def _framing_names(self, gives: str) -> list[str]:
        return [way.name for way in lines.framings() if way.takes == gives]

    def _framing_choice(self, recipe: lines.Recipe, gives: str) -> QComboBox:
        current = lines.framing_of(recipe.framing).name if recipe.framing is not None else _NO
        plain = {"bytes": "silent gap", "bits": "each burst", "frames": "as they are", "packets": "as they are"}.get(
            gives, _NO
        )
        choices = [(_NO, plain), *((name, name) for name in self._framing_names(gives))]
        return self._rows.choice(
            "put together by", choices, current, lambda way: self._bench.take(lines.with_framing(recipe, way))
        )

    def _show_levels(self, recipe: lines.Recipe) -> None:
        bench = self._bench
        assert bench.opened is not None and bench.opened.recording is not None
        used = recipe.channels()
        if not used:
            return
        channels = [channel for name in used if (channel := bench.opened.recording.channel(name)) is not None]
        if any(channel.samples is not None for channel in channels):
            self._rows.section("levels")
        else:
            self._rows.section("lines")
            cleaned = any(recipe.level(name) != type(recipe.level(name))(channel=name) for name in used)
            if not (cleaned or self._cleaning_shown):
                clean = button("Glitches and inversion …", "Ignore short pulses, turn a line over", link=True)
                clean.clicked.connect(self._show_cleaning)
                self.body.addWidget(clean)
                return
        for channel in channels:
            self._show_level(recipe.level(channel.name), channel, several=len(used) > 1)
        self.body.addWidget(self.levels_view)
        self.levels_view.setVisible(False)

    def _show_cleaning(self) -> None:
        self._cleaning_shown = True
        self.refresh()

    def _show_level(self, setting: lines.LevelSetting, channel: lines.Channel, *, several: bool) -> None:
        bench, name = self._bench, setting.channel
        change = partial(bench.change.level, name)
        if several:
            heading = label(name)
            heading.setFont(text_font(12, bold=True))
            self.body.addWidget(heading)
        if channel.samples is not None:
            kinds = _LEVEL_KINDS if not channel.samples.is_iq else _LEVEL_KINDS[1:]
            self._rows.row(
                "read by", self._rows.choice(f"{name} read by", kinds, setting.kind, lambda kind: change(kind=kind))
            )
            if setting.kind == "threshold":
                self._rows.number(
                    f"{name} above", "reads 1 above", setting.above, "", lambda v: change(above=v), "above"
                )
                self._rows.number(
                    f"{name} below", "reads −1 below", setting.below, "", lambda v: change(below=v), "below"
                )
                self._rows.number(
                    f"{name} band", "dead band", setting.dead_band, "", lambda v: change(dead_band=v), "dead_band"
                )
            else:
                word = "carrier" if setting.kind == "envelope" else "low tone"
                self._rows.number(
                    f"{name} carrier", word, setting.carrier_hz, "Hz", lambda v: change(carrier_hz=v), "carrier_hz"
                )
                if setting.kind == "tones":
                    self._rows.number(
                        f"{name} high", "high tone", setting.high_hz, "Hz", lambda v: change(high_hz=v), "high_hz"
                    )
                self._rows.number(
                    f"{name} smooth",
                    "smoothed over",
                    setting.smooth_us,
                    "µs",
                    lambda v: change(smooth_us=v),
                    "smooth_us",
                )
        self._rows.number(f"{name} glitch", "ignore pulses under", setting.ignore_under_us or None, "µs",
                     lambda v: change(ignore_under_us=v or 0.0), "")  # fmt: skip
        self._rows.flag(f"{name} inverted", "inverted", setting.inverted, lambda on: change(inverted=on))

    # what came out

    def _show_outcome(self) -> None:
        bench = self._bench
        for view in (self.lengths_view, self.votes_view, self.registers_view):
            view.setParent(None)
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

    def _result_section(self, words: str) -> None:
        heading = label(words, "section")
        heading.setContentsMargins(0, 6, 0, 0)
        self.result_box.addWidget(heading)

    def _result_row(
        self, words: str, value: str, tone: str = "", note: str = "", box: QVBoxLayout | None = None
    ) -> None:
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
        fields = {field.name: field.words for field in self._fields(outcome.recipe.line)} if outcome.recipe.line else {}
        levels = _level_facts(outcome)
        if facts or levels:
            self._result_section("measured")
        for name, words in facts:
            shown = fields.get(name, name)
            if len(words) > 26:
                self.result_box.addWidget(label(f"{shown}: {words}", "quiet", wrap=True, selectable=True))
            else:
                self._result_row(shown, words)
        for name, words in levels:
            self._result_row(name, words)
        for line in outcome.lines.values():
            if outcome.recipe.protocol in ("bursts", "hdlc") and len(line.edges) > 4:
                self.result_box.addWidget(self.lengths_view)
                self.lengths_view.show_edges(line.edges)
                self.lengths_view.setVisible(True)

    def _show_counts(self, outcome: lines.Outcome) -> None:
        """Say what came out, and how each change of the recipe changed it, where it is always in view."""
        bench = self._bench
        changes = bench.changes()
        counts = {**dict.fromkeys(changes, 0), **outcome.counts()}
        heading = label("result" if bench.is_whole else "result, of what is in view", "section")
        self.foot_box.addWidget(heading)
        for name, count in counts.items():
            change = changes.get(name, 0)
            note = f"{change:+d}".replace("-", "−") if change else ""
            wrong = "wrong" if name not in ("frames", "bytes") and count else ""
            self._result_row(name, grouped(count), wrong, note, self.foot_box)

    def _show_votes(self, outcome: lines.Outcome) -> None:
        votes = outcome.result.votes
        if not votes:
            return
        distinct = len({vote.text for vote in votes})
        repeats = sum(len(vote.bursts) for vote in votes)
        self._result_section(f"{repeats} bursts, {len(votes)} messages, {distinct} distinct")
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
        device = int(outcome.result.frames.address[row]) >> 16
        cursor = bench.session.clock.cursor_ns - bench.zero_ns
        state = lines.registers_at(outcome, device, cursor)
        if self.registers_view.parent() is None:
            self._result_section("registers at the cursor")
            self.result_box.addWidget(self.registers_view)
        self.registers_view.show_state(device, state)
        self.registers_view.setVisible(True)

    def _on_cursor(self) -> None:
        if self.isVisible() and self._bench.frames.current() != self._registers_row:
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
