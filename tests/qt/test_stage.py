"""A night on stage: step by step with one key, changed on the way, planned again, and found again after a kill."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from juxtatune.app import stage
from juxtatune.app.night import as_given
from juxtatune.app.planning import NightPlanner
from juxtatune.app.preferences import Preferences
from juxtatune.app.session import Session
from juxtatune.book.state import gig_of
from juxtatune.core.planning.model.plan import Plan
from juxtatune.qt.application import open_window

KEY = Qt.Key


class Clock:
    """Time that a test moves."""

    def __init__(self) -> None:
        self.now = 1_000_000.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def on_stage(qtbot, window):
    """The demo night on stage; time stands still until the test moves it."""
    window.stage._clock = Clock()
    window.show_view("Stage")
    yield window
    window.stage.moment = None  # it may close


def settled(qtbot, window) -> Plan:
    """Waits until the price is that of the book as it stands."""
    night = window.night
    qtbot.waitUntil(lambda: (night.given is not None and night.given_gig is night._asked
                    and night.given_gig.songs == night.gig().songs) or night.given_gig == night.gig(), timeout=30000)  # fmt: skip
    return night.given


def press(qtbot, window, key, seconds: float = 0.0) -> None:
    window.stage._clock.now += seconds
    qtbot.keyClick(window.views["Stage"], key)
    settled(qtbot, window)


def played(window) -> list[str]:
    return list(window.night.night().rules.now.played)


def through(qtbot, window, songs: int) -> None:
    """Plays so many songs; the last of them is under way."""
    for _ in range(2 * songs):
        press(qtbot, window, KEY.Key_PageDown)


def test_a_night_is_led_through_with_one_key_and_costs_what_was_planned(qtbot, on_stage) -> None:
    window, view = on_stage, on_stage.views["Stage"]
    planned = window.night.given.totals.dead_s
    songs = [s.song for s in window.night.night().slots]
    assert "18 songs" in view.where.text() and "Dunlin in standard" in view.moves.text()
    dead = 0.0
    for k, song in enumerate(songs):
        press(qtbot, window, KEY.Key_PageDown, 0.0)
        assert window.stage.moment.phase == "gap" and view.title.text() == window.session.state.song(song).title
        gap = stage.gap_to(window.stage.plan, song)
        dead += gap.dead_s if gap is not None else 0.0
        press(qtbot, window, KEY.Key_PageDown, stage.gap_seconds(gap))
        assert window.stage.moment.phase == "playing" and played(window) == songs[: k + 1]
        assert view.clock.text() == "on time"
        way = stage.way_of(window.session.state, window.night.night(), song)
        stands = window.session.state.instrument(way.instrument).tuning
        assert all(stands.pitch(s) == way.tuning.pitch(s) for s in way.tuning.strings if way.uses(s))
        window.stage._clock.now += window.session.state.song(song).length_s
    press(qtbot, window, KEY.Key_PageDown)
    assert view.title.text() == "The night is over" and window.night.night().rules.now is None
    assert dead == pytest.approx(planned)
    kinds = [data["phase"] for _, kind, data in window.session.book.log() if kind == "stage"]
    assert kinds == ["gap", "playing"] * len(songs) + ["over"]


def test_the_bench_runs_in_the_gap_and_next_plays_on_unchecked(qtbot, on_stage) -> None:
    window, view = on_stage, on_stage.views["Stage"]
    for key in (KEY.Key_PageDown, KEY.Key_PageDown):
        press(qtbot, window, key)
    assert view.approach.isHidden() and window.tune._worker is None
    press(qtbot, window, KEY.Key_PageDown)
    assert not view.approach.isHidden() and window.tune._worker is not None
    assert window.tune.run.song == window.stage.moment.song == "nine-fathom-static"
    window.tune.guitar.damp()
    press(qtbot, window, KEY.Key_Space)
    string = window.tune.run.procedure.active
    qtbot.waitUntil(lambda: window.tune.run.procedure.state(string).cents is not None, timeout=60000)
    press(qtbot, window, KEY.Key_PageDown)
    assert "unchecked" in [kind for _, kind, _ in window.session.book.log()]
    assert "behind" not in view.clock.text()


def test_what_was_planned_of_a_gap_is_kept_however_it_is_retuned_in_it(qtbot, on_stage) -> None:
    window = on_stage
    for _ in range(3):
        press(qtbot, window, KEY.Key_PageDown)
    planned = stage.gap_to(window.stage.plan, "nine-fathom-static")
    assert planned.dead_s > 0 and window.stage.moment.dead_s == planned.dead_s
    run = window.tune.run
    for _ in range(2 * len(run.target.strings)):
        window.tune.take()
    assert run.finished
    press(qtbot, window, KEY.Key_E)  # planned again: from the guitars as they stand now
    assert stage.gap_to(settled(qtbot, window), "nine-fathom-static").retunes == ()
    window.undo()
    settled(qtbot, window)
    press(qtbot, window, KEY.Key_PageDown, 40.0)
    window.session.flush(5.0)
    row = window.session.book.last_log("song")[1]
    cover = planned.cover_s
    assert (row["planned_dead_s"], row["dead_s"]) == (pytest.approx(planned.dead_s, abs=0.1), pytest.approx(40 - cover, abs=0.1))
    assert row["strings"] == len(planned.retunes) > 0


def test_the_clock_says_how_far_behind(qtbot, on_stage) -> None:
    window, view = on_stage, on_stage.views["Stage"]
    press(qtbot, window, KEY.Key_PageDown)
    press(qtbot, window, KEY.Key_PageDown, 30)  # before the first song nobody is late
    length = window.session.state.song("tidewire").length_s
    window.stage._clock.now += length + 200
    view.refresh()
    assert view.clock.text() == "3 min behind"
    press(qtbot, window, KEY.Key_PageDown)
    assert view.talk.text() == "8 s of talk left"
    window.stage._clock.now += 15
    view.refresh()
    assert view.talk.text() == "7 s of dead air"


def solved_from_scratch(window) -> float:
    """The best rest of the night, by a planner that has seen nothing of what happened before."""
    state = window.session.state
    outcome = NightPlanner(gig_of(state, window.night.night()), seed=9).run(20.0)
    assert outcome.solution is not None and outcome.solution.optimal
    return outcome.solution.plan.totals.objective


def again(qtbot, window) -> float:
    """What the rest costs at its best, planned again by the view."""
    qtbot.waitUntil(lambda: window.stage._planned_for is None and not window.night.planning
                    and window.night.planned is not None, timeout=60000)  # fmt: skip
    return window.night.planned.plan.totals.objective


def test_what_breaks_is_planned_around_and_never_imposed(qtbot, on_stage) -> None:
    window, view = on_stage, on_stage.views["Stage"]
    through(qtbot, window, 11)
    before = played(window)
    songs = [s.song for s in window.night.night().slots]
    press(qtbot, window, KEY.Key_C)
    assert [s.song for s in window.night.night().slots] == songs[:11] + songs[12:]
    assert again(qtbot, window) == pytest.approx(solved_from_scratch(window), abs=0.01)
    press(qtbot, window, KEY.Key_Z)
    assert [s.song for s in window.night.night().slots] == songs

    press(qtbot, window, KEY.Key_1)  # the highest string of the guitar in hand
    guitar = next(iter(window.night.night().rules.now.broken))
    state, night = window.session.state, window.night.night()
    for slot in stage.upcoming(night):
        way = stage.way_of(state, night, slot.song)
        assert way.instrument != guitar or (way.strings_used and 1 not in way.strings_used)
    assert "Z takes it back" in window.notice.text() or "order" in window.notice.text()
    best = again(qtbot, window)
    assert best == pytest.approx(solved_from_scratch(window), abs=0.01)
    assert played(window) == before
    if window.stage.offer() is not None:
        qtbot.waitUntil(lambda: "T takes it" in view.offer.text(), timeout=60000)
        order = [s.song for s in night.slots]
        press(qtbot, window, KEY.Key_K)
        assert not view.offer.text() and [s.song for s in window.night.night().slots] == order
    press(qtbot, window, KEY.Key_J)
    assert not window.night.night().rules.now.broken


def test_a_better_order_is_taken_with_a_key(qtbot, on_stage) -> None:
    window = on_stage
    through(qtbot, window, 11)
    press(qtbot, window, KEY.Key_PageDown)
    press(qtbot, window, KEY.Key_G)  # the guitar of the next song is out
    again(qtbot, window)
    best = window.stage.offer()
    press(qtbot, window, KEY.Key_T)
    assert [s.song for s in window.night.night().slots] == [s.song for s in best.order]
    assert settled(qtbot, window).totals.objective == pytest.approx(best.totals.objective, abs=0.01)
    left = stage.upcoming(window.night.night())
    assert window.stage.moment.song == left[0].song


def test_less_time_a_rest_and_another_song(qtbot, on_stage) -> None:
    window = on_stage
    for _ in range(4):
        press(qtbot, window, KEY.Key_PageDown)
    state, night = window.session.state, window.night.night()
    left = [s.song for s in stage.upcoming(night)]
    press(qtbot, window, KEY.Key_N)
    assert [s.song for s in stage.upcoming(window.night.night())][:2] == [left[1], left[0]]
    press(qtbot, window, KEY.Key_E)
    last = played(window)[-1]
    assert window.night.night().rules.cover(last) == night.rules.cover(last) + 120
    before = stage.upcoming(window.night.night())
    press(qtbot, window, KEY.Key_L)
    after = stage.upcoming(window.night.night())
    gone = {s.song for s in before} - {s.song for s in after}
    assert 600 <= sum(state.song(s).length_s for s in gone) < 900 and after[-1].song == before[-1].song
    for _ in range(3):
        press(qtbot, window, KEY.Key_Z)
    assert [s.song for s in stage.upcoming(window.night.night())] == left
    assert window.night.night().rules.cover(last) == night.rules.cover(last)


def test_the_side_page_says_what_to_retune_for_which_song(qtbot, on_stage) -> None:
    window = on_stage
    for _ in range(2):
        press(qtbot, window, KEY.Key_PageDown)
    press(qtbot, window, KEY.Key_V)
    side = window.views["Stage"].side
    assert side.isVisible() and "Nine Fathom Static: Rook" in side.text.text()
    window.show_side()
    assert window._side.isVisible() and "Nine Fathom Static" in window._side.text.text()


def test_quitting_takes_two_wishes_while_a_night_is_under_way(qtbot, on_stage) -> None:
    window = on_stage
    press(qtbot, window, KEY.Key_PageDown)
    window.close()
    assert not window._closed and "under way" in window.notice.text()


KILLED = """
    import os, sys
    from pathlib import Path
    from PySide6.QtTest import QTest
    from PySide6.QtCore import Qt
    from juxtatune.app.preferences import Preferences
    from juxtatune.qt.application import make_app, open_window
    app = make_app()
    window = open_window(Path(sys.argv[1]), Preferences(theme="dark"))
    window.show()
    view = window.views["Stage"]
    while window.night.given is None:
        QTest.qWait(20)
    window.show_view("Stage")
    for _ in range(4):
        QTest.keyClick(view, Qt.Key.Key_PageDown)
        QTest.qWait(400)
    QTest.keyClick(view, Qt.Key.Key_C)
    QTest.qWait(300)
    print(window.stage.moment.phase, window.stage.moment.song, flush=True)
    QTest.qWait(60000)
"""


def test_a_killed_program_is_back_where_the_night_was(qtbot, demo_book: Path, tmp_path: Path) -> None:
    script = tmp_path / "night.py"
    script.write_text(textwrap.dedent(KILLED), encoding="utf-8")
    env = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    process = subprocess.Popen([sys.executable, str(script), str(demo_book)], stdout=subprocess.PIPE, text=True, env=env)
    phase, song = process.stdout.readline().split()
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    window = open_window(demo_book, Preferences(theme="dark"))
    qtbot.addWidget(window)
    try:
        assert window.view_name() == "Stage" and "where it was" in window.notice.text()
        assert (window.stage.moment.phase, window.stage.moment.song) == (phase, song) == ("playing", "nine-fathom-static")
        assert len(window.night.night().slots) == 17
        assert list(window.night.night().rules.now.played) == ["tidewire", "nine-fathom-static"]
    finally:
        window.stage.moment = None
        window.close()


def test_the_rest_of_a_night_is_priced_from_the_guitars_as_they_stand(session: Session) -> None:
    state = session.state
    night = state.nights[0]
    plan = as_given(state, gig_of(state, night), night)
    state, m = stage.begin(state, night, plan, 0.0)
    state, m = stage.start_song(state, state.nights[0], plan, m, 0.0)
    assert stage.moment_of(m.data()) == m
    # retuned in the gap to what the next song needs: that work is no longer to be paid for
    needed = stage.needed(state, stage.way_of(state, state.nights[0], "nine-fathom-static"))
    state = state.tuned("rook", needed)
    night = stage.as_they_stand(state, state.nights[0])
    now = as_given(state.with_night(night), gig_of(state.with_night(night), night), night)
    assert now.totals.dead_s < plan.totals.dead_s and stage.gap_to(now, "nine-fathom-static").retunes == ()


def test_a_night_is_rehearsed_on_a_copy_with_something_going_wrong(qtbot, window) -> None:
    before, log = window.session.state, len(window.session.book.log())
    window.rehearse()
    rehearsal = window.rehearsal
    rehearsal._timer.stop()  # the test's own pace
    other = rehearsal.window
    assert other.session.book.path != window.session.book.path and other.view_name() == "Stage"
    said: list[str] = []
    rehearsal.over.connect(said.append)
    thrown = False
    while not said:
        settled(qtbot, other)
        rehearsal.go_on(60.0)
        if not thrown and other.stage.moment is not None and len(stage.now_of(other.night.night()).played) == 10:
            thrown = True
            other.stage.break_string(1)
            qtbot.waitUntil(lambda: other.stage._planned_for is None, timeout=60000)
            other.night.cancel()
    assert thrown and "s of dead air" in said[0] and said[0] in window.notice.text()
    planned = rehearsal.planned
    assert planned > 0 and rehearsal.dead != pytest.approx(planned)
    folder = rehearsal._folder
    other.close()
    assert not folder.exists()
    assert window.session.state == before and len(window.session.book.log()) == log


def test_sound_that_is_lost_does_not_stop_the_night(qtbot, on_stage) -> None:
    window, view = on_stage, on_stage.views["Stage"]
    for _ in range(3):
        press(qtbot, window, KEY.Key_PageDown)
    guitar = window.tune.guitar
    guitar.lost = True  # as a device is that was pulled out
    qtbot.waitUntil(lambda: "sound input lost" in window.notice.text(), timeout=60000)
    for _ in window.tune.run.procedure.strings:  # ticked by hand
        press(qtbot, window, KEY.Key_Return)
    for _ in range(12):
        if not window.tune.run.finished:
            press(qtbot, window, KEY.Key_Return)
    assert window.tune.run.finished
    guitar.lost = False
    qtbot.waitUntil(lambda: "is back" in window.notice.text(), timeout=60000)
    press(qtbot, window, KEY.Key_PageDown)
    assert view.title.text() == "Nine Fathom Static" and window.stage.moment.phase == "playing"
    assert window.tune._worker is None


def test_every_key_answers_before_the_night_too(qtbot, window) -> None:
    window.show_view("Stage")
    for letter in "CGJNLETKZ1":
        key = getattr(KEY, f"Key_{letter}")
        window.say("")
        qtbot.keyClick(window.views["Stage"], key)
        assert window.notice.text(), key
    assert window.stage.moment is None
