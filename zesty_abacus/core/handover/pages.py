"""Pages of A4 as SVG, filled from the top.

No font is at hand here, so widths of words are estimated; columns are wide enough for that.
"""

from __future__ import annotations

from .markup import escaped

PAGE = (595.0, 842.0)
"""A4 in points."""
MARGIN = 40.0
INK, QUIET, HAIR = "#22303C", "#5F6A73", "#D9CFB8"
FONT = "Inter, 'DejaVu Sans', sans-serif"
MONO = "'JetBrains Mono', 'DejaVu Sans Mono', monospace"


def letters_in(width: float, size: float) -> int:
    """Return how many letters of a usual text fit a width."""
    return max(int(width / (size * 0.54)), 4)


def wrapped(text: str, width: float, size: float) -> list[str]:
    """Break a text into lines that fit a width, at blanks where it can."""
    most = letters_in(width, size)
    lines: list[str] = []
    for word in text.split():
        while len(word) > most:
            head, word = word[:most], word[most:]
            lines.append(head)
        if lines and len(lines[-1]) + 1 + len(word) <= most:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


class Pages:
    """Puts text on pages from the top; begins another one where there is no room."""

    def __init__(self) -> None:
        self._pages: list[list[str]] = [[]]
        self.y = MARGIN + 10

    def room(self, height: float) -> bool:
        """Go to the next page if so much does not fit; return whether it was turned."""
        if self.y + height <= PAGE[1] - MARGIN:
            return False
        self._pages.append([])
        self.y = MARGIN + 10
        return True

    def down(self, by: float) -> None:
        """Leave room."""
        self.y += by

    def add(self, element: str) -> None:
        """Put an element of SVG on the page."""
        self._pages[-1].append(element)

    def put(self, x: float, text: str, size: float, *, bold: bool = False, mono: bool = False, colour: str = INK,
            anchor: str = "start") -> None:  # fmt: skip
        """Put a text where the page stands, without moving on."""
        weight = ' font-weight="600"' if bold else ""
        end = f' text-anchor="{anchor}"' if anchor != "start" else ""
        self.add(
            f'<text x="{x:.1f}" y="{self.y:.1f}" font-size="{size}" fill="{colour}" '
            f'font-family="{MONO if mono else FONT}"{weight}{end}>{escaped(text)}</text>'
        )

    def text(self, text: str, size: float, **settings: object) -> None:
        """Put a line and move on."""
        self.room(size * 1.3)
        self.put(MARGIN, text, size, **settings)  # type: ignore[arg-type]
        self.down(size * 1.35)

    def heading(self, text: str) -> None:
        """Put a heading with room for something under it."""
        self.down(10)
        self.room(34)
        self.put(MARGIN, text, 10, bold=True)
        self.down(14)

    def finished(self, title: str) -> list[str]:
        """Return the pages, each an SVG document with its number at the foot."""
        made = []
        width, height = PAGE
        for number, elements in enumerate(self._pages, 1):
            foot = f"{title} · page {number} of {len(self._pages)}"
            made.append(
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" '
                f'viewBox="0 0 {width:.0f} {height:.0f}"><rect width="{width:.0f}" height="{height:.0f}" fill="#fff"/>'
                f'{"".join(elements)}<text x="{MARGIN}" y="{height - 22:.0f}" font-size="7" fill="{QUIET}" '
                f'font-family="{FONT}">{escaped(foot)}</text></svg>'
            )
        return made
