"""What the Tune view says of a run: columns, heading, counts. Values in, words out."""

from __future__ import annotations

from juxtatune.app.tune import Point, TuneRun, half_steps
from juxtatune.app.tuning_names import show_tuning
from juxtatune.core.music.notes import pretty
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.beats import FASTEST, beats
from juxtatune.core.retuning.procedure import Status, StringState
from juxtatune.core.strings.tension import tensions
from juxtatune.qt.widgets.approach_values import Column, TrailPoint, figure

FORMS = {
    Status.STAYS: "waiting", Status.TO_GO: "moving", Status.FROM_ABOVE: "hollow",
    Status.LANDED: "landed", Status.CHECKED: "checked", Status.OFF: "moving",
}  # fmt: skip
BREAK_FROM = 1.0  # half steps above home from which a string is said to be at risk
SHOWN_S = 9.5  # of a trail
LEAST_GHOST = 1.0  # cents
SLOWEST = 0.1  # beats a second


def tuning_name(run: TuneRun) -> str:
    return show_tuning(run.goal)


def summary(run: TuneRun) -> str:
    return pretty(run.summary())


def calibration(run: TuneRun) -> str:
    """What to do before the next strum: `Step 3 of 13. Loosen the 5th to 200 ¢ below A2, then F11 and strum all strings.`"""
    c = run.calibration
    assert c is not None
    step = f"Step {c.done_steps + 1} of {c.steps}."
    if c.wanted is None:
        return f"{step} F11, then strum all strings once."
    string, cents = c.wanted
    note = pretty(str(run.target.note(string)))
    where = f"{abs(cents):.0f} ¢ {'below' if cents < 0 else 'above'} {note}"
    return f"{step} Bring the {run.called(string)} to about {where} (the line), then F11 and strum all strings."


def caution(run: TuneRun) -> str:
    """What can go wrong with this retune, where it can."""
    home = run.session.state.instrument(run.instrument).home
    high = [c.string for c in run.procedure.change.strings
            if c.semitones > 0 and c.target.pitch - home.pitch(c.string) >= BREAK_FROM]  # fmt: skip
    if not high:
        return _strain(run)
    strings = " and ".join(run.called(s) for s in high)
    verb = "goes above its usual pitch" if len(high) == 1 else "go above their usual pitch"
    return f"The {strings} {verb} and may break: keep your face out of the line of the string, go up slowly."


def _strain(run: TuneRun) -> str:
    """What the tension of the whole guitar asks for, where its gauges are known and it changes much."""
    guitar = run.session.state.instrument(run.instrument)
    if not guitar.setup.gauges or not run.procedure.change.strings:
        return ""
    found = tensions(run.target, guitar.home, guitar.setup.scales(guitar.strings), guitar.setup.gauges)
    return "; ".join(w[0].upper() + w[1:] for w in found.warnings[-1:]) + ("." if found.warnings else "")


def columns(run: TuneRun, now: float) -> tuple[Column, ...]:
    """One column a string, at time `now` (s) of the sound."""
    return tuple(_column(run, s, now) for s in run.procedure.strings)


def _column(run: TuneRun, s: StringState, now: float) -> Column:
    p = run.procedure
    heard = s.cents is not None
    cents = s.cents if heard else s.start_cents
    moving = s.string in p.moving
    shown = heard or moving
    text, unit = figure(cents) if shown and cents is not None else ("·", "")
    action = procedure.advice(p, s.string)
    if not heard and moving and not p.checking and s.string != p.active:
        action = half_steps(-s.start_cents / 100) if not run.aims else _about(-s.start_cents / 100)
    trail = tuple(TrailPoint(now - q.t, q.cents - run.aim(s.string), q.sigma) for q in reversed(_points(run, s.string, now)))
    note = pretty(str(run.target.note(s.string)))
    head = run.calling.head(s.string, run.target) + _interim(run, s.string)
    form = "moving" if procedure.reads_off(p, s.string) else FORMS[s.status]
    return Column(
        s.string, note, head, text, unit, action, _detail(run, s), form, cents if shown else None,
        s.sigma or 1.0, s.held, trail, _ghost(run, s.string),
    )  # fmt: skip


def _about(steps: float) -> str:
    """`about 2.4 half steps down`: a move that ends between notes for now."""
    return f"about {abs(steps):.1f} half steps {'up' if steps > 0 else 'down'}"


def _interim(run: TuneRun, string: int) -> str:
    """What a string must read now, where that is not its note: others will move it there."""
    aim = run.aim(string)
    return f" {aim:+.0f} ¢".replace("-", "−") if abs(aim) >= LEAST_GHOST else ""


def _ghost(run: TuneRun, string: int) -> float | None:
    """Where the string will end, from what it must read now; for the others where the one in hand will bring them."""
    if not run.aims:
        return None
    if string == run.procedure.active or run.procedure.state(string).status is Status.LANDED:
        away = -run.aim(string)
    else:
        away = run.bench.ghosts(run.procedure.active).get(string, 0.0) - run.aim(string)
    return away if abs(away) >= LEAST_GHOST else None


def _points(run: TuneRun, string: int, now: float) -> list[Point]:
    return [q for q in run.trails[string] if now - q.t < SHOWN_S]


def _detail(run: TuneRun, s: StringState) -> str:
    active = s.string == run.procedure.active
    if run.together and active:
        one, other = (run.called(k) for k in run.together)
        return f"the {one} and the {other} ring together: damp one"
    if run.declined and active:
        return run.declined
    if s.string in run.unread:
        return run.unread[s.string]
    if s.slipped and s.status is Status.TO_GO:
        return "had landed, and was heard out again"
    parts = []
    if active and abs(run.aim(s.string)) >= LEAST_GHOST:
        parts.append("the others bring it to its note")
    if s.sigma is not None:
        parts.append(f"certain to ±{max(0.1, s.sigma):.1f} ¢")
    away = run.excess(s.string) or 0.0
    if s.cents is not None and procedure.advice(run.procedure, s.string).startswith("loosen"):
        parts.append(f"turn back {run.procedure.rules.turn_around:g} ¢ below")
    elif abs(away) >= 0.5:
        word = "settles" if run.attack else "attack reads"
        sharper = (away > 0) is not run.attack
        parts.append(f"{word} {abs(away):.0f} ¢ {'sharper' if sharper else 'flatter'}")
    heard = _beats(run, s) if active else ""
    if heard:
        parts = [*parts[:1], heard]
    if len(parts) > 2:  # the line holds two
        parts = [parts[0], parts[-1]]
    return " · ".join(parts or _by_ear(run, s))


def _beats(run: TuneRun, s: StringState) -> str:
    """`3.1 beats a second with the 4th, too high`: what the ear should hear when both ring, near the target."""
    change = next((c for c in run.procedure.change.strings if c.string == s.string), None)
    if change is None or change.reference is None or s.cents is None or run.aims:
        return ""
    r = change.reference
    stands = (run.source if r.yet_to_move else run.target).pitch(r.string) + r.fret
    off = 0.0 if r.yet_to_move or r.fret else run.bench.cents[r.string] / 100
    own = run.reference.hz(run.target.pitch(s.string) + s.cents / 100)
    found = beats(r.interval, own, run.reference.hz(stands + off))
    if found is None or abs(found) > FASTEST:
        return ""
    if abs(found) < SLOWEST:
        return f"no beats with the {run.called(r.string)}"
    return f"{abs(found):.1f} beats a second with the {run.called(r.string)}, too {'high' if found > 0 else 'low'}"


def _by_ear(run: TuneRun, s: StringState) -> list[str]:
    """How far it moves and what to hear it against, before it was heard."""
    change = next((c for c in run.procedure.change.strings if c.string == s.string), None)
    if change is None or change.reference is None:
        return []
    r = change.reference
    fret = f", fret {r.fret}" if r.fret else ""
    off = f", beatless it is {r.beat_free_cents:+.1f} ¢ off".replace("-", "−") if r.beat_free_cents is not None else ""
    return [f"{half_steps(change.semitones)} · by ear: {r.interval} of the {run.called(r.string)}{fret}{off}"]


def counts(run: TuneRun) -> str:
    """`4 landed · the 3rd had landed and is out again, 7.0 ¢ above · 1 to go`."""
    p = run.procedure
    if p.done:
        return "all strings checked · Page Down: next song"
    out = [f"the {run.called(s.string)} is out again" for s in p.strings if s.slipped and s.status is Status.TO_GO]
    out += [f"the {run.called(s.string)} is off" for s in p.strings if s.status is Status.OFF]
    if p.checking:
        done = sum(s.status is Status.CHECKED for s in p.strings)
        return " · ".join([f"{done} checked", f"{len(p.strings) - done} to check", *out])
    landed = sum(p.state(s).status is Status.LANDED for s in p.moving)
    hollow = sum(p.state(s).status is Status.FROM_ABOVE for s in p.moving)
    left = [run.called(s) for s in p.moving if p.state(s).status is Status.TO_GO]
    again = [f"{hollow} to come up again"] if hollow else []
    to_go = f"{len(left)} to go" + (f": {', '.join(left)}" if 0 < len(left) <= 2 else "")
    nth = [f"pass {run.passes}"] if run.bench.floating else []
    return " · ".join([*nth, f"{landed} landed", *again, to_go, *out])
