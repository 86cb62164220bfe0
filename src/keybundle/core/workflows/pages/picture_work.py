"""What worker processes do to show a page; it needs little to be loaded, so that the first picture is soon there."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from keybundle.core.base.boxes import Frame
from keybundle.core.base.files import write_atomic
from keybundle.core.formats.pages import decode_page
from keybundle.core.imaging.cutting import cut_tiles
from keybundle.core.imaging.picture import Picture
from keybundle.core.imaging.render import encode_previews
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.preview_files import preview_path

PREVIEWS = (("screen", 1500), ("thumbnail", 240))


def decode_job(job: PageJob) -> Picture:
    """Decode the page that a job is about."""
    return decode_page(Path(job.path), job.index, name=job.name, kind=job.kind)


def make_previews(
    picture: Picture, frame: Frame, cache: Path, page_id: str, wanted: Sequence[tuple[str, int]] = PREVIEWS
) -> None:
    """Put a page's screen picture and thumbnail into the cache; sides that are left out wait for theirs to be asked."""
    made = encode_previews(picture, frame, [size for _, size in wanted])
    for (kind, _), data in zip(wanted, made, strict=True):
        write_atomic(preview_path(cache, page_id, frame.rotation, kind), data, durable=False)


def draw_previews(job: PageJob, cache: str, full: bool = False) -> None:
    """Make the small pictures of a page anew, after a turn or for a filed document; or (``full``) the one for zooming."""
    picture = decode_job(job)
    wanted = (("full", max(picture.width, picture.height)),) if full else PREVIEWS
    make_previews(picture, job.measured_frame, Path(cache), job.page_id, wanted)


def draw_tiles(job: PageJob, folder: str) -> None:
    """Cut a very large page into tiles, for zooming."""
    cut_tiles(decode_job(job), job.measured_frame, Path(folder))


def draw_raw(path: str, name: str, target: str, size_px: int) -> None:
    """Make a small picture of a file as it is, neither turned nor straightened."""
    picture = decode_page(Path(path), 0, name=name)
    frame = Frame(picture.width, picture.height)
    write_atomic(Path(target), encode_previews(picture, frame, [size_px])[0], durable=False)
