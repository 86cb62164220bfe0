"""Sorting as a locale does: keys by the Unicode Collation Algorithm, tailored by CLDR, through the system's ICU.

A key is stored beside what lists are sorted by, so that the database sorts by bytes. Whole numbers in a text sort by
their value (``Box 2`` before ``Box 10``). Source: UTS #10 and CLDR collation, as ICU's C interface ``ucol.h`` gives them;
Tesseract brings the library with it.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import functools
import re
import threading
from typing import Any

from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.base.messages import message

_NUMERIC, _ON = 7, 17  # UCOL_NUMERIC_COLLATION, UCOL_ON
_lock = threading.Lock()


def sort_key(text: str, locale: str) -> bytes:
    """Return bytes that stand to those of other texts as the texts do in a locale (an unknown one: the root's order).

    Raises EnvironmentProblem where the library is missing.
    """
    with _lock:  # a collator is no thing for two threads
        icu, collator = _library(), _collator(locale)
        units = (text.encode("utf-16-le"), len(text.encode("utf-16-le")) // 2)
        size = icu.getSortKey(collator, units[0], units[1], None, 0)
        out = ctypes.create_string_buffer(size)
        icu.getSortKey(collator, units[0], units[1], out, size)
        return out.raw[: max(0, size - 1)]  # its last byte is 0


class _Icu:
    """The few functions of ICU that are used; their names end in the library's version."""

    def __init__(self, library: ctypes.CDLL, suffix: str) -> None:
        def find(name: str, result: Any, *arguments: Any) -> Any:
            found = getattr(library, name + suffix)
            found.restype, found.argtypes = result, list(arguments)
            return found

        error, handle = ctypes.POINTER(ctypes.c_int), ctypes.c_void_p
        self.open = find("ucol_open", handle, ctypes.c_char_p, error)
        self.setAttribute = find("ucol_setAttribute", None, handle, ctypes.c_int, ctypes.c_int, error)
        text = (ctypes.c_char_p, ctypes.c_int32)
        self.getSortKey = find("ucol_getSortKey", ctypes.c_int32, handle, *text, ctypes.c_char_p, ctypes.c_int32)


@functools.cache
def _library() -> _Icu:
    name = ctypes.util.find_library("icui18n") or ""
    version = re.search(r"\.so\.(\d+)", name)
    if version is None:
        raise EnvironmentProblem(message("sorting.no-icu"))
    return _Icu(ctypes.CDLL(name), f"_{version[1]}")


@functools.cache
def _collator(locale: str) -> int:
    icu, error = _library(), ctypes.c_int(0)
    collator = icu.open(locale.encode(), ctypes.byref(error))
    icu.setAttribute(collator, _NUMERIC, _ON, ctypes.byref(error))
    return int(collator)
