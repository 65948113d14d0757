"""The Sound menu: what is listened to, filled anew each time it opens."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from juxtatune.core.errors import UserError
from juxtatune.devices.sound_file import CHOOSE
from juxtatune.devices.sound_in import devices
from juxtatune.qt.views.tune.presenter import TunePresenter


class SoundMenu:
    """Fills a menu with the simulated guitar, a sound file, the noise print, and every input."""

    def __init__(self, tune: TunePresenter, menu: QMenu, parent: QWidget) -> None:
        self.tune, self.menu, self.parent = tune, menu, parent
        menu.aboutToShow.connect(self.fill)

    def _add(self, menu: QMenu, text: str, work: Callable[[], None]) -> QAction:
        action = QAction(text, self.parent)
        action.triggered.connect(lambda _=False: work())
        menu.addAction(action)
        return action

    def fill(self) -> None:
        self.menu.clear()
        self._add(self.menu, "Simulated guitar", self.tune.use_simulated)
        self._add(self.menu, "Sound file…", self._open_file)
        self._add(self.menu, "Take a noise print of the room", self.tune.take_print)
        self._add(self.menu, "Read all strings from one strum", self.tune.catch_strum)
        self.menu.addSeparator()
        try:
            found = devices()
        except UserError:
            found = []
        for device in found:
            if device.channels < 2:
                self._add(self.menu, device.name, partial(self.tune.use_device, device.name))
                continue
            channels = self.menu.addMenu(device.name)
            self._add(channels, "The clearer channel", partial(self.tune.use_device, device.name))
            for k, side in enumerate(("Left channel", "Right channel")):
                self._add(channels, side, partial(self.tune.use_device, device.name, k))
        if not found:
            self._add(self.menu, "No sound input found", lambda: None).setEnabled(False)

    def _open_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.parent, "Listen to a sound file", "", CHOOSE)
        if name:
            self.tune.use_file(Path(name))
