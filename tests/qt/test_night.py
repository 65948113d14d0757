"""The Night view beyond order and plan: why, kept orders, rules by key, the energy lane, paper, more nights."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage, QPainter

from juxtatune.app.sheet_texts import FLOOR, TECHNICIAN
from juxtatune.core.errors import UserError
from juxtatune.core.planning.explain.sensitivity import where_else
from juxtatune.qt.paper import floor_sheet, tech_sheet, write_pdf
from juxtatune.qt.widgets.energy import LANE

KEY = Qt.Key


def press(qtbot, window, key) -> None:
    qtbot.keyClick(window.views["Night"].canvas, key)


def order(window) -> list[str]:
    return [s.song for s in window.night.night().slots]


def priced(qtbot, window) -> None:
    """Waits until the score shows what the book holds."""
    qtbot.waitUntil(lambda: [s.song for s in window.night.given.order] == order(window), timeout=60000)


def test_why_shows_what_a_song_costs_elsewhere_and_takes_a_change(qtbot, window) -> None:
    view, why = window.views["Night"], window.night.why
    window.choose("copper-ballast")
    press(qtbot, window, KEY.Key_Y)
    assert view.why.isVisible()
    qtbot.waitUntil(lambda: bool(why.elsewhere), timeout=60000)
    gig, plan = why.gig, why.plan
    for slot, cost in zip(plan.order, where_else(gig, plan, "copper-ballast"), strict=True):
        if slot.song != "copper-ballast":
            assert why.elsewhere[slot.song] == cost
    figures = [view.canvas._figure(view.canvas.shown()[0], row) for row in view.canvas.shown()[0].rows]
    assert sum(f != "" for f in figures) == len(plan.order) - 1 and any(f.endswith(" s") for f in figures)
    qtbot.waitUntil(lambda: len(why.lines.get("changes", [])) == 3, timeout=60000)
    items = [view.why.list.item(k) for k in range(view.why.list.count())]
    first = next(i for i in items if i.data(Qt.ItemDataRole.UserRole) is not None)
    change = first.data(Qt.ItemDataRole.UserRole)
    was = window.night.given.totals.objective
    view.why.list.setCurrentItem(first)
    view.why.list.itemActivated.emit(first)
    assert order(window)[change.place] == change.song
    priced(qtbot, window)
    assert was - window.night.given.totals.objective == pytest.approx(change.saves_s, abs=0.5)
    qtbot.waitUntil(lambda: len(why.lines.get("help", [])) > 3, timeout=60000)
    assert any("technician saves" in line.text for line in why.lines["help"])
    press(qtbot, window, KEY.Key_Y)
    assert not view.why.isVisible() and not why.working


def test_why_of_a_planned_order_says_what_the_rules_cost(qtbot, window) -> None:
    window.night.plan(3.0)
    qtbot.waitUntil(lambda: not window.night.planning and window.night.planned is not None, timeout=60000)
    press(qtbot, window, KEY.Key_Y)
    canvas, why = window.views["Night"].canvas, window.night.why
    assert canvas.shown()[0].title.startswith("Planned")
    qtbot.waitUntil(lambda: bool(why.lines.get("rules")), timeout=60000)
    first = window.night.night().rules.pins[0].song
    assert f"The pin on {window.session.state.song(first).title} costs" in why.lines["rules"][0].text


def test_songs_are_kept_apart_and_a_half_is_locked_by_key(qtbot, window) -> None:
    rows = order(window)
    window.choose(rows[0])
    press(qtbot, window, KEY.Key_A)
    assert (rows[0], rows[1]) in window.night.night().rules.apart
    qtbot.waitUntil(lambda: window.views["Night"].canvas.shown()[0].rows[0].apart, timeout=60000)
    press(qtbot, window, KEY.Key_A)
    assert all(rows[0] not in pair for pair in window.night.night().rules.apart)
    press(qtbot, window, KEY.Key_H)
    part = [s.song for s in window.night.night().slots if s.part == 0]
    assert {p.song for p in window.night.night().rules.pins} >= set(part)
    assert [p.place for p in window.night.night().rules.pins if p.song in part] == list(range(len(part)))
    press(qtbot, window, KEY.Key_H)
    assert not {p.song for p in window.night.night().rules.pins} & set(part)


def test_an_order_is_kept_shown_beside_and_taken_again(qtbot, window, demo_book) -> None:
    first = order(window)
    press(qtbot, window, KEY.Key_K)
    assert "order 1" in window.notice.text()
    window.night.edits.move(first[4], 1)
    priced(qtbot, window)
    second = order(window)
    press(qtbot, window, KEY.Key_V)
    qtbot.waitUntil(
        lambda: [s.title for s in window.night.scores()] == ["As given", "Order 1"], timeout=20000
    )
    assert [r.song for r in window.night.scores()[1].rows] == first
    press(qtbot, window, KEY.Key_T)
    assert order(window) == first
    window.undo()
    assert order(window) == second
    assert len(window.session.state.nights) == 1
    assert [k.name for k in window.session.state.kept] == ["Order 1"]


def test_any_two_kept_orders_are_compared(qtbot, window) -> None:
    first = order(window)
    press(qtbot, window, KEY.Key_K)
    window.night.edits.move(first[4], 1)
    priced(qtbot, window)
    press(qtbot, window, KEY.Key_K)
    window.night.edits.move(first[6], 2)
    priced(qtbot, window)
    own = order(window)
    press(qtbot, window, KEY.Key_V)
    shift = Qt.KeyboardModifier.ShiftModifier
    qtbot.waitUntil(lambda: len(window.night.scores()) == 2, timeout=60000)
    for side in ("Order 1", "Order 2"):
        qtbot.keyClick(window.views["Night"].canvas, KEY.Key_V, shift)
        qtbot.waitUntil(lambda side=side: window.night.scores()[0].title == side, timeout=60000)
    assert [s.title for s in window.night.scores()] == ["Order 2", "Order 1"]
    assert [r.song for r in window.night.scores()[1].rows] == first
    window.night.edits.move(own[3], 8)  # an edit shows what it changes
    qtbot.waitUntil(lambda: window.night.scores()[0].title == "As given", timeout=60000)


def test_the_energy_curve_is_drawn_by_hand_and_followed(qtbot, window) -> None:
    canvas = window.views["Night"].canvas
    press(qtbot, window, KEY.Key_C)
    rules = window.night.night().rules
    assert rules.curve_weight_s > 0
    assert rules.curve == tuple(window.session.state.song(s).energy for s in order(window))
    qtbot.waitUntil(lambda: canvas.shown()[0].rows[0].wanted is not None, timeout=60000)
    left = canvas._halves()[0].left - LANE

    def at(row: int, energy: float) -> QPoint:
        return QPoint(round(left + 60 * energy / 5), round(canvas._top(canvas.shown()[0], row) + 14))

    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at(2, 1))
    for row in (3, 4, 5):
        qtbot.mouseMove(canvas, at(row, row - 1))
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at(5, 4))
    assert window.night.night().rules.curve[2:6] == pytest.approx((1, 2, 3, 4))
    assert window.session.can_undo == "Draw the energy"
    qtbot.waitUntil(lambda: window.night.given.totals.curve_s > 0, timeout=60000)
    press(qtbot, window, KEY.Key_C)
    assert window.night.night().rules.curve_weight_s == 0


def test_rows_grow_and_shrink_by_key(qtbot, window) -> None:
    canvas = window.views["Night"].canvas
    usual = canvas.row_height()
    for _ in range(3):
        press(qtbot, window, KEY.Key_Plus)
    assert canvas.row_height() > usual
    press(qtbot, window, KEY.Key_0)
    for _ in range(3):
        press(qtbot, window, KEY.Key_Minus)
    assert canvas.row_height() < usual


def painted(sheet, window) -> QImage:
    page = QImage(800, 1131, QImage.Format.Format_RGB32)
    page.fill(0xFFFFFFFF)
    painter = QPainter(page)
    sheet(painter, 1131.0, "Night", window.night.given_gig, window.night.given)
    painter.end()
    return page


def dark_rows(page: QImage) -> list[int]:
    return [
        y
        for y in range(page.height())
        if any(page.pixelColor(x, y).lightness() < 90 for x in range(0, 800, 2))
    ]


@pytest.mark.parametrize(("name", "sheet"), [(FLOOR, floor_sheet), (TECHNICIAN, tech_sheet)])
def test_sheets_fill_one_page_and_are_written_whole_or_not_at_all(qtbot, window, tmp_path, name, sheet) -> None:
    rows = dark_rows(painted(sheet, window))
    assert rows[0] < 60 and 700 < rows[-1] < 1131
    target = tmp_path / "sheet.pdf"
    window.night_menu.write_sheet(target, name)
    data = target.read_bytes()
    # ISO 32000: the header, and one page
    assert data.startswith(b"%PDF-") and data.count(b"/Type /Page\n") + data.count(b"/Type /Page ") <= 1
    assert str(target) in window.notice.text()
    with pytest.raises(UserError, match="written"):
        write_pdf(Path("/proc/none/sheet.pdf"), sheet, "Night", window.night.given_gig, window.night.given)
    assert list(tmp_path.glob("*.part")) == []


def test_another_night_a_rehearsal_and_how_to_leave_the_guitars(qtbot, window) -> None:
    window.night_menu.leave_in()
    assert "no night after" in window.notice.text()
    first = window.night.night()
    window.night_menu.another()
    window.night.edits.rename("Second evening")
    assert window.night.night().name == "Second evening" and order(window) == [s.song for s in first.slots]
    window.night.open_night(first.id)
    assert window.night.night().id == first.id
    qtbot.waitUntil(lambda: window.night.given is not None, timeout=60000)
    window.night_menu.leave_in()
    assert window.notice.text().startswith("For Second evening leave ") and "Rook in " in window.notice.text()
    window.night_menu.rehearsal()
    rehearsal = window.night.night()
    assert (
        rehearsal.name.endswith("rehearsal") and len(rehearsal.rules.parts) == 1 and not rehearsal.rules.pins
    )
    window.night.cancel()
    qtbot.waitUntil(lambda: not window.night.planning, timeout=60000)


def test_guitars_say_what_each_goes_through_tonight(qtbot, window) -> None:
    window.show_view("Guitars")
    view = window.views["Guitars"]
    names = [i.name for i in window.session.state.instruments]
    view.table.selectRow(names.index("Rook"))
    rows = view.night.model()
    lines = [rows.index(k, 0).data() for k in range(rows.rowCount())]
    assert view.night_title.text() == "Rook tonight"
    assert lines[0].startswith("before First half · 0 min\nhave it in")
    moves = [g for g in window.night.given.gaps if any(r.instrument == "rook" for r in g.retunes)]
    assert sum(line.startswith("gap before") for line in lines) == len(moves) > 2
    view.table.selectRow(names.index("Whimbrel"))
    assert view.night_title.text() == "Whimbrel is not played tonight." and rows.rowCount() == 0


def test_a_price_that_was_stopped_half_way_never_takes_the_place_of_a_newer_one(qtbot, window) -> None:
    night = window.night
    before, gig = night.given, night.given_gig
    window.session.edit("Move", window.session.state.with_night(replace(night.night(), slots=night.night().slots[::-1])))
    window.session.undo()  # the same night again, asked for anew
    qtbot.waitUntil(lambda: night.given_gig is not gig and night.given is not None, timeout=60000)
    night._priced((night.night(), gig), None)  # what the first request answers late
    assert night.given is not None and night.given.order == before.order
