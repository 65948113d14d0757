"""Draws docs/listening-error.png: the error of a reading against pitch and signal-to-noise ratio."""

from __future__ import annotations

import os
from multiprocessing import Pool
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks import sounds
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets

PITCHES = (23, 28, 33, 38, 43, 48, 52, 57, 62, 67, 72, 76)
NAMES = ("B0", "E1", "A1", "D2", "G2", "C3", "E3", "A3", "D4", "G4", "C5", "E5")
SNRS = (40, 30, 20, 10, 5, 0, -5, -10)
EACH = 7
FILE = Path(__file__).parents[1] / "docs" / "listening-error.png"


def error(job):
    """Median error in cents of some plucks of a pitch in noise; NaN when half of them are not heard."""
    pitch, snr = job
    found = []
    for seed in range(EACH):
        rng = np.random.default_rng(seed)
        sound = sounds.pluck_run(rng, strings=[1], tuning={1: pitch})
        sounds.add_noise(rng, sound, snr)
        readings = [r for r in analyse(sound.samples, sound.rate, Targets()) if r.f1]
        near = [r for r in readings if abs(r.start - sound.plucks[0].start) < 0.1]
        found.append(abs(1200 * np.log2(near[0].f1 / sound.plucks[0].f1)) if near else np.inf)
    middle = float(np.median(found))
    return middle if np.isfinite(middle) else np.nan


def draw(table) -> None:
    from PySide6.QtCore import QRectF, Qt
    from PySide6.QtGui import QColor, QFont, QGuiApplication, QImage, QPainter

    app = QGuiApplication([])
    wide, high, left, top = 64, 40, 90, 40
    image = QImage(left + wide * len(PITCHES) + 20, top + high * len(SNRS) + 50, QImage.Format.Format_RGB32)
    image.fill(QColor("#f6f4ef"))
    painter = QPainter(image)
    painter.setFont(QFont("DejaVu Sans", 10))
    for i, snr in enumerate(SNRS):
        painter.drawText(
            QRectF(0, top + i * high, left - 10, high),
            int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
            f"{snr} dB",
        )
        for j, _ in enumerate(PITCHES):
            value = table[i][j]
            shade = 1.0 if np.isnan(value) else float(np.clip((np.log10(max(value, 1e-4)) + 4) / 5, 0, 1))
            box = QRectF(left + j * wide + 1, top + i * high + 1, wide - 2, high - 2)
            painter.fillRect(box, QColor.fromHslF(0.09, 0.6, 0.92 - 0.55 * shade))
            text = "not heard" if np.isnan(value) else f"{value:.4f}" if value < 0.01 else f"{value:.2f}"
            painter.setFont(QFont("DejaVu Sans", 8 if np.isnan(value) else 10))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)
            painter.setFont(QFont("DejaVu Sans", 10))
    for j, name in enumerate(NAMES):
        painter.drawText(
            QRectF(left + j * wide, top + high * len(SNRS), wide, 24), int(Qt.AlignmentFlag.AlignCenter), name
        )
    painter.drawText(QRectF(left, 4, image.width() - left, 30), int(Qt.AlignmentFlag.AlignVCenter),
                     "Median error in cents: pitch across, white noise over the whole band down")  # fmt: skip
    painter.end()
    image.save(str(FILE))
    app.quit()


if __name__ == "__main__":
    with Pool(2) as pool:
        values = pool.map(error, [(p, s) for s in SNRS for p in PITCHES], chunksize=1)
    draw(np.array(values).reshape(len(SNRS), len(PITCHES)))
