"""The recipe at the right of Intake: offers with their reasons, settings with what was measured, and what changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import lines
from ...widgets.parts import Panel, button, hairline, label, one_shot
from ...widgets.theme import look, text_font
from .bench import Bench
from .outcome_part import OutcomePart
from .setting_rows import SettingRows

_NO = "–"
_LEVEL_KINDS = (("threshold", "threshold"), ("envelope", "keyed carrier"), ("tones", "two tones"))


_LAID_OUT_MS = 60


class RecipePanel(Panel):
    """How the source in hand becomes frames. Every change is tried at once and can be undone."""

    def __init__(self, bench: Bench) -> None:
        super().__init__("Recipe")
        self._bench = bench
        self._rows = SettingRows(self.body, self)
        self._others_shown = False
        self._shown: lines.OpenedSource | None = None
        self._place = 0
        self._scroll_back = one_shot(self, _LAID_OUT_MS, self._on_laid_out)
        self._cleaning_shown = False
        self.body.setSpacing(3)
        self.outcome = OutcomePart(bench, self._rows)
        outer = self.layout()
        assert isinstance(outer, QVBoxLayout)
        outer.addWidget(hairline())
        outer.addLayout(self.outcome.foot_box)
        self.columns_wanted: Callable[[], None] = lambda: None
        bench.source_changed.connect(self.refresh)
        bench.recipe_changed.connect(self.refresh)
        bench.outcome_changed.connect(self.outcome.show)
        bench.session.clock.cursor_changed.connect(self._on_cursor)
        look.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the recipe anew."""
        bench = self._bench
        focus = self.focusWidget()
        # a part that has the focus keeps it; one that only had it last must not take it from the wave
        named = focus.accessibleName() if focus is not None and focus.hasFocus() else ""
        self._keep_place()
        self.outcome.begin()
        self.clear()
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
        self.body.addLayout(self.outcome.result_box)
        self.body.addStretch(1)
        self.outcome.show()
        if named:
            again = next((w for w in self.findChildren(QWidget) if w.accessibleName() == named), None)
            if again is not None:
                again.setFocus()

    def _keep_place(self) -> None:
        """Scroll back to where it is once the parts are new, as long as it is the same recording."""
        bar, shown = self.area.verticalScrollBar(), self._shown
        self._shown = self._bench.opened
        if bar is not None and shown is self._shown and not self._scroll_back.isActive():
            self._place = bar.value()
        elif shown is not self._shown:
            self._place = 0
        # its length is known only after what came out was laid out as well
        self._scroll_back.start()

    def _on_laid_out(self) -> None:
        bar = self.area.verticalScrollBar()
        if bar is not None:
            bar.setValue(self._place)

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
                for field in lines.fields_of(recipe.line):
                    self._rows.setting(field, getattr(recipe.line, field.name), bench.change.line, channels)
            self._show_levels(recipe)
        gives = self._gives(recipe)
        # of what comes in frames already, only I2C has devices with registers behind it
        if gives in ("bytes", "bits", "packets", "CAN frames") or (
            recipe.line is not None and recipe.protocol in ("i2c", "registers")
        ):
            self._rows.section("framing")
            self._rows.row("put together by", self._framing_choice(recipe, gives))
            framing = lines.framing_in_use(recipe)
            if framing is not None:
                for field in lines.fields_of(framing):
                    self._rows.setting(field, getattr(framing, field.name), bench.change.framing, channels)
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
            pick = button("Columns…", "Choose what the columns of the file are", link=True)
            pick.clicked.connect(lambda: self.columns_wanted())
            self.body.addWidget(pick)
            self._show_columns(opened)

    def _show_columns(self, opened: lines.OpenedSource) -> None:
        """Say what the columns of a table of frames are taken for; those of samples are seen as waves."""
        recipe = self._bench.recipe
        chosen = recipe.columns if recipe is not None else None
        columns = chosen or opened.columns
        if opened.form != "frame table" or columns is None:
            return
        self._rows.section("read from" if chosen is None else "read from, as chosen")
        for role in lines.ROLES[1:]:
            places = columns.of_role(role)
            if places:
                words = label(_columns_words([columns.names[place] for place in places], role, columns))
                words.setAlignment(Qt.AlignmentFlag.AlignRight)
                self._rows.row(role if len(places) == 1 else f"{role}s", words)

    def _gives(self, recipe: lines.Recipe) -> str:
        opened = self._bench.opened
        assert opened is not None
        if recipe.line is not None:
            return lines.decoder_of(recipe.line).gives
        if opened.table is not None:
            return opened.holds
        return ""

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
        framing = lines.framing_in_use(recipe)
        choices = [(name, name) for name in self._framing_names(gives)]
        if recipe.line is None or gives == "frames":
            choices.insert(0, (_NO, "as they are"))
        current = lines.framing_of(framing).name if framing is not None else _NO
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
                clean = button("Glitches and inversion…", "Ignore short pulses, turn a line over", link=True)
                clean.clicked.connect(self._show_cleaning)
                self.body.addWidget(clean)
                return
        for channel in channels:
            self._show_level(recipe.level(channel.name), channel, several=len(used) > 1)
        self.body.addWidget(self.outcome.levels_view)
        self.outcome.levels_view.setVisible(False)

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

    def _on_cursor(self) -> None:
        if self.isVisible():
            self.outcome.follow_cursor()


def _columns_words(names: list[str], role: str, columns: lines.Columns) -> str:
    """Return the names of the columns with a role, and how they are read."""
    shown = names[0] if len(names) == 1 else f"{names[0]} to {names[-1]}"
    base = {"address": columns.base, "byte": columns.byte_base}.get(role)
    how = columns.time_unit if role == "time" else "decimal" if base == 10 else "hex" if base else ""
    return ", ".join(part for part in (shown, how) if part)
