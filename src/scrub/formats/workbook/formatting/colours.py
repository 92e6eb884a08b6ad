"""Colours: written out, of the theme, or of the old palette (ISO/IEC 29500-1, 18.8.3, 18.8.19, 18.8.27)."""

from __future__ import annotations

import colorsys
import re
from collections.abc import Callable, Mapping

from scrub.formats.spans import number_in, numbered
from scrub.model.core.colours import colour_of

_BASIC = "000000 ffffff ff0000 00ff00 0000ff ffff00 ff00ff 00ffff".split()
#: The palette for indexed colours (18.8.27): the eight basic ones twice, then these.
_PALETTE = (
    _BASIC
    + _BASIC
    + (
        "800000 008000 000080 808000 800080 008080 c0c0c0 808080 9999ff 993366 ffffcc ccffff 660066 ff8080 0066cc "
        "ccccff 000080 ff00ff ffff00 00ffff 800080 800000 008080 0000ff 00ccff ccffff ccffcc ffff99 99ccff ff99cc "
        "cc99ff ffcc99 3366ff 33cccc 99cc00 ffcc00 ff9900 ff6600 666699 969696 003366 339966 003300 333300 993300 "
        "993366 333399 333333"
    ).split()
)
#: The order in which cells count the colours of a theme; its part has dark before light.
_THEME = "lt1 dk1 lt2 dk2 accent1 accent2 accent3 accent4 accent5 accent6 hlink folHlink".split()


class Colours:
    """Reads and writes colours; the theme is read when first needed."""

    def __init__(self, theme: Callable[[], bytes], palette: Callable[[], list[str]]) -> None:
        """`palette` gives the workbook's own indexed colours; none for the usual ones."""
        self._theme_part = theme
        self._palette = palette
        self._theme: dict[str, str] | None = None

    def read(self, attributes: Mapping[str, str]) -> str | None:
        """A colour as a macro sees it, `#rrggbb`; None for one that the program chooses."""
        if "rgb" in attributes:
            return "#" + attributes["rgb"][-6:].lower()
        if "theme" in attributes:
            found = self._of_theme(number_in(attributes, "theme"))
        elif "indexed" in attributes:
            found = numbered(self._palette() or _PALETTE, number_in(attributes, "indexed"))
        else:
            return None
        return "#" + _tinted(found, float(attributes.get("tint", "0"))) if found else None

    def _of_theme(self, number: int) -> str | None:
        if self._theme is None:
            part = self._theme_part()
            self._theme = {}
            for name in _THEME:
                match = re.search(
                    rb"<a:" + name.encode() + rb">\s*<a:(?:srgbClr val|sysClr [^>]*?lastClr)=\"([0-9A-Fa-f]{6})\"", part
                )
                if match:
                    self._theme[name] = match[1].decode().lower()
        return self._theme.get(numbered(_THEME, number) or "")

    @staticmethod
    def write(colour: str) -> str:
        """A colour as the file has it, `FFrrggbb`. Raises `Failure` for a text that is none."""
        return "FF" + colour_of(colour)[1:].upper()


def same_colour(colour: str | None) -> str | None:
    """A colour as `Colours.read` gives it, whatever way it is written."""
    return None if colour is None else colour_of(colour)


def _tinted(colour: str, tint: float) -> str:
    """A colour made lighter or darker (18.8.19)."""
    if not tint:
        return colour
    hue, light, strength = colorsys.rgb_to_hls(*(int(colour[at : at + 2], 16) / 255 for at in (0, 2, 4)))
    light = light * (1 + tint) if tint < 0 else light * (1 - tint) + tint
    return "".join(f"{round(part * 255):02x}" for part in colorsys.hls_to_rgb(hue, min(1, max(0, light)), strength))
