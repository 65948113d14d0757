"""What a player types and reads of a guitar: scale, gauges, range, strings off, its state, its costs in sentences."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date, datetime

from juxtatune.app import fields
from juxtatune.app.calling import ordinal
from juxtatune.app.moments import ago, days_ago
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import pretty
from juxtatune.core.strings.instrument import Instrument, default_costs
from juxtatune.core.strings.setup import USUAL_RANGE, Setup
from juxtatune.core.strings.tension import Gauge, Tensions, tensions

BRIDGE_WORDS = {
    "fixed": "hardtail: does not give",
    "dive-only": "dive-only: rests on the body, goes down",
    "floating": "floating: springs against strings",
}
MM_AN_INCH = 25.4
WOUND_FROM = 0.5  # mm; common practice, no source
# of each cost: the sentence with its figure left out, and how it is read
COSTS = {
    "base_s": "s before the first peg turns",
    "string_s": "s a string that moves, each round",
    "semitone_s": "s more for each half step of it",
    "passes": "rounds until the bridge rests",
    "check_s": "s a string in the last check",
    "swap_s": "s to take it in hand",
    "capo_s": "s to set or move its capo",
}


def scales(text: str, strings: int) -> tuple[float, ...]:
    """`648`, `25.5 in`, or `635-673`: a fanned scale, longest on the lowest string. Nothing: not known."""
    plain = text.strip().lower().replace("–", "-")
    inches = re.search(r'(in|inch|inches|")$', plain) is not None
    plain = re.sub(r'\s*(mm|in|inch|inches|")$', "", plain)
    if not plain:
        return ()
    ends = [fields.number(part) * (MM_AN_INCH if inches else 1.0) for part in plain.split("-")]
    if len(ends) > 2 or any(not 200 <= e <= 1500 for e in ends):
        raise UserError(f"{text[:40]!r} is no scale length", allowed="200 to 1500 mm, as 648, 25.5 in, or 635-673")
    low, high = max(ends), min(ends)
    return tuple(round(low + (high - low) * k / (strings - 1), 2) for k in range(strings))


def show_scales(setup: Setup) -> str:
    if not setup.scales_mm:
        return ""
    low, high = setup.scales_mm[0], setup.scales_mm[-1]
    return f"{low:g}" if low == high else f"{high:g}-{low:g}"


def gauges(text: str, strings: int) -> tuple[Gauge, ...]:
    """One a string, in either direction: mm (`1.17w`), inches (`.046`) or thousandths of one (`46`), w wound, p plain."""
    parts = text.replace(",", " ").split()
    if not parts:
        return ()
    if len(parts) != strings:
        raise UserError(f"{len(parts)} gauges", allowed=f"{strings}, one a string, such as 46 36 26 17 13 10")
    found = tuple(_gauge(part) for part in parts)
    return found if strings == 12 or found[0].mm >= found[-1].mm else found[::-1]


def _gauge(text: str) -> Gauge:
    match = re.fullmatch(r"(\d*\.?\d+)([wp]?)", text.lower())
    if match is None:
        raise UserError(f"{text[:20]!r} is no gauge", allowed="mm as 1.17w, inches as .046, or thousandths as 46")
    value = float(match[1])
    mm = value * MM_AN_INCH if value < 0.18 else value * MM_AN_INCH / 1000 if value >= 5 else value
    if not 0.1 <= mm <= 4:
        raise UserError(f"{text[:20]!r} is no gauge", allowed="0.1 to 4 mm")
    wound = match[2] == "w" or (match[2] != "p" and mm > WOUND_FROM)
    return Gauge(round(mm, 4), wound)


def show_gauges(found: tuple[Gauge, ...]) -> str:
    """In mm, w behind those that are wound; what reads otherwise says so."""
    return " ".join(f"{g.mm:.3g}{'w' if g.wound else 'p' if g.mm > WOUND_FROM else ''}" for g in found)


def ranges(text: str, strings: int) -> tuple[tuple[int, int], ...]:
    """`-7 +3` for all strings, or one pair a string, separated by commas: half steps down and up from home."""
    plain = text.strip().replace("−", "-").replace("to", " ")
    if not plain:
        return ()
    pairs = [_range(part, text) for part in plain.split(",")]
    if len(pairs) not in (1, strings):
        raise UserError(f"{len(pairs)} ranges", allowed=f"one for all strings, or {strings} with commas between")
    found = tuple(pairs * (strings if len(pairs) == 1 else 1))
    return () if all(r == USUAL_RANGE for r in found) else found


def _range(part: str, text: str) -> tuple[int, int]:
    numbers = part.split()
    if len(numbers) != 2:
        raise UserError(f"{text[:40]!r} is no range", allowed="half steps down and up from home, such as -7 +3")
    low, high = fields.whole(numbers[0].lstrip("-"), 0, 24), fields.whole(numbers[1].lstrip("+"), 0, 24)
    return -low, high


def show_ranges(setup: Setup) -> str:
    pairs = [f"−{-low} +{high}" for low, high in (setup.ranges or (USUAL_RANGE,))]
    return pairs[0] if len(set(pairs)) == 1 else ", ".join(pairs)


def off(text: str, strings: int) -> tuple[int, ...]:
    """Strings taken off: `6`, `6 5`; `none` or nothing for none."""
    if text.strip().lower() in ("", "none"):
        return ()
    found = fields.used_strings(text, strings)
    if not found:
        raise UserError("every string is off", allowed="at least one string on the guitar")
    return found


def show_off(setup: Setup) -> str:
    return " ".join(map(str, setup.off)) or "none"


# -- sentences
def state_words(i: Instrument, now: datetime) -> str:
    """`Stands in drop D, read 20 min ago, certain to ±0.3 ¢.`"""
    stands = f"Stands in {fields.show_tuning(i.tuning)}"
    when = ago(i.setup.read_at, now)
    if not when:
        return f"{stands}, as the book says; not read yet."
    if i.setup.certainty_cents is None:
        return f"{stands}, as you said {when}; not read since."
    return f"{stands}, read {when}, certain to ±{i.setup.certainty_cents:.1f} ¢."


def strings_words(i: Instrument, today: date) -> str:
    """What the player should know of the strings: their age, and those taken off."""
    parts = []
    if i.setup.strings_since:
        then = date.fromisoformat(i.setup.strings_since)
        new = " · new strings drift for the first hours" if (today - then).days < 2 else ""
        parts.append(f"strings put on {days_ago(then, today)}{new}")
    if i.setup.off:
        parts.append(f"without the {', '.join(ordinal(s) for s in i.setup.off)}")
    return " · ".join(parts)


def cost_from(i: Instrument, key: str) -> str:
    """Where a cost comes from: the start value of its bridge, or the player."""
    start = getattr(default_costs(i.bridge), key)
    return "start value" if getattr(i.costs, key) == start else f"yours; the start value is {start:g}"


def with_bridge(i: Instrument, bridge: str) -> Instrument:
    """Another bridge brings its start values, where the player has not set their own."""
    old, new = default_costs(i.bridge), default_costs(bridge)
    passes = new.passes if i.costs.passes == old.passes else i.costs.passes
    return replace(i, bridge=bridge, costs=replace(i.costs, passes=passes))


def tension_of(i: Instrument) -> Tensions:
    """Every string as it stands, against home."""
    return tensions(i.tuning, i.home, i.setup.scales(i.strings), i.setup.gauges or None)


def tension_words(i: Instrument, found: Tensions) -> str:
    """`312 N in all, 3 % less than at home.` and the cautions."""
    change = 100 * (found.total_ratio - 1)
    against = "as at home" if abs(change) < 0.5 else f"{abs(change):.0f} % {'more' if change > 0 else 'less'} than at home"
    total = f"{found.total_newtons:.0f} N in all, {against}." if found.total_newtons is not None else f"In all {against}."
    return pretty(" ".join([total, *(w[0].upper() + w[1:] + "." for w in found.warnings)]))
