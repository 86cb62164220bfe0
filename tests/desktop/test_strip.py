"""The page strip: where pages lie, what a click means, what is painted for each state."""

from __future__ import annotations

import itertools
from dataclasses import replace

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QHelpEvent, QImage
from PySide6.QtWidgets import QApplication, QToolTip

from keybundle.desktop.presenters.bench_state import BenchState, StripDocument, StripPage
from keybundle.desktop.theme import colours
from keybundle.desktop.views.page_strip import CORD_Y, PAGE_WIDTH, SLIVER, PageStrip
from tests.desktop.support import DesktopTest


def page(number: int, document: str | None, *, starts: bool = False, attention: bool = False) -> StripPage:
    kept = document is not None
    return StripPage(f"p{number}", number, kept, "" if kept else "blank", document, starts, "", "", kept, attention,
                     f"Side {number}")  # fmt: skip


def bench_state(documents: int = 3, pages_each: int = 2) -> BenchState:
    """Documents of so many pages, a left-out side after each."""
    pages, number = [], 0
    for d in range(documents):
        for i in range(pages_each):
            number += 1
            pages.append(page(number, f"d{d}", starts=i == 0, attention=number == 1))
        number += 1
        pages.append(page(number, None))
    states = ("to check", "ready", "filed", "reading", "set aside")
    plates = tuple(StripDocument(f"d{d}", "Bill", f"Bill {d}", states[d % 5], pages_each) for d in range(documents))
    return BenchState("b", "Post", tuple(pages), plates, "p1", "d0")


class Strip(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        self.strip = PageStrip()
        self.addCleanup(self.strip.hide)
        self.strip.resize(700, self.strip.height())
        self.strip.show()
        self.clicked: list[str] = []
        self.strip.page_clicked.connect(self.clicked.append)

    def show_state(self, state: BenchState) -> None:
        self.strip.render_state(state)
        self.spin(0.05)

    def picture(self) -> QImage:
        return self.strip.viewport().grab().toImage()

    def colours_in(self, rect: QRect) -> set[str]:
        image = self.picture()
        inside = rect.intersected(image.rect())
        return {
            image.pixelColor(x, y).name().upper()
            for x in range(inside.left(), inside.right() + 1)
            for y in range(inside.top(), inside.bottom() + 1)
        }

    def test_pages_lie_in_order_and_slivers_are_narrow(self) -> None:
        self.show_state(bench_state())
        rects = [self.strip.rect_of(p.id) for p in bench_state().pages]
        self.assertTrue(all(a.right() < b.left() for a, b in itertools.pairwise(rects)))
        self.assertEqual([r.width() for r in rects[:3]], [PAGE_WIDTH, PAGE_WIDTH, SLIVER])
        gap_inside, gap_between = rects[1].left() - rects[0].right(), rects[3].left() - rects[1].right()
        self.assertGreater(gap_between, gap_inside + SLIVER, "the break shows as a gap")

    def test_a_click_means_the_page_a_click_on_the_plate_its_first_page(self) -> None:
        self.show_state(bench_state())
        view = self.strip.viewport()
        self.click(view, self.strip.rect_of("p4").center())
        self.click(view, self.strip.rect_of("p3").center())
        self.click(view, QPoint(self.strip.rect_of("p5").center().x(), CORD_Y + 30))
        self.assertEqual(self.clicked, ["p4", "p3", "p4"])
        self.click(view, QPoint(698, 20))
        self.assertEqual(len(self.clicked), 3, "beside the pages nothing happens")

    def test_the_current_page_is_brought_into_sight(self) -> None:
        state = bench_state(documents=40)
        self.show_state(state)
        bar = self.strip.horizontalScrollBar()
        self.assertEqual(bar.value(), 0)
        self.show_state(replace(state, page="p110", document="d36"))
        visible = QRect(0, 0, self.strip.viewport().width(), 200)
        self.assertTrue(visible.contains(self.strip.rect_of("p110")))
        bar.setValue(0)
        self.show_state(replace(state, page="p110", document="d36", balance="new"))
        self.assertEqual(bar.value(), 0, "a change elsewhere does not scroll")
        self.show_state(state)
        self.assertTrue(visible.contains(self.strip.rect_of("p1")))

    def test_states_are_told_by_sign_colour_and_word(self) -> None:
        self.show_state(bench_state(documents=2))
        plate = lambda page_id: QRect(self.strip.rect_of(page_id).left(), CORD_Y - 4, 170, 70)  # noqa: E731
        self.assertIn(colours.STATE["to check"].upper(), self.colours_in(plate("p1")))
        self.assertIn(colours.STATE["ready"].upper(), self.colours_in(plate("p4")))
        before = self.picture()
        changed = bench_state(documents=2)
        ready = replace(changed.documents[0], state="ready")
        self.show_state(replace(changed, documents=(ready, changed.documents[1])))
        self.assertNotEqual(before, self.picture())

    def test_an_empty_batch_says_so_and_the_tip_tells_of_the_side(self) -> None:
        self.show_state(BenchState())
        empty = self.picture()
        self.show_state(bench_state())
        self.assertNotEqual(empty, self.picture())
        at = self.strip.rect_of("p4").center()
        QApplication.sendEvent(
            self.strip.viewport(), QHelpEvent(QHelpEvent.Type.ToolTip, at, self.strip.mapToGlobal(at))
        )
        self.until(lambda: QToolTip.text() == "Side 4", 5, "the tip")
        QToolTip.hideText()
        self.key(self.strip, Qt.Key.Key_B)
        self.assertEqual(self.clicked, [], "single keys are left to the bench")
