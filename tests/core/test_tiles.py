"""Very large pages: tiles that put together are the page, and the few of them that a place needs."""

from __future__ import annotations

import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.cutting import cut_tiles
from keybundle.core.imaging.picture import Picture
from keybundle.core.imaging.render import straighten
from keybundle.core.imaging.tiles import EDGE_PX, Tiles, is_large
from tests.support import DataTest


class Which(unittest.TestCase):
    @given(st.integers(3000, 30_000), st.integers(3000, 30_000), st.data())
    def test_the_tiles_of_a_place_cover_it_and_no_more_than_it_touches(
        self, width: int, height: int, data: st.DataObject
    ) -> None:
        tiles = Tiles("x", width, height)
        level = data.draw(st.integers(0, tiles.levels - 1))
        left, top = data.draw(st.integers(0, width - 2)), data.draw(st.integers(0, height - 2))
        box = (left, top, data.draw(st.integers(left + 1, width)), data.draw(st.integers(top + 1, height)))
        found = [b for _, b in tiles.within(level, box)]
        inside = sum(
            max(0, min(b[2], box[2]) - max(b[0], box[0])) * max(0, min(b[3], box[3]) - max(b[1], box[1])) for b in found
        )
        self.assertEqual(inside, (box[2] - box[0]) * (box[3] - box[1]))
        edge = EDGE_PX << level
        self.assertLessEqual(len(found), ((box[2] - box[0]) // edge + 2) * ((box[3] - box[1]) // edge + 2))

    def test_no_level_is_less_sharp_than_the_screen(self) -> None:
        tiles = Tiles("x", 28_000, 20_000)
        for scale in (1.5, 1.0, 0.6, 0.5, 0.3, 0.25, 0.13):
            level = tiles.level_for(scale)
            self.assertGreaterEqual(1 / 2**level, min(1.0, scale))
        self.assertEqual([tiles.level_for(s) for s in (1.0, 0.5, 0.25, 0.01)], [0, 1, 2, tiles.levels - 1])
        # Source: A4 is 210 by 297 mm (ISO 216); at 600 dpi that is 4961 by 7016 px, A0 is 19,866 by 28,087.
        self.assertEqual((is_large(4961, 7016), is_large(19_866, 28_087)), (False, True))


class Cut(DataTest):
    def test_put_together_they_are_the_upright_page(self) -> None:
        # Source: the page as OpenCV warps and halves it in one piece; JPEG leaves a few grey levels of difference.
        rng = np.random.default_rng(3)
        coarse = rng.integers(0, 255, (40, 60, 3), dtype=np.uint8)
        pixels = np.asarray(cv2.resize(coarse, (4200, 2600), interpolation=cv2.INTER_LINEAR), dtype=np.uint8)
        grey = np.ascontiguousarray(pixels[:, :, 0])
        for picture, frame in (
            (Picture(pixels, 300, "colour"), Frame(4200, 2600, 90, 0.0)),
            (Picture(grey, 300, "grey"), Frame(4200, 2600, 0, 1.2)),
        ):
            folder = self.folder / f"{frame.rotation}"
            tiles = cut_tiles(picture, frame, folder)
            whole = straighten(picture, frame, grey=picture.pixels.ndim == 2)
            for level in range(tiles.levels):
                if level:
                    whole = cv2.resize(whole, (whole.shape[1] // 2, whole.shape[0] // 2), interpolation=cv2.INTER_AREA)
                found = np.zeros_like(whole)
                for path, box in tiles.within(level, (0, 0, tiles.width, tiles.height)):
                    with Image.open(path) as tile:
                        part, x, y = np.asarray(tile), box[0] >> level, box[1] >> level
                        found[y : y + part.shape[0], x : x + part.shape[1]] = part
                self.assertLess(float(np.abs(found.astype(int) - whole.astype(int)).mean()), 4.0)
            before = {p: p.stat().st_mtime_ns for p in folder.rglob("*.jpg")}
            cut_tiles(picture, frame, folder)
            self.assertEqual(before, {p: p.stat().st_mtime_ns for p in folder.rglob("*.jpg")}, "cut once")
