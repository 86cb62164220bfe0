"""Names changed on the way in, by a routine's rule; the name as received is kept beside the new one."""

from __future__ import annotations

from datetime import date
from pathlib import PurePath

import regex

from keybundle.core.base.messages import message
from keybundle.core.fields.patterns import LIMIT_SECONDS, SlowPattern
from keybundle.core.setup.routines import Naming


def rename(name: str, rule: Naming, number: int, day: date) -> str:
    r"""Return the name that the rule makes of a file's name; empty when it stays as it is.

    First what matches ``pattern`` is replaced by ``into`` (``\\1`` stands for its first group), then ``prefix`` is put
    before it, where ``{date}`` and ``{number}`` stand for the day and the file's number. The suffix stays.
    Raises SlowPattern for a pattern that takes too long on the name.
    """
    path = PurePath(name)
    stem = path.stem
    if rule.pattern:
        try:
            stem = regex.sub(rule.pattern, rule.into, stem, timeout=LIMIT_SECONDS)
        except TimeoutError as error:
            raise SlowPattern(message("naming.pattern-takes-too-long-name", pattern=rule.pattern, name=name)) from error
        except (regex.error, IndexError):
            stem = path.stem
    prefix = rule.prefix.replace("{date}", day.isoformat()).replace("{number}", f"{number:03d}")
    changed = (f"{prefix}{stem}".replace("/", "-").replace("\0", "") or path.stem) + path.suffix
    return "" if changed == path.name else changed
