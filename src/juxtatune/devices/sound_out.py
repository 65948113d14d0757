"""The sound output, through PortAudio: plays a finished sound beside the program, and stops it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.errors import UserError
from juxtatune.devices.sound_in import portaudio

ALLOWED = "a sound output that the system sees"


def play(samples: NDArray[np.floating], rate: int) -> None:
    """Starts to play samples (k,) within ±1 and returns at once; what played before ends. Raises UserError."""
    sd = portaudio()
    try:
        sd.play(samples.astype(np.float32), rate)
    except (sd.PortAudioError, ValueError) as error:
        raise UserError(f"the sound output cannot be used: {error}", "sound output", ALLOWED) from None


def stop() -> None:
    """Ends what plays. Without PortAudio there is nothing to end."""
    try:
        sd = portaudio()
        sd.stop()
    except (UserError, RuntimeError):
        return
