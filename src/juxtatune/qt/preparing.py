"""The first start: what compiles the planner and the listener runs beside a window that says how far it is."""

from __future__ import annotations

import subprocess
import sys
import time

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from juxtatune.app.warm import compiled

USUAL_S = 90.0  # that compiling takes on two cores


class Preparing(QWidget):
    """A small window with a bar; closing it ends the start."""

    def __init__(self, work: subprocess.Popen[bytes]) -> None:
        super().__init__()
        self.setWindowTitle("Juxtatune")
        self._work, self._began = work, time.monotonic()
        self.text = QLabel("The planner and the listener are being compiled for this machine, once.\nThis takes a minute or two.")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName("Progress of compiling")
        stop = QPushButton("Quit")
        stop.clicked.connect(self.close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(32, 24, 32, 24)
        layout.setSpacing(16)
        layout.addWidget(self.text)
        layout.addWidget(self.bar)
        layout.addWidget(stop, 0, Qt.AlignmentFlag.AlignRight)
        self.resize(520, 180)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(200)

    def _look(self) -> None:
        spent = time.monotonic() - self._began
        self.bar.setValue(round(1000 * min(0.98, spent / USUAL_S)))
        if self._work.poll() is not None:
            self.close()


def prepare(app: QApplication) -> bool:
    """Compiles what is missing before the window opens; False when the player would not wait."""
    if compiled():
        return True
    work = subprocess.Popen([sys.executable, "-m", "juxtatune.cli.warm"], stderr=subprocess.DEVNULL)
    window = Preparing(work)
    window.show()
    while window.isVisible():
        app.processEvents()
        time.sleep(0.02)
    if work.poll() is None:
        work.terminate()
        work.wait()
        return False
    return True
