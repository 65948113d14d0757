"""Text that fits: titles shortened by whole words, faces that give way."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QFontMetricsF

from juxtatune.qt.theme import font

LEAST_PX = 13


def elided(text: str, metrics: QFontMetricsF, width: float) -> str:
    """The text, or its first and last words around `…` where it is too long: a word is only cut when none is left."""
    if metrics.horizontalAdvance(text) <= width:
        return text
    words = text.split()
    for kept in range(len(words) - 1, 1, -1):
        head = (kept + 1) // 2
        short = " ".join((*words[:head], "…", *words[len(words) - (kept - head) :]))
        if metrics.horizontalAdvance(short) <= width:
            return short
    return metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, width)


def fitted(text: str, size: float, weight: int, width: float, least: float = LEAST_PX) -> QFont:
    """The largest face up to a size in which a text fits a width, not below the least."""
    px = round(size)
    while px > least and QFontMetricsF(font(px, weight)).horizontalAdvance(text) > width:
        px -= 1 if px < 24 else 2
    return font(max(px, least), weight)
