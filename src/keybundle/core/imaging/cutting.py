"""Cutting a very large page into tiles. Runs in a worker."""

from __future__ import annotations

import shutil
from pathlib import Path

import cv2
import numpy as np

from keybundle.core.base.boxes import Frame
from keybundle.core.base.files import PART
from keybundle.core.imaging.picture import Picture
from keybundle.core.imaging.render import straighten
from keybundle.core.imaging.tiles import EDGE_PX, Tiles

QUALITY = 85


def cut_tiles(picture: Picture, frame: Frame, folder: Path) -> Tiles:
    """Write the tiles of the upright, straight page and return where they are; a folder that is there is whole."""
    width, height = frame.upright_size
    tiles = Tiles(str(folder), width, height)
    if folder.exists():
        return tiles
    made = folder.with_name(f"{PART}{folder.name}")
    shutil.rmtree(made, ignore_errors=True)
    pixels = straighten(picture, frame, grey=picture.pixels.ndim == 2)
    for level in range(tiles.levels):
        if level:
            size = (max(1, pixels.shape[1] // 2), max(1, pixels.shape[0] // 2))
            pixels = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
        home = made / str(level)
        home.mkdir(parents=True)
        for y in range(0, pixels.shape[0], EDGE_PX):
            for x in range(0, pixels.shape[1], EDGE_PX):
                part = pixels[y : y + EDGE_PX, x : x + EDGE_PX]
                part = part if part.ndim == 2 else part[:, :, ::-1]
                done, data = cv2.imencode(".jpg", np.ascontiguousarray(part), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
                if not done:
                    raise ValueError(f"a tile of shape {part.shape} could not be encoded")
                (home / f"{x // EDGE_PX}-{y // EDGE_PX}.jpg").write_bytes(data.tobytes())
    made.rename(folder)
    return tiles
