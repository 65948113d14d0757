"""Every key answers; signatures, colours and units mean one thing; screen readers and small screens are served."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtGui import QAccessible, QColor, QFontMetricsF, QImage, QPainter
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget

from juxtatune.app.tune import strum_words
from juxtatune.core.listening.live.frame_pitch import PitchFrame
from juxtatune.core.listening.live.listener import BlockResult
from juxtatune.core.listening.strum.read import StrumReading
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.procedure import Status
from juxtatune.qt.theme import Theme, apply_theme, colours, font
from juxtatune.qt.widgets.approach import ApproachWidget
from juxtatune.qt.widgets.approach_values import Column
from juxtatune.qt.widgets.signature import TOUCH_PX, paint_signature, places
from juxtatune.qt.widgets.text import elided

KEY = Qt.Key


def canvas_press(qtbot, window, key) -> str:
    qtbot.keyClick(window.views["Night"].canvas, key)
    return window.notice.text()


# -- answers
def test_every_edit_of_the_night_says_what_it_did_or_why_not(qtbot, window) -> None:
    window.choose("iron-pilot")  # the last of its half
    assert "pinned to place 9 of First half" in canvas_press(qtbot, window, KEY.Key_P)
    assert "not pinned any more" in canvas_press(qtbot, window, KEY.Key_P)
    assert "last song of First half" in canvas_press(qtbot, window, KEY.Key_M)
    assert "last song of First half" in canvas_press(qtbot, window, KEY.Key_A)
    assert "First half is locked: 9 songs" in canvas_press(qtbot, window, KEY.Key_H)
    assert "way 2 of 2" in canvas_press(qtbot, window, KEY.Key_W)
    assert "energy curve counts now" in canvas_press(qtbot, window, KEY.Key_C)
    assert "Kept as order 1" in canvas_press(qtbot, window, KEY.Key_K)
    assert "one order only" in canvas_press(qtbot, window, KEY.Key_F)
    assert "Nothing planned yet" in canvas_press(qtbot, window, KEY.Key_T)
    window.choose("tidewire")
    assert "one way to play it only" in canvas_press(qtbot, window, KEY.Key_W)


def test_a_line_goes_when_its_time_is_over(qtbot, window, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.qt.notice.LEAST_S", 0.2)
    monkeypatch.setattr("juxtatune.qt.notice.PER_LETTER_S", 0.0)
    window.say("soon gone")
    assert window.notice.text() == "soon gone"
    qtbot.waitUntil(lambda: window.notice.text() == "", timeout=60000)


def test_all_commands_stand_in_the_menu_and_the_context_menu_with_their_keys(qtbot, window) -> None:
    window.choose("gantry-lights")
    view = window.views["Night"]
    window.night_menu.fill()
    context = view.open_menu(QPoint(10, 10))
    for menu in (window.night_menu.menu, context):
        texts = [a.text() for a in menu.actions()]
        for key in ("T", "Y", "Enter", "Alt+↑", "P", "M", "A", "H", "W", "L", "B", "C", "K", "V"):
            assert any(t.endswith(f"\t{key}") for t in texts), key
    pin = next(a for a in context.actions() if a.text().endswith("\tP"))
    pin.trigger()
    context.close()
    assert any(p.song == "gantry-lights" for p in window.night.night().rules.pins)
    assert "pinned to place 5" in window.notice.text()


def test_f1_and_a_question_mark_show_keys_and_a_live_legend(qtbot, window) -> None:
    qtbot.keyClick(window, KEY.Key_Question)
    assert window.legend.isVisible() and len(window.legend.canvas.shown()[0].rows) == 5
    labels = [w.text() for w in window.legend.keys.findChildren(QWidget) if hasattr(w, "text")]
    assert "Page Down" in labels and "Pin it to its place" in labels
    window.legend.close()


def test_a_change_offered_by_why_is_shown_said_and_undone(qtbot, window) -> None:
    view = window.views["Night"]
    window.night.plan(3.0)
    qtbot.waitUntil(lambda: not window.night.planning and window.night.planned is not None, timeout=60000)
    window.resize(1024, 700)
    qtbot.keyClick(view.canvas, KEY.Key_Y)
    qtbot.waitUntil(lambda: len(window.night.why.lines.get("changes", [])) == 3, timeout=60000)
    assert view.canvas.shown()[0].title.startswith("Planned")
    was = [s.song for s in window.night.night().slots]
    line = window.night.why.lines["changes"][0]
    row = next(k for k in range(view.why.list.count()) if view.why.list.item(k).text() == line.text)
    view.why.list.setFocus()
    view.why.list.setCurrentRow(row)
    qtbot.keyClick(view.why.list, KEY.Key_Return)
    assert view.canvas.shown()[0].title == "As given" and "Your own order" in window.notice.text()
    window.undo()
    assert [s.song for s in window.night.night().slots] == was
    qtbot.keyClick(view.why.list, KEY.Key_Y)  # the list does not swallow the view's keys
    assert not view.why.isVisible()


def test_import_asks_where_to_and_can_make_a_new_book(qtbot, window, tmp_path, monkeypatch) -> None:
    path = tmp_path / "gig.json"
    window.gig_files.write(path)
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or 0)
    window.gig_files.import_gig(path)
    assert asked == ["Where should gig.json go?"]
    wanted = []
    window.book_wanted.connect(wanted.append)
    window.gig_files.read_as_new(path, tmp_path / "other.juxtatune")
    assert wanted == [tmp_path / "other.juxtatune"]
    window.gig_files.read_as_new(path, tmp_path / "other.juxtatune")
    assert "there is a file already" in window.notice.text() and len(window.session.state.nights) == 1


def test_the_drag_line_shows_where_the_song_lands(qtbot, window) -> None:
    canvas = window.views["Night"].canvas
    start, goal = canvas.row_centre(0, 1).toPoint(), canvas.row_centre(0, 6).toPoint()
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(canvas, goal)
    line = canvas._landing(goal.y())
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=goal)
    song = window.night.night().slots[6].song
    qtbot.waitUntil(lambda: [s.song for s in window.night.given.order][6] == song, timeout=60000)
    # the line ran below the row that gave way, which now stands above the song
    assert canvas._top(canvas.shown()[0], 6) < line <= canvas._top(canvas.shown()[0], 7) + 10


# -- tune
def heard(t: float, string: int, pitch: float, level: float, onset: float | None = None) -> BlockResult:
    return BlockResult(PitchFrame(t, 100.0, pitch, string, 0.0, 0.1, level, 0.9), (), level, False, 0, onset=onset)


def test_page_down_moves_on_and_stays_while_the_old_string_rings(qtbot, window) -> None:
    window.open_song("nine-fathom-static")
    tune = window.tune
    tune.stop()
    run = tune.run
    target = run.target.pitch
    run.hear(heard(1.0, 6, target(6) + 1, -30, onset=0.9))
    qtbot.keyClick(window.views["Tune"], KEY.Key_PageDown)
    assert run.procedure.active == 5
    for k in range(20):
        run.hear(heard(1.6 + 0.02 * k, 6, target(6) + 1, -32 - k * 0.1, onset=0.9))
    assert run.procedure.active == 5 and run.procedure.state(6).cents == pytest.approx(100, abs=1)
    run.hear(heard(2.6, 4, target(4) + 1, -28, onset=2.55))
    assert run.procedure.active == 4


def test_a_landed_string_heard_out_again_is_named(window) -> None:
    window.open_song("nine-fathom-static")
    window.tune.stop()
    run = window.tune.run
    p = run.procedure
    for t in range(80):
        p = procedure.hear(p, 1 + t * 0.02, 6, -8.0 if t < 25 else 0.5, 0.2, -30.0)
    assert p.state(6).status is Status.LANDED
    run.procedure = procedure.hear(p, 2.7, 6, -12.4, 5.0, -30.0)
    column = next(c for c in window.tune.columns() if c.string == 6)
    assert column.action == "reads off: play it again" and column.form == "moving"  # not "landed" beside −12.4 ¢
    for t in range(30):
        p = procedure.hear(p, 3.0 + t * 0.02, 6, 7.0, 0.2, -30.0)
    run.procedure = p
    assert "the 6th is out again" in window.tune.counts()
    assert "the 6th had landed and is out again, 7.0 ¢ above" in run.left()
    words = strum_words([StrumReading(s, 0.0, 0.9, 0.2) for s in (6, 5)], run.left(), run.called)
    assert words.startswith("All strings read from one strum. Left: the 6th")


def test_the_simulated_guitar_damps_all_but_the_string_in_hand(qtbot, window) -> None:
    window.open_song("nine-fathom-static")
    view, guitar = window.views["Tune"], window.tune.guitar
    guitar.pluck(6)
    guitar.pluck(5)  # the first of the order, in hand
    qtbot.keyClick(view, KEY.Key_D)
    decay = {at: float(v.decay[0]) for at, v in guitar._voices.items()}
    assert decay[0] > 30 > decay[1] and "damped" in window.notice.text()


@pytest.mark.parametrize(("cents", "role"), [(40.0, "stage_lower"), (-40.0, "stage_higher")])
def test_colour_says_which_way_to_turn(qapp, qtbot, cents, role) -> None:
    """Above its target a string is to be loosened: as in the score, where what goes down is drawn so."""
    apply_theme(qapp, "dark")
    widget = ApproachWidget()
    qtbot.addWidget(widget)
    column = Column(6, "E2", "6   E2", "x", "¢", "", "", "moving", cents, 0.2, 0.0, ())
    assert widget._colour(column) == getattr(Theme.now, role)
    assert getattr(Theme.now, role).hue() // 60 == getattr(Theme.now, role.split("_")[1]).hue() // 60


# -- signatures
SIX = [e.tuning for e in CATALOGUE if len(e.tuning) == 6]
STEPS = st.lists(st.integers(-7, 7), min_size=6, max_size=6)


def drawn(steps, spacing: float) -> list[float]:
    home = parse_tuning("standard").pitches
    return [s.x for s in places([h + n for h, n in zip(home, steps, strict=True)], home, 0.0, spacing)]


@given(STEPS, st.integers(0, 5), st.sampled_from([7.0, 9.0, 12.0, 18.0]))
def test_tunings_a_half_step_apart_never_look_alike_and_strings_never_cross(steps, string, spacing) -> None:
    other = list(steps)
    other[string] += 1 if steps[string] < 7 else -1
    a, b = drawn(steps, spacing), drawn(other, spacing)
    assert max(abs(x - y) for x, y in zip(a, b, strict=True)) > 0.09
    for xs in (a, b):
        assert all(y - x >= TOUCH_PX - 1e-6 for x, y in itertools.pairwise(xs))


def test_low_tunings_are_different_pictures() -> None:
    home = parse_tuning("standard").pitches
    pictures = {}
    for tuning in SIX:
        image = QImage(96, 30, QImage.Format.Format_RGB32)
        image.fill(0)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_signature(painter, QRectF(0, 0, 96, 30), tuning.pitches, home, QColor("white"))
        painter.end()
        pictures[str(tuning)] = bytes(image.constBits())
    assert len(set(pictures.values())) == len({t.pitches for t in SIX})


def test_left_handed_turns_the_strings_everywhere_and_never_lower_and_higher(window, monkeypatch) -> None:
    steps = [-2, 0, 0, 0, 0, 0]
    right, right_home = drawn(steps, 12), drawn([0] * 6, 12)
    monkeypatch.setattr(Theme, "left_handed", True)
    left, left_home = drawn(steps, 12), drawn([0] * 6, 12)
    assert right[0] < right_home[0] and left[0] < left_home[0]
    assert left == sorted(left, reverse=True) and right == sorted(right)
    window.open_song("nine-fathom-static")
    window.tune.changed.emit()
    assert [c.string for c in window.views["Tune"].approach.columns()] == [1, 2, 3, 4, 5, 6]


def test_the_strings_of_a_twelve_string_stand_in_courses() -> None:
    home = tuple(range(40, 52))
    xs = [s.x for s in places(home, home, 0.0, 10.0)]
    gaps = [b - a for a, b in itertools.pairwise(xs)]
    assert max(gaps[0::2]) < min(gaps[1::2])


@given(st.lists(st.sampled_from(["Home", "by", "the", "Groundsel", "Lamp"]), min_size=3, max_size=6), st.floats(60, 300))
def test_titles_are_shortened_by_words(words, width) -> None:
    metrics = QFontMetricsF(font(16))
    title = " ".join(words)
    short = elided(title, metrics, width)
    assert metrics.horizontalAdvance(short) <= width
    if " … " in short:
        assert all(w in words for w in short.replace("…", "").split())


# -- contrast, sizes, screen readers
def contrast(a: QColor, b: QColor) -> float:
    """Contrast ratio, WCAG 2.1 relative luminance."""

    def luminance(c: QColor) -> float:
        parts = [
            v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4
            for v in (c.redF(), c.greenF(), c.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("name", ["dark", "light"])
def test_contrast_is_measured_from_the_palette(name) -> None:
    c = colours(name)
    for ground in (c.ink, c.panel):
        for role in ("text", "stage_muted", "stage_lower", "stage_higher", "stage_attention"):
            assert contrast(getattr(c, role), ground) >= 7, role
        for role in ("muted", "past", "lower", "higher", "attention"):
            assert contrast(getattr(c, role), ground) >= 4.5, role
        for role in ("waiting", "edge"):
            assert contrast(getattr(c, role), ground) >= 3, role


def test_a_small_screen_is_not_outgrown_and_the_planned_order_shows_that_it_exists(qtbot, window) -> None:
    room = window.screen().availableGeometry()
    assert window.minimumWidth() <= room.width() and window.minimumHeight() <= room.height()
    window.night.plan(2.0)
    qtbot.waitUntil(lambda: not window.night.planning and window.night.planned is not None, timeout=60000)
    window.resize(1024, 700)
    canvas = window.views["Night"].canvas
    qtbot.waitUntil(lambda: len(canvas.shown()) == 1, timeout=60000)
    assert "F  flip" in window.views["Night"].hints()
    row = canvas.row_height()
    window.resize(2600, 1500)
    qtbot.waitUntil(lambda: canvas.row_height() > 1.5 * row and canvas.grown() > 1.3, timeout=60000)


def accessible(widget: QWidget) -> list[tuple[str, str]]:
    """(name, description) of a widget and everything below it, as a screen reader walks it."""
    found = []

    def walk(face) -> None:
        found.append((face.text(QAccessible.Text.Name), face.text(QAccessible.Text.Description)))
        for k in range(face.childCount()):
            child = face.child(k)
            if child is not None:
                walk(child)

    walk(QAccessible.queryAccessibleInterface(widget))
    return found


def test_a_screen_reader_hears_songs_tunings_cents_and_what_has_landed(qtbot, window) -> None:
    score = accessible(window.views["Night"].canvas)
    assert any("1. Tidewire" in name and "drop D" in value for name, value in score)
    window.open_song("nine-fathom-static")
    approach = accessible(window.views["Tune"].approach)
    assert ("String 5, A♭2", "1 half step above, loosen past it, then come up") in approach
    tonight = [name for name, _ in accessible(window.tonight.list)]
    assert any("2. Nine Fathom Static: drop D♭ on Rook" in name for name in tonight)
    assert {"Songs of the book", "Ways to play the chosen song"} <= {n for n, _ in accessible(window.views["Songs"])}


@pytest.mark.parametrize("view", ["Songs", "Guitars", "Fretboard", "Night", "Tune"])
def test_tab_reaches_everything_in_every_view(qtbot, window, view) -> None:
    window.activateWindow()
    window.show_view(view)
    wanted = {
        w for w in window.views[view].findChildren(QWidget)
        if w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus and w.focusProxy() is None
    }  # fmt: skip
    seen = set()
    for _ in range(80):
        focus = QApplication.focusWidget()
        seen.add(focus)
        qtbot.keyClick(focus or window, KEY.Key_Tab)
    assert wanted <= seen, [(w, w.accessibleName()) for w in wanted - seen]
