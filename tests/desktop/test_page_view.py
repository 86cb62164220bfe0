"""The large page: words under the pointer, lifting by keys, frames brought into sight, snippets, zoom."""

from __future__ import annotations

import unittest
from dataclasses import replace

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from keybundle.core.imaging.tiles import EDGE_PX, Tiles
from keybundle.core.reading.text import Word
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.picture_cache import Fetched, PictureCache
from keybundle.desktop.theme import colours
from keybundle.desktop.views.page_view import PageView
from tests.desktop.support import DesktopTest

SHIFT = Qt.KeyboardModifier.ShiftModifier
TEXT = ("Larkmere", "Navigation", "Trust", "Total", "12.50", "Towpath")


class Cache(unittest.TestCase):
    def test_it_is_bounded_in_bytes_and_keeps_what_was_used_last(self) -> None:
        cache = PictureCache(most_bytes=4 * 100 * 100)
        grey, colour = (QImage(100, 100, f) for f in (QImage.Format.Format_Grayscale8, QImage.Format.Format_RGB32))

        def put(name: str, image: QImage) -> None:
            cache.keep((name, 0, 0, "", None), Fetched(name, image, None))

        kept = lambda: [n for n in "abcdef" if (n, 0, 0, "", None) in cache._kept]  # noqa: E731
        for name in "abcd":
            put(name, grey)
        self.assertEqual((kept(), cache.size_bytes), (list("abcd"), 40_000))
        cache.find(("a", 0, 0, "", None))
        put("e", grey)
        self.assertEqual(kept(), list("acde"), "b was not used for longest")
        put("f", colour)
        self.assertEqual((kept(), cache.size_bytes), (["f"], 40_000), "a colour page is as heavy as four grey ones")
        cache.drop_pages(["f"])
        self.assertEqual((kept(), cache.size_bytes), ([], 0))


class Page(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        picture = QImage(500, 700, QImage.Format.Format_RGB32)
        picture.fill(Qt.GlobalColor.white)
        words = []
        for i, text in enumerate(TEXT):
            left, top = 100 + 250 * (i % 3), 100 + 1000 * (i // 3)
            words.append(Word(text, (left, top, left + 200, top + 50), 0.5 if text == "12.50" else 0.95, 0, i // 3))
            for x in range(left // 2, left // 2 + 100):
                for y in range(top // 2, top // 2 + 25):
                    picture.setPixel(x, y, 0xFF102030)
        path = str(self.folder / "page.png")
        picture.save(path)
        self.view = PageView()
        self.view.resize(600, 500)
        self.view.show()
        self.addCleanup(self.view.hide)
        self.shown = PageShown("p1", path, 1000, 1400, tuple(words))
        self.view.render_page(self.shown)
        self.taken: list[list[str]] = []
        self.view.words_taken.connect(lambda words: self.taken.append([w.text for w in words]))
        self.spin(0.05)

    def point(self, number: int) -> QPoint:
        return self.view.rect_of(self.shown.words[number].box).center().toPoint()

    def test_a_click_takes_a_word_a_shift_click_all_up_to_it(self) -> None:
        self.click(self.view, self.point(0))
        self.click(self.view, self.point(2), SHIFT)
        self.click(self.view, self.point(1))
        self.assertEqual(self.taken, [["Larkmere"], ["Larkmere", "Navigation", "Trust"], ["Navigation"]])

    def test_lifting_by_keys(self) -> None:
        ended: list[bool] = []
        self.view.lift_ended.connect(lambda: ended.append(True))
        self.view.begin_lift()
        QTest.keyClicks(self.view, "t")
        self.key(self.view, Qt.Key.Key_Down)
        self.key(self.view, Qt.Key.Key_Right)
        self.key(self.view, Qt.Key.Key_Return)
        self.assertEqual(self.taken, [["Total", "12.50"]])
        self.view.begin_lift()
        QTest.keyClicks(self.view, "tox")
        self.key(self.view, Qt.Key.Key_Return)
        self.assertEqual(len(self.taken), 1, "nothing is found by “tox”")
        self.view.begin_lift()
        QTest.keyClicks(self.view, "towx")
        self.key(self.view, Qt.Key.Key_Backspace)
        self.key(self.view, Qt.Key.Key_Return)
        self.assertEqual(self.taken[-1], ["Towpath"])
        self.view.begin_lift()
        self.key(self.view, Qt.Key.Key_Escape)
        self.assertEqual(len(ended), 4)

    def test_a_frame_far_down_is_brought_into_sight(self) -> None:
        last = self.shown.words[-1].box
        inside = lambda: self.view.rect().contains(self.view.rect_of(last).toRect())  # noqa: E731
        self.view.zoom(2.0)
        self.assertFalse(inside())
        self.view.render_page(replace(self.shown, frame=last))
        self.assertTrue(inside())
        self.view.zoom(0)
        self.view.zoom(0)

    def test_unsure_words_and_marks_are_painted(self) -> None:
        plain = self.view.grab().toImage()
        rect = self.view.rect_of(self.shown.words[0].box)
        self.view.render_page(replace(self.shown, marks=(self.shown.words[0].box,)))
        marked = self.view.grab().toImage()
        middle = rect.center().toPoint()
        self.assertNotEqual(plain.pixelColor(middle), marked.pixelColor(middle))
        self.view.zoom(0)
        self.spin(0.05)
        whole = self.view.grab().toImage()
        under = self.view.rect_of(self.shown.words[4].box).bottomLeft().toPoint() + QPoint(6, 2)
        found = {whole.pixelColor(under.x(), under.y() + d).name().upper() for d in (-1, 0, 1)}
        self.assertIn(colours.BRASS.upper(), found)

    def test_snippets_and_wheel(self) -> None:
        snippet = self.view.snippet(self.shown.words[0].box, 26)
        self.assertEqual(snippet.height(), 26)
        self.assertGreater(snippet.width(), 60)
        turned: list[int] = []
        self.view.turned_page.connect(turned.append)
        self.view.zoom(0)
        for delta in (-120, 120):
            where = QPointF(300, 200)
            QApplication.sendEvent(self.view, QWheelEvent(
                where, self.view.mapToGlobal(where), QPoint(), QPoint(0, delta), Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
            ))  # fmt: skip
        self.assertEqual(turned, [1, -1], "with the whole page in sight the wheel turns pages")
        empty = PageView()
        self.assertTrue(empty.snippet((0, 0, 9, 9), 20).isNull())

    def test_a_very_large_page_is_drawn_from_the_tiles_in_sight(self) -> None:
        colour_of = lambda column, row: QColor(40 + 20 * column, 60 + 20 * row, 90)  # noqa: E731
        tiles = Tiles(str(self.folder / "tiles"), 9000, 6000)
        for level in range(tiles.levels):
            for path, box in tiles.within(level, (0, 0, 9000, 6000)):
                edge = EDGE_PX << level
                tile = QImage((box[2] - box[0]) >> level, (box[3] - box[1]) >> level, QImage.Format.Format_RGB32)
                tile.fill(colour_of(box[0] // edge, box[1] // edge) if level == 0 else QColor("black"))
                path.parent.mkdir(parents=True, exist_ok=True)
                tile.save(str(path.with_suffix(".png")))
                path.with_suffix(".png").rename(path)
        self.view.render_page(PageShown("p2", self.shown.picture, 9000, 6000, (), tiles=tiles, is_full=True))
        for turn in range(4):
            self.view.set_zoom(self.view.geometry_now.largest)
            self.spin(0.05)
            here, seen = self.view.geometry_now, self.view.grab().toImage()
            self.assertAlmostEqual(here.scale, 1.0, delta=0.02)
            for x, y in ((60, 60), (300, 250), (540, 440)):
                page_x, page_y = here.point_at(x, y)
                expected, got = colour_of(int(page_x) // EDGE_PX, int(page_y) // EDGE_PX), seen.pixelColor(x, y)
                self.assertEqual(got.name(), expected.name(), f"turned by {90 * turn} degrees at {x}, {y}")
            self.view.turn(1)
