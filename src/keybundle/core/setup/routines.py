"""What a routine holds: where pages come from, what halts the feeder, how pages are cleaned and cut."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, ValidationInfo, model_validator

from keybundle.core.base.messages import message
from keybundle.core.fields.patterns import check_pattern
from keybundle.core.setup.parts import KeptTo, Named, Part, is_kept

RuleName = Literal[
    "every n sheets", "separator sheet", "patch code", "barcode", "blank page", "words", "page numbering",
    "front side", "each page", "each source file", "known first page",
]  # fmt: skip
BarcodeFormat = Literal[
    "any", "Code 128", "Code 39", "EAN-13", "EAN-8", "ITF", "Codabar", "QR", "Data Matrix", "PDF417", "Aztec"
]
PATCH_SYMBOLS = ("1", "2", "3", "4", "6", "T")
# Source: from memory; which pattern bears which name is a table that the set-up can change.
PATCH_PATTERNS = {"1": "WWNN", "2": "NWNW", "3": "NWWN", "4": "NNWW", "6": "WNNW", "T": "WNWN"}


class Zone(Part):
    """A part of the upright page, in shares of its width and height from 0 to 1."""

    left: float = Field(default=0.0, ge=0, le=1)
    top: float = Field(default=0.0, ge=0, le=1)
    right: float = Field(default=1.0, ge=0, le=1)
    bottom: float = Field(default=1.0, ge=0, le=1)

    @model_validator(mode="after")
    def _has_an_inside(self) -> Zone:
        if self.left >= self.right or self.top >= self.bottom:
            raise ValueError(message("routines.zone-needs-left-before-right"))
        return self

    def holds(self, x: float, y: float) -> bool:
        """Whether a point (shares of width and height) lies in the zone."""
        return self.left <= x <= self.right and self.top <= y <= self.bottom


class OnPage(Part):
    """Something to look for on a side: a barcode of a ``format``, or ``words``, or text like a ``pattern``, in a zone."""

    format: BarcodeFormat = "any"
    pattern: str = ""
    words: str = ""
    zone: Zone | None = None


class TypeRule(OnPage):
    """Something that tells a document type for certain, so that it goes before all guesses.

    ``words`` on the first page, a ``barcode`` on it, or its ``source``: the file's name and folders, or the scanner.
    """

    on: Literal["words", "barcode", "source"]

    @model_validator(mode="after")
    def _holds_together(self, info: ValidationInfo) -> TypeRule:
        if not is_kept(info):
            check_pattern(self.pattern)
        if not self.pattern and not (self.on == "words" and self.words):
            raise ValueError(message("routines.rule-tells-type-needs-pattern", on=self.on))
        return self


class SeparationRule(OnPage):
    """One rule that makes breaks.

    ``where`` puts the break before or after the mark; ``mark_page`` says whether the page with the mark is kept.
    ``sheets`` belongs to “every n sheets”; ``symbols`` to “patch code” (none: any); ``format``, ``pattern`` and
    ``zone`` to “barcode”; ``words`` or ``pattern``, and ``zone``, to “words”.
    """

    rule: RuleName
    where: Literal["before", "after"] = "before"
    mark_page: Literal["kept", "left out"] = "kept"
    sheets: int = Field(default=1, ge=1, le=999)
    symbols: tuple[str, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _leave_out_what_is_only_a_mark(cls, data: Any) -> Any:
        marks = ("separator sheet", "patch code", "blank page")
        if isinstance(data, dict) and data.get("rule") in marks and "mark_page" not in data:
            return {**data, "mark_page": "left out"}
        return data

    @model_validator(mode="after")
    def _holds_together(self, info: ValidationInfo) -> SeparationRule:
        if not is_kept(info):
            check_pattern(self.pattern)
        if unknown := [s for s in self.symbols if s not in PATCH_SYMBOLS]:
            raise ValueError(message("routines.no-patch-code-six", unknown=unknown[0], list=", ".join(PATCH_SYMBOLS)))
        if self.rule == "words" and not (self.words or self.pattern):
            raise ValueError(message("routines.rule-words-needs-words-or"))
        return self

    @property
    def said(self) -> str:
        """The rule in words."""
        if self.rule == "every n sheets":
            return message("rule.every-n-sheets", n=self.sheets)
        if self.rule == "patch code" and self.symbols:
            return message("rule.patch-codes", list="/".join(self.symbols))
        said = message(f"rule.{self.rule.replace(' ', '-')}")
        if self.rule == "barcode":
            said = said if self.format == "any" else message("rule.format", format=self.format)
            said = message("rule.like", what=said, pattern=self.pattern) if self.pattern else said
        elif self.rule == "words":
            said = (
                message("reason.words", words=self.words)
                if self.words
                else message("rule.like", what=said, pattern=self.pattern)
            )
        return message("rule.in-zone", what=said) if self.zone else said


class Separation(Part):
    """How a routine cuts a batch: its rules, the first that speaks about a page is the one that counts."""

    rules: tuple[SeparationRule, ...] = (SeparationRule(rule="separator sheet"),)

    @model_validator(mode="before")
    @classmethod
    def _from_the_first_form(cls, data: Any) -> Any:
        """Accept ``by`` and ``sheets`` of the first released set-up files."""
        if isinstance(data, dict) and "by" in data:
            rule = {"rule": data["by"]} | ({"sheets": data["sheets"]} if "sheets" in data else {})
            return {"rules": [rule], **{k: v for k, v in data.items() if k not in ("by", "sheets")}}
        return data

    def has(self, *names: str) -> bool:
        """Whether one of these rules is used."""
        return any(r.rule in names for r in self.rules)

    @property
    def needs_text(self) -> bool:
        """Whether pages must be read before they can be placed."""
        return self.has("words", "page numbering", "known first page")

    @property
    def barcode_formats(self) -> tuple[str, ...]:
        """The barcode formats to look for."""
        return tuple(dict.fromkeys(r.format for r in self.rules if r.rule == "barcode"))


class Cleaning(Part):
    """Which steps clean a routine's pages. The captured picture is never altered; these make derived ones."""

    photographs: bool = True
    upright: bool = True
    deskew: bool = True
    crop: bool = True
    fill_holes: bool = True
    despeckle: bool = True
    flatten: bool = True
    colour: Literal["by content", "as captured", "grey", "1-bit"] = "by content"


class HaltCondition(Part):
    """Something that stops the feeder, with the routine's own words for the operator.

    ``limit`` is in mm for “size” (tolerance), in degrees for “skew”, in sheets for “document length”.
    """

    on: Literal[
        "double feed", "size", "barcode", "first side blank", "too dark", "too faint", "skew", "document length"
    ]
    words: str = ""
    limit: float = Field(default=0.0, ge=0)
    pattern: str = ""

    @model_validator(mode="after")
    def _holds_together(self, info: ValidationInfo) -> HaltCondition:
        if not is_kept(info):
            check_pattern(self.pattern)
        return self


class Naming(Part):
    """How the names of files change on the way in: ``pattern`` is replaced by ``into``, ``prefix`` put before it."""

    prefix: str = ""
    pattern: str = ""
    into: str = ""

    @model_validator(mode="after")
    def _holds_together(self, info: ValidationInfo) -> Naming:
        if not is_kept(info):
            check_pattern(self.pattern)
        return self


SentForm = Literal["pdfa", "received", "tiff", "png", "jpeg", "text", "hocr", "alto", "csv", "json"]


class Copies(Part):
    """A folder that each filed document is written into as well, in a form; ``names`` and ``sub_folders`` are patterns.

    No folder: no copies. ``sub_folders`` is parted by slashes, such as ``{Year}/{Supplier}``.
    """

    folder: str = ""
    form: SentForm = "pdfa"
    names: str = "{caption}"
    sub_folders: str = ""


Allowed = Literal["page edits", "indexing", "filing"]
ALLOWED: tuple[Allowed, ...] = ("page edits", "indexing", "filing")
ScanOption = Literal["feed", "duplex", "resolution_dpi", "mode", "paper"]


class Routine(Named):
    """A saved way of handling one kind of work; ``key`` is the letter that starts it, ``device`` the scanner it names.

    ``duplex`` says that sheets have two sides: the scanner takes both, and the pages of a file are fronts and backs in
    turn. ``feed`` says where the scanner takes sheets from; ``locked`` names the scan options that stay as the routine has
    them, whatever somebody asks for at the scan. ``types`` are those that its documents can be of (none: all), ``given_to``
    whose work its batches become besides who brought them in. ``allows`` says what is done under it by others than those
    who oversee, ``language_locked`` that pages are read in its languages alone. Values at ``bar`` need no look; with
    ``wrong_one_in`` the bar is the one above which at most one in so many is wrong, as far as confirmed documents can tell.
    """

    sign: Annotated[str, Field(min_length=2, max_length=2)]
    key: Annotated[str, Field(max_length=1)] = ""
    description: str = ""
    source: Literal["scanner", "files"] = "scanner"
    device: str = ""
    duplex: bool = False
    resolution_dpi: int = Field(default=300, ge=75, le=1200)
    mode: Literal["automatic", "1-bit", "grey", "colour"] = "automatic"
    paper: Literal["A4", "Letter"] = "A4"
    feed: Literal["feeder", "glass"] = "feeder"
    locked: tuple[ScanOption, ...] = ()
    naming: Naming = Naming()
    halts: tuple[HaltCondition, ...] = ()
    cleaning: Cleaning = Cleaning()
    separation: Separation = Separation()
    leave_out_blank: bool = True
    force_ocr: bool = False
    language: str = "eng"
    language_locked: bool = False
    document_type: str = ""
    types: tuple[str, ...] = ()
    given_to: KeptTo = KeptTo()
    allows: tuple[Allowed, ...] = ALLOWED
    kept_to: KeptTo = KeptTo()
    bar: float = Field(default=0.8, ge=0, le=1)
    wrong_one_in: int = Field(default=0, ge=0, le=100_000)
    copies: Copies = Copies()
