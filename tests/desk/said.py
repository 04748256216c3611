"""All that a part of the window says: what stands on it in widgets, and what it paints."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QTabBar,
    QTextEdit,
    QWidget,
)

from zesty_abacus.desk.widgets.told import told_lines


def said(part: QWidget) -> Iterator[str]:
    """Yield the words of a part and of all that is shown in it, in the order in which they were put together."""
    for one in [part, *part.findChildren(QWidget)]:
        is_inside = isinstance(one.parent(), QAbstractScrollArea | QComboBox)
        if one.isVisibleTo(part) and not is_inside and (one is part or one.width() > 0):
            name = f" {one.accessibleName()}" if one.accessibleName() else ""
            off = "" if one.isEnabled() else " (off)"
            for words in _words_of(one):
                if words:
                    yield f"{type(one).__name__}{name}{off}: {' '.join(words.splitlines())}"


def _words_of(one: QWidget) -> list[str]:
    if isinstance(one, QLabel):
        return one.text().splitlines()
    if isinstance(one, QAbstractButton):
        return [f"{'● ' if one.isChecked() else ''}{one.text()}"]
    if isinstance(one, QLineEdit):
        return [one.text() or (f"({one.placeholderText()})" if one.placeholderText() else "(nothing)")]
    if isinstance(one, QComboBox):
        chosen = one.currentIndex()
        return [" | ".join(f"{'● ' * (n == chosen)}{one.itemText(n)}" for n in range(one.count()))]
    if isinstance(one, QTabBar):
        return [" | ".join(f"{'● ' * (n == one.currentIndex())}{one.tabText(n)}" for n in range(one.count()))]
    if isinstance(one, QPlainTextEdit | QTextEdit):
        return one.toPlainText().splitlines()
    if one.width() and one.height():
        return [line.words for line in told_lines(one)]
    return []
