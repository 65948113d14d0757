"""What a plan is judged by, beside its dead air."""

from __future__ import annotations

WORK_WEIGHT = 0.01  # of all seconds of work: of two nights with equal dead air, the one with less retuning
