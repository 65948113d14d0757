"""What a painted picture says to a screen reader: a child without a face for each thing in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtWidgets import QWidget


@dataclass(frozen=True)
class Said:
    """One thing in a picture: where it is, what it is called, and what it stands at."""

    rect: QRectF
    name: str
    value: str


class SpokenChildren:
    """Keeps the children of a painted widget in step with what is painted."""

    def __init__(self, parent: QWidget) -> None:
        self._parent = parent
        self._children: list[QWidget] = []
        self._said: tuple[Said, ...] = ()

    def say(self, things: Sequence[Said]) -> None:
        if tuple(things) == self._said:
            return
        self._said = tuple(things)
        while len(self._children) < len(things):
            child = QWidget(self._parent)
            child.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            child.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self._children.append(child)
        for child, thing in zip(self._children, things, strict=False):
            child.setGeometry(thing.rect.toRect())
            child.setAccessibleName(thing.name)
            child.setAccessibleDescription(thing.value)
            child.show()
        for child in self._children[len(things) :]:
            child.hide()
