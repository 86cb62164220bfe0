"""The one form of a page's picture in the core, and how to decode it from a file.

A picture is ``(H, W) uint8`` for 1-bit and grey (0 = ink, 255 = paper) or ``(H, W, 3) uint8`` RGB, with its
resolution. Files: TIFF in all usual compressions, PNG, JPEG, WebP, JPEG 2000, BMP and PNM through Pillow, HEIC
through libheif; PDF pages are drawn by PDFium.
"""

from __future__ import annotations

import io
import struct
import warnings
from dataclasses import replace
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pi_heif
from PIL import Image, ImageFile, ImageOps, UnidentifiedImageError

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass

Pixels = npt.NDArray[np.uint8]
MAX_PIXELS = 1_000_000_000
FALLBACK_DPI = 300.0
PDF_DPI = 300.0
ORIENTATION = 0x0112
MAY_TELL_A_TURN = frozenset({b"eXIf", b"tEXt", b"zTXt", b"iTXt"})
END_OF_JPEG, END_OF_PNG = b"\xff\xd9", b"IEND\xaeB`\x82"
PHOTOMETRIC, WHITE_IS_ZERO = 262, 0
DEEP_GREY = ("I;16", "I;16L", "I;16B", "I;16N", "I")
SCREEN_DPI, LARGEST_INCH = 96.0, 24.0
FORMATS = ("TIFF", "PNG", "JPEG", "WEBP", "JPEG2000", "BMP", "PPM", "HEIF")
NAMES = "TIFF, PNG, JPEG, WebP, JPEG 2000, BMP, PNM, HEIC nor PDF"
_PLAIN = {"MPO": "JPEG", "JPEG2000": "JPEG 2000", "WEBP": "WebP", "PPM": "PNM", "HEIF": "HEIC"}
_MAGIC = (b"II*\0", b"MM\0*", b"\x89PNG", b"\xff\xd8\xff", b"RIFF", b"\0\0\0\x0cjP  ", b"\xff\x4f\xff\x51", b"BM")
_DECODE_ERRORS = (OSError, SyntaxError, ValueError, struct.error, EOFError, IndexError, KeyError, TypeError)

Image.MAX_IMAGE_PIXELS = None
Image.init()
pi_heif.register_heif_opener()
ImageFile.LOAD_TRUNCATED_IMAGES = False


@dataclass(frozen=True)
class Picture:
    """A decoded page."""

    pixels: Pixels
    dpi: float
    mode: str
    is_dpi_told: bool = True

    @property
    def width(self) -> int:
        """Width in px."""
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        """Height in px."""
        return int(self.pixels.shape[0])


@dataclass(frozen=True)
class FileFacts:
    """What a file holds: its kind (``TIFF``, ``PNG``, ``JPEG``, ``PDF``) and how many pages."""

    kind: str
    pages: int


def probe(path: Path, name: str) -> FileFacts:
    """Look at a file's own bytes, not its suffix; raises InputProblem in words that name ``name``."""
    try:
        with path.open("rb") as file:
            head = file.read(1024)
    except OSError as error:
        raise InputProblem(message("picture.cannot-read-check-readable", name=name, strerror=error.strerror)) from error
    if not head:
        raise InputProblem(message("picture.empty-ask-again-nothing-taken", name=name))
    if b"%PDF-" in head:
        return FileFacts("PDF", _pdf_pages(path, name))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path, formats=FORMATS) as image:
                _check_size(image.width, image.height, name)
                kind = _PLAIN.get(str(image.format), str(image.format))
                return FileFacts(kind, getattr(image, "n_frames", 1) if kind == "TIFF" else 1)
    except UnidentifiedImageError as error:
        if head.startswith(_MAGIC):
            raise _broken(name) from error
        raise InputProblem(message("picture.neither-whatever-name-says-save", name=name, NAMES=NAMES)) from error
    except _DECODE_ERRORS as error:
        raise _broken(name) from error


def _broken(name: str) -> InputProblem:
    return InputProblem(message("picture.damaged-or-cut-short-cannot", name=name))


def _check_size(width: int, height: int, name: str) -> None:
    if width * height > MAX_PIXELS:
        raise InputProblem(
            message(
                "picture.x-pixels-limit-million-pixels",
                name=name,
                width=width,
                height=height,
                value=MAX_PIXELS // 10**6,
            )
        )


def _pdf_pages(path: Path, name: str) -> int:
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(path)
    except pdfium.PdfiumError as error:
        if "password" in str(error).lower():
            raise InputProblem(message("picture.locked-password-unlock-own-program", name=name)) from error
        raise InputProblem(message("picture.broken-pdf-cannot-opened-ask", name=name)) from error
    try:
        pages = len(document)
    finally:
        document.close()
    if pages == 0:
        raise InputProblem(message("picture.pdf-without-pages-ask-again", name=name))
    return pages


def decode(path: Path, index: int = 0, *, name: str = "", is_pdf: bool = False) -> Picture:
    """Decode page ``index`` of a file; raises InputProblem that names ``name``."""
    name = name or path.name
    if is_pdf:
        return _decode_pdf(path, index, name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path, formats=FORMATS) as image:
                if index:
                    image.seek(index)
                _check_size(image.width, image.height, name)
                told = _resolution(image)
                if (pixels := _decode_plain(path, image)) is not None:
                    return Picture(pixels, told or FALLBACK_DPI, "colour" if pixels.ndim == 3 else "grey", bool(told))
                ImageOps.exif_transpose(image, in_place=True)
                return replace(from_pil(image, told or FALLBACK_DPI), is_dpi_told=bool(told))
    except (*_DECODE_ERRORS, Image.DecompressionBombError) as error:
        raise _broken(name) from error


def _decode_plain(path: Path, image: Image.Image) -> Pixels | None:
    """Return the same px as Pillow does, in less time: of a whole JPEG in colour that is not to be turned, and of a grey PNG.

    None for all else. What was cut short is filled up in silence there, and told by Pillow.
    """
    import cv2

    if image.format not in ("JPEG", "PNG"):
        return None
    data = path.read_bytes()
    if _asks_to_be_turned(image, data):
        return None
    if image.format == "JPEG" and image.mode == "RGB":
        shape: tuple[int, ...] = (image.height, image.width, 3)
        end, how = END_OF_JPEG, cv2.IMREAD_COLOR_RGB
    elif image.format == "PNG" and image.mode == "L" and "transparency" not in image.info:
        end, how, shape = END_OF_PNG, cv2.IMREAD_GRAYSCALE, (image.height, image.width)
    else:
        return None
    if not data.rstrip(b"\0").endswith(end):
        return None
    read = cv2.imdecode(np.frombuffer(data, np.uint8), how | cv2.IMREAD_IGNORE_ORIENTATION)
    return None if read is None or read.shape != shape else np.asarray(read, dtype=np.uint8)


def _resolution(image: Image.Image) -> float:
    """Return the resolution a file tells in dpi; 0 when it tells none, or one that cameras write without meaning it."""
    raw = image.info.get("dpi")
    dpi = float(raw[0]) if raw else 0.0
    is_meant = dpi > SCREEN_DPI or max(image.size) < LARGEST_INCH * dpi
    return dpi if 50 <= dpi <= 2400 and is_meant else 0.0


def is_turned(data: bytes) -> bool:
    """Whether a picture file asks to be turned when it is shown, as cameras do; ``decode`` has done it then."""
    with Image.open(io.BytesIO(data), formats=FORMATS) as image:
        return _asks_to_be_turned(image, data)


def _asks_to_be_turned(image: Image.Image, data: bytes) -> bool:
    # Pillow decodes the whole of a PNG to look for tags behind its px.
    if image.format == "PNG" and not _chunks(data) & MAY_TELL_A_TURN:
        return False
    return bool(image.getexif().get(ORIENTATION, 1) != 1)


def _chunks(png: bytes) -> set[bytes]:
    """Return the types of a PNG's chunks (ISO/IEC 15948, 5.3)."""
    found, at = set[bytes](), 8
    while at + 8 <= len(png):
        length, kind = struct.unpack_from(">I4s", png, at)
        found.add(kind)
        at += 12 + length
    return found


def from_pil(image: Image.Image, dpi: float) -> Picture:
    """Return the one form of a Pillow image; transparency becomes paper."""
    if image.mode == "1":
        return Picture(np.asarray(image.convert("L"), dtype=np.uint8), dpi, "1-bit")
    if image.mode == "L":
        return Picture(np.asarray(image, dtype=np.uint8), dpi, "grey")
    if image.mode in DEEP_GREY:
        return Picture(_shallow(image), dpi, "grey")
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        layer = image.convert("RGBA")
        paper = Image.new("RGBA", layer.size, "white")
        image = Image.alpha_composite(paper, layer)
    whole = image if image.mode == "RGB" else image.convert("RGB")
    return Picture(np.asarray(whole, dtype=np.uint8), dpi, "colour")


def _shallow(image: Image.Image) -> Pixels:
    """Return a grey picture of 16 bits a px in 8; TIFF may call white 0 (TIFF 6.0, PhotometricInterpretation)."""
    deep = np.asarray(image).astype(np.int64)
    grey = np.asarray(np.clip(deep, 0, 0xFFFF) >> 8, dtype=np.uint8)
    is_inverted = image.format == "TIFF" and getattr(image, "tag_v2", {}).get(PHOTOMETRIC) == WHITE_IS_ZERO
    return 255 - grey if is_inverted else grey


def _decode_pdf(path: Path, index: int, name: str) -> Picture:
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(path)
        try:
            page = document[index]
            width, height = page.get_size()
            _check_size(int(width / 72 * PDF_DPI), int(height / 72 * PDF_DPI), name)
            bitmap = page.render(scale=PDF_DPI / 72, rev_byteorder=True)
            pixels = np.array(bitmap.to_numpy()[:, :, :3], dtype=np.uint8)
        finally:
            document.close()
    except (pdfium.PdfiumError, ValueError) as error:
        raise InputProblem(message("picture.page-cannot-drawn-pdf-damaged", value=index + 1, name=name)) from error
    is_grey = bool(np.all(pixels[::4, ::4, 0] == pixels[::4, ::4, 1]))
    return Picture(
        np.ascontiguousarray(pixels[:, :, 0]) if is_grey else pixels, PDF_DPI, "grey" if is_grey else "colour"
    )


def to_grey(picture: Picture) -> Pixels:
    """Return ``(H, W) uint8``, 0 = ink."""
    if picture.pixels.ndim == 2:
        return picture.pixels
    import cv2

    return np.asarray(cv2.cvtColor(picture.pixels, cv2.COLOR_RGB2GRAY), dtype=np.uint8)
