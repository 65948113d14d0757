"""A fretted instrument as a set needs it: strings, bridge, home tuning, and today's tuning."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.setup import Setup

BRIDGES = ("fixed", "dive-only", "floating")


@dataclass(frozen=True)
class Costs:
    """Seconds that handling an instrument takes; `passes` is tuning rounds over the changed strings."""

    base_s: float = 3.0
    string_s: float = 4.0
    semitone_s: float = 1.5
    check_s: float = 1.2
    passes: float = 1.0
    swap_s: float = 12.0
    capo_s: float = 5.0


def default_costs(bridge: str) -> Costs:
    """Start values; a floating bridge needs three rounds, a dive-only one counts as fixed. Common practice, no source."""
    return Costs(passes=3.0) if bridge == "floating" else Costs()


@dataclass(frozen=True)
class Instrument:
    """`home` is the tuning its signature is drawn against, `tuning` the state today."""

    id: str
    name: str
    strings: int
    bridge: str
    home: Tuning
    tuning: Tuning
    costs: Costs
    setup: Setup = field(default_factory=Setup)

    def __post_init__(self) -> None:
        if self.bridge not in BRIDGES:
            raise UserError(f"bridge {self.bridge!r}", allowed="fixed, dive-only or floating")
        for key, tuning in (("home", self.home), ("tuning", self.tuning)):
            if len(tuning) != self.strings:
                raise UserError(
                    f"{len(tuning)} notes for {self.strings} strings", key, f"{self.strings} notes"
                )

    def tuned_to(self, tuning: Tuning, at: str = "", certainty_cents: float | None = None) -> Instrument:
        """The instrument standing in a tuning since an ISO time; without a certainty it was said and not heard."""
        return replace(
            self, tuning=tuning, setup=replace(self.setup, read_at=at, certainty_cents=certainty_cents)
        )
