"""The suffixes that files of each format go by; what a file is, its content tells."""

from __future__ import annotations

PICTURES = frozenset({
    ".tif", ".tiff", ".png", ".jpg", ".jpeg", ".webp", ".jp2", ".j2k", ".bmp", ".pnm", ".pbm", ".pgm", ".ppm", ".heic", ".heif",
})  # fmt: skip
PDF = frozenset({".pdf"})
TEXTS = frozenset({".txt", ".text", ".md", ".log"})
TABLES = frozenset({".csv", ".tsv"})
MARKUP = frozenset({".html", ".htm", ".xhtml"})
ARCHIVES = frozenset({".zip"})
NO_TEXTS = PICTURES | PDF | ARCHIVES
ALL = NO_TEXTS | TEXTS | TABLES | MARKUP
