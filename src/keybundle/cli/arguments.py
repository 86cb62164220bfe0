"""What the commands take: every one is declared here, so that help, and what was typed wrong, cost no part of the core.

A command's module is loaded when it runs. The choices written out here are held to the core's own by a test.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from keybundle import __version__

Commands = Any  # what argparse calls an action of subparsers, and keeps to itself
PARTS = ("storage_areas", "cabinets", "document_types", "registers", "routines", "roles", "groups", "people")
FORMS, USUAL_FORM, USUAL_NAMES = (
    ("pdfa", "received", "tiff", "png", "jpeg", "text", "hocr", "alto", "csv", "json"),
    "pdfa",
    "{caption}",
)
SHEET_KINDS, PATCHES, SIZES = ("document",), ("1", "2", "3", "4", "6", "T"), ("A4", "Letter")
DEMO_DOCUMENTS, DEMO_SHEETS = 300, 40


def make_parser(arguments: Sequence[str] = ()) -> argparse.ArgumentParser:
    """Return the parser of the whole command line; ``command`` is the name of what was asked for, None for the desktop.

    Where arguments name commands, these alone are declared.
    """
    parser = argparse.ArgumentParser(prog="keybundle", description="Document capture: from paper to filed documents.")
    parser.add_argument("--version", action="version", version=f"Key Bundle {__version__}")
    parser.add_argument("--data", type=Path, default=None, help="the data directory (else KEYBUNDLE_DATA)")
    parser.add_argument("--demo", action="store_true", help="start the desktop with the demo data")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    named = [name for name in COMMANDS if name in arguments]
    for name in named or COMMANDS:
        COMMANDS[name](commands)
    return parser


def add_person(parser: argparse.ArgumentParser, flag: str = "--as") -> None:
    """Let a command be run as somebody else than whoever has this account of the system."""
    told = "work as this person (else whoever has this account of the system)"
    parser.add_argument(flag, dest="person", metavar="PERSON", help=told)
    parser.add_argument(
        "--password-file", type=Path, metavar="FILE", help="their password is this file's first line (else asked for)"
    )


def _init_demo(commands: Commands) -> None:
    told = "make the demo world: set-up, filed documents, a stack in the feeder"
    parser = commands.add_parser("init-demo", help=told)
    parser.add_argument(
        "--documents", type=int, default=DEMO_DOCUMENTS, help=f"filed documents (default {DEMO_DOCUMENTS})"
    )
    told = f"sheets in the feeder (default {DEMO_SHEETS}, 0: none)"
    parser.add_argument("--sheets", type=int, default=DEMO_SHEETS, help=told)


def _setup(commands: Commands) -> None:
    parser = commands.add_parser("setup", help="export, import or check the set-up file; its history")
    kinds = parser.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, told in (("export", "write it"), ("import", "put it in force"), ("check", "tell what is wrong with it")):
        kind = kinds.add_parser(what, help=told)
        kind.add_argument("file", type=Path, metavar="FILE")
        if what != "check":
            add_person(kind)
    history = kinds.add_parser("history", help="tell who changed which part, and when")
    history.add_argument("part", nargs="?", default="", choices=("", *PARTS), metavar="PART")
    history.add_argument("name", nargs="?", default="", metavar="NAME")
    add_person(history)
    back = kinds.add_parser("back", help="put an earlier state of a part in force again")
    back.add_argument("part", choices=PARTS, metavar="PART")
    back.add_argument("name", metavar="NAME")
    back.add_argument("revision", type=int, metavar="REVISION")
    add_person(back)
    told = "tell when entries of a register were taken away or changed by many at once"
    entries = kinds.add_parser("entries", help=told)
    entries.add_argument("name", metavar="REGISTER")
    entries.add_argument("--back", type=int, metavar="N", help="bring back what was taken away or changed at that time")
    add_person(entries)


def _capture(commands: Commands) -> None:
    parser = commands.add_parser("capture", help="bring in files, or what lies in the scanner, as one batch")
    parser.add_argument("--routine", required=True, metavar="NAME")
    parser.add_argument("--report", type=Path, metavar="FILE", help="write a JSON report")
    parser.add_argument("--file", action="store_true", help="also file what is ready")
    add_person(parser)
    told = "sides a minute of the simulated scanner, 0: as fast as it can (default 120)"
    parser.add_argument("--pace", type=float, default=120.0, metavar="SIDES", help=told)
    parser.add_argument("inputs", nargs="+", type=Path, metavar="INPUT", help="files, folders, or the word scanner")


def _find(commands: Commands) -> None:
    parser = commands.add_parser("find", help="find documents by words and fields")
    parser.add_argument("query", metavar="QUERY")
    parser.add_argument("--json", action="store_true", dest="as_json")
    add_person(parser)


def _verify(commands: Commands) -> None:
    parser = commands.add_parser("verify", help="check every stored file and the audit trail")
    parser.add_argument("--json", action="store_true", dest="as_json")
    parser.add_argument("--trail", action="store_true", help="print the audit trail, a row a line with its hash last")
    add_person(parser)


def _separator_sheets(commands: Commands) -> None:
    parser = commands.add_parser("separator-sheets", help="print separator or patch sheets as a PDF")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.pdf")
    parser.add_argument("--kind", default=SHEET_KINDS[0], choices=SHEET_KINDS)
    told = "the document type that follows; else a generic sheet"
    parser.add_argument("--type", default="", metavar="TYPE", help=told)
    told = "print patch sheets with this code instead (by the set-up's table)"
    parser.add_argument("--patch", choices=PATCHES, help=told)
    parser.add_argument("--count", type=int, default=1, metavar="N")
    parser.add_argument("--size", default=SIZES[0], choices=SIZES)


def _open(commands: Commands) -> None:
    parser = commands.add_parser("open", help="hand files to the running desktop, or start one with them")
    parser.add_argument("--register", action="store_true", help="let file managers offer Key Bundle for page files")
    parser.add_argument("inputs", nargs="*", type=Path, metavar="INPUT")


def _export(commands: Commands) -> None:
    parser = commands.add_parser("export", help="write filed documents into a folder")
    parser.add_argument("what", nargs="+", metavar="QUERY|ID", help="a query as for find, or ids of documents")
    parser.add_argument("--to", type=Path, required=True, metavar="DIR")
    told = f"{', '.join(FORMS)} (default {USUAL_FORM})"
    parser.add_argument("--as", dest="form", default=USUAL_FORM, metavar="FORM", help=told)
    told = f"such as '{{Supplier}} {{filed}}' (default {USUAL_NAMES})"
    parser.add_argument("--names", default=USUAL_NAMES, metavar="PATTERN", help=told)
    parser.add_argument("--together", action="store_true", help="all documents in one file")
    parser.add_argument("--folders", action="store_true", help="in folders as in their cabinets")
    told = "as one hand-over package, with all that is needed to check it"
    parser.add_argument("--package", action="store_true", help=told)
    add_person(parser, "--person")


def _import_package(commands: Commands) -> None:
    parser = commands.add_parser("import-package", help="bring in a hand-over package as a batch, checked first")
    parser.add_argument("folder", type=Path, metavar="DIR")
    parser.add_argument("--routine", required=True, metavar="NAME", help="one that makes a document of each file")
    add_person(parser, "--person")


def _mail_stand_in(commands: Commands) -> None:
    parser = commands.add_parser("mail-stand-in", help="a mail server on this machine that keeps what it is handed")
    told = "where messages are kept, one file each"
    parser.add_argument("--keep", type=Path, required=True, metavar="DIR", help=told)
    parser.add_argument("--port", type=int, default=2525, metavar="N")
    parser.add_argument("--seconds", type=float, default=None, metavar="S", help="end after so long (else at Ctrl+C)")


def _reset_administrator(commands: Commands) -> None:
    told = "make somebody administrator again; only the owner of the data directory may"
    parser = commands.add_parser("reset-administrator", help=told)
    parser.add_argument("person", nargs="?", metavar="PERSON", help="who (else the first administrator)")
    told = "the new password is this file's first line (else asked for)"
    parser.add_argument("--password-file", type=Path, metavar="FILE", help=told)


def _purge_details(commands: Commands) -> None:
    parser = commands.add_parser("purge-details", help="forget the audit trail's details about one document")
    parser.add_argument("subject", metavar="DOCUMENT", help="the document's id, as find --json and the trail tell it")
    parser.add_argument("--reason", required=True, help="why; the trail keeps it")
    add_person(parser)


def _relocate(commands: Commands) -> None:
    parser = commands.add_parser("relocate", help="bring files to the storage areas that their folders say by now")
    told = "only tell how full the areas are and how many files would move"
    parser.add_argument("--look", action="store_true", help=told)
    add_person(parser)


def _database_stand_in(commands: Commands) -> None:
    parser = commands.add_parser("database-stand-in", help="a small database that a register can be read from")
    parser.add_argument("file", type=Path, metavar="FILE", help="the SQLite file to make")


# Each command's module bears its name, with an underline for each dash; that of ``open`` would hide a word of Python's.
COMMANDS: dict[str, Callable[[Commands], None]] = {
    "init-demo": _init_demo, "setup": _setup, "capture": _capture, "find": _find, "verify": _verify,
    "separator-sheets": _separator_sheets, "open": _open, "export": _export, "import-package": _import_package,
    "mail-stand-in": _mail_stand_in, "reset-administrator": _reset_administrator, "purge-details": _purge_details,
    "relocate": _relocate, "database-stand-in": _database_stand_in,
}  # fmt: skip


def module_of(command: str) -> str:
    """Return the name of a command's module."""
    return f"keybundle.cli.{'open_files' if command == 'open' else command.replace('-', '_')}"
